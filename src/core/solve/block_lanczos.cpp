#include "core/solve/block_lanczos.hpp"

#include <cblas.h>

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>

namespace ulterix {

namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Directions of a block that are smaller than this part of its largest are taken for rounding.
constexpr double kRankTolerance = 1e-8;
/// θ below this part of the largest |θ| is 0: a motion that B does not reach.
constexpr double kNothing = 1e-12;

MatrixXd random_block(Index rows, Index columns, unsigned seed) {
  std::mt19937_64 random(seed);
  MatrixXd block(rows, columns);
  for (Index j = 0; j < columns; ++j) {
    for (Index i = 0; i < rows; ++i) {
      block(i, j) = static_cast<double>(random() >> 11) / 9007199254740992.0 - 0.5;
    }
  }
  return block;
}

/// Aᵀ·B with the first columns of A. Tall and thin, so by BLAS.
MatrixXd inner(const MatrixXd& A, Index columns, const MatrixXd& B) {
  MatrixXd C(columns, B.cols());
  cblas_dgemm(CblasColMajor, CblasTrans, CblasNoTrans, int(columns), int(B.cols()), int(A.rows()),
              1, A.data(), int(A.rows()), B.data(), int(B.rows()), 0, C.data(), int(columns));
  return C;
}

/// W −= A·c with the first columns of A.
void subtract(const MatrixXd& A, const MatrixXd& c, MatrixXd& W) {
  cblas_dgemm(CblasColMajor, CblasNoTrans, CblasNoTrans, int(W.rows()), int(W.cols()),
              int(c.rows()), -1, A.data(), int(A.rows()), c.data(), int(c.rows()), 1, W.data(),
              int(W.rows()));
}

class Lanczos {
 public:
  Lanczos(const EigenProblem& problem, const LanczosOptions& options)
      : problem_(problem),
        options_(options),
        most_(std::min<Index>(options.most_vectors, problem.size - options.known.cols())) {}

  EigenPairs run() {
    if (most_ <= 0) return {};
    if (options_.known.cols() > 0) known_K_ = problem_.multiply_K(options_.known);
    MatrixXd block = first_block();
    while (append(block)) {
      block = next_block();
      solve_projected();
      if (converged() || size_ >= most_) break;
      if (rank_of_next_ == 0) block = fresh_block();
    }
    return pairs();
  }

 private:
  MatrixXd first_block() {
    const Index width =
        std::min<Index>(std::max<Index>(options_.block, options_.start.cols()), most_);
    MatrixXd block = random_block(problem_.size, width, 20260101);
    // One application of K⁻¹·B takes out what B does not reach.
    block = problem_.solve_K(problem_.multiply_B(block));
    const Index given = std::min<Index>(options_.start.cols(), width);
    if (given > 0) block.leftCols(given) = options_.start.leftCols(given);
    return block;
  }

  MatrixXd fresh_block() {
    const Index width = std::min<Index>(options_.block, most_ - size_);
    return problem_.solve_K(
        problem_.multiply_B(random_block(problem_.size, width, 20260102 + unsigned(fresh_++))));
  }

  /// Takes the components along the basis and the known vectors out, twice.
  void orthogonalise(MatrixXd& W, MatrixXd& KW) const {
    for (int pass = 0; pass < 2; ++pass) {
      if (options_.known.cols() > 0) {
        const MatrixXd c = inner(known_K_, known_K_.cols(), W);
        subtract(options_.known, c, W);
        subtract(known_K_, c, KW);
      }
      if (size_ == 0) continue;
      const MatrixXd c = inner(basis_K_, size_, W);
      subtract(basis_, c, W);
      subtract(basis_K_, c, KW);
    }
  }

  /// K-orthonormal directions of the block join the basis; false if there are none.
  bool append(MatrixXd& W) {
    MatrixXd KW = problem_.multiply_K(W);
    const double before = std::sqrt(std::abs((W.cwiseProduct(KW)).colwise().sum().maxCoeff()));
    orthogonalise(W, KW);
    Index rank = normalise(W, KW, kRankTolerance * before);
    if (rank == 0) return false;
    orthogonalise(W, KW);  // of what was scaled up
    rank = normalise(W, KW, 0.5);
    if (rank == 0) return false;
    rank = std::min(rank, most_ - size_);
    if (size_ + rank > basis_.cols()) {
      const Index room = std::min(most_, std::max<Index>(2 * basis_.cols(), 64));
      basis_.conservativeResize(problem_.size, room);
      basis_K_.conservativeResize(problem_.size, room);
    }
    basis_.middleCols(size_, rank) = W.leftCols(rank);
    basis_K_.middleCols(size_, rank) = KW.leftCols(rank);
    size_ += rank;
    last_ = rank;
    return true;
  }

  /// Scales W to K-orthonormal columns by the eigenvectors of WᵀKW; those shorter than `least` go.
  static Index normalise(MatrixXd& W, MatrixXd& KW, double least) {
    MatrixXd G = W.transpose() * KW;
    G = (G + G.transpose()).eval() / 2;
    const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen(G);
    const VectorXd& d = eigen.eigenvalues();
    const double longest = std::sqrt(std::max(d.maxCoeff(), 0.0));
    const double bound = std::max(least, kRankTolerance * longest);
    Index rank = 0;
    MatrixXd scale(W.cols(), W.cols());
    for (Index i = W.cols(); i-- > 0;) {
      if (d[i] <= 0 || std::sqrt(d[i]) <= bound) break;
      scale.col(rank++) = eigen.eigenvectors().col(i) / std::sqrt(d[i]);
    }
    W = (W * scale.leftCols(rank)).eval();
    KW = (KW * scale.leftCols(rank)).eval();
    return rank;
  }

