#pragma once

#include <memory>
#include <vector>

#include "core/sparse/factor_structure.hpp"
#include "core/system/dof_map.hpp"
#include "core/system/scatter_map.hpp"

namespace ulterix {

/// The unknowns of what stands and their constraints, with all that follows from them whatever the
/// stiffness: elimination order, pattern, places of every member's values, structure of the factor.
/// Situations with the same living parts and the same constraints share one.
class Topology {
 public:
  /// The elimination order is that of `near`, a topology of the same model, if there is one.
  Topology(const Situation& situation, DofMap dofs, const Topology* near);
  Topology(const Topology&) = delete;
  Topology& operator=(const Topology&) = delete;

  /// True if it is what a situation with these constraints has.
  bool serves(const Situation& situation, const DofMap& dofs) const;

  const DofMap& dofs() const { return dofs_; }
  const std::vector<int>& node_order() const { return node_order_; }
  const SymmetricPattern& pattern() const { return pattern_; }
  const ScatterMap& scatter() const { return *scatter_; }
  const FactorStructure& factor_structure() const { return structure_; }

 private:
  const Model* model_;
  IndexedVector<MemberId, char> present_;
  DofMap dofs_;
  std::vector<int> node_order_;
  SymmetricPattern pattern_;
  std::unique_ptr<ScatterMap> scatter_;
  FactorStructure structure_;
};

/// The topology of a situation with these constraints: `near`, if it serves.
std::shared_ptr<const Topology> topology_of(const Situation& situation, DofMap dofs,
                                            const std::shared_ptr<const Topology>& near);

}  // namespace ulterix
