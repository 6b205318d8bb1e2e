#pragma once

#include "core/nonlinear/path_follower.hpp"
#include "core/system/frame_system.hpp"
#include "core/system/member_pieces.hpp"

namespace ulterix {

class PiecewiseFrame;

/// What a frame is loaded by along a path: `constant` + factor·`scaled`.
struct PathLoads {
  const AppliedLoads& scaled;
  const AppliedLoads* constant = nullptr;
  /// The ground has moved by what supports settle and `constant` makes of it when the path begins;
  /// else that grows with the factor.
  bool settled = false;
  std::vector<const AppliedLoads*> cuts = {};  ///< these cut members, too
  /// A frame of the same model, cut at the same places, with what stood and acted before: what is
  /// out of balance where it left off is taken off as the factor grows, and the ground goes on from
  /// where it was.
  const PiecewiseFrame* changed = nullptr;
};

/// Something that carries or does not: a member, or a direction (0..5) of a node's support.
struct CarryingItem {
  MemberId member;
  NodeId node;
  int direction = 0;
};

/// A frame whose members are cut into corotational pieces, with its state: a problem for the path
/// follower. Rigid supports that work one way are springs, much stiffer than the members around
/// them, whose force is taken over in equilibrium, until nothing of them gives way (augmented
/// Lagrangian).
class PiecewiseFrame : public PathProblem {
 public:
  /// `pieces`: of every member that bends, at least; loads cut members further.
  PiecewiseFrame(const FrameSystem& drawn, const PathLoads& loads, int pieces);
  /// Goes on from where another one of the same pieces is, at factor 0.
  void start_from(const PiecewiseFrame& before);
  /// Looks for ties and supports that cease or begin to carry and members that reach fy, not for
  /// breaks alone.
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
  bool has_sharp_bends() const override;  ///< where cables hang or supports work one way
  bool has_one_way() const override;      ///< a support or a tie
  bool is_loose() const override;         ///< where a cable is slack without load
  bool take_over() override;              ///< rigid one-way supports that gave way
  bool is_undecided() const override;     ///< where a tie or a support just touches
  void come_through() override;           ///< yielding members have become longer
  std::vector<double> conditions() const override;
  bool change_by(int condition) override;
  /// Of what a condition tells, and what becomes of it where the condition loses its sign.
  std::pair<CarryingItem, ItemChange> meaning(int condition) const;

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

}  // namespace ulterix
