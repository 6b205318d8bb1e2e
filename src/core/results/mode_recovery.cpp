#include "core/results/mode_recovery.hpp"

#include <algorithm>
#include <cmath>

#include "core/parallel.hpp"

namespace ulterix {

namespace {

/// Axes of members are kept for figures up to this many members.
constexpr int kMostDrawn = 2500;
constexpr int kStations = 17;

/// Node and direction (from `first`) of the largest component; reluctant, so that the first of
/// equals wins whatever the rounding.
void find_largest(const State& state, int nodes, int first, NodeId& node, int& direction,
                  double& size) {
  size = 0;
  for (int n = 0; n < nodes; ++n) {
    const Vector6d u = state.nodes[NodeId(n)].vector();
    for (int d = first; d < first + 3; ++d) {
      if (std::abs(u[d]) <= size * (1 + 1e-6)) continue;
      size = std::abs(u[d]);
      node = NodeId(n);
      direction = d;
    }
  }
}

std::vector<Vector3d> axis_of(const ModeProblem& problem, MemberId id, const State& state,
                              const VectorXd& phi) {
  const Matrix3d& R = problem.frame().axes(id);
  const MemberShapes shapes(problem.member(id), problem.driver(), problem.counts()[id]);
  std::vector<Vector3d> axis =
      shapes.displacements(problem.coefficients(id, state, phi), kStations);
  for (Vector3d& u : axis) u = R.transpose() * u;
  return axis;
}

template <std::size_t N>
double work(const Vector12d& ends, const Vector12d& force, const std::array<int, N>& directions) {
  double sum = 0;
  for (const int d : directions) sum += ends[d] * force[d];
  return sum / 2;
}

}  // namespace

ModeShape mode_shape(const ModeProblem& problem, const VectorXd& phi, double* scale) {
  const Model& model = problem.frame().model();
  State state(model);
  problem.set_motion(phi, state);
  ModeShape shape;
  double translation = 0, rotation = 0, along = 0;
  find_largest(state, model.nodes.size(), 0, shape.furthest, shape.direction, translation);
  find_largest(state, model.nodes.size(), 3, shape.turning, shape.rotation, rotation);
  if (model.members.size() <= kMostDrawn) {
    shape.axes = IndexedVector<MemberId, std::vector<Vector3d>>(model.members.size());
    for (const MemberId id : model.members.ids()) {
      if (!problem.frame().variant().present[id]) continue;
      shape.axes[id] = axis_of(problem, id, state, phi);
      for (const Vector3d& u : shape.axes[id]) along = std::max(along, u.cwiseAbs().maxCoeff());
    }
  }
  const double size = model.size();
  shape.only_rotations = std::max(translation, along) < 1e-7 * rotation * size;
  double unit = translation;
  if (translation < 1e-6 * along) unit = along;
  if (shape.only_rotations) unit = rotation;
  double factor = unit > 0 ? 1 / unit : 1;
  // The largest component is positive.
  if (shape.furthest.valid() && unit == translation &&
      state.nodes[shape.furthest].vector()[shape.direction] < 0) {
    factor = -factor;
  }
  shape.nodes = IndexedVector<NodeId, NodeMotion>(model.nodes.size());
  for (const NodeId n : model.nodes.ids()) {
    shape.nodes[n].translation = factor * state.nodes[n].translation;
    shape.nodes[n].rotation = factor * state.nodes[n].rotation;
  }
  for (auto& axis : shape.axes) {
    for (Vector3d& u : axis) u *= factor;
  }
  if (scale != nullptr) *scale = factor;
  return shape;
}

std::vector<Vector3d> axis_of_member(const ModeProblem& problem, MemberId id, const VectorXd& phi,
                                     double scale) {
  State state(problem.frame().model());
  problem.set_motion(phi, state);
  std::vector<Vector3d> axis = axis_of(problem, id, state, phi);
  for (Vector3d& u : axis) u *= scale;
  return axis;
}

ModeEnergy mode_energy(const ModeProblem& problem, const VectorXd& phi) {
  const FrameSystem& system = problem.frame();
  const Model& model = system.model();
  const InnerUnknowns& u = problem.unknowns();
  State state(model);
  problem.set_motion(phi, state);
  ModeEnergy result;
  result.shares = IndexedVector<MemberId, MemberShare>(model.members.size());
  const State unloaded(model);
  for_each_range(model.members.size(), [&](int begin, int end) {
    std::optional<ElementProperties> known;  // members one after the other are often alike
    std::optional<Element> element;
    for (int i = begin; i < end; ++i) {
      const MemberId id(i);
      if (!system.variant().present[id]) continue;
      const ModeMember& m = problem.member(id);
      if (m.properties != known) {
        known = m.properties;
        element.emplace(m.properties, MemberLoading::none(m.properties.length), GeometricEffect{});
      }
      const EndMotion motion = system.end_motion(id, state);
      const Vector12d force = element->resistance(motion);
      MemberShare& e = result.shares[id];
      e.whole = motion.deformed.dot(force) / 2;
      e.about_y = work(motion.deformed, force, std::array<int, 4>{2, 4, 8, 10});
      e.about_z = work(motion.deformed, force, std::array<int, 4>{1, 5, 7, 11});
      e.twist = work(motion.deformed, force, std::array<int, 2>{3, 9});
      if (u.count[id] == 0) continue;
      const MemberShapes shapes(m, problem.driver(), problem.counts()[id]);
      const auto inner = phi.segment(u.frame_size() + u.first[id], u.count[id]);
      e.whole += inner.squaredNorm() / 2;
      const auto part = [&](Family f) {
        return inner.segment(shapes.first_inner(f) - 12, shapes.inner(f)).squaredNorm() / 2;
      };
      e.about_y += part(Family::bending_z);
      e.about_z += part(Family::bending_y);
      e.twist += part(Family::twist);
    }
  });
  double whole = 0;
  for (const MemberShare& e : result.shares) whole += e.whole;
  for (const NodeId n : model.nodes.ids()) {
    const Vector6d motion = state.nodes[n].vector();
    for (int d = 0; d < 6; ++d) {
      const double stiffness = system.support(n)[d].stiffness;
      if (stiffness != 0 && stiffness != kRigid) whole += stiffness * motion[d] * motion[d] / 2;
    }
  }
  result.elastic = 2 * whole;
  if (whole <= 0) return result;
  for (MemberShare& e : result.shares) {
    e.whole /= whole;
    e.about_y /= whole;
    e.about_z /= whole;
    e.twist /= whole;
  }
  return result;
}

}  // namespace ulterix
