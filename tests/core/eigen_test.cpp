// Block Lanczos on problems with known values; work shared out by index.
#include <gtest/gtest.h>

#include <cmath>

#include "core/eigen/block_lanczos.hpp"
#include "core/parallel.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::eigen_test {
namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

/// B·x = θ·K·x with both diagonal.
EigenProblem diagonal(const VectorXd& theta, const VectorXd& K) {
  EigenProblem problem;
  problem.size = static_cast<int>(theta.size());
  problem.multiply_K = [K](const PackedColumns& X) {
    return PackedColumns(MatrixXd(K.asDiagonal() * X.matrix()));
  };
  problem.apply = [theta, K](const PackedColumns& X) {
    const MatrixXd W = theta.asDiagonal() * X.matrix();
    return EigenProblem::Block{PackedColumns(W), PackedColumns(MatrixXd(K.asDiagonal() * W))};
  };
  return problem;
}

VectorXd uneven_stiffness(Eigen::Index size) {
  return VectorXd::LinSpaced(size, 0, 8).array().exp();  // 1 to 3000
}

PairsWanted so_many(int count) {
  PairsWanted wanted;
  wanted.count = count;
  return wanted;
}

TEST(BlockLanczos, FindsTheLargestValuesWithOrthonormalVectors) {
  const Eigen::Index size = 300;
  const VectorXd theta = VectorXd::LinSpaced(size, 1, 300).array().inverse(),
                 K = uneven_stiffness(size);
  const EigenPairs pairs = BlockLanczos(diagonal(theta, K)).find(so_many(6));
  ASSERT_EQ(pairs.theta.size(), 6);
  EXPECT_TRUE(pairs.converged);
  EXPECT_LT(pairs.vectors_used, 150);
  for (int i = 0; i < 6; ++i) EXPECT_RELATIVE(pairs.theta[i], 1.0 / (i + 1), 1e-13);
  const MatrixXd one = pairs.vectors.transpose() * K.asDiagonal() * pairs.vectors;
  EXPECT_LT((one - MatrixXd::Identity(6, 6)).norm(), 1e-12);
}

TEST(BlockLanczos, EveryCopyOfARepeatedValueIsThere) {
  VectorXd theta = VectorXd::LinSpaced(200, 0.001, 0.5);
  theta.tail(8).setConstant(0.9);
  theta.segment(150, 5).setConstant(0.7);
  const EigenPairs pairs = BlockLanczos(diagonal(theta, uneven_stiffness(200))).find(so_many(13));
  ASSERT_EQ(pairs.theta.size(), 13);
  for (int i = 0; i < 13; ++i) EXPECT_RELATIVE(pairs.theta[i], i < 8 ? 0.9 : 0.7, 1e-13);
}

TEST(BlockLanczos, WhatIsKnownIsNotFoundAgain) {
  const VectorXd theta = VectorXd::LinSpaced(120, 0.01, 1.2), K = uneven_stiffness(120);
  LanczosOptions options;
  options.known = MatrixXd::Zero(120, 2);
  options.known(119, 0) = 1 / std::sqrt(K[119]);
  options.known(117, 1) = 1 / std::sqrt(K[117]);
  const EigenPairs pairs = BlockLanczos(diagonal(theta, K), options).find(so_many(3));
  ASSERT_EQ(pairs.theta.size(), 3);
  EXPECT_RELATIVE(pairs.theta[0], theta[118], 1e-13);
  EXPECT_RELATIVE(pairs.theta[1], theta[116], 1e-13);
  EXPECT_RELATIVE(pairs.theta[2], theta[115], 1e-13);
}

TEST(BlockLanczos, AStartAlongWhatIsKnownGoesOnBesideIt) {
  const VectorXd theta = VectorXd::LinSpaced(120, 0.01, 1.2), K = uneven_stiffness(120);
  LanczosOptions options;
  options.known = MatrixXd::Zero(120, 3);
  for (int i = 0; i < 3; ++i) options.known(119 - i, i) = 1 / std::sqrt(K[119 - i]);
  // Of one vector, whose largest parts by far are known.
  options.start = MatrixXd::Constant(120, 1, 1e-3);
  options.start += 50 * options.known.rowwise().sum();
  options.start_reached = true;
  options.block = 1;
  const EigenPairs pairs = BlockLanczos(diagonal(theta, K), options).find(so_many(4));
  ASSERT_EQ(pairs.theta.size(), 4);
  for (int i = 0; i < 4; ++i) EXPECT_RELATIVE(pairs.theta[i], theta[116 - i], 1e-12);
  const MatrixXd along = options.known.transpose() * K.asDiagonal() * pairs.vectors;
  EXPECT_LT(along.cwiseAbs().maxCoeff(), 1e-12);
  const MatrixXd G = pairs.vectors.transpose() * K.asDiagonal() * pairs.vectors;
  EXPECT_LT((G - MatrixXd::Identity(4, 4)).cwiseAbs().maxCoeff(), 1e-12);
}

