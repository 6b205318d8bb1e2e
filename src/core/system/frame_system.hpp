#pragma once

#include <functional>
#include <memory>
#include <vector>

#include "core/model/state.hpp"
#include "core/model/variant.hpp"
#include "core/system/applied_loads.hpp"
#include "core/system/dof_map.hpp"
#include "core/system/pattern.hpp"

namespace ulterix {

/// Stiffness of a member after the factors of its section and of the variant.
ElementProperties element_properties(const Variant& variant, MemberId id);

/// Stiffness matrix values and right side of K·q = rhs for one set of loads and one state.
struct Assembly {
  std::vector<double> values;  ///< on FrameSystem::pattern()
  VectorXd rhs;
  int inner_negative_pivots = 0;           ///< of pieces and hinges inside members
  std::vector<MemberId> unstable_members;  ///< whose section has no stiffness left under N
  std::vector<std::pair<MemberId, int>> loaded_free_motions;  ///< member, local direction
};

/// Everything of a variant that stays while loads and states change: unknowns, elimination order,
/// sparsity pattern, places of every member's values.
class FrameSystem {
 public:
  explicit FrameSystem(const Variant& variant);
  /// The first nodes are those of `whole`: their unknowns are its own, in its order, from
  /// inner_size() on. The nodes after them lie inside members and are eliminated before.
  FrameSystem(const Variant& variant, const FrameSystem& whole);
  FrameSystem(const FrameSystem&) = delete;
  FrameSystem& operator=(const FrameSystem&) = delete;

  const Variant& variant() const { return variant_; }
  const Model& model() const { return *variant_.model; }
  const DofMap& dofs() const { return dofs_; }
  const SymmetricPattern& pattern() const { return pattern_; }
  int inner_size() const { return inner_size_; }

  /// The member as an element, with its loads, under the axial forces that `state` acts with.
  Element element(MemberId id, const MemberLoading& loading, const State& state,
                  int split = 0) const;

  Assembly assemble(const AppliedLoads& loads, const State& state, int split = 0) const;
  /// Only the right side, for a further set of loads on the stiffness of an unloaded state.
  struct RightSide {
    VectorXd rhs;
    std::vector<std::pair<MemberId, int>> loaded_free_motions;  ///< member, local direction
  };
  RightSide right_side(const AppliedLoads& loads, const State& state) const;

  /// Values on the pattern of any symmetric matrix made of members' matrices (12 x 12, of the
  /// nodes, in the member's local axes) and nodes' (6 x 6, global).
  std::vector<double> assemble_matrix(
      const std::function<Matrix12d(MemberId)>& member_matrix,
      const std::function<Matrix6d(NodeId)>& node_matrix = {}) const;

  /// N that each member gets from its start node in a state, N.
  IndexedVector<MemberId, double> axial_forces(const AppliedLoads& loads, const State& state) const;
  /// The mean of N over each member in a state, N.
  IndexedVector<MemberId, double> mean_axial_forces(const AppliedLoads& loads,
                                                    const State& state) const;

  /// Local displacements of a member's two ends (12) in a state.
  Vector12d local_ends(MemberId id, const State& state) const;
  /// Node motions that follow from the unknowns.
  void set_motion(const VectorXd& q, State& state) const;

  /// True if the model's plane lets the member bend in its local x–z plane (about y), or else x–y.
  bool bends(MemberId id, bool z_plane) const;

  const Matrix3d& axes(MemberId id) const { return axes_[id]; }
  const std::array<SupportDirection, 6>& support(NodeId id) const { return supports_[id]; }
  const std::vector<std::vector<MemberId>>& members_at_nodes() const { return members_at_; }

 private:
  void number(const std::vector<int>& order, const std::vector<std::vector<int>>& neighbours);
  IndexedVector<NodeId, NodeRotationStiffness> rotation_stiffness() const;
  void add_member_force(MemberId id, const Element& element, const Matrix12d& K,
                        VectorXd& rhs) const;
  void add_supports(Assembly& assembly) const;

  Variant variant_;
  IndexedVector<MemberId, Matrix3d> axes_;
  IndexedVector<NodeId, std::array<SupportDirection, 6>> supports_;
  std::vector<std::vector<MemberId>> members_at_;
  DofMap dofs_;
  SymmetricPattern pattern_;
  int inner_size_ = 0;
  std::unique_ptr<ScatterMap> scatter_;
};

}  // namespace ulterix
