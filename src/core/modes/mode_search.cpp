#include "core/modes/mode_search.hpp"

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/dense/symmetric_eigen.hpp"
#include "core/sparse/tall_products.hpp"

namespace ulterix {

namespace {

/// The count is made so far above the last mode, or half-way to the next.
constexpr double kBeyond = 1e-3;
/// Vectors beside the modes at the least: what comes after them.
constexpr int kBeside = 3;
constexpr int kMostPasses = 8;
constexpr int kAttempts = 4;
/// Steps of K⁻¹B at the end, as long as each takes enough off the largest residual.
constexpr int kMostSteps = 40;
constexpr double kProgress = 0.9;
/// |θ| of the other sign over θ of the last mode, from which such steps do harm.
constexpr double kOutweighed = 3, kOutweighedResidual = 1e-5;
/// Vectors for each mode near the bound, which starts are near already.
constexpr int kNearVectors = 8;
/// Residuals of the shifted problem at first, relative.
constexpr double kSearchTolerance = 1e-4;
/// Residuals of the coarse modes: from nothing, and from a start that is near.
constexpr double kCoarse = 3e-3, kCoarseNear = 3e-2;
/// Of the tolerance, where functions are chosen by coarse modes, so that once is enough.
constexpr double kCoarseMargin = 0.3;

/// W and K·W of X, pack by pack: act(x, w, kw).
template <class Act>
EigenProblem::Block in_packs(const PackedColumns& X, const Act& act) {
  EigenProblem::Block block{PackedColumns(X.rows(), X.cols()), PackedColumns(X.rows(), X.cols())};
  for_each_pack(X, [&](Eigen::Index i) { act(X.pack(i), block.W.pack(i), block.KW.pack(i)); });
  return block;
}

void copy(const ColumnBlock& from, ColumnBlock& to) {
  std::copy(from.row(0), from.row(from.rows()), to.row(0));
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

int count_below(const EigenPairs& pairs, double bound) {
  return static_cast<int>((pairs.theta.array() * bound > 1).count());
}

class ModeSearch {
 public:
  ModeSearch(ModeProblem& problem, const ModeSearchOptions& options)
      : problem_(problem), options_(options), wanted_(options.wanted) {}

  FoundModes find(const Eigen::MatrixXd& start) {
    give_memory_back();
    FoundModes found = search(start);
    // The factor of the count, which recovery does not need.
    give_memory_back();
    return found;
  }

 private:
  FoundModes search(const Eigen::MatrixXd& start) {
    coarse(start);
    if (options_.limit > 0) {
      const auto below = (pairs_.theta.array() * options_.limit > 1).count();
      wanted_ = std::clamp(static_cast<int>(below), 1, wanted_);
    }
    if (pairs_.theta.size() == 0) return result({}, {});
    for (int pass = 0;; ++pass) {
      ModeErrors errors = estimate();
      ModeProblem::Counts counts =
          enough_functions(problem_, errors, static_cast<int>(last_wanted()) + 1,
                           solved_below_ ? options_.tolerance : kCoarseMargin * options_.tolerance);
      const bool fine = std::equal(counts.begin(), counts.end(), problem_.counts().begin());
      if (solved_below_ && (fine || used_up_ || pass >= kMostPasses)) {
        const bool enough = within_tolerance(errors);
        FoundModes found = result(std::move(errors.total), certificate_);
        found.fine = enough;
        return found;
      }
      if (!fine) rebuild(counts);
      solved_below_ = options_.proven ? solve_below() : refine();
      if (pairs_.theta.size() == 0) return result({}, {});
      if (solved_below_) continue;
      FoundModes found = result(estimate().total, certificate_);
      found.converged = false;
      return found;
    }
  }

  int size() const { return problem_.unknowns().size(); }

  /// A = (σB − K)⁻¹·B, whose eigenvalues t = 1/(σ − λ) are above 1/σ for 0 < λ < σ alone: few, and
  /// far from the rest.
  EigenProblem shifted_problem(double shift, const BorderedFactor& factor) const {
    EigenProblem p = eigen_problem(problem_);
    const InnerUnknowns& u = problem_.unknowns();
    p.apply = [this, &u, shift, &factor](const PackedColumns& X) {
      return in_packs(X, [&](const ColumnBlock& x, ColumnBlock& w, ColumnBlock& kw) {
        ColumnBlock bx(x.rows());
        problem_.B().multiply(u, x, bx);
        std::transform(bx.row(0), bx.row(bx.rows()), w.row(0), std::negate<>());
        factor.solve(w);
        // K·W by way of B: carried along from K·X it would drift.
        problem_.B().multiply(u, w, kw);
        std::transform(kw.row(0), kw.row(kw.rows()), bx.row(0), kw.row(0),
                       [shift](double bw, double b) { return shift * bw - b; });
      });
    };
    return p;
  }

  /// Pairs after the modes and the next one: as many as fill packs of vectors, which cost the same.
  int beside() const {
    const int all = wanted_ + kBeside, rest = all % static_cast<int>(kPacked);
    return kBeside - 1 + (rest == 0 ? 0 : static_cast<int>(kPacked) - rest);
  }

  /// Where the most memory counts, what the step before needed is handed back: in smaller frames
  /// fresh pages would take longer than they are worth.
  void give_memory_back() const {
    constexpr int kHuge = 30000;
    if (problem_.unknowns().frame_size() >= kHuge) release_kept_buffers();
  }

  bool large() const { return problem_.unknowns().frame_size() >= kLargeFrame; }

  /// Residuals asked for; values are good to the square of it.
  double residual() const {
    constexpr int kSmall = 300;
    return problem_.unknowns().frame_size() < kSmall ? 1e-8 : large() ? 1e-5 : 1e-6;
  }

  PairsWanted wanted(int count, double tolerance, int guards, int extra) const {
    PairsWanted w;
    w.count = std::min(count, size());
    w.tolerance = tolerance;
    w.guards = guards;
    w.extra = extra;
    return w;
  }

  LanczosOptions lanczos_options() const {
    LanczosOptions options;
    options.most_vectors = std::max(options_.most_vectors, 3 * wanted_ + 64);
    return options;
  }

  /// Modes to a per cent or so, which tell how many functions they need.
  void coarse(const Eigen::MatrixXd& start) {
    LanczosOptions options = lanczos_options();
    if (start.cols() > 0) {
      options.start = Eigen::MatrixXd::Zero(size(), start.cols());
      options.start.topRows(start.rows()) = start;
    }
    BlockLanczos lanczos(eigen_problem(problem_), options);
    PairsWanted ask = wanted(wanted_, start.cols() > 0 ? kCoarseNear : kCoarse, 1, beside());
    ask.most_vectors = std::max(96, 2 * wanted_);
    pairs_ = lanczos.find(ask);
    if (pairs_.theta.size() < ask.count) {
      ask.most_vectors = 1 << 30;
      pairs_ = lanczos.find(ask);
    }
  }

  ModeErrors estimate() const {
    // What lies beside the modes of a search without a count is of no interest.
    const bool all = solved_below_ && options_.proven;
    const Eigen::Index n = all ? pairs_.theta.size() : last_wanted() + 1;
    const VectorXd values =
        (pairs_.theta.head(n).cwiseInverse().array() - problem_.shift()).cwiseMax(0.0);
    return estimate_errors(problem_, values, pairs_.vectors.leftCols(n));
  }

  /// False where members would need more functions than they can have.
  bool within_tolerance(const ModeErrors& errors) const {
    const auto few = [](const ModeErrors::Part& p) { return p.too_few; };
    if (std::any_of(errors.parts.begin(), errors.parts.end(), few)) return false;
    const auto wanted_modes = std::min<std::ptrdiff_t>(
        last_wanted() + 1, static_cast<std::ptrdiff_t>(errors.total.size()));
    return std::all_of(errors.total.begin(), errors.total.begin() + wanted_modes,
                       [this](double e) { return e <= options_.tolerance; });
  }

  /// The last mode asked for, its copies in.
  Eigen::Index last_wanted() const {
    const VectorXd& theta = pairs_.theta;
    Eigen::Index last = std::min<Eigen::Index>(theta.size(), wanted_) - 1;
    while (last + 1 < theta.size() && theta[last + 1] * (1 + kSameValue) > theta[last]) ++last;
    return last;
  }

  void rebuild(const ModeProblem::Counts& counts) {
    const ModeProblem::Counts before = problem_.counts();
    const double shift = problem_.shift();
    problem_.build(counts);
    if (shift != 0) problem_.shift_by(shift);
    pairs_.vectors = problem_.carried_over(pairs_.vectors, before);
  }

  /// θ of the loads turned round is so much larger that steps of K⁻¹B would blow up what the
  /// vectors have of those modes.
  bool outweighed() const {
    return pairs_.theta.size() > 0 &&
           -pairs_.lowest_theta > kOutweighed * pairs_.theta[last_wanted()];
  }

  /// The best vectors of a step with K⁻¹B, from their span; where that would do harm, of none.
  bool sharpen() {
    const PackedColumns V(pairs_.vectors);
    if (outweighed()) return take_best(V, problem_.K().multiply(problem_.unknowns(), V));
    return step_on(problem_.B().multiply(problem_.unknowns(), V));
  }

  /// The same after sharpen().
  bool sharpen_again() { return outweighed() ? sharpen() : step_on(std::move(BV_)); }

  bool step_on(PackedColumns BV) {
    PackedColumns AV(BV.rows(), BV.cols());
    for_each_pack(BV, [&](Eigen::Index i) {
      copy(BV.pack(i), AV.pack(i));
      problem_.factor().solve(AV.pack(i));
    });
    return take_best(AV, BV);  // K·AV is B·V
  }

  /// The best vectors in the span of X.
  bool take_best(const PackedColumns& X, const PackedColumns& KX) {
    const PackedColumns BX = problem_.B().multiply(problem_.unknowns(), X);
    Eigen::MatrixXd G = tall_inner(X, KX), H = tall_inner(X, BX);
    const VectorXd unit = G.diagonal().cwiseAbs().cwiseSqrt().cwiseInverse();
    if (!unit.allFinite()) return false;
    G = unit.asDiagonal() * G * unit.asDiagonal();
    H = unit.asDiagonal() * H * unit.asDiagonal();
    if (!(symmetric_eigenvalues(G)[0] > 1e-10)) return false;
    const auto eigen = generalized_eigen(H, G);
    if (!eigen) return false;
    const Eigen::MatrixXd c = unit.asDiagonal() * eigen->vectors.rowwise().reverse();
    pairs_.theta = eigen->values.reverse();
    KV_ = tall_product(KX, c);
    BV_ = tall_product(BX, c);
    pairs_.vectors = tall_product(X, c).matrix();
    return true;
  }

  /// ‖K⁻¹Bφ − θφ‖_K of what sharpen() left, with one solve.
  void measure() {
    pairs_.residuals = VectorXd::Zero(pairs_.theta.size());
    for_each_pack(BV_, [&](Eigen::Index i) {
      const ColumnBlock &BV = BV_.pack(i), &KV = KV_.pack(i);
      ColumnBlock x(BV.rows());
      copy(BV, x);
      problem_.factor().solve(x);
      for (Eigen::Index k = 0; k < BV_.width(i); ++k) {
        const Eigen::Index mode = i * kPacked + k;
        const double theta = pairs_.theta[mode];
        double sum = 0;
        for (Eigen::Index r = 0; r < x.rows(); ++r) {
          const double off = x.row(r)[k] - theta * pairs_.vectors(r, mode);
          sum += off * (BV.row(r)[k] - theta * KV.row(r)[k]);
        }
        pairs_.residuals[mode] = std::sqrt(std::abs(sum));
      }
    });
  }

  bool good() const {
    return (pairs_.residuals.array() <= residual() * pairs_.theta.array()).all();
  }

  double worst() const { return pairs_.residuals.cwiseQuotient(pairs_.theta).maxCoeff(); }

  /// A bound just beyond the last mode wanted.
  double beyond() const {
    const Eigen::Index last = last_wanted();
    if (wanted_ < options_.wanted && options_.limit * pairs_.theta[last] > 1) {
      return options_.limit;
    }
    const double bound = (1 + kBeyond) / pairs_.theta[last];
    if (last + 1 >= pairs_.theta.size()) return bound;
    return std::min(bound, (1 / pairs_.theta[last] + 1 / pairs_.theta[last + 1]) / 2);
  }

  /// All modes below a bound, by one factorisation of K − σB: its negative pivots count them, and
  /// solving with it finds them soon, however close they are to each other. False if it cannot be
  /// factorised.
  bool solve_below() {
    if (!sharpen()) return refine();
    // Better vectors may show that what seemed a mode has none on this side.
    pairs_ = above(0, std::move(pairs_));
    if (pairs_.theta.size() == 0) return false;
    beside_ = pairs_.vectors.rightCols(pairs_.theta.size() - last_wanted() - 1);
    double bound = beyond();
    std::unique_ptr<BorderedFactor> factor;
    for (int attempt = 0; attempt < kAttempts && !factor; ++attempt) {
      if (attempt > 0) bound *= 1 + 1e-4;
      factor = BorderedFactor::indefinite(
          problem_.unknowns(), less(problem_.unknowns(), problem_.K(), bound, problem_.B()));
    }
    certificate_ = {};
    certificate_.below = bound;
    if (!factor) return refine();
    const int count = factor->negative_eigenvalues();
    certificate_.count = count;
    if (bound == options_.limit) wanted_ = std::min(options_.wanted, count);
    give_memory_back();
    const EigenProblem shifted = shifted_problem(bound, *factor);
    LanczosOptions options = lanczos_options();
    options.most_vectors = kNearVectors * count + 96;
    options.start = pairs_.vectors;
    options.start_reached = true;
    const double lowest = pairs_.lowest_theta;
    BlockLanczos lanczos(shifted, options);
    // The lowest modes are the furthest from the bound and come out last; steps of K⁻¹B, which part
    // them from the rest, are cheaper than more vectors.
    for (double tolerance : {kSearchTolerance, kSearchTolerance * 1e-2, kSearchTolerance * 1e-5}) {
      PairsWanted ask = wanted(count, tolerance, 0, 0);
      EigenPairs found = lanczos.find(ask);
      // With all vectors used up a smaller tolerance is out of reach.
      used_up_ = !found.converged;
      found = above(1 / bound, std::move(found));
      for (int attempt = 0; attempt < kAttempts; ++attempt) {
        ask.count = count - count_below(found, bound);
        if (ask.count <= 0) break;
        LanczosOptions again = lanczos_options();
        again.most_vectors = options.most_vectors;
        again.block = std::max(again.block, ask.count);
        again.known = found.vectors;
        found = joined(found, above(1 / bound, BlockLanczos(shifted, again).find(ask)));
      }
      if (found.theta.size() == 0) return false;
      found.theta = (bound - found.theta.array().inverse()).inverse();
      pairs_ = std::move(found);
      pairs_.lowest_theta = lowest;
      if (!sharpen()) return false;
      if (!large() && !outweighed() && !sharpen_again()) return false;
      measure();
      if (good() || used_up_) break;
    }
    for (int step = 0; step < kMostSteps && !large() && !outweighed() && !good(); ++step) {
      const double before = worst();
      if (!sharpen_again()) return false;
      measure();
      if (worst() > kProgress * before) break;
    }
    // What is known of all modes up to the bound tells as much up to a lower one.
    const auto all = static_cast<int>(pairs_.theta.size());
    certificate_.below = std::min(bound, beyond());
    certificate_.found = count_below(pairs_, certificate_.below);
    certificate_.count = count - (all - certificate_.found);
    pairs_ = leading(std::move(pairs_), certificate_.found);
    return true;
  }

  /// Without a count: goes on with K⁻¹B from what is known.
  bool refine() {
    LanczosOptions options = lanczos_options();
    options.start = pairs_.vectors;
    options.start_reached = true;
    const PairsWanted ask = wanted(wanted_, residual(), 1, beside());
    BlockLanczos lanczos(eigen_problem(problem_), options);
    pairs_ = lanczos.find(ask);
    return pairs_.theta.size() > 0;
  }

  FoundModes result(std::vector<double> errors, const Certificate& certificate) const {
    FoundModes found;
    const auto all =
        std::min<Eigen::Index>(pairs_.theta.size(), static_cast<Eigen::Index>(errors.size()));
    found.values = pairs_.theta.head(all).cwiseInverse();
    found.vectors = Eigen::MatrixXd(size(), all);
    if (all > 0) found.vectors = pairs_.vectors.leftCols(all);
    if (beside_.rows() == size()) found.beside = beside_;
    found.residuals = pairs_.residuals.head(all).cwiseQuotient(pairs_.theta.head(all));
    found.errors = std::move(errors);
    found.certificate = certificate;
    found.certificate.found = count_below(pairs_, certificate.below);
    found.lowest_theta = pairs_.lowest_theta;
    found.limited = wanted_ < options_.wanted;
    const Eigen::Index asked = std::min<Eigen::Index>(all, wanted_);
    // Values are good to the square of it. Of the modes of the other sign no step takes more off.
    const double enough = outweighed() ? kOutweighedResidual : 10 * residual();
    found.converged = (found.residuals.head(asked).array() <= enough).all();
    return found;
  }

  ModeProblem& problem_;
  const ModeSearchOptions& options_;
  int wanted_;
  EigenPairs pairs_;
  PackedColumns KV_, BV_;   // of the vectors that sharpen() left
  Eigen::MatrixXd beside_;  // vectors near the modes after the last one wanted
  Certificate certificate_;
  bool solved_below_ = false, used_up_ = false;
};

}  // namespace

EigenProblem eigen_problem(const ModeProblem& problem) {
  EigenProblem p;
  const InnerUnknowns& u = problem.unknowns();
  p.size = u.size();
  p.multiply_K = [&problem, &u](const PackedColumns& X) { return problem.K().multiply(u, X); };
  p.apply = [&problem, &u](const PackedColumns& X) {
    return in_packs(X, [&](const ColumnBlock& x, ColumnBlock& w, ColumnBlock& kw) {
      problem.B().multiply(u, x, kw);
      copy(kw, w);
      problem.factor().solve(w);
    });
  };
  return p;
}

std::optional<int> count_below(const ModeProblem& problem, double value) {
  const auto factor = BorderedFactor::indefinite(
      problem.unknowns(), less(problem.unknowns(), problem.K(), value, problem.B()));
  return factor ? std::optional(factor->negative_eigenvalues()) : std::nullopt;
}

FoundModes find_modes(ModeProblem& problem, const ModeSearchOptions& options,
                      const Eigen::MatrixXd& start) {
  return ModeSearch(problem, options).find(start);
}

}  // namespace ulterix
