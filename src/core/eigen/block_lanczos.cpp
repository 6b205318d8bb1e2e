#include "core/eigen/block_lanczos.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/dense/symmetric_eigen.hpp"
#include "core/sparse/lapack.hpp"
#include "core/sparse/tall_products.hpp"

namespace ulterix {

namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Directions of a block that are smaller than this part of its largest are taken for rounding.
constexpr double kRankTolerance = 1e-8;
/// Columns scaled by more unlike factors than this are orthonormal to fewer digits: once more.
constexpr double kUneven = 0.1;
/// Directions scaled up by more than this bring rounding along the basis back.
constexpr double kScaledUp = 1e-3;
/// Vectors that there is room for at first; none is touched before it comes.
constexpr Eigen::Index kRoom = 160;
/// A residual further off than so many times what is asked for takes more than one step.
constexpr double kFarOff = 100;
/// θ below this part of the largest |θ| is 0: a motion that A does not reach.
constexpr double kNothing = 1e-12;
constexpr unsigned kSeed = 20260101;

/// As symmetric_eigen(); of a large matrix by divide and conquer.
SymmetricEigen solve_symmetric(const MatrixXd& A) {
  constexpr int kLarge = 56;
  const auto n = static_cast<int>(A.rows());
  if (n < kLarge) return symmetric_eigen(A);
  SymmetricEigen eigen{VectorXd(n), A};
  const int size = 1 + 6 * n + 2 * n * n, integers = 3 + 5 * n;
  std::vector<double> work(static_cast<std::size_t>(size));
  std::vector<int> numbers(static_cast<std::size_t>(integers));
  int info = 0;
  Lapack::syevd("V", "L", &n, eigen.vectors.data(), &n, eigen.values.data(), work.data(), &size,
                numbers.data(), &integers, &info);
  return info == 0 ? eigen : symmetric_eigen(A);
}

}  // namespace

struct BlockLanczos::Basis {
  using Index = Eigen::Index;

  Basis(EigenProblem problem, LanczosOptions options)
      : problem_(std::move(problem)),
        options_(std::move(options)),
        most_(std::min<Index>(options_.most_vectors, problem_.size - options_.known.cols())) {}

  EigenPairs find(const PairsWanted& wanted) {
    wanted_ = wanted;
    far_off_ = false;
    if (most_ <= 0) return {};
    if (size_ == 0) {
      if (!begin_as_given()) {
        propose(fresh_block());
        if (!grow()) return {};
      }
    }
    const Index most = std::min<Index>(most_, wanted.most_vectors);
    for (;;) {
      if (due(most)) solve_projected();
      if (solved_ == size_ && (converged() || size_ >= most)) break;
      if (rank_of_next_ == 0) propose(fresh_block());
      if (!grow()) break;
    }
    if (solved_ != size_) solve_projected();
    return pairs();
  }

 private:
  using Block = EigenProblem::Block;

  /// A·X: takes out what A does not reach.
  Block first_block(const MatrixXd& X) const {
    Block block = problem_.apply(PackedColumns(X));
    orthogonalise(block);
    block.KW = problem_.multiply_K(block.W);
    orthogonalise(block);
    return block;
  }

  /// False where no start was given, or A takes it to nothing.
  bool begin_as_given() {
    if (options_.start.cols() == 0) return false;
    if (options_.start_reached) {
      Block block;
      block.W = PackedColumns(options_.start);
      block.KW = problem_.multiply_K(block.W);
      orthogonalise(block);
      propose(std::move(block));
    } else {
      propose(first_block(options_.start));
    }
    return grow();
  }

  Block fresh_block() {
    const Index width = std::min<Index>(options_.block, most_ - size_);
    return first_block(random_block(problem_.size, width, kSeed + unsigned(fresh_++)));
  }

  /// Takes a block for the next one.
  void propose(Block block) {
    next_ = std::move(block);
    next_inner_ = inner_of(next_);
  }

  /// One step; false if the next block has nothing new.
  bool grow() {
    if (!append(next_, next_inner_)) return false;
    propose(next_block());
    // Its size bounds the residuals.
    overshoot_ = next_inner_;
    const double size = std::sqrt(std::max(overshoot_.diagonal().maxCoeff(), 0.0));
    rank_of_next_ = size > 1e-14 * projected_.cwiseAbs().maxCoeff() ? 1 : 0;
    return true;
  }

