#pragma once

#include <Eigen/Core>
#include <optional>

namespace ulterix {

// Dense solvers are compiled in this room alone: each file that instantiates them for itself takes
// up to ten seconds more.

/// Eigenvalues, rising, and their vectors, a column each.
struct SymmetricEigen {
  Eigen::VectorXd values;
  Eigen::MatrixXd vectors;
};

/// A·x = λ·x with orthonormal x; of the symmetric A its lower triangle is read.
SymmetricEigen symmetric_eigen(const Eigen::MatrixXd& A);

/// The eigenvalues alone, rising.
Eigen::VectorXd symmetric_eigenvalues(const Eigen::MatrixXd& A);

/// A·x = λ·B·x with xᵀ·B·x = 1; A symmetric, B positive definite. None where the iteration fails.
std::optional<SymmetricEigen> generalized_eigen(const Eigen::MatrixXd& A, const Eigen::MatrixXd& B);

}  // namespace ulterix
