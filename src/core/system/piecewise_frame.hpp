#pragma once

#include "core/element/corotational_piece.hpp"
#include "core/nonlinear/path_follower.hpp"
#include "core/system/frame_system.hpp"

namespace ulterix {

/// A frame whose members are cut into corotational pieces, with its state: a problem for the path
/// follower. Loads are `constant` + factor·`scaled`; supports settle with the factor, by either.
class PiecewiseFrame : public PathProblem {
 public:
  /// `pieces`: of every member that bends, at least; loads cut members further.
  PiecewiseFrame(const FrameSystem& drawn, const AppliedLoads& scaled, const AppliedLoads* constant,
                 int pieces);
  /// Looks for ties that go slack or taut and members that reach fy, not for breaks alone.
  void look_for_events();
  ~PiecewiseFrame() override;

  const SymmetricPattern& pattern() const override;
  Balance balance() const override;
  void move(const VectorXd& step, double factor) override;
  double factor() const override;
  std::shared_ptr<const void> state() const override;
  void restore(const std::shared_ptr<const void>& state) override;
  const VectorXd& scale() const override;
  double motion() const override;
  bool has_sharp_bends() const override;  ///< where cables hang
  bool is_loose() const override;         ///< where a cable is slack without load
  std::vector<double> conditions() const override;
  bool change_by(int condition) override;
  /// The member of a condition, and what becomes of it where the condition loses its sign.
  std::pair<MemberId, ItemChange> meaning(int condition) const;

  /// What the engineer's nodes and members do in the present state.
  State node_state() const;
  IndexedVector<MemberId, MemberPoses> poses() const;
  /// Forces of the ground on the structure (N, N·m), springs included, in the present state.
  IndexedVector<NodeId, Vector6d> reactions() const;
  /// Largest unbalanced force at a free direction over the largest force.
  double unbalanced() const;
  /// The unknown that moves a node in a direction (0..5); -1 where it is held.
  int unknown_of(NodeId node, int direction) const;
  /// Motion of the engineer's nodes in a motion of the unknowns.
  IndexedVector<NodeId, NodeMotion> motion_of(const VectorXd& unknowns) const;

 private:
  struct Parts;
  std::unique_ptr<Parts> parts_;
};

/// Forces and shape of a member from the poses along it and its loading as it acts (drawn local
/// axes).
MemberLine line_from_poses(const MemberFrame& drawn, MemberId id, const MemberPoses& poses,
                           const MemberLoading& loading);

}  // namespace ulterix
