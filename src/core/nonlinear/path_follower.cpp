#include "core/nonlinear/path_follower.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <utility>

#include "core/dense/dense_factors.hpp"
#include "core/sparse/conjugate_gradients.hpp"
#include "core/sparse/indefinite_factor.hpp"

namespace ulterix {

namespace {

constexpr int kMostIterations = 20, kFirstIterations = 100;
constexpr int kMostTakenOver = 10;
constexpr double kTakenOver = 1e-10, kMostUnbalanced = 1e-7;  // of the largest force
constexpr double kTrace = 1e-7;        // of all, that decides which ties act ...
constexpr double kTraceMotion = 1e-9;  // ... by a motion of this part of its scale
constexpr double kMostTrace = 1e-2;
constexpr int kMostTraces = 7;
constexpr double kNearlyThere = 1e-4;       // of the motion: a change after which one more may do
constexpr double kFirstLoad = 1e-4;         // of all, where the frame has no shape without load
constexpr double kConverged = 1e-9;         // of the last correction, of the largest motion
constexpr double kRoundingOfTurns = 1e-14;  // rad: quaternions know no smaller ones
constexpr double kEventFactor = 1e-6;
constexpr double kWorks = 1e-6;
constexpr double kNoLoad = 1e-9;  // of all: a frame that moves so is free to
constexpr int kMostWithoutLoad = 20;
constexpr double kBalanced = 1e-10;   // unbalanced over the largest force
constexpr double kFalls = 0.3;        // of the scale of an unknown, after a break
constexpr double kLongestArc = 0.03;  // of the scale of an unknown
constexpr double kNoArc = 1e-9;       // a shorter one is not halved any more
constexpr double kFarFromPredicted = 0.35;
constexpr int kSmallest = 1 << 14;  // a first step is halved down to this part

/// A tangent that solves, definite or not.
class Tangent {
 public:
  explicit Tangent(const SymmetricPattern& pattern) : pattern_(pattern), definite_(pattern) {}

  /// False where it is singular to the last digit or overflows.
  bool factorise(const Balance& balance) {
    indefinite_.reset();
    negative_.reset();
    const FactorStatus status = definite_.factorise(balance.values);
    if (status == FactorStatus::not_finite) return false;
    if (status == FactorStatus::positive_definite) {
      negative_ = balance.inner_negative_pivots;
      border(balance);
      return true;
    }
    indefinite_ = IndefiniteFactor::make(definite_.structure(), balance.values);
    if (!indefinite_) return false;
    negative_ = indefinite_->negative_eigenvalues() + balance.inner_negative_pivots;
    border(balance);
    return true;
  }
  /// K⁻¹·b of a tangent near the one that was factorised, by conjugate gradients; empty where they
  /// are slow or the tangent is not definite: then it is worth a factorisation of its own.
  std::optional<VectorXd> solve_near(const Balance& balance, const VectorXd& b) const {
    constexpr CgOptions kFew{15, 1e-6};
    if (!negative_ || indefinite_ || !skew_.empty() || !balance.skew.empty()) return std::nullopt;
    VectorXd x = VectorXd::Zero(b.size());
    const CgEnd end =
        conjugate_gradients(pattern_, balance.values, inverse_of(definite_), b, x, kFew);
    if (end != CgEnd::converged) return std::nullopt;
    return x;
  }
  /// With the skew part, by the formula of Sherman, Morrison and Woodbury.
  VectorXd solve(const VectorXd& b) const {
    VectorXd x = by_symmetric_part(b);
    if (skew_.empty()) return x;
    const auto n = static_cast<Eigen::Index>(skew_.size());
    VectorXd at(n);
    for (Eigen::Index i = 0; i < n; ++i) at[i] = x[skew_[static_cast<std::size_t>(i)]];
    x -= moved_ * small_.solve(S_ * at);
    return x;
  }
  /// Without it.
  VectorXd by_symmetric_part(const VectorXd& b) const {
    Eigen::MatrixXd x = b;
    solve_in_place(x);
    return x.col(0);
  }
  std::optional<int> negative_pivots() const { return negative_; }
  double flops() const { return definite_.flops(); }

 private:
  void solve_in_place(Eigen::MatrixXd& x) const {
    if (indefinite_) {
      indefinite_->solve(x);
    } else {
      definite_.solve(x);
    }
  }

