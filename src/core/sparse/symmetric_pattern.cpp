#include "core/sparse/symmetric_pattern.hpp"

#include "core/sparse/column_block.hpp"
#include "core/sparse/packed_kernels.hpp"

namespace ulterix {

void multiply_pack(const SymmetricPattern& pattern, const std::vector<double>& values,
                   const double* x, double* y) {
  multiply_symmetric(pattern.column_start.data(), pattern.rows.data(), values.data(), pattern.size,
                     x, y);
}

Eigen::MatrixXd multiply_block(const SymmetricPattern& pattern, const std::vector<double>& values,
                               const Eigen::MatrixXd& X) {
  Eigen::MatrixXd Y(X.rows(), X.cols());
  for_each_block(X.rows(), X.cols(), [&](Eigen::Index first, Eigen::Index width) {
    const ColumnBlock x(X, first, width);
    ColumnBlock y(X.rows());
    multiply_pack(pattern, values, x.row(0), y.row(0));
    y.copy_to(Y, first, width);
  });
  return Y;
}

VectorXd multiply(const SymmetricPattern& pattern, const std::vector<double>& values,
                  const VectorXd& x) {
  VectorXd y = VectorXd::Zero(x.size());
  for (int j = 0; j < pattern.size; ++j) {
    const auto from = static_cast<std::size_t>(pattern.column_start[j]);
    const auto to = static_cast<std::size_t>(pattern.column_start[j + 1]);
    double sum = values[from] * x[j];  // the diagonal comes first
    for (std::size_t p = from + 1; p < to; ++p) {
      const std::int64_t i = pattern.rows[p];
      y[i] += values[p] * x[j];
      sum += values[p] * x[i];
    }
    y[j] += sum;
  }
  return y;
}

}  // namespace ulterix
