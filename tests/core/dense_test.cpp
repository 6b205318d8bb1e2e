// Dense solvers, against what defines their answers.
#include <gtest/gtest.h>

#include <cmath>

#include "core/dense/dense_factors.hpp"
#include "core/dense/orthogonal.hpp"
#include "core/dense/symmetric_eigen.hpp"

namespace ulterix::testing::dense_test {
namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr double kRounding = 1e-13;

/// Of a string of n equal springs between walls: values 2 − 2·cos(kπ/(n + 1)).
MatrixXd chain(Eigen::Index n) {
  MatrixXd A = 2 * MatrixXd::Identity(n, n);
  for (Eigen::Index i = 0; i + 1 < n; ++i) A(i, i + 1) = A(i + 1, i) = -1;
  return A;
}

double chain_value(Eigen::Index k, Eigen::Index n) {
  return 2 - 2 * std::cos(M_PI * static_cast<double>(k) / static_cast<double>(n + 1));
}

TEST(Dense, EigenvaluesOfAChainRise) {
  const Eigen::Index n = 9;
  const MatrixXd A = chain(n);
  const SymmetricEigen eigen = symmetric_eigen(A);
  const VectorXd alone = symmetric_eigenvalues(A);
  for (Eigen::Index k = 0; k < n; ++k) {
    EXPECT_NEAR(eigen.values[k], chain_value(k + 1, n), kRounding);
    EXPECT_NEAR(alone[k], chain_value(k + 1, n), kRounding);
  }
  EXPECT_LT((A * eigen.vectors - eigen.vectors * eigen.values.asDiagonal()).norm(), kRounding);
  // The lower triangle alone is read.
  MatrixXd lower = A;
  lower.triangularView<Eigen::StrictlyUpper>().setConstant(1e9);
  EXPECT_LT((symmetric_eigenvalues(lower) - alone).norm(), kRounding);
}

TEST(Dense, GeneralizedVectorsHaveAUnitProductWithB) {
  const Eigen::Index n = 6;
  const MatrixXd A = chain(n), B = MatrixXd(VectorXd::LinSpaced(n, 1, 9).asDiagonal()) + chain(n);
  const auto eigen = generalized_eigen(A, B);
  ASSERT_TRUE(eigen);
  EXPECT_LT((A * eigen->vectors - B * eigen->vectors * eigen->values.asDiagonal()).norm(),
            kRounding);
  EXPECT_LT((eigen->vectors.transpose() * B * eigen->vectors - MatrixXd::Identity(n, n)).norm(),
            kRounding);
  for (Eigen::Index k = 1; k < n; ++k) EXPECT_LT(eigen->values[k - 1], eigen->values[k]);
}

TEST(Dense, FactorsSolveAndTellWhatCannotBe) {
  const MatrixXd A = chain(7), B = MatrixXd::Random(7, 2);
  const DenseCholesky cholesky(A);
  ASSERT_TRUE(cholesky.definite());
  EXPECT_LT((A * cholesky.solve(B) - B).norm(), kRounding);
  // ‖L⁻¹B‖² is BᵀA⁻¹B.
  EXPECT_NEAR(cholesky.solve_lower(B).squaredNorm(), (B.transpose() * cholesky.solve(B)).trace(),
              kRounding);
  EXPECT_FALSE(DenseCholesky(A - chain_value(2, 7) * MatrixXd::Identity(7, 7)).definite());
  const MatrixXd exchanged = A.rowwise().reverse();
  EXPECT_LT((exchanged * DenseLu(exchanged).solve(B) - B).norm(), kRounding);
  MatrixXd singular = A;
  singular.row(0) = singular.row(1);
  EXPECT_LT(DenseLu(singular).rcond(), 1e-15);
  EXPECT_GT(DenseLu(A).rcond(), 1e-3);
}

TEST(Dense, BasesAreOrthonormalAndFillTheSpace) {
  MatrixXd X(5, 3);
  X << 1, 2, 3, 0, 1, 1, 4, 0, 4, -1, 1, 0, 2, 2, 4;  // the last column is the sum of the others
  const MatrixXd rest = orthogonal_complement(X);
  ASSERT_EQ(rest.cols(), 3);
  EXPECT_LT((X.transpose() * rest).norm(), kRounding);
  const MatrixXd span = orthonormal_columns(X.leftCols(2));
  MatrixXd all(5, 5);
  all << span, rest;
  EXPECT_LT((all.transpose() * all - MatrixXd::Identity(5, 5)).norm(), kRounding);
}

TEST(Dense, LeastSquaresLeaveANormalResidual) {
  MatrixXd A(4, 2);
  A << 1, 1, 1, 2, 1, 3, 1, 4;
  const VectorXd b = (VectorXd(4) << 1, 3, 2, 5).finished();
  EXPECT_LT((A.transpose() * (A * least_squares(A, b, 1e-8) - b)).norm(), kRounding);
  // A column that is next to nothing beside the other counts as none.
  A.col(1) = 1e-10 * VectorXd::Unit(4, 3);
  EXPECT_NEAR(least_squares(A, b, 1e-8)[0], b.mean(), kRounding);
  MatrixXd S = MatrixXd::Zero(3, 3);
  S.topLeftCorner(2, 2) = chain(2);
  const MatrixXd P = pseudo_inverse(S, 1e-12);
  EXPECT_LT((S * P * S - S).norm() + (P * S * P - P).norm(), kRounding);
}

}  // namespace
}  // namespace ulterix::testing::dense_test