  void border(const Balance& balance) {
    constexpr std::size_t kMostBlocks = 32;  // more would cost more than they bring
    skew_.clear();
    if (balance.skew.empty() || balance.skew.size() > kMostBlocks) return;
    const auto n = static_cast<Eigen::Index>(3 * balance.skew.size());
    S_ = Eigen::MatrixXd::Zero(n, n);
    moved_ = Eigen::MatrixXd::Zero(balance.rest.size(), n);
    for (const SkewBlock& block : balance.skew) {
      const auto first = static_cast<Eigen::Index>(skew_.size());
      S_.block<3, 3>(first, first) = block.values;
      for (std::size_t i = 0; i < 3; ++i) {
        moved_(block.unknowns[i], first + static_cast<Eigen::Index>(i)) = 1;
        skew_.push_back(block.unknowns[i]);
      }
    }
    solve_in_place(moved_);
    Eigen::MatrixXd G(n, n);
    for (Eigen::Index i = 0; i < n; ++i) G.row(i) = moved_.row(skew_[static_cast<std::size_t>(i)]);
    small_ = DenseLu(Eigen::MatrixXd::Identity(n, n) + S_ * G);
  }

  const SymmetricPattern& pattern_;
  std::vector<int> skew_;  // unknowns of the skew part
  Eigen::MatrixXd S_, moved_;
  DenseLu small_;
  Factorisation definite_;
  std::optional<IndefiniteFactor> indefinite_;
  std::optional<int> negative_;
};

class Follower {
 public:
  Follower(PathProblem& problem, const PathOptions& options,
           const std::function<void(double)>& progress)
      : problem_(problem), options_(options), progress_(progress), tangent_(problem.pattern()) {}

  PathResult run() {
    if (!begin()) return std::move(result_);
    if (options_.lead == PathLead::displacement) {
      by_displacement();
    } else {
      follow();
    }
    return std::move(result_);
  }

 private:
  struct Point : PathState {
    VectorXd rate;                   // of the unknowns with the load factor
    std::vector<double> conditions;  // that are looked for
  };

  double norm(const VectorXd& step) const { return step.cwiseQuotient(problem_.scale()).norm(); }
  double dot(const VectorXd& a, const VectorXd& b) const {
    return a.cwiseQuotient(problem_.scale()).dot(b.cwiseQuotient(problem_.scale()));
  }
  double largest(const VectorXd& step) const {
    return step.size() == 0 ? 0 : step.cwiseQuotient(problem_.scale()).cwiseAbs().maxCoeff();
  }

  bool begin() {
    const VectorXd still = VectorXd::Zero(problem_.scale().size());
    problem_.move(still, options_.from);
    if (problem_.is_loose()) {
      problem_.move(still, options_.from + kFirstLoad * (end_factor() - options_.from));
    }
    const std::shared_ptr<const void> at_rest = problem_.state();
    if (!correct(VectorXd(), 0, 0, kFirstIterations)) {
      // What strains the frame without a load may lift it off supports that only push.
      problem_.restore(at_rest);
      if (problem_.has_one_way() && decide(at_rest, kTrace)) return true;
      result_.states.clear();
      result_.end = PathEnd::no_convergence;
      result_.tried = "no equilibrium before the load grows";
      return false;
    }
    now_ = point();
    record(now_);
    if (!problem_.is_undecided()) return true;
    // So much that the motion is no rounding.
    const double range = std::abs(end_factor() - options_.from);
    const double felt = kTraceMotion / std::max(range * largest(rate_), kTraceMotion);
    return decide(now_.state, std::clamp(felt, kTrace, kMostTrace));
  }

  /// What is undecided without load (ties that just touch) is decided by a trace of it, and by more
  /// where that leads nowhere. False: nothing carries it.
  bool decide(const std::shared_ptr<const void>& at_rest, double trace) {
    const Point from = now_;
    for (int tries = 0; tries < kMostTraces; ++tries, trace = std::min(30 * trace, 1.0)) {
      problem_.restore(at_rest);
      problem_.move(VectorXd::Zero(problem_.scale().size()),
                    options_.from + trace * (end_factor() - options_.from));
      if (!correct(VectorXd(), 0, 0, kFirstIterations) || largest(moved_) > kFalls) continue;
      now_ = point();
      if (from.conditions.size() == now_.conditions.size()) return pass(from);
      record(now_);
      return true;
    }
    problem_.restore(at_rest);
    result_.end = PathEnd::no_convergence;
    result_.tried = "under a trace of the load no equilibrium was found";
    return false;
  }

