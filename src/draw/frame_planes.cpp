#include "draw/frame_planes.hpp"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "core/model/vocabulary.hpp"

namespace ulterix {

namespace {

/// Points closer than this part of the frame's size lie in one plane; directions closer than the
/// second are one.
constexpr double kInPlane = 1e-5, kSameDirection = 1e-6;

/// Directions of the normal of the vertical planes through a member: none of a vertical member,
/// which lies in planes of every direction.
std::optional<Vector3d> normal_of(const Model& model, MemberId id) {
  const Member& m = model.members[id];
  Vector3d along = model.nodes[m.end].position - model.nodes[m.start].position;
  const double length = along.norm();
  along[model.vertical] = 0;
  if (along.norm() <= kSameDirection * length) return std::nullopt;
  const Vector3d up = Vector3d::Unit(model.vertical);
  Vector3d normal = up.cross(along).normalized();
  // One of the two, and exact for what is parallel to an axis.
  for (double& c : normal) c = std::abs(c) < kSameDirection ? 0 : c;
  normal.normalize();
  const bool flip =
      normal[0] < 0 || (normal[0] == 0 && (normal[1] < 0 || (normal[1] == 0 && normal[2] < 0)));
  return flip ? Vector3d(-normal) : normal;
}

/// Planes under way, told apart by rounded normal and offset.
class PlaneFinder {
 public:
  PlaneFinder(const Model& model, const UnitSystem& units)
      : model_(model), units_(units), tolerance_(kInPlane * std::max(model.size(), 1e-9)) {}

  std::vector<FramePlane> find() {
    for (const MemberId id : model_.members.ids()) {
      if (const auto normal = normal_of(model_, id)) add(*normal, id, false);
      add(Vector3d::Unit(model_.vertical), id, true);
    }
    add_uprights();
    std::vector<FramePlane> found;
    for (FramePlane& p : planes_) {
      if (!is_flat_frame(p)) continue;
      std::sort(p.members.begin(), p.members.end());
      p.name = name_of(p);
      found.push_back(std::move(p));
    }
    std::stable_sort(found.begin(), found.end(), [](const FramePlane& a, const FramePlane& b) {
      return std::tuple(a.floor, axis_of(a), a.offset) < std::tuple(b.floor, axis_of(b), b.offset);
    });
    return found;
  }

 private:
  Vector3d at(NodeId n) const { return model_.nodes[n].position; }

  FramePlane* known(const Vector3d& normal, double offset) {
    for (FramePlane& p : planes_) {
      const bool same = (p.normal - normal).norm() < kSameDirection;
      if (same && std::abs(p.offset - offset) < tolerance_) return &p;
    }
    return nullptr;
  }

  void add(const Vector3d& normal, MemberId id, bool floor) {
    const Member& m = model_.members[id];
    const double a = normal.dot(at(m.start)), b = normal.dot(at(m.end));
    if (std::abs(a - b) > tolerance_) return;
    FramePlane* plane = known(normal, a);
    if (plane == nullptr) {
      planes_.push_back({"", normal, a, floor, {}});
      plane = &planes_.back();
    }
    plane->members.push_back(id);
  }

  /// Vertical members belong to every vertical plane that they stand in.
  void add_uprights() {
    for (const MemberId id : model_.members.ids()) {
      if (normal_of(model_, id)) continue;
      for (FramePlane& p : planes_) {
        if (p.floor) continue;
        const double off = p.normal.dot(at(model_.members[id].start)) - p.offset;
        if (std::abs(off) < tolerance_) p.members.push_back(id);
      }
    }
  }

  /// Members in more than one direction: a single line is no frame to read.
  bool is_flat_frame(const FramePlane& plane) const {
    Vector3d first = Vector3d::Zero();
    for (const MemberId id : plane.members) {
      const Member& m = model_.members[id];
      const Vector3d along = (at(m.end) - at(m.start)).normalized();
      if (first.isZero(0)) first = along;
      if (first.cross(along).norm() > 1e-3) return true;
    }
    return false;
  }

