// The growing space of a generalised Davidson search on chains of springs, beside dense answers.
#include "core/solve/davidson.hpp"

#include <gtest/gtest.h>

#include <Eigen/Dense>

#include "core/solve/tall_products.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing {
namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Springs of 1 in a row, held at both ends; `copies` such chains that do not touch.
MatrixXd chains(int length, int copies) {
  MatrixXd K = MatrixXd::Zero(length * copies, length * copies);
  for (int i = 0; i < K.rows(); ++i) {
    K(i, i) = 2;
    if (i % length != 0) K(i, i - 1) = K(i - 1, i) = -1;
  }
  return K;
}

struct Dense {
  MatrixXd K, B;
  VectorXd theta;  // falling

  Dense(MatrixXd stiffness, const VectorXd& loads)
      : K(std::move(stiffness)), B(loads.asDiagonal()) {
    theta = Eigen::GeneralizedSelfAdjointEigenSolver<MatrixXd>(B, K, Eigen::EigenvaluesOnly)
                .eigenvalues()
                .reverse();
  }

  /// Half-way between the λ of so many pairs and the next.
  double shift_after(int pairs) const { return (1 / theta[pairs - 1] + 1 / theta[pairs]) / 2; }

  NearProblem near(double shift) const {
    NearProblem problem;
    problem.size = static_cast<int>(K.rows());
    problem.multiply_K = [this](const MatrixXd& X) -> MatrixXd { return K * X; };
    problem.multiply_B = [this](const MatrixXd& X) -> MatrixXd { return B * X; };
    problem.shift = shift;
    const MatrixXd inverse = (K - shift * B).inverse();
    problem.solve = [inverse](MatrixXd& X) { X = (inverse * X).eval(); };
    return problem;
  }

  void expect_pairs(const EigenPairs& pairs, int count) const {
    ASSERT_GE(pairs.theta.size(), count);
    for (int i = 0; i < count; ++i) {
      EXPECT_RELATIVE(pairs.theta[i], theta[i], 1e-11);
      const VectorXd off = B * pairs.vectors.col(i) - pairs.theta[i] * (K * pairs.vectors.col(i));
      EXPECT_LT(off.norm(), 1e-6 * theta[i]);
    }
    const MatrixXd one = pairs.vectors.transpose() * K * pairs.vectors;
    EXPECT_LT((one - MatrixXd::Identity(one.rows(), one.cols())).norm(), 1e-11);
  }
};

/// Some of the chain pulled, most of it pushed.
VectorXd mixed_loads(Eigen::Index size) {
  VectorXd loads = VectorXd::LinSpaced(size, 1, 2);
  for (Eigen::Index i = 0; i < size; i += 5) loads[i] = -0.7;
  return loads;
}

PairsWanted so_many(int count, double tolerance = 1e-7) {
  PairsWanted wanted;
  wanted.count = count;
  wanted.tolerance = tolerance;
  return wanted;
}

TEST(Davidson, AllPairsBelowAShiftComeFromAnyStart) {
  const Dense dense(chains(120, 1), mixed_loads(120));
  const double shift = dense.shift_after(7);
  const EigenPairs pairs = davidson(dense.near(shift), random_block(120, 7, 1), so_many(7));
  EXPECT_TRUE(pairs.converged);
  EXPECT_LT(pairs.vectors_used, 90);
  dense.expect_pairs(pairs, 7);
  EXPECT_GT(pairs.theta[6] * shift, 1);
}

TEST(Davidson, WithoutAShiftTheLargestComeFromBelow) {
  const Dense dense(chains(150, 1), mixed_loads(150));
  PairsWanted rough = so_many(4, 0.3);
  rough.extra = 2;
  const EigenPairs pairs = davidson(dense.near(0), random_block(150, 8, 1), rough);
  ASSERT_EQ(pairs.theta.size(), 6);
  for (int i = 0; i < 6; ++i) EXPECT_LE(pairs.theta[i], dense.theta[i] * (1 + 1e-12));
  EXPECT_GT(pairs.theta[0], 0.9 * dense.theta[0]);
  dense.expect_pairs(davidson(dense.near(0), pairs.vectors, so_many(4)), 4);
}

