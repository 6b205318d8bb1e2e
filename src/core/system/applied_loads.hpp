#pragma once

#include <vector>

#include "core/element/loading.hpp"
#include "core/model/variant.hpp"

namespace ulterix {

/// The loads of one LoadSet, with factors, ready to be asked member by member and node by node.
class AppliedLoads {
 public:
  AppliedLoads(const Variant& variant, const LoadSet& set);
  /// What acts along these members alone, for their forces in a state already known: no other
  /// member and no node carries anything.
  AppliedLoads(const Variant& variant, const LoadSet& set, const std::vector<MemberId>& only);

  const LoadSet& set() const { return set_; }

  /// Loads along one member in its local axes.
  const MemberLoading& on_member(MemberId id) const { return loadings_[id]; }

  /// Forces and moments applied at a node, global, notional loads included; N and N·m.
  const Vector6d& on_node(NodeId id) const { return nodal_[id]; }

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
  template <class Wanted>
  void collect(const LoadCase& load_case, double factor, const Wanted& wanted);
  MemberLoading build_loading(MemberId id) const;
  void add_notional();

  const Variant* variant_;
  LoadSet set_;
  IndexedVector<MemberId, std::vector<Factored<DistributedLoad>>> distributed_;
  IndexedVector<MemberId, std::vector<Factored<PointLoad>>> points_;
  IndexedVector<MemberId, double> self_weight_;
  IndexedVector<NodeId, Vector6d> nodal_;
  IndexedVector<MemberId, MemberLoading> loadings_;  // asked for many times, built once
};

}  // namespace ulterix
