#pragma once

#include <functional>
#include <memory>
#include <vector>

#include "core/system/member_frame.hpp"
#include "core/system/topology.hpp"

namespace ulterix {

struct MemberTangent;

/// K·q = rhs for one set of loads and one state.
struct Assembly {
  VectorXd loads;  ///< what acts at the unknowns, members' fixed-end forces and springs' ground in
  VectorXd rhs;    ///< the same less K times the motion of the supports
  std::vector<std::pair<MemberId, int>> loaded_free_motions;  ///< member, local direction
  std::vector<double> values;                                 ///< of K, on FrameSystem::pattern()
  int inner_negative_pivots = 0;           ///< of pieces and hinges inside members
  std::vector<MemberId> unstable_members;  ///< whose section has no stiffness left under N
};

/// What members and springs put against motions, one column a motion.
struct Resistance {
  Eigen::MatrixXd at_unknowns;
  /// Of each motion: end forces of every member without its loads, global (12), N and N·m.
  std::vector<IndexedVector<MemberId, Vector12d>> ends;
};

/// Everything of a situation that stays while loads and states change: its members, and the
/// topology, whose unknowns they are summed up at.
class FrameSystem : public MemberFrame {
 public:
  /// `near`: the topology of another situation of the same model, which is shared if it serves, and
  /// else gives the elimination order.
  explicit FrameSystem(const Situation& situation,
                       const std::shared_ptr<const Topology>& near = nullptr);
  FrameSystem(const FrameSystem&) = delete;
  FrameSystem& operator=(const FrameSystem&) = delete;

  /// The same members and supports, with where they were built in and how the ground has moved:
  /// nothing of that is in the stiffness.
  using MemberFrame::take_histories;

  const std::shared_ptr<const Topology>& topology() const { return topology_; }
  const DofMap& dofs() const { return topology_->dofs(); }
  const SymmetricPattern& pattern() const { return topology_->pattern(); }
  /// Of the factors of all matrices on the pattern.
  std::shared_ptr<const FactorStructure> factor_structure() const {
    return {topology_, &topology_->factor_structure()};
  }

  Assembly assemble(const AppliedLoads& loads, const State& state, int split = 0) const;
  /// The same without K, for a further set of loads on the stiffness of an unloaded state.
  Assembly right_side(const AppliedLoads& loads, const State& state) const;

  /// Values on the pattern of any symmetric matrix made of members' matrices (12 x 12, of the
  /// nodes, in the member's local axes) and nodes' (6 x 6, global).
  std::vector<double> assemble_matrix(
      const std::function<Matrix12d(MemberId)>& member_matrix,
      const std::function<Matrix6d(NodeId)>& node_matrix = {}) const;

  /// The same of members' matrices in global axes.
  std::vector<double> assemble_global(
      const std::function<Matrix12d(MemberId)>& member_matrix,
      const std::function<Matrix6d(NodeId)>& node_matrix = {}) const;

  /// Node motions under loads, which may move supports, that follow from the unknowns q + rest,
  /// whose digits go on where those of q end.
  void set_motion(const AppliedLoads& loads, const VectorXd& q, const VectorXd& rest,
                  State& state) const;
  void set_motion(const AppliedLoads& loads, const VectorXd& q, State& state) const {
    set_motion(loads, q, VectorXd::Zero(q.size()), state);
  }
  /// How far the rigid supports of a node have settled; 0 where they hold a floor.
  Vector6d settlement(NodeId id) const;
  /// What rigid supports make of a node's motion: their settlement, that of loads included.
  Vector6d prescribed(NodeId id, const AppliedLoads& loads) const;

  /// The same for a change of the unknowns: supports do not move.
  void set_increment(const VectorXd& dq, State& state) const;

  /// K·u of every motion, made member by member from deformations: the stiffness is that of
  /// `acting` (and of the axial forces of `loads`, if it has any).
  Resistance resistance(const AppliedLoads& loads, const State& acting,
                        const std::vector<State>& motions, int split = 0) const;

 private:
  IndexedVector<NodeId, NodeRotationStiffness> rotation_stiffness() const;
  MemberTangent member_terms(MemberId id, const AppliedLoads& loads, const State& state, int split,
                             bool with_tangent) const;
  template <class OfMember>
  Assembly at_unknowns(const AppliedLoads& loads, const OfMember& of_member) const;
  void place(NodeId id, const Prescribed& u0, const VectorXd& q, const VectorXd& rest,
             State& state) const;

  std::shared_ptr<const Topology> topology_;
};

}  // namespace ulterix