  static int axis_of(const FramePlane& plane) {
    for (int d = 0; d < 3; ++d) {
      if (std::abs(plane.normal[d]) == 1) return 2 - d;  // y = ... before x = ...
    }
    return 3;
  }

  std::string name_of(const FramePlane& plane) const {
    for (int d = 0; d < 3; ++d) {
      if (std::abs(plane.normal[d]) != 1) continue;
      const double value = units_.from_si(Quantity::length, plane.offset * plane.normal[d]);
      const double rounded = std::round(value * 1e6) / 1e6;
      return fmt::format("{} = {:g} {}", kAxisNames[static_cast<std::size_t>(d)],
                         rounded == 0 ? 0.0 : rounded, units_.label(Quantity::length));
    }
    // Skew: by the feet of its outermost columns, from the lower x.
    const Vector3d up = Vector3d::Unit(model_.vertical);
    Vector3d along = plane.normal.cross(up);
    if (along[0] < 0) along = -along;
    NodeId first, last;
    const auto further = [&](NodeId n, NodeId than, double sign) {
      const double d = sign * along.dot(at(n) - at(than));
      return d > tolerance_ || (d > -tolerance_ && up.dot(at(n) - at(than)) < -tolerance_);
    };
    for (const MemberId id : plane.members) {
      for (const NodeId n : {model_.members[id].start, model_.members[id].end}) {
        if (!first.valid() || further(n, first, -1)) first = n;
        if (!last.valid() || further(n, last, 1)) last = n;
      }
    }
    return fmt::format("{} to {}", model_.nodes[first].name, model_.nodes[last].name);
  }

  const Model& model_;
  const UnitSystem& units_;
  double tolerance_;
  std::vector<FramePlane> planes_;
};

std::string bare(const std::string& name) {
  std::string result;
  for (const char c : name) {
    if (c != ' ') result += c;
  }
  return result;
}

}  // namespace

ViewDirection FramePlane::view(const Model& model) const {
  if (floor) return {0, M_PI / 2};
  // The direction to the right lies in the plane; x or, across it, y as positive as it can be.
  const Vector3d up = Vector3d::Unit(model.vertical);
  Vector3d right = normal.cross(up);
  const int other = model.vertical == 1 ? 2 : 1;
  if (right[0] < -1e-9 || (std::abs(right[0]) <= 1e-9 && right[other] < 0)) right = -right;
  const double across = model.vertical == 1 ? -right[2] : right[1];
  return {std::atan2(across, right[0]), 0};
}

std::vector<FramePlane> find_planes(const Model& model, const UnitSystem& units) {
  if (model.plane != Plane::space) return {};
  return PlaneFinder(model, units).find();
}

const FramePlane* plane_of(const std::vector<FramePlane>& planes, MemberId member) {
  const FramePlane* best = nullptr;
  for (const FramePlane& p : planes) {
    if (!std::binary_search(p.members.begin(), p.members.end(), member)) continue;
    const auto rank = [](const FramePlane& q) { return std::pair(!q.floor, q.members.size()); };
    if (best == nullptr || rank(p) > rank(*best)) best = &p;
  }
  return best;
}

const FramePlane* find_plane(const std::vector<FramePlane>& planes, const std::string& name) {
  const std::string wanted = bare(name);
  for (const FramePlane& p : planes) {
    const std::string own = bare(p.name);
    if (own == wanted) return &p;
    // "y=12" for "y=12m".
    const bool number_follows = own.size() > wanted.size() && own.starts_with(wanted) &&
                                std::isalpha(static_cast<unsigned char>(own[wanted.size()])) != 0;
    if (number_follows && wanted.find('=') != std::string::npos) return &p;
  }
  return nullptr;
}

}  // namespace ulterix