TEST(Davidson, AGoodStartSavesVectors) {
  const Dense dense(chains(200, 1), mixed_loads(200));
  VectorXd other = mixed_loads(200);
  other.tail(60) *= 1.2;
  const Dense changed(chains(200, 1), other);
  const EigenPairs known =
      davidson(dense.near(dense.shift_after(6)), random_block(200, 6, 1), so_many(6));
  const NearProblem problem = changed.near(changed.shift_after(6));
  const EigenPairs near = davidson(problem, known.vectors, so_many(6));
  const EigenPairs far = davidson(problem, random_block(200, 6, 1), so_many(6));
  changed.expect_pairs(near, 6);
  EXPECT_LT(near.vectors_used, far.vectors_used);
}

TEST(Davidson, StepsThatAreOnlyNearlyRightEndAtTheSamePairs) {
  const Dense dense(chains(120, 1), mixed_loads(120));
  NearProblem problem = dense.near(dense.shift_after(7));
  const EigenPairs by_right = davidson(problem, random_block(120, 7, 1), so_many(7));
  MatrixXd off = random_block(120, 120, 4);
  off = MatrixXd::Identity(120, 120) + 0.01 * (off + off.transpose());
  problem.solve = [off, right = problem.solve](MatrixXd& X) {
    right(X);
    X = (off * X).eval();
  };
  const EigenPairs pairs = davidson(problem, random_block(120, 7, 1), so_many(7));
  EXPECT_TRUE(pairs.converged);
  dense.expect_pairs(pairs, 7);
  EXPECT_GE(pairs.vectors_used, by_right.vectors_used);
}

TEST(Davidson, CopiesThatTheStartHasNoPartOfAreFound) {
  const Dense dense(chains(40, 3), VectorXd::Ones(120));
  MatrixXd start = MatrixXd::Zero(120, 6);
  start.topRows(40) = random_block(40, 6, 1);  // in one of the three chains
  const EigenPairs pairs = davidson(dense.near(dense.shift_after(9)), start, so_many(9));
  EXPECT_TRUE(pairs.converged);
  dense.expect_pairs(pairs, 9);
}

TEST(Davidson, StepsOfWhatIsExactAreRoundingAndStayOut) {
  const Dense dense(chains(40, 3), VectorXd::Ones(120));
  const Dense one(chains(40, 1), VectorXd::Ones(40));
  const Eigen::GeneralizedSelfAdjointEigenSolver<MatrixXd> exact(one.B, one.K);
  for (const int known : {3, 5}) {
    MatrixXd start = MatrixXd::Zero(120, known);
    start.topRows(40) = exact.eigenvectors().rowwise().reverse().leftCols(known);
    const EigenPairs pairs = davidson(dense.near(dense.shift_after(9)), start, so_many(9));
    EXPECT_TRUE(pairs.converged);
    dense.expect_pairs(pairs, 9);
    EXPECT_LT(pairs.vectors_used, 80);
  }
}

TEST(Davidson, AStartOfParallelVectorsCountsOnce) {
  const Dense dense(chains(60, 1), VectorXd::Ones(60));
  MatrixXd start(60, 9);
  start.leftCols(3) = random_block(60, 3, 1);
  start.middleCols(3, 3) = 2 * start.leftCols(3);
  start.rightCols(3) = start.leftCols(3) + 1e-9 * random_block(60, 3, 2);
  const EigenPairs pairs = davidson(dense.near(dense.shift_after(3)), start, so_many(3));
  dense.expect_pairs(pairs, 3);
  EXPECT_EQ(pairs.vectors_used % 3, 0);
}

TEST(Davidson, OfAFullSpaceNothingIsLeftToAdd) {
  const Dense dense(chains(10, 1), mixed_loads(10));
  const EigenPairs pairs =
      davidson(dense.near(dense.shift_after(3)), MatrixXd::Identity(10, 10), so_many(3));
  EXPECT_EQ(pairs.vectors_used, 10);
  dense.expect_pairs(pairs, 3);
}

TEST(Davidson, EndsWithTheVectorsThatItMayHave) {
  const Dense dense(chains(200, 1), mixed_loads(200));
  PairsWanted wanted = so_many(8, 1e-14);
  wanted.most_vectors = 20;
  const EigenPairs pairs =
      davidson(dense.near(dense.shift_after(8)), random_block(200, 8, 1), wanted);
  EXPECT_EQ(pairs.vectors_used, 20);
  EXPECT_FALSE(pairs.converged);
}

}  // namespace
}  // namespace ulterix::testing
