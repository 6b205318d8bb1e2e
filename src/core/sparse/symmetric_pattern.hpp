#pragma once

#include <Eigen/Core>
#include <cstdint>
#include <vector>

namespace ulterix {

using Eigen::VectorXd;

/// Lower triangle of a symmetric matrix by columns, rows sorted, diagonal first in each column.
struct SymmetricPattern {
  int size = 0;
  std::vector<std::int64_t> column_start = {0};
  std::vector<std::int64_t> rows;
};

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