  /// Newton's iteration. With `along` (a direction of the unknowns, and of the factor with weight
  /// `factor_rate`): in the plane normal to it, the factor free. At the end the tangent is that of
  /// the equilibrium.
  bool correct(const VectorXd& along, double factor_rate, double factor_weight,
               int most = kMostIterations) {
    moved_ = VectorXd::Zero(problem_.scale().size());
    double before = 0, first = 0;
    int taken_over = 0;
    bool keeps = tangent_.flops() >= options_.flops_kept;
    std::optional<Balance> known;
    for (int i = 1; i <= most; ++i) {
      std::optional<Balance> searched = std::exchange(known, std::nullopt);
      const Balance b = searched ? *std::move(searched) : problem_.balance();
      if (!b.rest.allFinite()) return false;
      std::optional<VectorXd> near;
      const bool may_end = before > 0 && before <= kNearlyThere * std::max(problem_.motion(), 1e-6);
      if (keeps && along.size() == 0 && !may_end) near = tangent_.solve_near(b, b.rest);
      keeps = keeps && near;
      if (!near && !tangent_.factorise(b)) return false;
      VectorXd step = near ? VectorXd(-*near) : VectorXd(-tangent_.solve(b.rest));
      if (!near) rate_ = tangent_.solve(b.load);
      double factor_step = 0;
      if (along.size() > 0) {
        const double below = dot(along, rate_) + factor_weight * factor_rate;
        if (below == 0) return false;
        factor_step = -dot(along, step) / below;
        step += factor_step * rate_;
      }
      if (!step.allFinite()) return false;
      const double change = largest(step);
      residual_ = b.unbalanced;
      if (taken_over == 0) iterations_ = i;
      if (first == 0) first = change;
      const double size = std::max(problem_.motion(), 1e-6);
      // Forces in balance to the last digits, or changes that no longer fall: the rest is rounding,
      // which a tangent near a singular point magnifies.
      const bool balanced = i > 2 && residual_ < kBalanced;
      const bool rounding =
          balanced || (i > 4 && change <= 1e-7 * size && change > 0.3 * before && residual_ < 1e-8);
      const bool done =
          !near && (change <= std::max(kConverged * size, kRoundingOfTurns) || rounding);
      // Steps that grow lead nowhere.
      const bool grows = before > 0 && change > before;
      if (!done && i > 4 && grows && change > 0.5 * first) return false;
      if (!done && change > kLargest_) step *= kLargest_ / change;
      before = change;
      const bool polishes = change <= 1e-6 * size;
      if (along.size() == 0 && !polishes && problem_.has_sharp_bends()) {
        moved_ += move_within(b, step, known);
        continue;
      }
      problem_.move(step, problem_.factor() + factor_step);
      moved_ += step;
      if (!done) continue;
      // Forces that were taken over are to be in balance, too.
      const bool balances = taken_over == 0 || residual_ < kTakenOver ||
                            (taken_over > 2 && change <= kRoundingOfTurns);
      if (!problem_.take_over() && balances) return true;
      before = first = 0;
      if (++taken_over > kMostTakenOver) return residual_ < kMostUnbalanced;
    }
    return false;
  }

  /// Goes along a step of Newton's, less far where the energy would rise as steeply as it fell, and
  /// further where it still falls so. Returns the part that was gone; `there`: the balance at its
  /// end.
  VectorXd move_within(const Balance& from, const VectorXd& step, std::optional<Balance>& there) {
    constexpr double kEnough = 0.8;
    constexpr int kMostTries = 60;
    const std::shared_ptr<const void> before = problem_.state();
    const double slope = from.rest.dot(step), furthest = kLargest_ / largest(step);
    double part = 1, low = 0;
    std::optional<double> high;
    for (int i = 0; i < kMostTries; ++i) {
      problem_.restore(before);
      problem_.move(part * step, problem_.factor());
      there = problem_.balance();
      const double now = there->rest.allFinite() ? there->rest.dot(step) : -2 * slope;
      if (!(slope < 0) || std::abs(now) <= -kEnough * slope) break;
      if (now < 0) {
        low = part;
        if (!high && 2 * part > furthest) break;
      } else {
        high = part;
      }
      part = high ? (low + *high) / 2 : 2 * part;
    }
    return part * step;
  }

