#include "core/analysis/mass_totals.hpp"

#include <tbb/parallel_for.h>

#include "core/parallel.hpp"
#include "core/sparse/conjugate_gradients.hpp"

namespace ulterix {

namespace {

class ExcitedMass {
 public:
  ExcitedMass(const ModeProblem& problem, const FrameMass& mass)
      : problem_(problem), frame_(problem.frame()), model_(frame_.model()), mass_(mass) {}

  MassTotals totals() const {
    using Sums = std::array<double, 6>;
    MassTotals totals;
    IndexedVector<MemberId, Sums> own(model_.members.size(), Sums{});
    IndexedVector<MemberId, Matrix12d> lumps(model_.members.size(), Matrix12d::Zero());
    each_member([&](MemberId id, const Eigen::Matrix<double, 12, 6>& u, const Eigen::MatrixXd& M) {
      const Matrix12d at_nodes = M.topLeftCorner<12, 12>();
      const Matrix6d sum = u.transpose() * at_nodes * u;
      for (int d = 0; d < 6; ++d) own[id][static_cast<std::size_t>(d)] = sum(d, d);
      const ModeMember& m = problem_.member(id);
      if (!moves_between_ends(m)) {
        lumps[id] = at_nodes;
        if (moves_as_string(m)) {
          lumps[id].setZero();
          for (const int i : {0, 6}) {
            for (const int j : {0, 6}) lumps[id](i, j) = at_nodes(i, j);
          }
        }
      } else if (!m.point_mass.empty()) {
        lumps[id].block<3, 3>(0, 0) = m.point_mass.front() * m.keeps;
        lumps[id].block<3, 3>(6, 6) = m.point_mass.back() * m.keeps;
      }
    });
    for (const MemberId id : own.ids()) {
      for (std::size_t d = 0; d < 6; ++d) totals.all[d] += own[id][d];
      const ModeMember& m = problem_.member(id);
      for (std::size_t d = 0; d < 3 && moves_as_string(m); ++d) {
        const double along = frame_.axes(id)(0, static_cast<Eigen::Index>(d));
        totals.movable[d] += own[id][d] * (1 - along * along);
      }
      if (!moves_between_ends(m)) continue;
      // What lies between the ends of a member moves, whatever holds them.
      for (std::size_t d = 0; d < 3; ++d) totals.movable[d] += own[id][d] - at_ends(m, d);
    }
    for (const NodeId n : model_.nodes.ids()) {
      const Matrix6d r = rigid_motions(frame_.situation().position(n));
      for (std::size_t d = 0; d < 6; ++d) {
        const Vector3d u = r.col(static_cast<Eigen::Index>(d)).head<3>();
        totals.all[d] += u.cwiseProduct(u).dot(mass_.on_node(n));
      }
    }
    const std::array<double, 3> joints = movable_at_joints(lumps);
    for (std::size_t d = 0; d < 3; ++d) totals.movable[d] += joints[d];
    return totals;
  }

  Excitations excitations() const {
    const InnerUnknowns& u = problem_.unknowns();
    Excitations b;
    b.fill(VectorXd::Zero(u.size()));
    IndexedVector<MemberId, Eigen::MatrixXd> forces(model_.members.size());
    each_member([&](MemberId id, const Eigen::Matrix<double, 12, 6>& motion,
                    const Eigen::MatrixXd& M) { forces[id] = M.leftCols<12>() * motion; });
    for (const MemberId id : model_.members.ids()) {
      if (forces[id].size() == 0) continue;
      for (std::size_t d = 0; d < 6; ++d) {
        const auto column = static_cast<Eigen::Index>(d);
        const Vector12d local = forces[id].col(column).head<12>();
        add_force(id, to_global(local, frame_.axes(id)), b[d]);
        b[d].segment(u.frame_size() + u.first[id], u.count[id]) =
            forces[id].col(column).tail(u.count[id]);
      }
    }
    for (const NodeId n : model_.nodes.ids()) {
      const Matrix6d r = rigid_motions(frame_.situation().position(n));
      for (std::size_t d = 0; d < 6; ++d) {
        Vector6d f = Vector6d::Zero();
        f.head<3>() = mass_.on_node(n).cwiseProduct(r.col(static_cast<Eigen::Index>(d)).head<3>());
        frame_.dofs().add_force(n, f, b[d]);
      }
    }
    return b;
  }

