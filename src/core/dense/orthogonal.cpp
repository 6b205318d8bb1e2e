#include "core/dense/orthogonal.hpp"

#include <Eigen/QR>

namespace ulterix {

namespace {

using CompleteOrthogonal = Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd>;

/// The solution by column pivots alone would heed no threshold but that of rounding.
CompleteOrthogonal complete_orthogonal(const Eigen::MatrixXd& A, double threshold) {
  CompleteOrthogonal decomposition;
  decomposition.setThreshold(threshold);
  decomposition.compute(A);
  return decomposition;
}

}  // namespace

Eigen::MatrixXd orthonormal_columns(const Eigen::MatrixXd& X) {
  const Eigen::HouseholderQR<Eigen::MatrixXd> qr(X);
  return qr.householderQ() * Eigen::MatrixXd::Identity(X.rows(), X.cols());
}

Eigen::MatrixXd orthogonal_complement(const Eigen::MatrixXd& X) {
  const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(X);
  const Eigen::MatrixXd Q = qr.householderQ();
  return Q.rightCols(X.rows() - qr.rank());
}

Eigen::VectorXd least_squares(const Eigen::MatrixXd& A, const Eigen::VectorXd& b,
                              double threshold) {
  return complete_orthogonal(A, threshold).solve(b);
}

Eigen::MatrixXd pseudo_inverse(const Eigen::MatrixXd& A, double threshold) {
  return complete_orthogonal(A, threshold).pseudoInverse();
}

}  // namespace ulterix