  double end_factor() const {
    return options_.stop_at_factor != 0 ? options_.stop_at_factor : options_.to;
  }

  Point point() {
    Point p;
    p.factor = problem_.factor();
    p.iterations = iterations_;
    p.residual = residual_;
    p.negative_pivots = tangent_.negative_pivots();
    problem_.come_through();
    p.state = problem_.state();
    p.rate = rate_;
    p.conditions = problem_.conditions();
    return p;
  }

  void record(const PathState& state) {
    result_.states.push_back(state);
    if (progress_) progress_(std::clamp(state.factor, 0.0, 1.0));
  }

  /// The correction that ended was small beside the step that the tangent predicted.
  bool as_predicted(const VectorXd& predicted) const {
    return norm(moved_) <= std::max(kFarFromPredicted * norm(predicted), 1e-6);
  }

  static bool loses_or_gains(const Point& from, const Point& to) {
    return from.negative_pivots && to.negative_pivots &&
           *from.negative_pivots != *to.negative_pivots;
  }

  /// A step at given load factor; empty if it does not arrive near where it was expected.
  std::optional<Point> load_step(const Point& from, double to) {
    problem_.restore(from.state);
    const VectorXd predicted = (to - from.factor) * from.rate;
    if (largest(predicted) > kLargest_) return std::nullopt;
    problem_.move(predicted, to);
    if (!correct(VectorXd(), 0, 0) || !as_predicted(predicted)) return std::nullopt;
    step_ = predicted + moved_;
    step_factor_ = to - from.factor;
    return point();
  }

  /// A step of length `length` along the tangent, in the sense of `sense` (+1: factor grows).
  std::optional<Point> arc_step(const Point& from, double length, const VectorXd& last,
                                double last_factor) {
    problem_.restore(from.state);
    VectorXd along = from.rate;
    double rate = 1;
    const double size = norm_with(along, 1);
    along /= size;
    rate /= size;
    if (dot(along, last) + weight_ * rate * last_factor < 0) {
      along = -along;
      rate = -rate;
    }
    const VectorXd predicted = length * along;
    problem_.move(predicted, from.factor + length * rate);
    if (!correct(along, rate, weight_) || !as_predicted(predicted)) return std::nullopt;
    step_ = predicted + moved_;
    step_factor_ = problem_.factor() - from.factor;
    return point();
  }

