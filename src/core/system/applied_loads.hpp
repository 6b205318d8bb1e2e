#pragma once

#include <vector>

#include "core/element/loading.hpp"
#include "core/model/situation.hpp"

namespace ulterix {

/// A load along or on a member as its local axes see it, per true length. `R`: rows are the local
/// axes.
Vector6d load_in_local_axes(const Vector6d& load, LoadAxes axes, const Matrix3d& R);

/// The loads of one LoadSet, with factors, ready to be asked member by member and node by node.
class AppliedLoads {
 public:
  AppliedLoads(const Situation& situation, const LoadSet& set);
  /// What acts along these members alone, for their forces in a state already known: no other
  /// member and no node carries anything.
  AppliedLoads(const Situation& situation, const LoadSet& set, const std::vector<MemberId>& only);

  const LoadSet& set() const { return set_; }

  /// Loads along one member in its local axes.
  const MemberLoading& on_member(MemberId id) const { return loadings_[place_[id]]; }

  /// Forces and moments applied at a node, global, notional loads included; N and N·m.
  const Vector6d& on_node(NodeId id) const { return nodal_[id]; }

  /// How much further these loads move the ground under the supports of a node (ux..rz, global, m
  /// and rad).
  Vector6d ground(NodeId id) const {
    return ground_.empty() ? Vector6d(Vector6d::Zero()) : ground_[id];
  }

  /// Every load as forces at the nodes, global, N: member loads, couples (±M/L) and own weight
  /// shared to the members' ends by simple-beam statics. Notional loads are in.
  IndexedVector<NodeId, Vector3d> shared_to_nodes() const;

  /// Sum of all applied forces, global, N.
  Vector3d total_force() const;

 private:
  template <class Load>
  struct Factored {
    const Load* load;
    double factor;
  };
  /// What acts on one member, from all cases.
  struct Gathered {
    std::vector<Factored<DistributedLoad>> distributed;
    std::vector<Factored<PointLoad>> points;
    std::vector<Factored<MemberStrain>> strains;
    double self_weight = 0;
    double cut(const Model& model) const;  // by which the member is cut longer, relative
    bool no_force() const { return self_weight == 0 && distributed.empty() && points.empty(); }
  };
  std::vector<std::pair<const LoadCase*, double>> parts() const;
  void build(const std::vector<MemberId>& members);
  MemberLoading build_loading(MemberId id, const Gathered& gathered) const;
  void strain(MemberId id, const Gathered& gathered, MemberLoading& loading) const;
  void add_notional();

  const Situation* situation_;
  LoadSet set_;
  IndexedVector<NodeId, Vector6d> nodal_;
  IndexedVector<NodeId, Vector6d> ground_;      // empty: nothing moves
  IndexedVector<MemberId, std::size_t> place_;  // of a member's loading
  std::vector<MemberLoading> loadings_;         // asked for many times, built once
};

}  // namespace ulterix
