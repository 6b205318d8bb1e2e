#pragma once

#include <type_traits>
#include <utility>
#include <vector>

#include "core/parallel.hpp"
#include "core/system/topology.hpp"

namespace ulterix {

/// What a member, or a piece of one, brings into equilibrium, by its two nodes, global (12).
struct MemberTerms {
  Vector12d resists = Vector12d::Zero();  ///< end forces less its loads, N and N·m
  /// What its loads gain with the load factor or, of linear members, by the motion of supports.
  Vector12d gains = Vector12d::Zero();
  double lever = 0;  ///< length that makes moments of its forces, m
  int negative_pivots = 0;
  int loaded_free_motion = -1;  ///< local direction in which it is loaded and nothing holds it
  bool section_unstable = false;
};

/// The same with its tangent.
struct MemberTangent : MemberTerms {
  Matrix12d tangent;
};

/// What the springs and loads of a node bring into equilibrium, global.
struct NodeTerms {
  Vector6d resists = Vector6d::Zero(), acts = Vector6d::Zero(), gains = Vector6d::Zero();
  Matrix6d tangent = Matrix6d::Zero();
};

/// How far a frame is from balance in a state, and what it puts against a change.
struct Equilibrium {
  IndexedVector<NodeId, Vector6d> rest;   ///< resistance less loads, at every node
  IndexedVector<NodeId, Vector6d> gains;  ///< what the loads gain
  std::vector<double> tangent;            ///< on the pattern of a topology
  double force = 0, moment = 0;           ///< the largest that take part, N and N·m
  int inner_negative_pivots = 0;          ///< of pieces and hinges inside members
  std::vector<MemberId> unstable_members;
  std::vector<std::pair<MemberId, int>> loaded_free_motions;

  /// Takes a force and a moment into account as ones that take part.
  void take_size(const Vector6d& f, double lever = 0) {
    const double own = f.head<3>().cwiseAbs().maxCoeff();
    force = std::max(force, own);
    moment = std::max({moment, f.tail<3>().cwiseAbs().maxCoeff(), own * lever});
  }
};

/// Sums up the members and nodes of a situation in some state, whatever the theory: first-order,
/// P-Delta and large displacement differ by the terms alone. `of_member(id)` makes MemberTerms, or
/// MemberTangent where the tangent is wanted on a topology; it is called on several threads, and
/// for what stands alone. Sums do not depend on the threads.
template <class OfMember, class OfNode>
Equilibrium equilibrium(const Situation& situation, const OfMember& of_member,
                        const OfNode& of_node, const Topology* topology = nullptr) {
  using Terms = decltype(of_member(MemberId(0)));
  constexpr bool kTangent = std::is_same_v<Terms, MemberTangent>;
  const Model& model = *situation.model;
  Equilibrium sum;
  sum.rest = sum.gains = IndexedVector<NodeId, Vector6d>(model.nodes.size(), Vector6d::Zero());
  if constexpr (kTangent) sum.tangent.assign(topology->pattern().rows.size(), 0.0);
  const auto make = [&](int i) {
    return situation.present[MemberId(i)] ? of_member(MemberId(i)) : Terms{};
  };
  const auto take = [&](int i, const Terms& terms) {
    const MemberId id(i);
    if (!situation.present[id]) return;
    const Member& m = model.members[id];
    sum.rest[m.start] += terms.resists.template head<6>();
    sum.rest[m.end] += terms.resists.template tail<6>();
    sum.gains[m.start] += terms.gains.template head<6>();
    sum.gains[m.end] += terms.gains.template tail<6>();
    sum.take_size(terms.resists.template head<6>(), terms.lever);
    sum.take_size(terms.resists.template tail<6>(), terms.lever);
    sum.inner_negative_pivots += terms.negative_pivots;
    if (terms.section_unstable) sum.unstable_members.push_back(id);
    if (terms.loaded_free_motion >= 0) {
      sum.loaded_free_motions.emplace_back(id, terms.loaded_free_motion);
    }
    if constexpr (kTangent) topology->scatter().add(id, terms.tangent, sum.tangent);
  };
  make_and_take(model.members.size(), make, take);
  for (const NodeId n : model.nodes.ids()) {
    const NodeTerms terms = of_node(n);
    sum.rest[n] -= terms.acts;
    sum.rest[n] += terms.resists;
    sum.gains[n] += terms.gains;
    sum.take_size(terms.acts);
    sum.take_size(terms.resists);
    if constexpr (kTangent) {
      if (!terms.tangent.isZero(0)) topology->scatter().add(n, terms.tangent, sum.tangent);
    }
  }
  return sum;
}

}  // namespace ulterix
