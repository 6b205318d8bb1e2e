// LLᵀ and LDLᵀ by dense blocks, small ones by one thread and large ones by all, on grids whose
// eigenvalues are known.
#include <gtest/gtest.h>
#include <tbb/global_control.h>

#include "core/solve/factorisation.hpp"
#include "core/solve/indefinite_factor.hpp"
#include "support/grid.hpp"

namespace ulterix::testing {
namespace {

struct GridMatrix {
  int n;
  SymmetricPattern pattern;
  std::vector<double> values;

  /// In an order with little fill, as frames are factorised.
  explicit GridMatrix(int points) : n(points) {
    std::vector<Vector3d> positions;
    const Graph graph = grid(n, positions);
    const auto six = [](int) { return 6.0; };
    pattern = grid_matrix(renumbered(graph, elimination_order(graph, positions)), six, values);
  }

  std::vector<double> shifted(double shift) const {
    std::vector<double> result = values;
    for (int j = 0; j < pattern.size; ++j) {
      result[static_cast<std::size_t>(pattern.column_start[static_cast<std::size_t>(j)])] -= shift;
    }
    return result;
  }
};

template <class Factor>
double error_of_solution(const Factor& factor, const SymmetricPattern& pattern,
                         const std::vector<double>& values, int columns) {
  srand(3);
  const Eigen::MatrixXd X = Eigen::MatrixXd::Random(pattern.size, columns);
  Eigen::MatrixXd Y = multiply_block(pattern, values, X);
  factor.solve(Y);
  return (Y - X).norm() / X.norm();
}

TEST(Multifrontal, CountsTheEigenvaluesOfASmallGridBelowAShift) {
  const GridMatrix K(9);
  for (const double shift : {0.05, 0.7, 3.1, 6.05, 11.3, 12.5}) {
    const std::vector<double> shifted = K.shifted(shift);
    const int below = grid_eigenvalues_below(K.n, shift);
    EXPECT_EQ(negative_eigenvalues(K.pattern, shifted), below) << shift;
    const auto factor = IndefiniteFactor::make(K.pattern, shifted);
    ASSERT_TRUE(factor);
    EXPECT_EQ(factor->negative_eigenvalues(), below);
    EXPECT_LT(error_of_solution(*factor, K.pattern, shifted, 11), 1e-10) << shift;
  }
}

/// Large enough that subtrees are shared out and large fronts are worked on by several threads.
TEST(Multifrontal, SharedOutWorkGivesTheSameAnswers) {
  const GridMatrix K(28);
  for (const double shift : {0.07, 0.3, 1.3, 5.97}) {
    EXPECT_EQ(negative_eigenvalues(K.pattern, K.shifted(shift)),
              grid_eigenvalues_below(K.n, shift));
  }
  for (const double shift : {0.07, 0.3}) {  // not within 1e-4 of an eigenvalue
    const std::vector<double> shifted = K.shifted(shift);
    const auto factor = IndefiniteFactor::make(K.pattern, shifted);
    ASSERT_TRUE(factor);
    EXPECT_EQ(factor->negative_eigenvalues(), grid_eigenvalues_below(K.n, shift));
    EXPECT_LT(error_of_solution(*factor, K.pattern, shifted, 11), 1e-9) << shift;
  }
  Factorisation factor(K.pattern);
  ASSERT_GT(factor.flops(), 1e9);
  EXPECT_EQ(factor.factorise(K.shifted(0.07)), FactorStatus::not_positive_definite);
  ASSERT_EQ(factor.factorise(K.values), FactorStatus::positive_definite);
  EXPECT_LT(error_of_solution(factor, K.pattern, K.values, 1), 1e-12);
  EXPECT_LT(error_of_solution(factor, K.pattern, K.values, 11), 1e-12);
}

TEST(Multifrontal, DigitsDoNotDependOnTheNumberOfThreads) {
  const GridMatrix K(28);
  const std::vector<double> shifted = K.shifted(0.07);
  const Eigen::MatrixXd B = Eigen::MatrixXd::Random(K.pattern.size, 2);
  const auto solutions = [&] {
    Factorisation definite(K.pattern);
    EXPECT_EQ(definite.factorise(K.values), FactorStatus::positive_definite);
    Eigen::MatrixXd X = B, Y = B;
    definite.solve(X);
    IndefiniteFactor::make(K.pattern, shifted)->solve(Y);
    X += Y;
    return X;
  };
  const Eigen::MatrixXd many = solutions();
  const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
  EXPECT_EQ((solutions() - many).cwiseAbs().maxCoeff(), 0);
}

}  // namespace
}  // namespace ulterix::testing
