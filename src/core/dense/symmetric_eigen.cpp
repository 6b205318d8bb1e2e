#include "core/dense/symmetric_eigen.hpp"

#include <Eigen/Eigenvalues>

namespace ulterix {

SymmetricEigen symmetric_eigen(const Eigen::MatrixXd& A) {
  const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> eigen(A);
  return {eigen.eigenvalues(), eigen.eigenvectors()};
}

Eigen::VectorXd symmetric_eigenvalues(const Eigen::MatrixXd& A) {
  return Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd>(A, Eigen::EigenvaluesOnly).eigenvalues();
}

std::optional<SymmetricEigen> generalized_eigen(const Eigen::MatrixXd& A,
                                                const Eigen::MatrixXd& B) {
  const Eigen::GeneralizedSelfAdjointEigenSolver<Eigen::MatrixXd> eigen(A, B);
  if (eigen.info() != Eigen::Success) return std::nullopt;
  return SymmetricEigen{eigen.eigenvalues(), eigen.eigenvectors()};
}

}  // namespace ulterix
