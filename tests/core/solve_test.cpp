// Factorisation, null space, conjugate gradients and orderings on small matrices with known
// answers.
#include <gtest/gtest.h>
#include <tbb/global_control.h>

#include <algorithm>
#include <numeric>

#include "core/dense/orthogonal.hpp"
#include "core/eigen/null_space.hpp"
#include "core/sparse/conjugate_gradients.hpp"
#include "core/sparse/indefinite_factor.hpp"
#include "core/sparse/multifrontal.hpp"
#include "core/sparse/ordering.hpp"
#include "core/sparse/tall_products.hpp"
#include "support/building.hpp"
#include "support/frame_builder.hpp"
#include "support/grid.hpp"

namespace ulterix::testing::solve_test {
namespace {

/// A dense lower triangle as a pattern with values.
struct Dense {
  SymmetricPattern pattern;
  std::vector<double> values;

  explicit Dense(const Eigen::MatrixXd& A) {
    pattern.size = static_cast<int>(A.rows());
    for (int j = 0; j < A.rows(); ++j) {
      for (int i = j; i < A.rows(); ++i) {
        pattern.rows.push_back(i);
        values.push_back(A(i, j));
      }
      pattern.column_start.push_back(static_cast<std::int64_t>(pattern.rows.size()));
    }
  }
};

Eigen::MatrixXd with_spectrum(const Eigen::VectorXd& eigenvalues) {
  srand(1);
  const auto n = eigenvalues.size();
  const Eigen::MatrixXd Q = orthonormal_columns(Eigen::MatrixXd::Random(n, n));
  return Q * eigenvalues.asDiagonal() * Q.transpose();
}

TEST(Factorisation, SolvesAndCountsNegativePivots) {
  Eigen::VectorXd eigenvalues(6);
  eigenvalues << 1, 2, 3, 4, 5, 6;
  const Eigen::MatrixXd A = with_spectrum(eigenvalues);
  Dense d(A);
  Factorisation f(d.pattern);
  ASSERT_EQ(f.factorise(d.values), FactorStatus::positive_definite);
  Eigen::MatrixXd X = Eigen::MatrixXd::Random(6, 3);
  const Eigen::MatrixXd B = A * X;
  Eigen::MatrixXd Y = B;
  f.solve(Y);
  EXPECT_LT((Y - X).norm(), 1e-12);
  EXPECT_EQ(negative_eigenvalues(FactorStructure(d.pattern), d.values), 0);
  for (int negative = 1; negative <= 6; ++negative) {
    eigenvalues[negative - 1] *= -1;
    Dense indefinite(with_spectrum(eigenvalues));
    EXPECT_EQ(f.factorise(indefinite.values), FactorStatus::not_positive_definite);
    EXPECT_EQ(negative_eigenvalues(FactorStructure(indefinite.pattern), indefinite.values),
              negative);
  }
}

TEST(Factorisation, ManyRightSidesAgreeWithTheMatrix) {
  // Large enough for supernodes; 11 columns: one pack of eight and a rest.
  std::vector<Vector3d> positions;
  const int n = 9;
  const Graph graph = grid(n, positions);
  std::vector<double> values;
  const SymmetricPattern pattern = grid_matrix(
      graph, [](int j) { return 6.5 + j % 7; }, values);
  Factorisation f(pattern);
  ASSERT_EQ(f.factorise(values), FactorStatus::positive_definite);
  srand(3);
  const Eigen::MatrixXd X = Eigen::MatrixXd::Random(pattern.size, 11);
  Eigen::MatrixXd Y = multiply_block(pattern, values, X);
  f.solve(Y);
  EXPECT_LT((Y - X).cwiseAbs().maxCoeff(), 1e-13);
}

TEST(Factorisation, SubtreesThatAreSolvedSideBySideAgreeWithTheMatrix) {
  std::vector<Vector3d> positions;
  const Graph plain = grid(34, positions);
  const Graph graph = renumbered(plain, elimination_order(plain, positions));
  std::vector<double> values;
  const SymmetricPattern pattern = grid_matrix(
      graph, [](int) { return 6.1; }, values);
  Factorisation f(pattern);
  ASSERT_EQ(f.factorise(values), FactorStatus::positive_definite);
  ASSERT_GT(f.flops(), 2e9);           // else one thread does it alone
  std::vector<double> lower = values;  // an indefinite matrix on the same pattern
  for (int j = 0; j < pattern.size; ++j) lower[std::size_t(pattern.column_start[j])] = 3.1;
  const auto indefinite = IndefiniteFactor::make(pattern, lower);
  ASSERT_TRUE(indefinite);
  srand(6);
  for (const int columns : {1, 8, 11}) {
    const Eigen::MatrixXd X = Eigen::MatrixXd::Random(pattern.size, columns);
    Eigen::MatrixXd Y = multiply_block(pattern, values, X);
    f.solve(Y);
    EXPECT_LT((Y - X).cwiseAbs().maxCoeff(), 1e-12);
    // Close to singular, and pivots may have let entries grow: how little of the right side is
    // left.
    Y = X;
    indefinite->solve(Y);
    EXPECT_LT((multiply_block(pattern, lower, Y) - X).norm(), 1e-16 * kMostGrowth * 9 * Y.norm());
  }
  Eigen::MatrixXd two = Eigen::MatrixXd::Random(pattern.size, 8), one = two;
  f.solve(two);
  const tbb::global_control alone(tbb::global_control::max_allowed_parallelism, 1);
  f.solve(one);
  EXPECT_EQ(one, two);
}

TEST(IndefiniteFactor, ALargeBlockWhosePivotsAreFarApartIsSolvedWithByAllThreads) {
  // A grid, and beside it [0 R; Rᵀ S]: no pivot within its first columns, as many of each sign.
  std::vector<Vector3d> positions;
  const Graph plain = grid(30, positions);
  const Graph graph = renumbered(plain, elimination_order(plain, positions));
  std::vector<double> values;
  SymmetricPattern pattern = grid_matrix(
      graph, [](int) { return 6.1; }, values);
  const int half = 600, first = pattern.size;
  srand(8);
  const Eigen::MatrixXd dense = Eigen::MatrixXd::Random(2 * half, 2 * half);
  for (int j = 0; j < 2 * half; ++j) {
    for (int i = j; i < 2 * half; ++i) {
      pattern.rows.push_back(first + i);
      const bool corner = j < half && i < half;
      values.push_back(corner ? 0 : dense(i, j));
    }
    pattern.column_start.push_back(std::int64_t(pattern.rows.size()));
  }
  pattern.size += 2 * half;
  const auto factor = IndefiniteFactor::make(pattern, values);
  ASSERT_TRUE(factor);
  EXPECT_EQ(factor->negative_eigenvalues(), half);
  const Eigen::MatrixXd X = Eigen::MatrixXd::Random(pattern.size, 8);
  Eigen::MatrixXd Y = X;
  factor->solve(Y);
  EXPECT_LT((multiply_block(pattern, values, Y) - X).norm(), 1e-11 * Y.norm());
}

TEST(IndefiniteFactor, PivotsInSeveralStripsWithRowsBelowThem) {
  // Two blocks that meet in a third: fronts of more pivots than are gathered at once, which leave
  // rows. Diagonals outweigh their rows: as many negative eigenvalues as negative diagonals.
  constexpr int kOwn = 400, kShared = 300, kAll = 2 * kOwn + kShared;
  srand(11);
  Eigen::MatrixXd A = Eigen::MatrixXd::Random(kAll, kAll);
  A.block(kOwn, 0, kOwn, kOwn).setZero();
  int negative = 0;
  for (int i = 0; i < kAll; ++i) {
    const bool down = i % 3 == 1;
    A(i, i) = down ? -1.0 * kAll : kAll;
    negative += down ? 1 : 0;
  }
  SymmetricPattern pattern;
  pattern.size = kAll;
  std::vector<double> values;
  for (int j = 0; j < kAll; ++j) {
    for (int i = j; i < kAll; ++i) {
      if (A(i, j) == 0) continue;
      pattern.rows.push_back(i);
      values.push_back(A(i, j));
    }
    pattern.column_start.push_back(static_cast<std::int64_t>(values.size()));
  }
  const auto factor = IndefiniteFactor::make(pattern, values);
  ASSERT_TRUE(factor);
  EXPECT_EQ(factor->negative_eigenvalues(), negative);
  const Eigen::MatrixXd X = Eigen::MatrixXd::Random(kAll, 8);
  Eigen::MatrixXd Y = X;
  factor->solve(Y);
  EXPECT_LT((multiply_block(pattern, values, Y) - X).norm(), 1e-13 * kAll * Y.norm());
}

TEST(TallProducts, AgreeWithPlainOnes) {
  srand(4);
  const Eigen::MatrixXd A = Eigen::MatrixXd::Random(301, 13);
  const Eigen::MatrixXd B = Eigen::MatrixXd::Random(301, 10);
  const PackedColumns packed(B), packed_A(A);
  EXPECT_LT((tall_inner(A, 11, packed) - A.leftCols(11).transpose() * B).norm(), 1e-12);
  EXPECT_LT((tall_inner(packed_A, packed) - A.transpose() * B).norm(), 1e-12);
  for (int columns = 1; columns <= 10; ++columns) {
    const Eigen::MatrixXd c = Eigen::MatrixXd::Random(columns, 10);
    PackedColumns rest(B);
    tall_subtract(A, 3, c, rest);
    EXPECT_LT((rest.matrix() - (B - A.middleCols(3, columns) * c)).norm(), 1e-12);
    EXPECT_LT((tall_inner(A, columns, packed) - A.leftCols(columns).transpose() * B).norm(), 1e-12);
    const PackedColumns few(A.leftCols(columns));
    EXPECT_LT((tall_product(few, c).matrix() - A.leftCols(columns) * c).norm(), 1e-12);
  }
}

TEST(Factorisation, NotFiniteIsSeen) {
  Dense d(Eigen::MatrixXd::Identity(3, 3));
  Factorisation f(d.pattern);
  d.values[1] = std::nan("");
  EXPECT_EQ(f.factorise(d.values), FactorStatus::not_finite);
}

TEST(NullSpace, FindsEveryDirectionOfASingularMatrix) {
  Eigen::VectorXd eigenvalues = Eigen::VectorXd::LinSpaced(20, 1, 3);
  eigenvalues.head(11).setZero();  // more than the first block holds
  const Eigen::MatrixXd A = with_spectrum(eigenvalues);
  Dense d(A);
  // As strains do, the root of the matrix tells energies far below the rounding of the matrix.
  const auto by_root = [](const Eigen::VectorXd& values) {
    return [root = with_spectrum(values.cwiseSqrt())](const Eigen::MatrixXd& X) {
      return Eigen::MatrixXd(root * (root * X));
    };
  };
  const Eigen::MatrixXd Z =
      null_space(d.pattern, d.values, Eigen::VectorXd::Ones(20), by_root(eigenvalues));
  ASSERT_EQ(Z.cols(), 11);
  EXPECT_LT((A * Z).norm(), 1e-6);
  const Eigen::VectorXd weak = Eigen::VectorXd::LinSpaced(20, 1e-14, 3);
  Dense regular(with_spectrum(weak));
  const auto product = by_root(weak);
  EXPECT_EQ(null_space(regular.pattern, regular.values, Eigen::VectorXd::Ones(20), product).cols(),
            0);
}

TEST(ConjugateGradients, ConvergesOrSeesNegativeCurvature) {
  const Eigen::MatrixXd A = with_spectrum(Eigen::VectorXd::LinSpaced(12, 1, 4));
  Dense d(A), identity(Eigen::MatrixXd::Identity(12, 12));
  Factorisation f(identity.pattern);
  ASSERT_EQ(f.factorise(identity.values), FactorStatus::positive_definite);
  const Eigen::VectorXd x = Eigen::VectorXd::Random(12);
  Eigen::VectorXd y = Eigen::VectorXd::Zero(12);
  EXPECT_EQ(conjugate_gradients(d.pattern, d.values, inverse_of(f), A * x, y), CgEnd::converged);
  EXPECT_LT((y - x).norm(), 1e-9);
  Dense indefinite(with_spectrum(Eigen::VectorXd::LinSpaced(12, -3, 4)));
  y.setZero();
  EXPECT_EQ(conjugate_gradients(indefinite.pattern, indefinite.values, inverse_of(f), x, y),
            CgEnd::negative_curvature);
}

TEST(Ordering, BothMethodsArePermutationsAndBeatTheNaturalOrder) {
  std::vector<Vector3d> positions;
  const Graph graph = grid(12, positions);
  std::vector<int> natural(graph.size());
  std::iota(natural.begin(), natural.end(), 0);
  for (const auto& order :
       {geometric_dissection(graph, positions), elimination_order(graph, positions)}) {
    std::vector<int> sorted = order;
    std::sort(sorted.begin(), sorted.end());
    EXPECT_EQ(sorted, natural);
    EXPECT_LT(elimination_work(graph, order), 0.5 * elimination_work(graph, natural));
  }
}

TEST(Ordering, WorkOfAPathAndOfAClique) {
  Graph path(5), clique(5);
  for (int i = 0; i + 1 < 5; ++i) {
    path[i].push_back(i + 1);
    path[i + 1].push_back(i);
  }
  for (int i = 0; i < 5; ++i) {
    for (int j = 0; j < 5; ++j) {
      if (i != j) clique[i].push_back(j);
    }
  }
  const std::vector<int> order = {0, 1, 2, 3, 4};
  EXPECT_EQ(elimination_work(path, order), 4 * 4 + 1);
  EXPECT_EQ(elimination_work(clique, order), 25 + 16 + 9 + 4 + 1);
}

/// Large frames are solved by conjugate gradients, small ones directly: both must agree.
TEST(PDelta, IterativeRoundsOfALargeFrameAgreeWithDirectOnes) {
  // A tower large enough for the iterative rounds, and the same digits checked by equilibrium.
  Building building(11, 9, 5e3);
  FrameBuilder& b = building.b;
  const NodeId corner = building.nodes.back();
  const RunResult r = b.run();
  const Step &first = *r.find("first-order", "G"), &second = *r.find("p-delta", "G");
  ASSERT_GT(r.frame.factor->flops(), 3e8);  // else this tests nothing
  ASSERT_TRUE(second.outcome.stands()) << second.outcome.reason;
  EXPECT_GT(second.state.nodes[corner].translation[0],
            1.1 * first.state.nodes[corner].translation[0]);
  EXPECT_LT(second.equilibrium.nodes, 1e-9);
  EXPECT_LE(second.rounds.back().change_u, 1e-8);
  // Ten times the load is far above the critical one: only the last factorisation can tell.
  for (NodalLoad& load : b.load_case().nodal) load.force *= 7;
  EXPECT_EQ(b.run().find("p-delta", "G")->outcome.verdict, Verdict::above_critical_load);
}

}  // namespace
}  // namespace ulterix::testing::solve_test