  /// WᵀKW.
  static MatrixXd inner_of(const Block& block) {
    const MatrixXd G = tall_inner(block.W, block.KW);
    return (G + G.transpose()) / 2;
  }

  /// True if the projected problem is worth solving: after a step that may have been the last one
  /// as long as that is the smaller work, and then when the basis has grown by a part of itself.
  bool due(Index most) {
    if (solved_ == size_) return false;
    if (wanted_.tolerance <= 0) return size_ >= most || rank_of_next_ == 0;
    if (size_ < most && rank_of_next_ > 0 && far_off_) {
      far_off_ = false;
      return false;
    }
    const bool cheap = size_ * size_ < 2 * problem_.size;
    return cheap || rank_of_next_ == 0 || size_ >= most || 8 * size_ > 9 * solved_;
  }

  /// Takes the components along the basis and the known vectors out of W. K·W stays as it was: what
  /// went adds nothing to WᵀKW, being K-orthogonal to what is left.
  void orthogonalise(Block& block) const {
    const MatrixXd& known = options_.known;
    MatrixXd c;
    if (known.cols() > 0) c = tall_inner(known, known.cols(), block.KW);
    if (size_ > 0) tall_subtract(basis_, 0, tall_inner(basis_, size_, block.KW), block.W);
    if (known.cols() > 0) tall_subtract(known, 0, c, block.W);
  }

  /// K-orthonormal directions of the block join the basis; false if there are none. G: WᵀKW.
  bool append(Block& block, const MatrixXd& G) {
    const double shortest = normalise(block, G);
    if (block.W.cols() == 0) return false;
    if (shortest < kUneven) {
      block.KW = problem_.multiply_K(block.W);
      if (shortest < kScaledUp) orthogonalise(block);
      normalise(block, inner_of(block));
    }
    const Index rank = std::min(block.W.cols(), most_ - size_);
    if (rank < block.W.cols()) {
      block.W = tall_product(block.W, MatrixXd::Identity(block.W.cols(), rank));
    }
    if (size_ + rank > basis_.cols()) {
      const Index room = std::min(most_, std::max({2 * basis_.cols(), kRoom, size_ + rank}));
      basis_.conservativeResize(problem_.size, room);
    }
    block.W.copy_to(basis_.middleCols(size_, rank));
    size_ += rank;
    last_ = rank;
    newest_ = std::move(block.W);
    return true;
  }

  /// Scales W to K-orthonormal columns by the eigenvectors of G = WᵀKW; those that are shorter than
  /// kRankTolerance of the longest go, and K·W does. The shortest of those that stay, over the
  /// longest.
  static double normalise(Block& block, const MatrixXd& G) {
    block.KW = {};
    const SymmetricEigen eigen = symmetric_eigen(G);
    const VectorXd& d = eigen.values;
    const double longest = std::sqrt(std::max(d.maxCoeff(), 0.0));
    double shortest = 1;
    Index rank = 0;
    MatrixXd scale(G.rows(), G.rows());
    for (Index i = G.rows(); i-- > 0;) {
      if (d[i] <= 0 || std::sqrt(d[i]) <= kRankTolerance * longest) break;
      shortest = std::sqrt(d[i]) / longest;
      scale.col(rank++) = eigen.vectors.col(i) / std::sqrt(d[i]);
    }
    block.W = tall_product(block.W, scale.leftCols(rank));
    return shortest;
  }

  /// A times the last block, freed from the basis.
  Block next_block() {
    Block block = problem_.apply(newest_);
    extend_projected(block.KW);
    // Vᵀ·K·W = Vᵀ·K·A·V is known; but for rounding it is 0 before the last two blocks.
    const Index near = std::max<Index>(0, size_ - 2 * std::max<Index>(options_.block, last_));
    tall_subtract(basis_, near, projected_.bottomRightCorner(size_ - near, last_), block.W);
    block.KW = problem_.multiply_K(block.W);
    orthogonalise(block);
    return block;
  }

