#include "core/dense/dense_factors.hpp"

#include <cassert>

namespace ulterix {

DenseCholesky::DenseCholesky(const Eigen::MatrixXd& A) : llt_(A) {}

double DenseCholesky::rcond() const {
  return llt_.rcond();
}

Eigen::MatrixXd DenseCholesky::solve(const Eigen::MatrixXd& B) const {
  assert(definite());
  return llt_.solve(B);
}

Eigen::MatrixXd DenseCholesky::solve_lower(const Eigen::MatrixXd& B) const {
  assert(definite());
  return llt_.matrixL().solve(B);
}

DenseLu::DenseLu(const Eigen::MatrixXd& A) : lu_(A) {}

double DenseLu::rcond() const {
  const double rcond = lu_.rcond();
  return rcond > 0 ? rcond : 0;  // not a number, where a pivot is 0
}

Eigen::MatrixXd DenseLu::solve(const Eigen::MatrixXd& B) const {
  return lu_.solve(B);
}

}  // namespace ulterix
