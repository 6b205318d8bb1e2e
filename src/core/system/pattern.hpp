#pragma once

#include <cstdint>
#include <vector>

#include "core/element/element.hpp"
#include "core/system/dof_map.hpp"

namespace ulterix {

/// Lower triangle of a symmetric matrix by columns, rows sorted, diagonal first in each column.
struct SymmetricPattern {
  int size = 0;
  std::vector<std::int64_t> column_start = {0};
  std::vector<std::int64_t> rows;
};

/// Where the unknowns of a member's two ends sit in the matrix values: found once, used often.
class ScatterMap {
 public:
  ScatterMap(const Model& model, const DofMap& dofs, const SymmetricPattern& pattern);

  /// Adds a member's 12 x 12 global stiffness, projected on the unknowns.
  void add(MemberId id, const Matrix12d& K, std::vector<double>& values) const;
  /// Adds a node's 6 x 6 stiffness (support springs).
  void add(NodeId id, const Matrix6d& K, std::vector<double>& values) const;

 private:
  const Model* model_;
  const DofMap* dofs_;
  const SymmetricPattern* pattern_;
  /// Per member: place, within the columns of the end eliminated first, of the other end's rows,
  /// counted from the diagonal of that end's first column.
  std::vector<std::int64_t> other_end_;
};

SymmetricPattern make_pattern(const DofMap& dofs, const std::vector<int>& node_order,
                              const std::vector<std::vector<int>>& neighbours);

/// y = K·x for the symmetric matrix (pattern, values).
VectorXd multiply(const SymmetricPattern& pattern, const std::vector<double>& values,
                  const VectorXd& x);

/// The same for a pack: y is written, x read.
void multiply_pack(const SymmetricPattern& pattern, const std::vector<double>& values,
                   const double* x, double* y);

/// The same for several columns at once.
Eigen::MatrixXd multiply_block(const SymmetricPattern& pattern, const std::vector<double>& values,
                               const Eigen::MatrixXd& X);

}  // namespace ulterix
