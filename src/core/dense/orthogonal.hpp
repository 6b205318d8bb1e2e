#pragma once

#include <Eigen/Core>

namespace ulterix {

/// An orthonormal basis of the span of X (n x m, m <= n, of full rank), n x m.
Eigen::MatrixXd orthonormal_columns(const Eigen::MatrixXd& X);

/// An orthonormal basis of all that is normal to every column of X (n x m), n x (n − rank).
Eigen::MatrixXd orthogonal_complement(const Eigen::MatrixXd& X);

/// The shortest least-squares solution of A·x = b; pivots below `threshold` of the largest count as
/// 0.
Eigen::VectorXd least_squares(const Eigen::MatrixXd& A, const Eigen::VectorXd& b, double threshold);

/// The Moore–Penrose inverse; pivots below `threshold` of the largest count as 0.
Eigen::MatrixXd pseudo_inverse(const Eigen::MatrixXd& A, double threshold);

}  // namespace ulterix