  void follow() {
    const double end = end_factor();
    const bool forward = end > options_.from;
    const double first =
        (forward ? 1 : -1) * std::abs(options_.to - options_.from) / options_.steps;
    double dl = first;
    bool arc = options_.lead == PathLead::arc_length;
    double length = 0;
    VectorXd last = forward ? now_.rate : VectorXd(-now_.rate);
    double last_factor = forward ? 1 : -1;
    weight_ = dot(now_.rate, now_.rate);
    if (weight_ == 0) weight_ = 1;
    const double longest = std::abs(dl) * norm_with(now_.rate, 1);
    if (arc) length = longest;
    int good = 0, without_load = 0;
    for (int n = 0; n < options_.most_steps; ++n) {
      if (now_.factor == end) return;
      const Point from = now_;
      std::optional<Point> next;
      double arc_part = 1;
      if (!arc) {
        double to = from.factor + dl;
        const bool last_one = forward ? to >= end - 1e-9 * std::abs(end - options_.from)
                                      : to <= end + 1e-9 * std::abs(end - options_.from);
        if (last_one) to = end;
        next = load_step(from, to);
      } else {
        next = arc_step(from, length, last, last_factor);
        if (next && crosses(from.factor, next->factor, end)) {
          // The end state is at the end exactly.
          const double part = (end - from.factor) / (next->factor - from.factor);
          const auto landed = land(from, *next, end);
          if (landed) next = landed;
          if (landed) arc_part = part;
        }
      }
      if (!next) {
        good = 0;
        if (!arc) {
          dl /= 2;
          if (std::abs(dl) < std::abs(first) / 64 && options_.lead == PathLead::automatic) {
            arc = true;
            length = std::abs(dl) * norm_with(from.rate, 1);
          } else if (std::abs(dl) < std::abs(first) / kSmallest) {
            return give_up(from, "load steps", std::abs(dl));
          }
        } else {
          length /= 2;
          if (length < longest / kSmallest / 64) return give_up(from, "arc length", length);
        }
        now_ = from;
        continue;
      }
      ++good;
      const double whole = next->factor - from.factor;
      next = first_crossing(from, *next, [&](double part) {
        return arc ? arc_step(from, part * arc_part * length, last, last_factor)
                   : load_step(from, from.factor + part * whole);
      });
      if (loses_or_gains(from, *next) && !locate(from, *next, length)) return;
      if (turned_) {  // on the branch: it goes on from there
        turned_ = false;
        last = step_;
        last_factor = step_factor_;
        arc = true;
        continue;
      }
      now_ = *next;
      if (!pass(from)) return;
      last = step_;
      last_factor = step_factor_;
      if (!arc && now_.negative_pivots.value_or(0) > 0 && options_.lead == PathLead::automatic) {
        arc = true;
        length = norm_with(step_, step_factor_);
      }
      if (good >= 2 && now_.iterations <= 5) {
        if (!arc) dl = std::min(std::abs(first), 2 * std::abs(dl)) * (forward ? 1 : -1);
        if (largest(step_) < kLongestArc) length *= 1.5;
      }
      const bool nothing =
          arc && std::abs(now_.factor - options_.from) < kNoLoad * std::abs(end - options_.from);
      without_load = nothing ? without_load + 1 : 0;
      if (without_load > kMostWithoutLoad) return give_up(from, "arc length", length);
      if (largest(now_.rate) == 0 && arc) return give_up(from, "arc length", length);
    }
    result_.end = PathEnd::too_many_steps;
    result_.tried = fmt::format("{} steps did not reach the full load", options_.most_steps);
  }

  static std::vector<int> changed(const Point& from, const Point& to) {
    std::vector<int> all;
    for (std::size_t i = 0; i < from.conditions.size(); ++i) {
      if ((from.conditions[i] >= 0) != (to.conditions[i] >= 0)) all.push_back(static_cast<int>(i));
    }
    return all;
  }

  /// The state just beyond the first change of a condition's sign in a step, to six digits of the
  /// factor; the end of the step where there is none. `at`: equilibrium at a part of the step.
  template <class At>
  Point first_crossing(const Point& from, const Point& end, const At& at) {
    if (changed(from, end).empty()) return end;
    constexpr int kMostTries = 60;
    constexpr double kClosest = 1e-9;  // of the step
    const VectorXd step = step_;
    const double step_factor = step_factor_;
    Point low = from, high = end;
    double a = 0, b = 1;
    for (int i = 0; i < kMostTries && b - a > kClosest; ++i) {
      const double close = 0.1 * kEventFactor * std::max(1.0, std::abs(low.factor));
      if (std::abs(high.factor - low.factor) <= close && b - a < 1e-3) break;
      double earliest = 1;  // by linear interpolation between the two
      for (const int k : changed(from, high)) {
        const auto c = static_cast<std::size_t>(k);
        const double f = low.conditions[c], g = high.conditions[c];
        if (f != g) earliest = std::min(earliest, f / (f - g));
      }
      // From either side in turn, so that both ends come close.
      const double aside = 0.3 * kEventFactor;
      double part = i % 3 == 2 ? 0.5 : earliest + (i % 2 == 0 ? aside : -aside);
      part = std::clamp(part, 1e-3, 1 - 1e-3);
      const auto there = at(a + part * (b - a));
      if (!there) break;
      const bool beyond = !changed(from, *there).empty();
      (beyond ? high : low) = *there;
      (beyond ? b : a) = a + part * (b - a);
    }
    problem_.restore(high.state);
    step_ = b * step;
    step_factor_ = high.factor - from.factor;
    if (b == 1) step_factor_ = step_factor;
    return high;
  }

