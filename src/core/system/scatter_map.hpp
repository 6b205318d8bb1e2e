#pragma once

#include <cstdint>
#include <vector>

#include "core/element/element.hpp"
#include "core/sparse/symmetric_pattern.hpp"
#include "core/system/dof_map.hpp"

namespace ulterix {

/// Where the unknowns of a member's two ends sit in the matrix values: found once, used often.
class ScatterMap {
 public:
  ScatterMap(const Model& model, const DofMap& dofs, const SymmetricPattern& pattern);

  /// Adds a member's 12 x 12 global stiffness, projected on the unknowns.
  void add(MemberId id, const Matrix12d& K, std::vector<double>& values) const;
  /// Adds a node's 6 x 6 stiffness (support springs).
  void add(NodeId id, const Matrix6d& K, std::vector<double>& values) const;

 private:
  /// The same where a leader of a floor moves an end as well.
  void add_led(const Member& member, const Matrix12d& K, std::vector<double>& values) const;
  /// Adds motionsᵀ·K·motions at the unknowns, which may repeat.
  template <class Motion, class Matrix>
  void add_columns(const std::vector<int>& unknowns, const std::vector<Motion>& motions,
                   const Matrix& K, std::vector<double>& values) const;

  const Model* model_;
  const DofMap* dofs_;
  const SymmetricPattern* pattern_;
  /// Per member: place, within the columns of the end eliminated first, of the other end's rows,
  /// counted from the diagonal of that end's first column.
  std::vector<std::int64_t> other_end_;
};

SymmetricPattern make_pattern(const DofMap& dofs, const std::vector<int>& node_order,
                              const std::vector<std::vector<int>>& neighbours);

}  // namespace ulterix
