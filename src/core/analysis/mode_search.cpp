#include "core/analysis/mode_search.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>

#include "core/solve/tall_products.hpp"

namespace ulterix {

namespace {

/// The count is made so far above the last mode, or half-way to the next.
constexpr double kBeyond = 1e-3;
constexpr int kAttempts = 3;
/// With more modes below the bound than this beyond those known, it was too high.
constexpr int kMostBelow = 100;
/// Where only the split is to be found. In small frames equal parts should come out equal.
double coarse_tolerance(int size) {
  constexpr int kSmall = 3000;
  return size < kSmall ? 1e-3 : 3e-2;
}
constexpr int kCoarseVectors = 64;

EigenPairs leading(EigenPairs pairs, Eigen::Index count) {
  pairs.theta.conservativeResize(count);
  pairs.residuals.conservativeResize(count);
  pairs.vectors.conservativeResize(Eigen::NoChange, count);
  return pairs;
}

/// The leading pairs whose θ is above a limit by more than its rounding.
EigenPairs above(double limit, EigenPairs pairs) {
  const Eigen::Index count = (pairs.theta.array() > limit * (1 + 1e-10)).count();
  return leading(std::move(pairs), count);
}

int count_below(const EigenPairs& pairs, double bound) {
  return static_cast<int>((pairs.theta.array() * bound > 1).count());
}

/// Adds the pairs that the block was too narrow for beside those that are there, until so many have
/// θ·bound > 1.
EigenPairs with_missing(const EigenProblem& problem, EigenPairs pairs, int count, double bound,
                        PairsWanted asked) {
  for (int attempt = 0; attempt < kAttempts; ++attempt) {
    asked.count = count - count_below(pairs, bound);
    if (asked.count <= 0) break;
    LanczosOptions options;
    options.block = std::max(options.block, asked.count);
    options.known = pairs.vectors;
    pairs = joined(pairs, above(1 / bound, BlockLanczos(problem, options).find(asked)));
  }
  return pairs;
}

LanczosOptions options_for(int most, int size, const Eigen::MatrixXd& start) {
  LanczosOptions options;
  options.start = start;
  options.block = static_cast<int>(columns_at_a_time(size));
  options.most_vectors = most;
  return options;
}

}  // namespace

ModeSearch::ModeSearch(const EigenFrame& frame, const std::vector<double>& values, int most_vectors,
                       const Eigen::MatrixXd& start)
    : frame_(&frame),
      values_(&values),
      lanczos_(eigen_problem(frame, values),
               options_for(most_vectors, frame.pattern().size, start)) {}

const EigenPairs& ModeSearch::look(int wanted) {
  PairsWanted asked;
  asked.count = wanted;
  asked.tolerance = coarse_tolerance(frame_->pattern().size);
  asked.most_vectors = std::max(kCoarseVectors, 2 * wanted);
  const auto block = static_cast<int>(columns_at_a_time(frame_->pattern().size));
  asked.extra = block - 1 - wanted % block;  // settle starts from whole packs, one guard in
  find(asked);
  return pairs_.theta.size() < wanted ? find(wanted, asked.tolerance) : pairs_;
}

const EigenPairs& ModeSearch::find(int wanted, double tolerance) {
  PairsWanted asked;
  asked.count = wanted;
  asked.tolerance = tolerance;
  return find(asked);
}

const EigenPairs& ModeSearch::find(PairsWanted asked) {
  const int size = frame_->pattern().size, most = 4 * (asked.count + 8);
  asked.count = std::min(asked.count, size);
  asked.guards = 1;
  for (;;) {
    pairs_ = lanczos_.find(asked);
    const Eigen::Index n = asked.count;
    const bool cut = pairs_.theta.size() > n && n > 0 &&
                     pairs_.theta[n] * (1 + kSameValue) > pairs_.theta[n - 1];
    if (!cut || asked.count > most) return pairs_;
    asked.count = std::min(asked.count + 4, size);
  }
}

double ModeSearch::beyond(int wanted) const {
  const Eigen::VectorXd& theta = pairs_.theta;
  Eigen::Index last = std::min<Eigen::Index>(theta.size(), wanted) - 1;
  while (last + 1 < theta.size() && theta[last + 1] * (1 + kSameValue) > theta[last]) ++last;
  const double bound = (1 + kBeyond) / theta[last];
  return last + 1 < theta.size() ? std::min(bound, (1 / theta[last] + 1 / theta[last + 1]) / 2)
                                 : bound;
}

int ModeSearch::found_below(double bound) const {
  return count_below(pairs_, bound);
}

std::vector<double> ModeSearch::shifted(double bound) const {
  std::vector<double> values = frame_->stiffness;
  for (std::size_t i = 0; i < values.size(); ++i) values[i] -= bound * (*values_)[i];
  return values;
}

Certificate ModeSearch::settle(int wanted, double tolerance) {
  Certificate certificate;
  if (pairs_.theta.size() >= wanted) {
    const double bound = beyond(wanted);
    const auto factor =
        IndefiniteFrameFactor::make(*frame_, shifted(bound), IndefiniteFrameFactor::Keep::factor);
    if (factor && find_below(bound, *factor, tolerance)) {
      const int all = static_cast<int>(pairs_.theta.size());
      certificate.below = std::min(bound, beyond(wanted));
      certificate.found = found_below(certificate.below);
      certificate.count = factor->negative_eigenvalues() - (all - certificate.found);
      pairs_ = leading(std::move(pairs_), std::min(all, certificate.found + 1));
      return certificate;
    }
  }
  find(wanted, tolerance);
  return prove(wanted);
}

bool ModeSearch::find_below(double bound, const IndefiniteFrameFactor& factor, double tolerance) {
  // A residual r of the shifted problem is (I − σK⁻¹B)·r/(σt − 1) of the first, t = θ/(σθ − 1).
  const double most = std::max(std::abs(1 - bound * pairs_.theta[0]),
                               1 - bound * std::min(pairs_.lowest_theta, 0.0));
  PairsWanted asked;
  asked.count = factor.negative_eigenvalues();
  asked.tolerance = tolerance / std::max(most, 1.0);
  const int known = static_cast<int>(pairs_.theta.size());
  if (asked.count == 0 || asked.count > kMostBelow + known) return false;
  const EigenProblem problem = shifted_problem(*frame_, *values_, bound, factor);
  LanczosOptions options;
  options.start = pairs_.vectors;
  EigenPairs found = above(1 / bound, BlockLanczos(problem, options).find(asked));
  found = with_missing(problem, std::move(found), factor.negative_eigenvalues(), bound, asked);
  found.lowest_theta = pairs_.lowest_theta;
  found.vectors_used += pairs_.vectors_used;
  sharpen(found);
  pairs_ = std::move(found);
  return true;
}

void ModeSearch::sharpen(EigenPairs& pairs) const {
  const EigenProblem problem = eigen_problem(*frame_, *values_);
  const EigenProblem::Block step = problem.apply(pairs.vectors);
  const Eigen::Index count = pairs.vectors.cols();
  const Eigen::MatrixXd BW = multiply_block(frame_->pattern(), *values_, step.W);
  const Eigen::GeneralizedSelfAdjointEigenSolver<Eigen::MatrixXd> eigen(
      tall_inner(step.W, count, BW), tall_inner(step.W, count, step.KW));
  const Eigen::MatrixXd Y = eigen.eigenvectors().rowwise().reverse();
  pairs.theta = eigen.eigenvalues().reverse();
  pairs.vectors = tall_product(step.W, Y);
  EigenProblem::Block off = problem.apply(pairs.vectors);
  off.W -= pairs.vectors * pairs.theta.asDiagonal();
  off.KW -= tall_product(step.KW, Y) * pairs.theta.asDiagonal();
  pairs.residuals = off.W.cwiseProduct(off.KW).colwise().sum().cwiseAbs().cwiseSqrt();
}

Certificate ModeSearch::prove(int wanted) {
  Certificate certificate;
  if (pairs_.theta.size() == 0) return certificate;
  certificate.below = beyond(wanted);
  certificate.found = found_below(certificate.below);
  const auto factor = IndefiniteFrameFactor::make(*frame_, shifted(certificate.below),
                                                  IndefiniteFrameFactor::Keep::count_only);
  if (factor) certificate.count = factor->negative_eigenvalues();
  if (certificate.count) {
    pairs_ = with_missing(eigen_problem(*frame_, *values_), std::move(pairs_), *certificate.count,
                          certificate.below, PairsWanted());
    certificate.found = found_below(certificate.below);
  }
  return certificate;
}

}  // namespace ulterix