  /// Goes on from now_, after what conditions make of the structure there. False: no equilibrium is
  /// left.
  bool pass(const Point& from) {
    const std::vector<int> crossed = changed(from, now_);
    if (crossed.empty()) {
      record(now_);
      return true;
    }
    bool anew = false;
    for (const int i : crossed) {
      PathState at = now_;
      at.event = PathEventKind::crossing;
      at.condition = i;
      at.loses = from.conditions[static_cast<std::size_t>(i)] >= 0;
      record(at);
      if (at.loses && problem_.change_by(i)) anew = true;
    }
    if (!anew) {
      // The tangent is another one from here on.
      problem_.restore(now_.state);
      const Balance b = problem_.balance();
      if (b.rest.allFinite() && tangent_.factorise(b)) now_.rate = tangent_.solve(b.load);
      return true;
    }
    if (!correct(VectorXd(), 0, 0, kFirstIterations)) {
      problem_.restore(now_.state);
      result_.end = PathEnd::no_convergence;
      result_.tried = "no equilibrium was found at this load after that";
      return false;
    }
    if (largest(moved_) > kFalls) {
      problem_.restore(now_.state);
      result_.end = PathEnd::no_convergence;
      result_.tried = fmt::format(
          "after that the nearest equilibrium is further away than {:.0f} % of the frame's size: "
          "it "
          "falls",
          100 * kFalls);
      return false;
    }
    const Point before = now_;
    now_ = point();
    return pass(before);
  }

  double norm_with(const VectorXd& step, double factor) const {
    return std::sqrt(dot(step, step) + weight_ * factor * factor);
  }

  static bool crosses(double from, double to, double end) {
    return (from < end && to >= end) || (from > end && to <= end);
  }

  /// Equilibrium at `end` exactly, between two on an arc.
  std::optional<Point> land(const Point& from, const Point& beyond, double end) {
    const VectorXd step = step_;
    const double part = (end - from.factor) / (beyond.factor - from.factor);
    problem_.restore(from.state);
    problem_.move(part * step, end);
    if (!correct(VectorXd(), 0, 0) || norm(moved_) > 0.5 * norm(step)) {
      problem_.restore(beyond.state);
      return std::nullopt;
    }
    step_ = part * step + moved_;
    step_factor_ = end - from.factor;
    return point();
  }

  void give_up(const Point& from, const char* what, double smallest) {
    problem_.restore(from.state);
    result_.end = PathEnd::no_convergence;
    result_.tried = fmt::format("{} were halved down to {:.1e}", what, smallest);
  }

  /// The last state before the tangent's negative pivots change, to six digits of the factor, and
  /// on a short arc.
  Point before_change(const Point& from, const Point& beyond) {
    constexpr int kMostHalvings = 46;
    Point low = from;
    VectorXd step = step_;
    double step_factor = step_factor_, high = beyond.factor;
    const double whole = norm_with(step_, step_factor_);
    double span = whole;
    for (int i = 0; i < kMostHalvings; ++i) {
      const double close = 0.1 * kEventFactor * std::max(1.0, std::abs(low.factor));
      if (std::abs(high - low.factor) <= close && span <= 1e-3 * whole) break;
      const auto middle = arc_step(low, span / 2, step, step_factor);
      if (!middle) {
        span *= 0.7;
        if (span < kNoArc) break;
        continue;
      }
      span /= 2;
      if (loses_or_gains(from, *middle)) {
        high = middle->factor;
        continue;
      }
      step = step_;
      step_factor = step_factor_;
      low = *middle;
    }
    return low;
  }

  bool end_at(const Point& last, PathEnd end) {
    problem_.restore(last.state);
    result_.end = end;
    return false;
  }

  /// Finds the singular point between two states and says what it is. False: the path ends there.
  bool locate(const Point& from, const Point& beyond, double& length) {
    const VectorXd whole = step_;
    const double whole_factor = step_factor_;
    Point low = before_change(from, beyond);
    problem_.restore(low.state);
    const Balance b = problem_.balance();
    if (tangent_.factorise(b)) low.mode = null_vector();
    // The loads work on the motion without stiffness at a limit point, not at a branch point.
    const bool limit = low.mode.size() > 0 &&
                       std::abs(low.mode.dot(b.load)) > kWorks * low.mode.norm() * b.load.norm();
    low.event = limit ? PathEventKind::limit_point : PathEventKind::branch_point;
    record(low);
    const bool losing = *beyond.negative_pivots > *from.negative_pivots;
    if (losing && limit && (options_.stop_at_limit || options_.lead == PathLead::load)) {
      return end_at(low, PathEnd::limit_point);
    }
    if (losing && !limit) {
      if (!options_.follow_branch) return end_at(low, PathEnd::branch_point);
      turned_ = onto_branch(low, norm_with(whole, whole_factor), length);
      if (turned_) return true;
      result_.tried = "no equilibrium was found beside the branch point";
      return end_at(low, PathEnd::branch_point);
    }
    problem_.restore(beyond.state);
    step_ = whole;
    step_factor_ = whole_factor;
    return true;
  }