  /// The projected matrix VᵀKAV, whole: rounding cannot hide in a band.
  void extend_projected(const PackedColumns& KAV) {
    const Index m = size_, old = m - last_;
    MatrixXd larger(m, m);
    larger.topLeftCorner(old, old) = projected_;
    larger.rightCols(last_) = tall_inner(basis_, m, KAV);
    larger.bottomLeftCorner(last_, old) = larger.topRightCorner(old, last_).transpose();
    const MatrixXd corner = larger.bottomRightCorner(last_, last_);
    larger.bottomRightCorner(last_, last_) = (corner + corner.transpose()) / 2;
    projected_ = larger;
  }

  void solve_projected() {
    solved_ = size_;
    const SymmetricEigen eigen = solve_symmetric(projected_);
    ritz_ = eigen.values.reverse();
    ritz_vectors_ = eigen.vectors.rowwise().reverse();
    residuals_.resize(ritz_.size());
    const MatrixXd tail = ritz_vectors_.bottomRows(last_);
    const MatrixXd moved = overshoot_ * tail;
    for (Index i = 0; i < ritz_.size(); ++i) {
      residuals_[i] = std::sqrt(std::max(tail.col(i).dot(moved.col(i)), 0.0));
    }
  }

  double largest() const { return std::max(std::abs(ritz_[0]), std::abs(ritz_[ritz_.size() - 1])); }

  /// Positive θ among so many of the largest.
  Index positive(Index most) const {
    Index count = 0;
    most = std::min(most, ritz_.size());
    while (count < most && ritz_[count] > kNothing * largest()) ++count;
    return count;
  }

  bool converged() {
    const Index count = positive(wanted_.count + wanted_.guards);
    double worst = 0;
    for (Index i = 0; i < count; ++i) {
      worst = std::max(worst, residuals_[i] / (tolerance_of(i) * ritz_[i]));
    }
    const Index all = std::min<Index>(wanted_.count + wanted_.guards, most_);
    far_off_ = worst > kFarOff || count < all;
    if (worst > 1) return false;
    if (count == all) return true;
    // Fewer than wanted: only when nothing more is to be had.
    return rank_of_next_ == 0 || size_ >= most_;
  }

  double tolerance_of(Index pair) const {
    return pair < wanted_.count ? wanted_.tolerance : std::max(wanted_.tolerance, kGuardTolerance);
  }

  EigenPairs pairs() {
    EigenPairs result;
    if (size_ == 0) return result;
    const Index count = positive(wanted_.count + wanted_.guards + wanted_.extra);
    result.theta = ritz_.head(count);
    result.vectors = tall_product(basis_, ritz_vectors_.leftCols(count)).matrix();
    result.residuals = residuals_.head(count);
    result.lowest_theta = ritz_[ritz_.size() - 1];
    result.vectors_used = static_cast<int>(size_);
    result.converged = true;
    for (Index i = 0; i < std::min<Index>(count, wanted_.count + wanted_.guards); ++i) {
      // With the whole space spanned nothing is left outside.
      const bool good = residuals_[i] <= tolerance_of(i) * ritz_[i] || size_ == problem_.size;
      result.converged = result.converged && good;
    }
    return result;
  }

  EigenProblem problem_;
  LanczosOptions options_;
  PairsWanted wanted_;
  Block next_;
  MatrixXd next_inner_;   // WᵀKW of it
  PackedColumns newest_;  // the last block of the basis
  Index most_, size_ = 0, last_ = 0, rank_of_next_ = 0;
  Index solved_ = 0;  // the size of the basis when the projected problem was last solved
  int fresh_ = 0;
  bool far_off_ = false;  // a step at least is missing after the next one
  MatrixXd basis_, projected_, overshoot_, ritz_vectors_;
  VectorXd ritz_, residuals_;
};

BlockLanczos::BlockLanczos(EigenProblem problem, LanczosOptions options)
    : basis_(std::make_unique<Basis>(std::move(problem), std::move(options))) {}
BlockLanczos::~BlockLanczos() = default;
BlockLanczos::BlockLanczos(BlockLanczos&&) noexcept = default;
BlockLanczos& BlockLanczos::operator=(BlockLanczos&&) noexcept = default;

EigenPairs BlockLanczos::find(const PairsWanted& wanted) {
  return basis_->find(wanted);
}

EigenPairs joined(const EigenPairs& a, const EigenPairs& b) {
  const Eigen::Index n = a.theta.size(), m = b.theta.size();
  if (m == 0) return a;
  if (n == 0) return b;
  EigenPairs all = a;
  all.vectors_used += b.vectors_used;
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

}  // namespace ulterix
