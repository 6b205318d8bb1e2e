#include "core/nonlinear/path_follower.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "core/sparse/indefinite_factor.hpp"

namespace ulterix {

namespace {

constexpr int kMostIterations = 20;
constexpr double kConverged = 1e-9;  // of the last correction, of the largest motion
constexpr double kEventFactor = 1e-6;
constexpr double kWorks = 1e-6;
constexpr double kBalanced = 1e-10;   // unbalanced over the largest force
constexpr double kLongestArc = 0.03;  // of the scale of an unknown
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
      return true;
    }
    indefinite_ = IndefiniteFactor::make(pattern_, balance.values, definite_.analysis());
    if (!indefinite_) return false;
    negative_ = indefinite_->negative_eigenvalues() + balance.inner_negative_pivots;
    return true;
  }
  VectorXd solve(const VectorXd& b) const {
    Eigen::MatrixXd x = b;
    if (indefinite_) {
      indefinite_->solve(x);
    } else {
      definite_.solve(x);
    }
    return x.col(0);
  }
  std::optional<int> negative_pivots() const { return negative_; }

 private:
  const SymmetricPattern& pattern_;
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
  struct Point {  // an equilibrium with its tangent's direction
    std::shared_ptr<const void> state;
    double factor = 0;
    VectorXd rate;  // of the unknowns with the load factor
    std::optional<int> negative;
    int iterations = 0;
    double residual = 0;
  };

  double norm(const VectorXd& step) const { return step.cwiseQuotient(problem_.scale()).norm(); }
  double dot(const VectorXd& a, const VectorXd& b) const {
    return a.cwiseQuotient(problem_.scale()).dot(b.cwiseQuotient(problem_.scale()));
  }
  double largest(const VectorXd& step) const {
    return step.size() == 0 ? 0 : step.cwiseQuotient(problem_.scale()).cwiseAbs().maxCoeff();
  }

  bool begin() {
    problem_.move(VectorXd::Zero(problem_.scale().size()), options_.from);
    if (!correct(VectorXd(), 0, 0)) {
      result_.end = PathEnd::no_convergence;
      result_.tried = "no equilibrium before the load grows";
      return false;
    }
    now_ = point();
    record(now_);
    return true;
  }

  /// Newton's iteration. With `along` (a direction of the unknowns, and of the factor with weight
  /// `factor_rate`): in the plane normal to it, the factor free. At the end the tangent is that of
  /// the equilibrium.
  bool correct(const VectorXd& along, double factor_rate, double factor_weight) {
    moved_ = VectorXd::Zero(problem_.scale().size());
    moved_factor_ = 0;
    double before = 0, first = 0;
    for (int i = 1; i <= kMostIterations; ++i) {
      Balance b = problem_.balance();
      if (!b.rest.allFinite() || !tangent_.factorise(b)) return false;
      VectorXd step = -tangent_.solve(b.rest);
      rate_ = tangent_.solve(b.load);
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
      iterations_ = i;
      if (i == 1) first = change;
      const double size = std::max(problem_.motion(), 1e-6);
      // Forces in balance to the last digits, or changes that no longer fall: the rest is rounding,
      // which a tangent near a singular point magnifies.
      const bool balanced = i > 2 && residual_ < kBalanced;
      const bool rounding =
          balanced || (i > 4 && change <= 1e-7 * size && change > 0.3 * before && residual_ < 1e-8);
      if (change <= kConverged * size || rounding) {
        problem_.move(step, problem_.factor() + factor_step);
        moved_ += step;
        moved_factor_ += factor_step;
        if (problem_.settle()) continue;
        return true;
      }
      // Steps that grow lead nowhere.
      if (i > 4 && change > before && change > 0.5 * first) return false;
      if (change > kLargest_) step *= kLargest_ / change;
      before = change;
      problem_.move(step, problem_.factor() + factor_step);
      moved_ += step;
      moved_factor_ += factor_step;
      problem_.settle();
    }
    return false;
  }

  Point point() {
    return {problem_.state(),           problem_.factor(), rate_,
            tangent_.negative_pivots(), iterations_,       residual_};
  }

  void record(const Point& p, PathEventKind event = PathEventKind::none, VectorXd mode = {}) {
    PathState s;
    s.factor = p.factor;
    s.iterations = p.iterations;
    s.residual = p.residual;
    s.negative_pivots = p.negative;
    s.event = event;
    s.state = p.state;
    s.mode = std::move(mode);
    result_.states.push_back(std::move(s));
    if (progress_) progress_(std::clamp(p.factor, 0.0, 1.0));
  }

  /// A step at given load factor; empty if it does not arrive near where it was expected.
  std::optional<Point> load_step(const Point& from, double to) {
    problem_.restore(from.state);
    const VectorXd predicted = (to - from.factor) * from.rate;
    if (largest(predicted) > kLargest_) return std::nullopt;
    problem_.move(predicted, to);
    problem_.settle();
    if (!correct(VectorXd(), 0, 0)) return std::nullopt;
    if (norm(moved_) > kFarFromPredicted * norm(predicted) && norm(moved_) > 1e-6) {
      return std::nullopt;
    }
    return point();
  }

  /// A step of length `length` along the tangent, in the sense of `sense` (+1: factor grows).
  std::optional<Point> arc_step(const Point& from, double length, const VectorXd& last,
                                double last_factor) {
    problem_.restore(from.state);
    VectorXd along = from.rate;
    double rate = 1;
    const double size = std::sqrt(dot(along, along) + weight_);
    along /= size;
    rate /= size;
    if (dot(along, last) + weight_ * rate * last_factor < 0) {
      along = -along;
      rate = -rate;
    }
    const VectorXd predicted = length * along;
    problem_.move(predicted, from.factor + length * rate);
    problem_.settle();
    if (!correct(along, rate, weight_)) return std::nullopt;
    if (norm(moved_) > kFarFromPredicted * norm(predicted) && norm(moved_) > 1e-6) {
      return std::nullopt;
    }
    step_ = predicted + moved_;
    step_factor_ = problem_.factor() - from.factor;
    return point();
  }

  void follow() {
    const double end = options_.stop_at_factor != 0 ? options_.stop_at_factor : options_.to;
    double dl = (options_.to - options_.from) / options_.steps;
    const double first = dl;
    bool arc = options_.lead == PathLead::arc_length;
    double length = 0;
    VectorXd last = now_.rate;
    double last_factor = 1;
    weight_ = dot(now_.rate, now_.rate);
    if (weight_ == 0) weight_ = 1;
    if (arc) length = std::abs(dl) * std::sqrt(dot(now_.rate, now_.rate) + weight_);
    const double longest = std::abs(dl) * std::sqrt(dot(now_.rate, now_.rate) + weight_);
    const bool forward = end > options_.from;
    int good = 0;
    for (int n = 0; n < options_.most_steps; ++n) {
      if (now_.factor == end) return;
      const Point from = now_;
      std::optional<Point> next;
      if (!arc) {
        double to = from.factor + dl;
        const bool last_one = forward ? to >= end - 1e-9 * std::abs(end - options_.from)
                                      : to <= end + 1e-9 * std::abs(end - options_.from);
        if (last_one) to = end;
        next = load_step(from, to);
        if (next) {
          step_ = (to - from.factor) * from.rate + moved_;
          step_factor_ = to - from.factor;
        }
      } else {
        next = arc_step(from, length, last, last_factor);
        if (next && crosses(from.factor, next->factor, end)) {
          // The end state is at the end exactly.
          const auto landed = land(from, *next, end);
          if (landed) next = landed;
        }
      }
      if (!next) {
        good = 0;
        if (!arc) {
          dl /= 2;
          if (std::abs(dl) < std::abs(first) / 64 && options_.lead == PathLead::automatic) {
            arc = true;
            length = std::abs(dl) * std::sqrt(dot(from.rate, from.rate) + weight_);
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
      // Where stability is lost between the two.
      const bool lost = from.negative && next->negative && *next->negative != *from.negative;
      if (lost && options_.events && !locate(from, *next, length)) return;
      if (turned_) {  // on the branch: it goes on from there
        turned_ = false;
        last = step_;
        last_factor = step_factor_;
        arc = true;
        continue;
      }
      now_ = *next;
      record(now_);
      last = step_;
      last_factor = step_factor_;
      if (!arc && now_.negative && *now_.negative > 0 && options_.lead == PathLead::automatic) {
        arc = true;
        length = norm_with(step_, step_factor_);
      }
      if (good >= 2 && now_.iterations <= 5) {
        if (!arc) dl = std::min(std::abs(first), 2 * std::abs(dl)) * (forward ? 1 : -1);
        if (largest(step_) < kLongestArc) length *= 1.5;
      }
      if (largest(now_.rate) == 0 && arc) return give_up(from, "arc length", length);
    }
    result_.end = PathEnd::too_many_steps;
    result_.tried = fmt::format("{} steps did not reach the full load", options_.most_steps);
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
    const double factor = step_factor_;
    const double part = (end - from.factor) / (beyond.factor - from.factor);
    problem_.restore(from.state);
    problem_.move(part * step, end);
    problem_.settle();
    if (!correct(VectorXd(), 0, 0)) {
      problem_.restore(beyond.state);
      return std::nullopt;
    }
    if (norm(moved_) > 0.5 * norm(step)) {
      step_ = step;
      step_factor_ = factor;
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

  /// Finds the singular point between two states and says what it is. False: the path ends there.
  bool locate(const Point& from, const Point& beyond, double& length) {
    Point low = from;
    const VectorXd whole = step_;
    const double whole_factor = step_factor_;
    double span = norm_with(step_, step_factor_);
    double high_factor = beyond.factor;
    Point high = beyond;
    VectorXd step = whole;
    double step_f = whole_factor;
    for (int i = 0; i < 60; ++i) {
      // Both sides agree to six digits, and the arc between them is short.
      if (std::abs(high_factor - low.factor) <=
              0.1 * kEventFactor * std::max(1.0, std::abs(low.factor)) &&
          span <= 1e-3 * norm_with(whole, whole_factor)) {
        break;
      }
      if (i > 45) break;
      const auto middle = arc_step(low, span / 2, step, step_f);
      if (!middle) {
        span *= 0.7;
        if (span < 1e-9) break;
        continue;
      }
      span /= 2;
      if (middle->negative && from.negative && *middle->negative != *from.negative) {
        high_factor = middle->factor;
        high = *middle;
      } else {
        step = step_;
        step_f = step_factor_;
        low = *middle;
      }
    }
    // The null vector of the tangent beside the point.
    problem_.restore(low.state);
    const Balance b = problem_.balance();
    VectorXd mode;
    if (tangent_.factorise(b)) mode = null_vector();
    // The loads work on the motion without stiffness at a limit point, not at a branch point.
    const double work = mode.size() > 0 ? std::abs(mode.dot(b.load)) : 0;
    const bool reversed = mode.size() > 0 && work > kWorks * mode.norm() * b.load.norm();
    const PathEventKind kind = reversed ? PathEventKind::limit_point : PathEventKind::branch_point;
    const bool losing = beyond.negative && from.negative && *beyond.negative > *from.negative;
    record(low, kind, mode);
    if (losing && kind == PathEventKind::limit_point &&
        (options_.stop_at_limit || options_.lead == PathLead::load)) {
      problem_.restore(low.state);
      result_.end = PathEnd::limit_point;
      return false;
    }
    if (losing && kind == PathEventKind::branch_point) {
      if (!options_.follow_branch) {
        problem_.restore(low.state);
        result_.end = PathEnd::branch_point;
        return false;
      }
      if (onto_branch(low, mode, norm_with(whole, whole_factor), length)) {
        turned_ = true;
        return true;
      }
      problem_.restore(low.state);
      result_.end = PathEnd::branch_point;
      result_.tried = "no equilibrium was found beside the branch point";
      return false;
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
      v = tangent_.solve(v);
      v /= largest(v);
    }
    int at = 0;
    v.cwiseQuotient(problem_.scale()).cwiseAbs().maxCoeff(&at);
    return v[at] < 0 ? VectorXd(-v) : v;
  }

  /// From a branch point along the motion without stiffness.
  bool onto_branch(const Point& at, const VectorXd& mode, double size, double& length) {
    // The way to the branch point may have been short: the branch begins where it can be told.
    size = std::max(size, kLongestArc * norm(mode) / largest(mode));
    for (double part = 0.3; part > 1e-4; part /= 3) {
      problem_.restore(at.state);
      const VectorXd along = mode / norm(mode);
      problem_.move(part * size * along, at.factor);
      problem_.settle();
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
      const double df = step / from.rate[at];
      const VectorXd predicted = df * from.rate;
      problem_.move(predicted, from.factor + df);
      const bool good = correct(along, 0, weight_);
      if (!good || (norm(moved_) > kFarFromPredicted * norm(predicted) && norm(moved_) > 1e-6)) {
        step /= 2;
        if (std::abs(step) < std::abs(first) / kSmallest) {
          return give_up(from, "steps of the displacement", std::abs(step));
        }
        continue;
      }
      step_ = predicted + moved_;
      step_factor_ = problem_.factor() - from.factor;
      done += step;
      const Point next = point();
      const bool lost = from.negative && next.negative && *next.negative != *from.negative;
      double length = 0;
      if (lost && options_.events && !locate(from, next, length)) return;
      now_ = next;
      record(now_);
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
  double moved_factor_ = 0, step_factor_ = 0, weight_ = 1, residual_ = 0;
  int iterations_ = 0;
  bool turned_ = false;
};

}  // namespace

PathResult follow_path(PathProblem& problem, const PathOptions& options,
                       const std::function<void(double)>& progress) {
  return Follower(problem, options, progress).run();
}

}  // namespace ulterix