  /// K⁻¹·B of the last block, freed from the basis; its size bounds the residuals.
  MatrixXd next_block() {
    const MatrixXd V = basis_.middleCols(size_ - last_, last_);
    const MatrixXd BV = problem_.multiply_B(V);
    extend_projected(BV);
    MatrixXd W = problem_.solve_K(BV);
    MatrixXd KW = BV;
    orthogonalise(W, KW);
    MatrixXd G = W.transpose() * KW;
    overshoot_ = (G + G.transpose()) / 2;
    rank_of_next_ = overshoot_.diagonal().maxCoeff() > 0 ? 1 : 0;
    const double size = std::sqrt(std::max(overshoot_.diagonal().maxCoeff(), 0.0));
    if (size <= 1e-14 * projected_.cwiseAbs().maxCoeff()) rank_of_next_ = 0;
    return W;
  }

  /// The projected matrix VᵀBV, whole: rounding cannot hide in a band.
  void extend_projected(const MatrixXd& BV) {
    const Index m = size_, old = m - last_;
    MatrixXd larger(m, m);
    larger.topLeftCorner(old, old) = projected_;
    larger.rightCols(last_) = inner(basis_, m, BV);
    larger.bottomLeftCorner(last_, old) = larger.topRightCorner(old, last_).transpose();
    const MatrixXd corner = larger.bottomRightCorner(last_, last_);
    larger.bottomRightCorner(last_, last_) = (corner + corner.transpose()) / 2;
    projected_ = larger;
  }

  void solve_projected() {
    const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen(projected_);
    ritz_ = eigen.eigenvalues().reverse();
    ritz_vectors_ = eigen.eigenvectors().rowwise().reverse();
    residuals_.resize(ritz_.size());
    const MatrixXd tail = ritz_vectors_.bottomRows(last_);
    const MatrixXd moved = overshoot_ * tail;
    for (Index i = 0; i < ritz_.size(); ++i) {
      residuals_[i] = std::sqrt(std::max(tail.col(i).dot(moved.col(i)), 0.0));
    }
  }

  double largest() const { return std::max(std::abs(ritz_[0]), std::abs(ritz_[ritz_.size() - 1])); }

  /// Positive θ among the largest wanted, guards in.
  Index positive() const {
    Index count = 0;
    const Index most = std::min<Index>(options_.wanted + options_.guards, ritz_.size());
    while (count < most && ritz_[count] > kNothing * largest()) ++count;
    return count;
  }

  bool converged() {
    const Index count = positive();
    for (Index i = 0; i < count; ++i) {
      if (residuals_[i] > tolerance_of(i) * ritz_[i]) return false;
    }
    const Index all = std::min<Index>(options_.wanted + options_.guards, most_);
    if (count == all) return true;
    // Fewer than wanted: only when nothing more is to be had.
    return rank_of_next_ == 0 || size_ >= most_;
  }

  double tolerance_of(Index pair) const {
    return pair < options_.wanted ? options_.tolerance : kGuardTolerance;
  }

  EigenPairs pairs() {
    EigenPairs result;
    if (size_ == 0) return result;
    const Index count = positive();
    result.theta = ritz_.head(count);
    result.vectors = basis_.leftCols(size_) * ritz_vectors_.leftCols(count);
    result.residuals = residuals_.head(count);
    result.lowest_theta = ritz_[ritz_.size() - 1];
    result.vectors_used = static_cast<int>(size_);
    result.converged = true;
    for (Index i = 0; i < count; ++i) {
      // With the whole space spanned nothing is left outside.
      const bool good = residuals_[i] <= tolerance_of(i) * ritz_[i] || size_ == problem_.size;
      result.converged = result.converged && good;
    }
    return result;
  }

  const EigenProblem& problem_;
  const LanczosOptions& options_;
  Index most_, size_ = 0, last_ = 0, rank_of_next_ = 0;
  int fresh_ = 0;
  MatrixXd known_K_, basis_, basis_K_, projected_, overshoot_, ritz_vectors_;
  VectorXd ritz_, residuals_;
};

}  // namespace

EigenPairs joined(const EigenPairs& a, const EigenPairs& b) {
  const Eigen::Index n = a.theta.size(), m = b.theta.size();
  EigenPairs all = a;
  if (m == 0) return all;
  Eigen::VectorXd theta(n + m), residuals(n + m);
  Eigen::MatrixXd vectors(b.vectors.rows(), n + m);
  theta << a.theta, b.theta;
  residuals << a.residuals, b.residuals;
  vectors << a.vectors, b.vectors;
  std::vector<Eigen::Index> order(static_cast<std::size_t>(n + m));
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(),
                   [&theta](Eigen::Index i, Eigen::Index j) { return theta[i] > theta[j]; });
  all.theta = theta(order);
  all.residuals = residuals(order);
  all.vectors = vectors(Eigen::all, order);
  return all;
}

EigenPairs block_lanczos(const EigenProblem& problem, const LanczosOptions& options) {
  return Lanczos(problem, options).run();
}

}  // namespace ulterix