TEST(BlockLanczos, AGoodStartSavesVectors) {
  const VectorXd theta = VectorXd::LinSpaced(400, 1, 400).array().inverse(),
                 K = uneven_stiffness(400);
  LanczosOptions options;
  options.start = MatrixXd::Constant(400, 8, 1e-6);
  for (int i = 0; i < 8; ++i) options.start(i, i) = 1;
  const EigenPairs near = BlockLanczos(diagonal(theta, K), options).find(so_many(8));
  const EigenPairs far = BlockLanczos(diagonal(theta, K)).find(so_many(8));
  ASSERT_EQ(near.theta.size(), 8);
  for (int i = 0; i < 8; ++i) EXPECT_RELATIVE(near.theta[i], 1.0 / (i + 1), 1e-13);
  EXPECT_LT(near.vectors_used, far.vectors_used);
}

TEST(BlockLanczos, FewerPositiveValuesThanWantedAreAllThereAre) {
  VectorXd theta = VectorXd::LinSpaced(60, -3, -0.05);
  theta.head(3) << 2, 1, 0.5;
  const EigenPairs pairs = BlockLanczos(diagonal(theta, uneven_stiffness(60))).find(so_many(5));
  ASSERT_EQ(pairs.theta.size(), 3);
  EXPECT_RELATIVE(pairs.theta[2], 0.5, 1e-13);
  EXPECT_RELATIVE(pairs.lowest_theta, theta[3], 1e-6);
}

TEST(BlockLanczos, GoingOnFindsWhatOneSearchFinds) {
  const VectorXd theta = VectorXd::LinSpaced(250, 1, 250).array().inverse(),
                 K = uneven_stiffness(250);
  BlockLanczos search(diagonal(theta, K));
  const int first = search.find(so_many(2)).vectors_used;
  const EigenPairs pairs = search.find(so_many(9));
  EXPECT_GT(pairs.vectors_used, first);
  ASSERT_EQ(pairs.theta.size(), 9);
  for (int i = 0; i < 9; ++i) EXPECT_RELATIVE(pairs.theta[i], 1.0 / (i + 1), 1e-13);
}

TEST(JoinedPairs, FallAndKeepTheirVectors) {
  EigenPairs a, b;
  a.theta = Eigen::Vector2d(5, 1);
  b.theta = Eigen::Vector2d(9, 3);
  a.residuals = Eigen::Vector2d(0.5, 0.1);
  b.residuals = Eigen::Vector2d(0.9, 0.3);
  a.vectors = MatrixXd::Identity(4, 2);
  b.vectors = MatrixXd::Identity(4, 4).rightCols(2);
  const EigenPairs all = joined(a, b);
  EXPECT_EQ(all.theta, Eigen::Vector4d(9, 5, 3, 1));
  EXPECT_EQ(all.residuals, Eigen::Vector4d(0.9, 0.5, 0.3, 0.1));
  EXPECT_EQ(all.vectors.col(0), Eigen::Vector4d::Unit(2));
  EXPECT_EQ(all.vectors.col(3), Eigen::Vector4d::Unit(1));
}

TEST(Parallel, EveryIndexComesOnceAndIsTakenInOrder) {
  constexpr int kCount = 10'000;  // some batches
  std::vector<int> visits(kCount, 0);
  for_each_index(kCount, [&](int i) { ++visits[std::size_t(i)]; });
  EXPECT_EQ(std::count(visits.begin(), visits.end(), 1), kCount);
  int expected = 0;
  make_and_take(
      kCount, [](int i) { return 3 * i; },
      [&](int i, int made) {
        ASSERT_EQ(i, expected++);
        ASSERT_EQ(made, 3 * i);
      });
  EXPECT_EQ(expected, kCount);
  make_and_take(
      0, [](int i) { return i; }, [](int, int) { FAIL() << "nothing to take"; });
}

}  // namespace
}  // namespace ulterix::testing::eigen_test
