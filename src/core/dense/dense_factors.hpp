#pragma once

#include <Eigen/Cholesky>
#include <Eigen/Core>
#include <Eigen/LU>

namespace ulterix {

/// A = L·Lᵀ of a small symmetric matrix, of which the lower triangle is read.
class DenseCholesky {
 public:
  explicit DenseCholesky(const Eigen::MatrixXd& A);

  /// False: not positive definite, and nothing may be solved.
  bool definite() const { return llt_.info() == Eigen::Success; }
  /// An estimate of the reciprocal condition number.
  double rcond() const;
  /// A⁻¹·B
  Eigen::MatrixXd solve(const Eigen::MatrixXd& B) const;
  /// L⁻¹·B
  Eigen::MatrixXd solve_lower(const Eigen::MatrixXd& B) const;

 private:
  Eigen::LLT<Eigen::MatrixXd> llt_;
};

/// P·A = L·U of a small square matrix, with row exchanges.
class DenseLu {
 public:
  DenseLu() = default;
  explicit DenseLu(const Eigen::MatrixXd& A);

  /// As above; 0 if A is singular, and nothing may be solved.
  double rcond() const;
  Eigen::MatrixXd solve(const Eigen::MatrixXd& B) const;

 private:
  Eigen::PartialPivLU<Eigen::MatrixXd> lu_;
};

}  // namespace ulterix
