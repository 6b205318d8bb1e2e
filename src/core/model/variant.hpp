#pragma once

#include "core/model/model.hpp"
#include "core/model/state.hpp"

namespace ulterix {

/// A direction held (or sprung) at a node for one analysis only.
struct ExtraRestraint {
  NodeId node;
  Vector6d direction = Vector6d::Zero();  ///< unit vector over ux..rz, global
};

/// A model as one analysis sees it. Analyses change stiffness, presence, restraints and geometry
/// here, never in the Model.
struct Variant {
  const Model* model = nullptr;
  IndexedVector<MemberId, StiffnessFactors> factors;
  IndexedVector<MemberId, char> present;
  IndexedVector<NodeId, Vector3d> offsets;
  std::vector<ExtraRestraint> restraints;
  /// One-way members and supports act one way, with their slack; else both ways without it.
  bool one_way = false;
  IndexedVector<MemberId, char> idle;        ///< one-way members that carry nothing
  std::vector<std::pair<NodeId, int>> open;  ///< directions of one-way supports that do not bear

  explicit Variant(const Model& m)
      : model(&m),
        factors(m.members.size()),
        present(m.members.size(), 1),
        offsets(m.nodes.size(), Vector3d::Zero()),
        idle(m.members.size(), 0) {}

  Vector3d position(NodeId id) const { return model->nodes[id].position + offsets[id]; }
};

/// A state without motion that knows which one-way items of the variant carry nothing.
State state_at_rest(const Variant& variant);

/// Names of the one-way members that carry nothing in a state, and of the supports that do not bear
/// ("A0.uz").
std::vector<std::string> slack_members(const Model& model, const State& state);
std::vector<std::string> lifted_supports(const Model& model, const State& state);

}  // namespace ulterix
