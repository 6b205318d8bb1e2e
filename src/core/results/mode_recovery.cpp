#include "core/results/mode_recovery.hpp"

#include <algorithm>
#include <cmath>

#include "core/parallel.hpp"
#include "core/results/mode_kind.hpp"

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

template <std::size_t N>
double work(const Vector12d& ends, const Vector12d& force, const std::array<int, N>& directions) {
  double sum = 0;
  for (const int d : directions) sum += ends[d] * force[d];
  return sum / 2;
}

class ModeRecovery {
 public:
  ModeRecovery(const ModeProblem& problem, const Eigen::MatrixXd& vectors)
      : problem_(problem),
        system_(problem.frame()),
        model_(system_.model()),
        vectors_(vectors),
        modes_(static_cast<std::size_t>(vectors.cols())),
        drawn_(model_.members.size() <= kMostDrawn) {
    states_.assign(modes_.size(), State(model_));
    for_each_long(static_cast<int>(modes_.size()), [&](int k) {
      const auto at = static_cast<std::size_t>(k);
      problem.set_motion(vectors.col(k), states_[at]);
      modes_[at].shares = IndexedVector<MemberId, MemberShare>(model_.members.size());
      if (drawn_) {
        modes_[at].shape.axes =
            IndexedVector<MemberId, std::vector<Vector3d>>(model_.members.size());
      }
    });
  }

  std::vector<RecoveredMode> recover() {
    problem_.for_each_member([this](ShapeCache& cache, MemberId id) { member(id, cache); });
    for_each_long(static_cast<int>(modes_.size()), [this](int k) {
      const auto at = static_cast<std::size_t>(k);
      share_out(modes_[at], states_[at]);
      normalise(modes_[at], states_[at], k);
    });
    return std::move(modes_);
  }

 private:
  void member(MemberId id, ShapeCache& cache) {
    const ModeMember& m = problem_.member(id);
    MemberShapes& shapes = cache.of(m, problem_.driver(), problem_.counts()[id]);
    const Element element(m.properties, MemberLoading::none(m.properties.length), {});
    const Eigen::MatrixXd c = problem_.coefficients(id, vectors_);
    for (std::size_t k = 0; k < modes_.size(); ++k) {
      const EndMotion motion = system_.end_motion(id, states_[k]);
      energies(shapes, element, motion, c.col(static_cast<Eigen::Index>(k)).tail(c.rows() - 12),
               modes_[k].shares[id]);
    }
    if (!drawn_) return;
    const std::vector<Eigen::Matrix3Xd> axes = shapes.displacements(c, kStations);
    for (std::size_t k = 0; k < modes_.size(); ++k) {
      modes_[k].shape.axes[id] = turned(axes[k], id);
    }
  }

  std::vector<Vector3d> turned(const Eigen::Matrix3Xd& local, MemberId id) const {
    std::vector<Vector3d> axis;
    axis.reserve(static_cast<std::size_t>(local.cols()));
    for (Eigen::Index i = 0; i < local.cols(); ++i) {
      axis.emplace_back(system_.axes(id).transpose() * local.col(i));
    }
    return axis;
  }

  static void energies(const MemberShapes& shapes, const Element& element, const EndMotion& motion,
                       const Eigen::Ref<const VectorXd>& inner, MemberShare& e) {
    const Vector12d force = element.resistance(motion);
    e.whole = motion.deformed.dot(force) / 2 + inner.squaredNorm() / 2;
    const auto part = [&](Family f) {
      return inner.segment(shapes.first_inner(f) - 12, shapes.inner(f)).squaredNorm() / 2;
    };
    e.about_y =
        work(motion.deformed, force, std::array<int, 4>{2, 4, 8, 10}) + part(Family::bending_z);
    e.about_z =
        work(motion.deformed, force, std::array<int, 4>{1, 5, 7, 11}) + part(Family::bending_y);
    e.twist = work(motion.deformed, force, std::array<int, 2>{3, 9}) + part(Family::twist);
  }

  /// Energies as parts of the whole, springs to the ground in.
  void share_out(RecoveredMode& mode, const State& state) const {
    double whole = 0;
    for (const MemberShare& e : mode.shares) whole += e.whole;
    for (const NodeId n : model_.nodes.ids()) {
      whole += system_.springs(n).dot(state.nodes[n].vector().cwiseAbs2()) / 2;
    }
    mode.elastic = 2 * whole;
    mode.main = MemberId(0);
    if (whole <= 0) return;
    for (MemberShare& e : mode.shares) {
      e.whole /= whole;
      e.about_y /= whole;
      e.about_z /= whole;
      e.twist /= whole;
    }
    mode.main = main_member(mode.shares);
  }

  void normalise(RecoveredMode& mode, const State& state, int column) const {
    ModeShape& shape = mode.shape;
    double translation = 0, rotation = 0, along = 0;
    find_largest(state, model_.nodes.size(), 0, shape.furthest, shape.direction, translation);
    find_largest(state, model_.nodes.size(), 3, shape.turning, shape.rotation, rotation);
    for (const auto& axis : shape.axes) {
      for (const Vector3d& u : axis) along = std::max(along, u.cwiseAbs().maxCoeff());
    }
    const double size = model_.size();
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
    shape.nodes = IndexedVector<NodeId, NodeMotion>(model_.nodes.size());
    for (const NodeId n : model_.nodes.ids()) {
      shape.nodes[n].translation = factor * state.nodes[n].translation;
      shape.nodes[n].rotation = factor * state.nodes[n].rotation;
    }
    for (auto& axis : shape.axes) {
      for (Vector3d& u : axis) u *= factor;
    }
    mode.scale = factor;
    if (model_.members.empty()) return;
    if (drawn_) {
      mode.axis_of_main = shape.axes[mode.main];
      return;
    }
    MemberShapes shapes(problem_.member(mode.main), problem_.driver(),
                        problem_.counts()[mode.main]);
    const Eigen::MatrixXd c =
        factor * problem_.coefficients(mode.main, vectors_.middleCols(column, 1));
    mode.axis_of_main = turned(shapes.displacements(c, kStations).front(), mode.main);
  }

  const ModeProblem& problem_;
  const FrameSystem& system_;
  const Model& model_;
  const ModeProblem::ByRows vectors_;
  std::vector<RecoveredMode> modes_;
  std::vector<State> states_;
  bool drawn_;
};

}  // namespace

std::vector<RecoveredMode> recover_modes(const ModeProblem& problem,
                                         const Eigen::MatrixXd& vectors) {
  return ModeRecovery(problem, vectors).recover();
}

}  // namespace ulterix
