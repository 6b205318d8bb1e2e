// LLᵀ and LDLᵀ by dense blocks, small ones by one thread and large ones by all, on grids whose
// eigenvalues are known.
#include <gtest/gtest.h>
#include <tbb/global_control.h>

#include <algorithm>

#include "core/sparse/buffer_pool.hpp"
#include "core/sparse/column_block.hpp"
#include "core/sparse/elimination_tree.hpp"
#include "core/sparse/factorisation.hpp"
#include "core/sparse/indefinite_factor.hpp"
#include "support/grid.hpp"

namespace ulterix::testing::multifrontal_test {
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
    EXPECT_EQ(negative_eigenvalues(FactorStructure(K.pattern), shifted), below) << shift;
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
    EXPECT_EQ(negative_eigenvalues(FactorStructure(K.pattern), K.shifted(shift)),
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

TEST(Multifrontal, TheCountTellsTheSideOfAnEigenvalue) {
  for (const int n : {9, 28}) {
    const GridMatrix K(n);
    const double lowest = 3 * (2 - 2 * std::cos(M_PI / (n + 1)));
    for (const double off : {1e-1, 1e-3, 1e-5, 1e-8}) {
      for (const double shift : {lowest * (1 - off), lowest * (1 + off)}) {
        const std::vector<double> shifted = K.shifted(shift);
        const int below = shift > lowest ? 1 : 0;
        EXPECT_EQ(negative_eigenvalues(FactorStructure(K.pattern), shifted), below) << off;
        const auto factor = IndefiniteFactor::make(K.pattern, shifted);
        ASSERT_TRUE(factor);
        EXPECT_EQ(factor->negative_eigenvalues(), below) << off;
      }
    }
  }
}

TEST(Multifrontal, DigitsDoNotDependOnTheNumberOfThreads) {
  const GridMatrix K(28);
  const std::vector<double> shifted = K.shifted(0.07);
  const Eigen::MatrixXd B = Eigen::MatrixXd::Random(K.pattern.size, 2);
  const auto solutions = [&] {
    Factorisation definite(K.pattern);
    EXPECT_EQ(definite.factorise(K.values), FactorStatus::positive_definite);
    Eigen::MatrixXd X = B;
    definite.solve(X);
    Eigen::MatrixXd Y = B;
    IndefiniteFactor::make(K.pattern, shifted)->solve(Y);
    return Eigen::MatrixXd(X + Y);
  };
  const Eigen::MatrixXd many = solutions();
  const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
  EXPECT_EQ((solutions() - many).cwiseAbs().maxCoeff(), 0);
}

/// The blocks of a binary tree of `levels`: each eliminates `pivots` unknowns and touches those of
/// its parent.
struct BinaryTree {
  std::vector<std::int64_t> first = {0}, row_start = {0}, rows;

  BinaryTree(int levels, int pivots) { add(levels, pivots); }
  EliminationBlocks blocks() const { return {first, row_start, rows}; }

 private:
  /// Children first; returns the block's number.
  int add(int level, int pivots) {
    std::vector<int> children;
    if (level > 1) {
      children.push_back(add(level - 1, pivots));
      children.push_back(add(level - 1, pivots));
    }
    const int own = static_cast<int>(first.size()) - 1;
    first.push_back(first.back() + pivots);
    // Rows of the parent are not known yet: they are filled in when it comes.
    for (int i = 0; i < 2 * pivots; ++i) rows.push_back(first[own] + i);
    row_start.push_back(static_cast<std::int64_t>(rows.size()));
    for (const int child : children) {
      for (int i = 0; i < pivots; ++i) rows[row_start[child] + pivots + i] = first[own] + i;
    }
    return own;
  }
};

TEST(EliminationTree, SharesOutDisjointSubtreesAndWhatIsAboveThem) {
  BinaryTree tree(8, 200);
  tree.rows.resize(tree.rows.size() - 200);  // the root has nobody above
  tree.row_start.back() -= 200;
  const SharedOut shared = share_out(tree.blocks());
  ASSERT_EQ(shared.parent.size(), 255u);
  EXPECT_EQ(shared.parent.back(), 255u);
  EXPECT_EQ(shared.parent[0], 2u);
  EXPECT_EQ(shared.parent[1], 2u);
  EXPECT_GE(shared.subtrees.size(), 32u);
  std::vector<int> times(255, 0);
  for (const std::size_t b : shared.above) ++times[b];
  for (const auto& subtree : shared.subtrees) {
    EXPECT_TRUE(std::is_sorted(subtree.begin(), subtree.end()));
    for (const std::size_t b : subtree) {
      ++times[b];
      const bool inside = std::binary_search(subtree.begin(), subtree.end(), shared.parent[b]);
      EXPECT_EQ(inside, b != subtree.back()) << "all but the root have their parent beside them";
    }
  }
  EXPECT_EQ(times, std::vector<int>(255, 1));
}

TEST(EliminationTree, LittleWorkIsOneShare) {
  BinaryTree tree(3, 4);
  tree.rows.resize(tree.rows.size() - 4);
  tree.row_start.back() -= 4;
  const SharedOut shared = share_out(tree.blocks());
  ASSERT_EQ(shared.subtrees.size(), 1u);
  EXPECT_EQ(shared.subtrees.front().size(), 7u);
  EXPECT_TRUE(shared.above.empty());
  const std::vector<std::int64_t> none = {0};
  EXPECT_TRUE(share_out({none, none, {}}).subtrees.empty());
}

TEST(LargeBlocks, WhatIsGivenBackServesTheNext) {
  constexpr std::size_t kCount = 1 << 20;  // 8 MB
  const double* place = nullptr;
  {
    const PooledBuffer block = pooled_buffer(kCount);
    block[0] = 1;
    block[kCount - 1] = 2;
    place = block.get();
  }
  const PooledBuffer again = pooled_buffer(kCount - 1000);
  EXPECT_EQ(again.get(), place);
  const PooledBuffer other = pooled_buffer(kCount);
  EXPECT_NE(other.get(), place);
  EXPECT_EQ(pooled_buffer(0), nullptr);
}

TEST(Packs, HoldColumnsRowByRowAndZerosWhereThereIsNone) {
  const Eigen::MatrixXd X = Eigen::MatrixXd::Random(5, 11);
  const ColumnBlock pack(X, 8, 3);
  for (int i = 0; i < 5; ++i) {
    for (int k = 0; k < kPacked; ++k) EXPECT_EQ(pack.row(i)[k], k < 3 ? X(i, 8 + k) : 0);
  }
  Eigen::MatrixXd Y = Eigen::MatrixXd::Zero(5, 11);
  pack.copy_to(Y, 8, 3);
  EXPECT_EQ(Y.rightCols(3), X.rightCols(3));
  EXPECT_EQ(Y.leftCols(8).norm(), 0);
}

TEST(Packs, ProductsAgreeWithTheDenseMatrix) {
  const GridMatrix K(4);
  Eigen::MatrixXd dense = Eigen::MatrixXd::Zero(K.pattern.size, K.pattern.size);
  for (int j = 0; j < K.pattern.size; ++j) {
    for (auto p = K.pattern.column_start[j]; p < K.pattern.column_start[j + 1]; ++p) {
      const auto i = K.pattern.rows[p];
      dense(i, j) = dense(j, i) = K.values[p];
    }
  }
  const Eigen::MatrixXd X = Eigen::MatrixXd::Random(K.pattern.size, 13);
  EXPECT_LT((multiply_block(K.pattern, K.values, X) - dense * X).norm(), 1e-13 * X.norm());
  EXPECT_LT((multiply(K.pattern, K.values, X.col(3)) - dense * X.col(3)).norm(), 1e-13);
}

}  // namespace
}  // namespace ulterix::testing::multifrontal_test
