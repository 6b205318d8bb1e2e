#pragma once

#include "core/model/model.hpp"

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

  explicit Variant(const Model& m)
      : model(&m),
        factors(m.members.size()),
        present(m.members.size(), 1),
        offsets(m.nodes.size(), Vector3d::Zero()) {}

  Vector3d position(NodeId id) const { return model->nodes[id].position + offsets[id]; }
};

}  // namespace ulterix
