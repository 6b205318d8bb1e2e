#include "core/dense/orthogonal.hpp"

#include <Eigen/QR>

namespace ulterix {

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
  Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr;
  qr.setThreshold(threshold);
  qr.compute(A);
  return qr.solve(b);
}

Eigen::MatrixXd pseudo_inverse(const Eigen::MatrixXd& A, double threshold) {
  Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd> decomposition;
  decomposition.setThreshold(threshold);
  decomposition.compute(A);
  return decomposition.pseudoInverse();
}

}  // namespace ulterix
