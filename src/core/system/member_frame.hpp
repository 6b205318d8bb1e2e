#pragma once

#include "core/element/element.hpp"
#include "core/model/situation.hpp"
#include "core/model/state.hpp"
#include "core/system/applied_loads.hpp"
#include "core/system/dof_map.hpp"

namespace ulterix {

/// Stiffness of a member after the factors of its section and of the situation.
ElementProperties element_properties(const Situation& situation, MemberId id);

/// The members of a situation as elements, without unknowns or matrices: enough to recover what a
/// known state puts on them.
class MemberFrame {
 public:
  explicit MemberFrame(const Situation& situation);
  MemberFrame(const MemberFrame&) = delete;
  MemberFrame& operator=(const MemberFrame&) = delete;

  const Situation& situation() const { return situation_; }
  /// Stiffness of a member, with what warping adds against its torsional buckling in r2.
  ElementProperties properties(MemberId id) const;
  const Model& model() const { return *situation_.model; }

  /// The member as an element, with its loads, under the axial forces that `state` acts with.
  Element element(MemberId id, const MemberLoading& loading, const State& state,
                  int split = 0) const;

  /// N that each member gets from its start node in a state, N.
  IndexedVector<MemberId, double> axial_forces(const AppliedLoads& loads, const State& state) const;
  /// The mean of N over each member in a state, N.
  IndexedVector<MemberId, double> mean_axial_forces(const AppliedLoads& loads,
                                                    const State& state) const;

  /// The cables that stand and hang.
  std::vector<MemberId> cables() const;

  /// Motion of a member's two nodes in a state, local axes; what strains it counts from its birth.
  EndMotion end_motion(MemberId id, const State& state) const;
  /// The same counted from the drawn place.
  EndMotion end_motion_since_drawn(MemberId id, const State& state) const;
  /// The same without what creep makes of it: the shape that a member has between its nodes.
  EndMotion end_motion_since_birth(MemberId id, const State& state) const;
  /// What would strain a member if the place where it was built in, and creep, had not: 0 for most,
  /// local (12).
  Vector12d birth_motion(MemberId id) const;
  /// True if the model's plane lets the member bend in its local x–z plane (about y), or else x–y.
  bool bends(MemberId id, bool z_plane) const;

  const Matrix3d& axes(MemberId id) const { return axes_[id]; }
  const std::array<SupportDirection, 6>& support(NodeId id) const { return supports_[id]; }
  /// Stiffness of the springs under a node, N/m and N·m/rad; 0 where it is free or held rigidly.
  Vector6d springs(NodeId id) const;
  /// What they put on a node that has moved by `u`, where loads have moved the ground.
  Vector6d spring_force(NodeId id, const Vector6d& ground, const Vector6d& u) const;
  const std::vector<std::vector<MemberId>>& members_at_nodes() const { return members_at_; }

 protected:
  void take_histories(const Situation& situation);

 private:
  EndMotion motion_between(MemberId id, const NodeMotion& start, const NodeMotion& end) const;

  Situation situation_;
  IndexedVector<MemberId, Matrix3d> axes_;
  IndexedVector<NodeId, std::array<SupportDirection, 6>> supports_;
  std::vector<std::vector<MemberId>> members_at_;
  IndexedVector<MemberId, double> warping_relief_;  // of N·r² in torsion
};

/// A member's matrix or vector (12) in global axes, block by block; R has the local axes as rows.
Matrix12d to_global(const Matrix12d& K, const Matrix3d& R);
Vector12d to_global(const Vector12d& v, const Matrix3d& R);

}  // namespace ulterix