  VectorXd null_vector() {
    std::mt19937 random(1);
    std::uniform_real_distribution<double> number(-1, 1);
    VectorXd v(problem_.scale().size());
    for (double& x : v) x = number(random);
    for (int i = 0; i < 4; ++i) {
      v = tangent_.by_symmetric_part(v);
      v /= largest(v);
    }
    int at = 0;
    v.cwiseQuotient(problem_.scale()).cwiseAbs().maxCoeff(&at);
    return v[at] < 0 ? VectorXd(-v) : v;
  }

  /// From a branch point along the motion without stiffness.
  bool onto_branch(const Point& at, double size, double& length) {
    const VectorXd& mode = at.mode;
    // The way to the branch point may have been short: the branch begins where it can be told.
    size = std::max(size, kLongestArc * norm(mode) / largest(mode));
    for (double part = 0.3; part > 1e-4; part /= 3) {
      problem_.restore(at.state);
      const VectorXd along = mode / norm(mode);
      problem_.move(part * size * along, at.factor);
      if (!correct(along, 0, weight_)) continue;
      step_ = part * size * along + moved_;
      step_factor_ = problem_.factor() - at.factor;
      now_ = point();
      record(now_);
      length = norm_with(step_, step_factor_);
      return true;
    }
    return false;
  }

  /// Leads one unknown to its end.
  void by_displacement() {
    const int at = options_.watched;
    double done = 0, step = options_.watched_end / options_.steps;
    const double first = step;
    VectorXd along = VectorXd::Zero(problem_.scale().size());
    along[at] = problem_.scale()[at];
    for (int n = 0; n < options_.most_steps && done != options_.watched_end; ++n) {
      const Point from = now_;
      problem_.restore(from.state);
      if (std::abs(options_.watched_end - done) <= std::abs(step) * (1 + 1e-9)) {
        step = options_.watched_end - done;
      }
      if (from.rate[at] == 0) return give_up(from, "steps of the displacement", 0);
      const auto displaced = [&](double part) -> std::optional<Point> {
        problem_.restore(from.state);
        const double df = part * step / from.rate[at];
        const VectorXd predicted = df * from.rate;
        problem_.move(predicted, from.factor + df);
        if (!correct(along, 0, weight_) || !as_predicted(predicted)) return std::nullopt;
        step_ = predicted + moved_;
        step_factor_ = problem_.factor() - from.factor;
        return point();
      };
      const std::optional<Point> end = displaced(1);
      if (!end) {
        step /= 2;
        if (std::abs(step) < std::abs(first) / kSmallest) {
          return give_up(from, "steps of the displacement", std::abs(step));
        }
        continue;
      }
      const Point next = first_crossing(from, *end, displaced);
      done += next.state == end->state ? step : step_[at];
      double length = 0;
      if (loses_or_gains(from, next) && !locate(from, next, length)) return;
      now_ = next;
      if (!pass(from)) return;
      if (now_.iterations <= 5)
        step = std::min(std::abs(first), 2 * std::abs(step)) * (first > 0 ? 1 : -1);
    }
  }

  static constexpr double kLargest_ = 0.6;  // a step of the unknowns, of their scale

  PathProblem& problem_;
  const PathOptions& options_;
  const std::function<void(double)>& progress_;
  Tangent tangent_;
  PathResult result_;
  Point now_;
  VectorXd rate_, moved_, step_;
  double step_factor_ = 0, weight_ = 1, residual_ = 0;
  int iterations_ = 0;
  bool turned_ = false;
};

}  // namespace

PathResult follow_path(PathProblem& problem, const PathOptions& options,
                       const std::function<void(double)>& progress) {
  return Follower(problem, options, progress).run();
}

}  // namespace ulterix
