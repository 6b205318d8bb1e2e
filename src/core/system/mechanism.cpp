#include "core/system/mechanism.hpp"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

#include "core/eigen/null_space.hpp"
#include "core/system/mechanism_words.hpp"

namespace ulterix {

namespace {

/// Motions below this fraction of the largest are rounding.
constexpr double kStill = 1e-6;

/// Scales to a largest translation of 1 (of rotations only: a largest rotation of 1) and clears
/// what is rounding; lists the nodes that move, the furthest first.
void normalise(const FrameSystem& system, const VectorXd& phi, Mechanism& m) {
  const Model& model = system.model();
  m.motion = IndexedVector<NodeId, NodeMotion>(model.nodes.size());
  double translation = 0, rotation = 0;
  for (const NodeId n : model.nodes.ids()) {
    const Vector6d u = system.dofs().change(n, phi);
    m.motion[n] = {u.head<3>(), u.tail<3>()};
    translation = std::max(translation, m.motion[n].translation.norm());
    rotation = std::max(rotation, m.motion[n].rotation.norm());
  }
  const double size = model.size();
  const bool turns_only = translation <= kStill * rotation * size;
  const double unit = turns_only ? rotation : translation;
  for (const NodeId n : model.nodes.ids()) {
    NodeMotion& motion = m.motion[n];
    motion.translation /= unit;
    motion.rotation /= unit;
    for (int i = 0; i < 3; ++i) {
      if (turns_only || std::abs(motion.translation[i]) < kStill) motion.translation[i] = 0;
      if (std::abs(motion.rotation[i]) * (turns_only ? 1 : size) < kStill) motion.rotation[i] = 0;
    }
    const bool moves = turns_only ? !motion.rotation.isZero(0) : !motion.translation.isZero(0);
    if (moves) m.nodes.push_back(n);
  }
  const auto reach = [&m, turns_only](NodeId n) {
    // Rounded, so that equals keep the order of the file.
    const double r = turns_only ? m.motion[n].rotation.norm() : m.motion[n].translation.norm();
    return std::round(r * 1e6);
  };
  std::stable_sort(m.nodes.begin(), m.nodes.end(),
                   [&reach](NodeId a, NodeId b) { return reach(a) > reach(b); });
}

/// The direction in which holding the furthest node helps most.
void choose_hold(Mechanism& m) {
  m.hold = m.nodes.front();
  const Vector6d u = m.motion[m.hold].vector();
  const bool turns_only = u.head<3>().isZero(0);
  int best = 0;
  if (turns_only) {
    u.tail<3>().cwiseAbs().maxCoeff(&best);
    best += 3;
  } else {
    u.head<3>().cwiseAbs().maxCoeff(&best);
  }
  m.hold_direction = best;
}

void look_around(const FrameSystem& system, Mechanism& m) {
  const Model& model = system.model();
  const State unloaded(model);
  State state = unloaded;
  state.nodes = m.motion;
  std::vector<bool> moving(static_cast<std::size_t>(model.nodes.size()), false);
  for (const NodeId n : m.nodes) moving[static_cast<std::size_t>(n.value)] = true;
  for (const MemberId id : model.members.ids()) {
    const Member& member = model.members[id];
    const bool a = moving[static_cast<std::size_t>(member.start.value)];
    const bool b = moving[static_cast<std::size_t>(member.end.value)];
    if (!a && !b) continue;
    m.members.push_back(id);
    if (member.kind != MemberKind::frame || !member.has_hinges()) continue;
    const Element element = system.element(id, MemberLoading::none(model.length(id)), unloaded);
    const Vector12d jump = element.joint_motion(system.end_motion(id, state));
    for (int end = 0; end < 2; ++end) {
      if (jump.segment<6>(6 * end).cwiseAbs().maxCoeff() > kStill) {
        m.turning_hinges.emplace_back(id, end);
      }
    }
  }
}

/// Where no node is displaced, members only spin about their own axes, one or several together.
void recognise_spin(const Model& model, Mechanism& m) {
  const NodeMotion& most = m.motion[m.nodes.front()];
  m.spin = model.plane == Plane::space && most.translation.isZero(0);
  m.spin_axis = most.rotation.normalized();
}

}  // namespace

VectorXd stiffness_scale(const FrameSystem& system, const std::vector<double>& values) {
  const DofMap& dofs = system.dofs();
  const int n = dofs.size();
  VectorXd scale = VectorXd::Zero(n);
  std::array<double, 2> sum = {0, 0};
  std::array<int, 2> count = {0, 0};
  std::vector<std::array<double, 2>> at_node(static_cast<std::size_t>(system.model().nodes.size()));
  const auto kind = [&dofs](int q) { return dofs.direction_of(q) < 3 ? 0 : 1; };
  for (int q = 0; q < n; ++q) {
    const auto start = system.pattern().column_start[static_cast<std::size_t>(q)];
    const double k = values[static_cast<std::size_t>(start)];
    auto& largest = at_node[static_cast<std::size_t>(dofs.node_of(q).value)][kind(q)];
    largest = std::max(largest, k);
    sum[kind(q)] += k;
    ++count[kind(q)];
  }
  for (int q = 0; q < n; ++q) {
    const double own = at_node[static_cast<std::size_t>(dofs.node_of(q).value)][kind(q)];
    const double mean = count[kind(q)] > 0 ? sum[kind(q)] / count[kind(q)] : 0;
    scale[q] = own > 0 ? own : (mean > 0 ? mean : 1);
  }
  return scale;
}

std::vector<Mechanism> find_mechanisms(const FrameSystem& system,
                                       const std::vector<double>& values) {
  const auto product = [&system](const Eigen::MatrixXd& X) {
    const AppliedLoads nothing(system.situation(), LoadSet{});
    const State unloaded(system.model());
    std::vector<State> states(static_cast<std::size_t>(X.cols()), unloaded);
    for (std::size_t k = 0; k < states.size(); ++k) {
      system.set_increment(X.col(static_cast<Eigen::Index>(k)), states[k]);
    }
    return system.resistance(nothing, unloaded, states).at_unknowns;
  };
  const Eigen::MatrixXd Z =
      null_space(system.pattern(), values, stiffness_scale(system, values), product);
  std::vector<Mechanism> mechanisms;
  for (Eigen::Index j = 0; j < Z.cols(); ++j) {
    Mechanism m;
    normalise(system, Z.col(j), m);
    if (m.nodes.empty()) continue;
    choose_hold(m);
    look_around(system, m);
    recognise_spin(system.model(), m);
    m.words = describe(system.model(), m);
    mechanisms.push_back(std::move(m));
  }
  std::stable_sort(
      mechanisms.begin(), mechanisms.end(),
      [](const Mechanism& a, const Mechanism& b) { return a.nodes.size() > b.nodes.size(); });
  return mechanisms;
}

}  // namespace ulterix