 private:
  static bool moves_between_ends(const ModeMember& m) {
    return !m.lumped && (m.properties.kind == MemberKind::frame || m.cable);
  }
  /// Across only.
  static bool moves_as_string(const ModeMember& m) { return !m.cable && m.string > 0; }

  /// Calls act(id, nodes' rigid motions (12 x 6, local), drives' matrix) for every member.
  template <class Act>
  void each_member(const Act& act) const {
    problem_.for_each_member([&](ShapeCache& cache, MemberId id) {
      const ModeMember& m = problem_.member(id);
      MemberShapes& shapes = cache.of(m, Driver::mass, problem_.counts()[id]);
      Eigen::Matrix<double, 12, 6> u;
      u << rigid_motions(frame_.situation().position(model_.members[id].start)),
          rigid_motions(frame_.situation().position(model_.members[id].end));
      for (int k = 0; k < 4; ++k) {
        u.middleRows<3>(3 * k) = (frame_.axes(id) * u.middleRows<3>(3 * k)).eval();
      }
      act(id, u, shapes.whole(shapes.matrices(m).drives));
    });
  }

  /// kg concentrated at the ends of a member in a direction.
  double at_ends(const ModeMember& m, std::size_t direction) const {
    if (m.point_mass.empty() || !model_.mass.directions[direction]) return 0;
    return m.point_mass.front() + m.point_mass.back();
  }

  /// Adds global forces on a member's nodes to those on the frame's unknowns.
  void add_force(MemberId id, const Vector12d& f, VectorXd& b) const {
    frame_.dofs().add_force(model_.members[id].start, f.head<6>(), b);
    frame_.dofs().add_force(model_.members[id].end, f.tail<6>(), b);
  }

  /// bᵀ·M⁺·b of what sits at the joints.
  std::array<double, 3> movable_at_joints(const IndexedVector<MemberId, Matrix12d>& lumps) const {
    IndexedVector<NodeId, Matrix6d> nodal(model_.nodes.size(), Matrix6d::Zero());
    for (const NodeId n : model_.nodes.ids()) nodal[n].diagonal().head<3>() = mass_.on_node(n);
    const std::vector<double> M = frame_.assemble_matrix([&](MemberId id) { return lumps[id]; },
                                                         [&](NodeId n) { return nodal[n]; });
    const Preconditioner inverse = inverse_diagonal(frame_.pattern(), M);
    CgOptions options;
    options.iterations = 300;
    options.tolerance = 1e-10;
    std::array<double, 3> movable = {};
    tbb::parallel_for(0, 3, [&](int d) {
      VectorXd b = VectorXd::Zero(frame_.dofs().size());
      for (const NodeId n : model_.nodes.ids()) {
        frame_.dofs().add_force(n, nodal[n] * Vector6d::Unit(d), b);
      }
      for (const MemberId id : model_.members.ids()) {
        if (lumps[id].isZero(0)) continue;
        Vector12d u = Vector12d::Zero();
        u[d] = u[d + 6] = 1;
        add_force(id, to_global(lumps[id], frame_.axes(id)) * u, b);
      }
      if (b.isZero(0)) return;
      VectorXd x = VectorXd::Zero(b.size());
      conjugate_gradients(frame_.pattern(), M, inverse, b, x, options);
      movable[static_cast<std::size_t>(d)] = b.dot(x);
    });
    return movable;
  }

  const ModeProblem& problem_;
  const FrameSystem& frame_;
  const Model& model_;
  const FrameMass& mass_;
};

}  // namespace

MassTotals mass_totals(const ModeProblem& problem, const FrameMass& mass) {
  return ExcitedMass(problem, mass).totals();
}

Excitations excitations(const ModeProblem& problem, const FrameMass& mass) {
  return ExcitedMass(problem, mass).excitations();
}

}  // namespace ulterix
