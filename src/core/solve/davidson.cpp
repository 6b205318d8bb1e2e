#include "core/solve/davidson.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>

#include "core/solve/tall_products.hpp"

namespace ulterix {

namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Of unit vectors in a block, directions shorter than this are taken for rounding.
constexpr double kRankTolerance = 1e-6;
/// With shorter ones among them they come out orthonormal to fewer digits: once more.
constexpr double kUneven = 0.1;
/// What was carried along with a vector has lost too many where less is left of it: anew.
constexpr double kScaledUp = 1e-3;
/// What is left of a vector outside the basis, when less than this part of it, is rounding:
/// K-products of smooth vectors in stiff frames are good to a few digits more.
constexpr double kNew = 1e-7;
/// Most searches end after so many.
constexpr int kUsualSteps = 4;
constexpr int kAttempts = 3;
constexpr unsigned kSeed = 20261126;

class Davidson {
 public:
  using Index = Eigen::Index;

  Davidson(const NearProblem& problem, const PairsWanted& wanted)
      : problem_(problem),
        wanted_(wanted),
        most_(std::min<Index>(problem.size, wanted.most_vectors)) {}

  EigenPairs find(const MatrixXd& start) {
    make_room(start.cols() + kUsualSteps * wanted_.count);
    add({start, problem_.multiply_K(start), problem_.multiply_B(start)});
    for (int attempts = 0;;) {
      const std::vector<Index> open = improvable();
      if (!open.empty() && add(step(open), 1)) continue;
      if (complete() || attempts++ == kAttempts) break;
      add(solved(problem_.multiply_B(random_block(problem_.size, kPacked, kSeed + attempts))));
    }
    return pairs();
  }

 private:
  struct Block {
    MatrixXd W, KW, BW;
  };

  Index found() const { return std::min<Index>(wanted_.count, theta_.size()); }

  bool complete() const {
    if (problem_.shift == 0) return true;
    return theta_.size() >= wanted_.count && theta_[wanted_.count - 1] * problem_.shift > 1;
  }

  /// 1/θ − σ.
  VectorXd distances() const { return theta_.cwiseInverse().array() - problem_.shift; }

  /// The pairs that a step would make better: never seen as they are now, or not good enough.
  std::vector<Index> improvable() const {
    std::vector<Index> open;
    const VectorXd now = distances();
    for (Index i = 0; i < found() && theta_[i] > 0; ++i) {
      const bool seen = i < residuals_.size() &&
                        std::abs(now[i] - seen_[i]) <= wanted_.tolerance * std::abs(seen_[i]);
      if (!seen || residuals_[i] > wanted_.tolerance) open.push_back(i);
    }
    return open;
  }

  /// W = (K − σB)⁻¹·R, nearly.
  Block solved(const MatrixXd& R) const {
    Block block;
    block.W = R;
    problem_.solve(block.W);
    block.KW = problem_.multiply_K(block.W);
    block.BW = problem_.multiply_B(block.W);
    return block;
  }

  /// What the open pairs leave, K·x − B·x/θ, solved with: x less the step of the inverse, whose
  /// length is their residual.
  Block step(const std::vector<Index>& open) {
    const MatrixXd c = coefficients_(Eigen::all, open);
    const VectorXd lambdas = theta_(open).cwiseInverse();
    Block block =
        solved(tall_product(K_basis_, c) - tall_product(B_basis_, c * lambdas.asDiagonal()));
    const VectorXd squares = block.W.cwiseProduct(block.KW).colwise().sum();
    residuals_.conservativeResize(found());
    seen_.conservativeResize(found());
    residuals_(open) = squares.cwiseAbs().cwiseSqrt();
    seen_(open) = distances()(open);
    return block;
  }

  /// K-orthonormal directions of W join the basis; false if there are none, or no room. `length`:
  /// of vectors that W was the small difference of, whose rounding it has.
  bool add(Block block, double length = 0) {
    auto& [W, KW, BW] = block;
    const VectorXd squares = W.cwiseProduct(KW).colwise().sum();
    take_out_basis(block);
    const VectorXd left = W.cwiseProduct(KW).colwise().sum();
    if ((left.array() < kScaledUp * kScaledUp * squares.array()).any()) renew(block);
    take_out_basis(block);
    const double shortest = normalise(block, kNew * kNew * squares.cwiseMax(length * length));
    if (shortest < kUneven) {
      if (shortest < kScaledUp) renew(block);
      take_out_basis(block);
      normalise(block, VectorXd::Zero(W.cols()));
    }
    const Index rank = std::min(W.cols(), most_ - size_);
    if (rank <= 0) return false;
    if (size_ + rank > basis_.cols()) make_room(2 * (size_ + rank));
    basis_.middleCols(size_, rank) = W.leftCols(rank);
    K_basis_.middleCols(size_, rank) = KW.leftCols(rank);
    B_basis_.middleCols(size_, rank) = BW.leftCols(rank);
    size_ += rank;
    project(BW.leftCols(rank));
    return true;
  }

