#include "core/results/mode_kind.hpp"

#include <fmt/format.h>

#include <cmath>

namespace ulterix {

namespace {

/// Nodes that move less than this part of the axes between them do not sway.
constexpr double kSways = 0.3;

/// The axis across a space frame that lies in one vertical plane; −1 if it does not.
int normal_of_flat_frame(const Model& model) {
  if (model.plane != Plane::space) return -1;
  const double size = model.size();
  for (const int axis : model.horizontal_axes()) {
    double low = 1e300, high = -1e300;
    for (const Node& n : model.nodes) {
      low = std::min(low, n.position[axis]);
      high = std::max(high, n.position[axis]);
    }
    // A single column lies in every plane.
    bool across = false;
    for (const Node& n : model.nodes) {
      for (const int other : model.horizontal_axes()) {
        const double away = n.position[other] - model.nodes[NodeId(0)].position[other];
        across = across || (other != axis && std::abs(away) > 1e-6 * size);
      }
    }
    if (high - low < 1e-6 * size && across) return axis;
  }
  return -1;
}

/// The largest sideways displacement of a node, its axis, and whether it counts beside the axes.
struct Sway {
  double largest = 0;
  int direction = -1;
};
Sway sway(const Model& model, const ModeShape& shape, bool vertical) {
  Sway s;
  for (const NodeMotion& n : shape.nodes) {
    for (int d = 0; d < 3; ++d) {
      if ((d == model.vertical) != vertical || std::abs(n.translation[d]) <= s.largest * (1 + 1e-6))
        continue;
      s.largest = std::abs(n.translation[d]);
      s.direction = d;
    }
  }
  return s;
}

}  // namespace

MemberId main_member(const IndexedVector<MemberId, MemberShare>& shares) {
  MemberId main(0);
  for (const MemberId id : shares.ids()) {
    if (shares[id].whole > shares[main].whole * (1 + 1e-9)) main = id;
  }
  return main;
}

int half_waves(const std::vector<Vector3d>& axis) {
  if (axis.size() < 3) return 0;
  const auto last = static_cast<double>(axis.size() - 1);
  std::vector<Vector3d> away;
  int at = 0;
  double most = 0;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double t = static_cast<double>(i) / last;
    away.push_back(axis[i] - (1 - t) * axis.front() - t * axis.back());
    for (int d = 0; d < 3; ++d) {
      if (std::abs(away.back()[d]) <= most) continue;
      most = std::abs(away.back()[d]);
      at = d;
    }
  }
  int waves = 0;
  double sign = 0;
  for (const Vector3d& u : away) {
    if (std::abs(u[at]) < 0.05 * most) continue;
    const double now = u[at] > 0 ? 1 : -1;
    if (now != sign) ++waves;
    sign = now;
  }
  return waves;
}

std::string kind_of(const MemberFrame& frame, const BucklingMode& mode,
                    const std::vector<Vector3d>& axis_of_main, MemberId main) {
  const Model& model = frame.model();
  double twist = 0, bending = 0;
  for (const MemberShare& s : mode.shares) {
    twist += s.twist;
    bending += s.about_y + s.about_z;
  }
  if (model.plane == Plane::space &&
      (twist > bending || (mode.shape.only_rotations && twist > 0.5)))
    return "torsional";
  double along = 0;
  for (const Vector3d& u : axis_of_main) along = std::max(along, u.cwiseAbs().maxCoeff());
  const Sway side = sway(model, mode.shape, false), up = sway(model, mode.shape, true);
  const bool alone = model.members.size() > 1 && mode.shares[main].whole > 0.8;
  const std::string whom = alone ? fmt::format(", {} alone", model.members[main].name) : "";
  if (std::max(side.largest, up.largest) <= kSways * along || mode.shape.only_rotations) {
    const MemberShare& s = mode.shares[main];
    const bool about_y = s.about_y >= s.about_z;
    const int waves = half_waves(axis_of_main);
    std::string words = fmt::format("between the ends about {}", about_y ? "y" : "z");
    if (waves > 0) words += fmt::format(", {} half wave{}", waves, waves == 1 ? "" : "s");
    return words + whom;
  }
  if (up.largest > side.largest * (1 + 1e-6)) {
    return fmt::format("up and down, along {}",
                       kAxisNames[static_cast<std::size_t>(up.direction)]) +
           whom;
  }
  const std::string axis(kAxisNames[static_cast<std::size_t>(side.direction)]);
  if (side.direction == normal_of_flat_frame(model)) return "out of plane, along " + axis + whom;
  return "sway along " + axis + whom;
}

}  // namespace ulterix
