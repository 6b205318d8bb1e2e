#include "core/analysis/mode_search.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>

#include "core/solve/davidson.hpp"
#include "core/solve/tall_products.hpp"

namespace ulterix {

namespace {

/// The count is made so far above the last mode, or half-way to the next. Single numbers, which
/// count in large frames, want to be further from a mode.
constexpr double kBeyond = 1e-3, kBeyondLarge = 5e-3;
constexpr int kAttempts = 3;
/// With more modes below the bound than this beyond those known, it was too high.
constexpr int kMostBelow = 100;
/// Smaller frames are looked at more closely, so that equal parts come out equal.
double coarse_tolerance(int size) {
  return size < kLargeFrame ? 1e-3 : 3e-2;
}
constexpr int kCoarseVectors = 96;
/// Vectors beside the modes, of what comes after them: settling starts from them, and other loads.
constexpr int kBeside = 12;
/// So many of them tell what comes after the modes asked for.
constexpr int kNext = 4;
/// Modes without inner nodes are not looked for more closely: the line is no better.
constexpr double kLineTolerance = 2e-3;
/// What the last step of a Davidson search divides residuals by, at the least.
constexpr double kLastStep = 5;
constexpr int kMostSteps = 8;
/// The smallest eigenvalue of the products of unit vectors that are apart from each other.
constexpr double kIndependent = 1e-3;
/// Without inner nodes only where members stand alone up to so many times the λ expected.
constexpr double kMargin = 1.25;

PairsWanted so_many(int count, double tolerance, int guards) {
  PairsWanted wanted;
  wanted.count = count;
  wanted.tolerance = tolerance;
  wanted.guards = guards;
  return wanted;
}

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

bool good_to(double tolerance, const EigenPairs& pairs) {
  return ((pairs.residuals - tolerance * pairs.theta).array() <= 0).all();
}

/// True if no vector is nearly a sum of others, in the norm of K.
bool independent(const Eigen::MatrixXd& V, const Eigen::MatrixXd& KV) {
  const Eigen::MatrixXd G = tall_inner(V, V.cols(), KV);
  const Eigen::VectorXd unit = G.diagonal().cwiseAbs().cwiseSqrt().cwiseInverse();
  const Eigen::MatrixXd scaled = unit.asDiagonal() * G * unit.asDiagonal();
  return Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd>(scaled, Eigen::EigenvaluesOnly)
             .eigenvalues()[0] > kIndependent;
}

int count_below(const EigenPairs& pairs, double bound) {
  return static_cast<int>((pairs.theta.array() * bound > 1).count());
}

/// V to the best vectors of its span, by its products with K and B, and so for what comes with it,
/// which may be those products.
template <class... Matrices>
void take_best(const Eigen::MatrixXd& KV, const Eigen::MatrixXd& BV, EigenPairs& pairs,
               Matrices&... others) {
  const Eigen::Index count = pairs.vectors.cols();
  const Eigen::GeneralizedSelfAdjointEigenSolver<Eigen::MatrixXd> eigen(
      tall_inner(pairs.vectors, count, BV), tall_inner(pairs.vectors, count, KV));
  pairs.theta = eigen.eigenvalues().reverse();
  const Eigen::MatrixXd c = eigen.eigenvectors().rowwise().reverse();
  pairs.vectors = tall_product(pairs.vectors, c);
  ((others = tall_product(others, c)), ...);
}

NearProblem near_problem(const Pencil& pencil, double shift, const SolvePack& solve) {
  const auto times = [&pencil](const std::vector<double>& values) {
    return [pattern = &pencil.pattern, &values](const Eigen::MatrixXd& X) {
      return multiply_block(*pattern, values, X);
    };
  };
  NearProblem problem;
  problem.size = pencil.pattern.size;
  problem.multiply_K = times(pencil.K);
  problem.multiply_B = times(pencil.B);
  problem.shift = shift;
  problem.solve = [solve](Eigen::MatrixXd& X) { change_in_packs(X, solve); };
  return problem;
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

/// K − λB.
std::vector<double> shifted(const EigenFrame& frame, const std::vector<double>& B, double lambda) {
  std::vector<double> values = frame.stiffness;
  for (std::size_t i = 0; i < values.size(); ++i) values[i] -= lambda * B[i];
  return values;
}

/// True if no member buckles between its ends up to λ.
bool members_stand(const EigenFrame& frame, const std::vector<double>& B, double lambda) {
  return InnerElimination::definite(frame.pattern(), shifted(frame, B, lambda),
                                    frame.system().inner_size());
}

/// By its values at 0 and at one more λ; empty where it would not do, or is not worth the trouble.
std::optional<CondensedPencil> condensed_near(const EigenFrame& frame, const std::vector<double>& B,
                                              double lambda) {
  const bool divided = frame.system().inner_size() > 0;
  if (lambda <= 0 || !divided || !is_large(*frame.whole->system)) return std::nullopt;
  if (!members_stand(frame, B, kMargin * lambda)) return std::nullopt;
  return CondensedPencil(frame, 0, frame.condensed(), lambda,
                         condensed(frame, shifted(frame, B, lambda)));
}

LanczosOptions options_for(int most, Eigen::Index size, const Eigen::MatrixXd& start) {
  LanczosOptions options;
  options.most_vectors = most;
  if (start.rows() < size) return options;
  options.start = start.bottomRows(size);
  return options;
}

}  // namespace

ModeSearch::ModeSearch(const EigenFrame& frame, const std::vector<double>& values, int most_vectors,
                       const Eigen::MatrixXd& start, double near)
    : frame_(&frame),
      values_(&values),
      most_vectors_(most_vectors),
      condensed_(condensed_near(frame, values, near)),
      stand_up_to_(condensed_ ? kMargin * near : 0),
      known_(start),
      lanczos_(problem(), options_for(most_vectors, problem().size, start)) {}

EigenProblem ModeSearch::with_inner_nodes() const {
  return eigen_problem(pencil(), [this](Pack& pack) { frame_->solve(pack); });
}

SolvePack ModeSearch::solver() const {
  if (!condensed_) return [this](Pack& pack) { frame_->solve(pack); };
  return [this](Pack& pack) { frame_->solve_rest_nearly(pack); };
}

EigenProblem ModeSearch::problem() const {
  return eigen_problem(looked_at(), solver());
}

bool ModeSearch::look_near(PairsWanted asked) {
  const NearProblem problem = near_problem(looked_at(), 0, solver());
  if (!large() || known_.rows() < problem.size || known_.cols() < asked.count) return false;
  asked.tolerance *= kLastStep;
  pairs_ = davidson(problem, known_.bottomRows(problem.size), asked);
  return pairs_.converged;
}

void ModeSearch::leave_condensed() {
  if (!condensed_) return;
  condensed_.reset();
  known_ = pairs_.vectors;
  lanczos_ =
      BlockLanczos(problem(), options_for(most_vectors_, frame_->pattern().size, pairs_.vectors));
}

const EigenPairs& ModeSearch::look(int wanted) {
  PairsWanted asked = so_many(wanted, coarse_tolerance(frame_->pattern().size), 1);
  asked.most_vectors = std::max(kCoarseVectors, 2 * wanted);
  const int pack = kPacked;
  asked.extra = large() ? kBeside : pack - 1 - wanted % pack;  // one guard in
  return look(asked);
}

const EigenPairs& ModeSearch::look(int wanted, double tolerance) {
  return look(so_many(wanted, tolerance, 0));
}

const EigenPairs& ModeSearch::look(PairsWanted asked) {
  if (!look_near(asked)) find(asked);
  if (pairs_.theta.size() < asked.count) {
    asked.most_vectors = most_vectors_;
    asked.extra = 0;
    find(asked);
  }
  known_ = pairs_.vectors;
  if (condensed_) {
    pairs_ = leading(std::move(pairs_), std::min<Eigen::Index>(known_.cols(), asked.count + kNext));
    pairs_.vectors = condensed_->expanded(pairs_.vectors, pairs_.theta.cwiseInverse());
    // Values from above, as those of a subspace are: no mode asked for lies beyond them.
    take_best(multiply_block(frame_->pattern(), frame_->stiffness, pairs_.vectors),
              multiply_block(frame_->pattern(), *values_, pairs_.vectors), pairs_);
    const Eigen::Index last = std::min<Eigen::Index>(pairs_.theta.size(), asked.count) - 1;
    if (last >= 0 && pairs_.theta[last] * stand_up_to_ < 1 &&
        !members_stand(*frame_, *values_, 1 / pairs_.theta[last])) {
      leave_condensed();  // such modes move no node
      return look(asked);
    }
  }
  return pairs_;
}

const EigenPairs& ModeSearch::find(int wanted, double tolerance) {
  leave_condensed();
  return find(so_many(wanted, tolerance, 1));
}

const EigenPairs& ModeSearch::find(PairsWanted asked) {
  const int size = frame_->pattern().size, most = 4 * (asked.count + 8);
  asked.count = std::min(asked.count, size);
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
  const double bound = (1 + (large() ? kBeyondLarge : kBeyond)) / theta[last];
  return last + 1 < theta.size() ? std::min(bound, (1 / theta[last] + 1 / theta[last + 1]) / 2)
                                 : bound;
}

int ModeSearch::found_below(double bound) const {
  return count_below(pairs_, bound);
}

Certificate ModeSearch::settle(int wanted, double tolerance) {
  Certificate certificate;
  if (pairs_.theta.size() >= wanted) {
    const double bound = beyond(wanted);
    const auto factor = IndefiniteFrameFactor::make(*frame_, shifted(*frame_, *values_, bound),
                                                    IndefiniteFrameFactor::Keep::factor);
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
  PairsWanted asked = so_many(factor.negative_eigenvalues(), tolerance / std::max(most, 1.0), 0);
  const int known = static_cast<int>(pairs_.theta.size());
  if (asked.count == 0 || asked.count > kMostBelow + known) return false;
  const std::optional<CondensedPencil> line = condensed_below(bound, factor);
  EigenPairs found = line      ? near(line->pencil(), bound, asked, factor)
                     : large() ? near(pencil(), bound, asked, factor)
                               : closely(bound, asked, factor);
  found.lowest_theta = pairs_.lowest_theta;
  found.vectors_used += pairs_.vectors_used;
  found = above(1 / bound, std::move(found));
  // More than there are would be a vector that is there twice.
  if (found.theta.size() == 0 || found.theta.size() > asked.count) return false;
  if (line) found.vectors = line->expanded(found.vectors, found.theta.cwiseInverse());
  if (!sharpen(found, tolerance)) return false;
  if (!good_to(tolerance, found)) go_on(found, tolerance);
  pairs_ = std::move(found);
  return true;
}

EigenPairs ModeSearch::near(const Pencil& pencil, double bound, PairsWanted asked,
                            const IndefiniteFrameFactor& factor) {
  const bool whole = pencil.pattern.size == frame_->pattern().size;
  asked.tolerance *= kLastStep;
  if (!whole) asked.tolerance = std::max(asked.tolerance, kLineTolerance);
  asked.extra = kBeside;
  asked.most_vectors = kMostSteps * (asked.count + kBeside);
  const NearProblem problem = near_problem(
      pencil, bound, [&](Pack& pack) { whole ? factor.solve(pack) : factor.solve_rest(pack); });
  const bool fits = known_.rows() == problem.size;
  EigenPairs found = davidson(problem, fits ? known_ : pairs_.vectors, asked);
  known_ = found.vectors.bottomRows(frame_->whole->system->pattern().size);
  return found;
}

EigenPairs ModeSearch::closely(double bound, PairsWanted asked,
                               const IndefiniteFrameFactor& factor) const {
  const EigenProblem problem =
      shifted_problem(pencil(), bound, [&factor](Pack& pack) { factor.solve(pack); });
  LanczosOptions options;
  options.start = pairs_.vectors;
  options.start_reached = true;
  EigenPairs found = above(1 / bound, BlockLanczos(problem, options).find(asked));
  found = with_missing(problem, std::move(found), asked.count, bound, asked);
  found.theta = (bound - found.theta.array().inverse()).inverse();
  return found;
}

std::optional<CondensedPencil> ModeSearch::condensed_below(
    double bound, const IndefiniteFrameFactor& factor) const {
  const double lowest = 1 / pairs_.theta[0];
  if (!condensed_ || !factor.condensed().inner->definite() || lowest >= bound) return std::nullopt;
  return CondensedPencil(*frame_, lowest, condensed(*frame_, shifted(*frame_, *values_, lowest)),
                         bound, factor.condensed());
}

void ModeSearch::go_on(EigenPairs& pairs, double tolerance) const {
  const PairsWanted asked = so_many(static_cast<int>(pairs.vectors.cols()), tolerance, 0);
  LanczosOptions options;
  options.start = std::move(pairs.vectors);
  options.start_reached = true;
  options.most_vectors = kMostSteps * asked.count;
  const double lowest = pairs.lowest_theta;
  const int used = pairs.vectors_used;
  pairs = BlockLanczos(with_inner_nodes(), options).find(asked);
  pairs.lowest_theta = lowest;
  pairs.vectors_used += used;
}

bool ModeSearch::sharpen(EigenPairs& pairs, double tolerance) const {
  const EigenProblem problem = with_inner_nodes();
  for (bool again : {true, false}) {
    auto [AV, BV] = problem.apply(pairs.vectors);
    Eigen::MatrixXd KV = problem.multiply_K(pairs.vectors);
    if (!independent(pairs.vectors, KV)) return false;
    take_best(KV, BV, pairs, KV, BV, AV);
    const Eigen::MatrixXd off = AV - pairs.vectors * pairs.theta.asDiagonal();
    const Eigen::MatrixXd K_off = BV - KV * pairs.theta.asDiagonal();
    pairs.residuals = off.cwiseProduct(K_off).colwise().sum().cwiseAbs().cwiseSqrt();
    if (!again || (large() && good_to(tolerance, pairs))) break;
    pairs.vectors = std::move(AV);
  }
  return true;
}

Certificate ModeSearch::prove(int wanted) {
  Certificate certificate;
  if (pairs_.theta.size() == 0) return certificate;
  certificate.below = beyond(wanted);
  certificate.found = found_below(certificate.below);
  const auto factor =
      IndefiniteFrameFactor::make(*frame_, shifted(*frame_, *values_, certificate.below),
                                  IndefiniteFrameFactor::Keep::count_only);
  if (factor) certificate.count = factor->negative_eigenvalues();
  if (certificate.count) {
    pairs_ = with_missing(problem(), std::move(pairs_), *certificate.count, certificate.below,
                          PairsWanted());
    certificate.found = found_below(certificate.below);
  }
  return certificate;
}

}  // namespace ulterix