  /// What is there is copied, what is not used takes no memory.
  void make_room(Index columns) {
    for (MatrixXd* m : {&basis_, &K_basis_, &B_basis_}) {
      m->conservativeResize(problem_.size, std::min(most_, columns));
    }
  }

  void renew(Block& block) const {
    block.KW = problem_.multiply_K(block.W);
    block.BW = problem_.multiply_B(block.W);
  }

  /// W less K-components along the basis.
  void take_out_basis(Block& block) const {
    if (size_ == 0) return;
    const MatrixXd c = tall_inner(basis_, size_, block.KW);
    tall_subtract(basis_, 0, c, block.W);
    tall_subtract(K_basis_, 0, c, block.KW);
    tall_subtract(B_basis_, 0, c, block.BW);
  }

  /// W to K-orthonormal directions, without columns whose squares are below the least, and without
  /// those that others are enough for; the shortest that stays, of unit columns.
  static double normalise(Block& block, const VectorXd& least) {
    auto& [W, KW, BW] = block;
    const MatrixXd G = tall_inner(W, W.cols(), KW);
    const VectorXd unit = (G.diagonal().array() > least.array())
                              .select(G.diagonal().cwiseAbs().cwiseSqrt().cwiseInverse(), 0);
    const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen(
        unit.asDiagonal() * ((G + G.transpose()) / 2) * unit.asDiagonal());
    const VectorXd& d = eigen.eigenvalues();
    const Index rank = (d.array() > kRankTolerance * kRankTolerance).count();
    const MatrixXd scale = unit.asDiagonal() * eigen.eigenvectors().rightCols(rank) *
                           d.tail(rank).cwiseSqrt().cwiseInverse().asDiagonal();
    for (MatrixXd* m : {&W, &KW, &BW}) *m = tall_product(*m, scale);
    return rank > 0 ? std::sqrt(d[d.size() - rank]) : 1;
  }

  void project(const MatrixXd& BW) {
    const Index old = size_ - BW.cols();
    MatrixXd larger(size_, size_);
    larger.topLeftCorner(old, old) = projected_;
    larger.rightCols(BW.cols()) = tall_inner(basis_, size_, BW);
    larger.bottomLeftCorner(BW.cols(), old) = larger.topRightCorner(old, BW.cols()).transpose();
    projected_ = (larger + larger.transpose()) / 2;
    const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen(projected_);
    theta_ = eigen.eigenvalues().reverse();
    coefficients_ = eigen.eigenvectors().rowwise().reverse();
  }

  EigenPairs pairs() const {
    EigenPairs pairs;
    if (size_ == 0) return pairs;
    const Index count = std::min<Index>(found() + wanted_.extra, (theta_.array() > 0).count());
    pairs.theta = theta_.head(count);
    pairs.vectors = tall_product(basis_, coefficients_.leftCols(count));
    pairs.residuals = pairs.theta;
    const Index seen = std::min(count, residuals_.size());
    pairs.residuals.head(seen).array() *= residuals_.head(seen).array();
    pairs.lowest_theta = theta_[theta_.size() - 1];
    pairs.vectors_used = static_cast<int>(size_);
    pairs.converged = improvable().empty() && complete();
    return pairs;
  }

  const NearProblem& problem_;
  const PairsWanted wanted_;
  const Index most_;
  MatrixXd basis_, K_basis_, B_basis_;  // V, K·V, B·V
  MatrixXd projected_, coefficients_;
  VectorXd theta_;
  VectorXd residuals_, seen_;  // of the leading pairs, and the distances that they were of
  Index size_ = 0;
};

}  // namespace

EigenPairs davidson(const NearProblem& problem, const MatrixXd& start, const PairsWanted& wanted) {
  return Davidson(problem, wanted).find(start);
}

}  // namespace ulterix
