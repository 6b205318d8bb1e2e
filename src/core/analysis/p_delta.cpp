#include "core/analysis/p_delta.hpp"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <Eigen/QR>
#include <algorithm>
#include <atomic>
#include <cmath>

#include "core/analysis/buckling.hpp"
#include "core/analysis/first_order.hpp"
#include "core/results/mode_kind.hpp"
#include "core/results/recovery.hpp"
#include "core/solve/conjugate_gradients.hpp"
#include "core/solve/indefinite_factor.hpp"
#include "core/system/mechanism_words.hpp"

namespace ulterix {

namespace {

/// Bisection of the load factor where the full load does not stand.
constexpr int kBisections = 12;
/// With more work than this a factorisation, fewer.
constexpr double kCostlyFlops = 1e10;
constexpr int kCostlyBisections = 6;
/// Changes that no longer fall, and are at most this, are rounding between stiff and soft parts.
constexpr double kRoundingFloor = 1e-6;
/// From this work on, rounds are solved by conjugate gradients on the first-order factorisation,
/// and only the last tangent is factorised, which proves that it has no negative pivots.
constexpr double kIterativeFlops = 3e8;
/// Where refinement corrects first-order by more, pivots of the tangent tell nothing.
constexpr double kRoundingCounts = 1e-4;
/// Displacements this many times first-order are worth a word.
constexpr double kLargeAmplification = 5;

/// N that the start gives each member.
using StartForces = IndexedVector<MemberId, double>;

/// One set of loads on its way from first-order to equilibrium on the bent shape.
class Iteration {
 public:
  enum class End { converged, not_definite, limit, not_finite };

  Iteration(const ElasticFrame& frame, const AnalysisSpec& spec, const LoadSet& loads)
      : frame_(frame),
        system_(*frame.system),
        factor_(system_.pattern()),
        spec_(spec),
        loads_(loads) {}

  /// The axial forces that act are given (the mean of each member): one round is enough.
  void give_axial_forces(const StartForces& forces) { given_ = forces; }

  /// Iterates at load factor lambda from the given axial forces; on success state() and forces()
  /// hold the result.
  End run(double lambda, const StartForces& start);

  const State& state() const { return state_; }
  const StartForces& forces() const { return forces_; }
  const std::vector<ConvergenceRound>& rounds() const { return rounds_; }
  std::optional<int> negative_pivots() const { return negative_pivots_; }
  const std::vector<MemberId>& unstable_members() const { return unstable_; }
  const Factorisation& factor() const { return factor_; }
  const SolveError& solve_error() const { return solve_error_; }
  const std::shared_ptr<const AppliedLoads>& applied() const { return applied_; }

  /// True if the last run ended in rounding, short of its tolerance.
  bool stagnated() const { return stagnates_; }

 private:
  /// Solves again with residuals from deformations, and moves the nodes of the state.
  void refine(const Assembly& assembly, State& now);
  /// Axial forces to go on with, where plain iteration swings or creeps (Anderson 1965).
  void accelerate(StartForces& forces, const StartForces& found);

  /// Solves a round; false if the tangent has negative pivots. `proven` tells whether it was
  /// factorised, which a large frame leaves to the last round.
  bool solve(const Assembly& assembly, VectorXd& q, bool& proven);
  bool definite(const Assembly& assembly);
  bool stagnates() const;
  ConvergenceRound compare(const State& before, const State& after, const StartForces& old_forces,
                           const StartForces& new_forces) const;

  const ElasticFrame& frame_;
  const FrameSystem& system_;
  Factorisation factor_;
  const AnalysisSpec& spec_;
  const LoadSet& loads_;
  std::shared_ptr<const AppliedLoads> applied_;  // of the last run
  State state_;
  StartForces forces_;
  std::vector<ConvergenceRound> rounds_;
  std::optional<int> negative_pivots_;
  std::vector<MemberId> unstable_;
  bool stagnates_ = false;
  std::optional<StartForces> given_;
  SolveError solve_error_;
  struct Past {
    VectorXd forces, change;
  };
  std::vector<Past> past_;  // of the last rounds
};

void Iteration::refine(const Assembly& assembly, State& now) {
  const State acting = now;
  const RefinedSolution solved = solve_refined({system_, *applied_, acting, spec_.split}, factor_,
                                               assembly.rhs, assembly.loads);
  system_.set_motion(solved.q.col(0), solved.rest.col(0), now);
  solve_error_ = solved.errors.front();
}

void Iteration::accelerate(StartForces& forces, const StartForces& found) {
  constexpr std::size_t kDepth = 4;
  constexpr std::size_t kPlainRounds = 3;
  const Eigen::Index n = forces.size();
  Past now{VectorXd(n), VectorXd(n)};
  for (int i = 0; i < forces.size(); ++i) {
    now.forces[i] = forces[MemberId(i)];
    now.change[i] = found[MemberId(i)] - forces[MemberId(i)];
  }
  past_.push_back(now);
  VectorXd next = now.forces + now.change;
  if (past_.size() > kPlainRounds) {
    const std::size_t depth = std::min(kDepth, past_.size() - 1);
    Eigen::MatrixXd dF(n, static_cast<Eigen::Index>(depth)), dX = dF;
    for (std::size_t k = 0; k < depth; ++k) {
      const Past &a = past_[past_.size() - 2 - k], &b = past_[past_.size() - 1 - k];
      dF.col(static_cast<Eigen::Index>(k)) = b.change - a.change;
      dX.col(static_cast<Eigen::Index>(k)) = b.forces - a.forces;
    }
    Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr;
    qr.setThreshold(1e-8);
    qr.compute(dF);
    next -= (dX + dF) * qr.solve(now.change);
  }
  for (int i = 0; i < forces.size(); ++i) forces[MemberId(i)] = next[i];
}

bool Iteration::definite(const Assembly& assembly) {
  unstable_ = assembly.unstable_members;
  const FactorStatus status = factor_.factorise(assembly.values);
  const int inner = assembly.inner_negative_pivots + static_cast<int>(unstable_.size());
  if (status == FactorStatus::positive_definite && inner == 0) return true;
  negative_pivots_ = status == FactorStatus::positive_definite
                         ? std::optional<int>(0)
                         : negative_eigenvalues(system_.pattern(), assembly.values);
  if (negative_pivots_) *negative_pivots_ += inner;
  return false;
}

bool Iteration::solve(const Assembly& assembly, VectorXd& q, bool& proven) {
  const bool inner = assembly.inner_negative_pivots > 0 || !assembly.unstable_members.empty();
  if (!proven && !inner) {
    const CgEnd end = conjugate_gradients(system_.pattern(), assembly.values,
                                          inverse_of(*frame_.factor), assembly.rhs, q);
    if (end == CgEnd::converged) return true;
  }
  proven = true;
  if (!definite(assembly)) return false;
  Eigen::MatrixXd x = assembly.rhs;
  factor_.solve(x);
  q = x.col(0);
  return true;
}

ConvergenceRound Iteration::compare(const State& before, const State& after,
                                    const StartForces& old_forces,
                                    const StartForces& new_forces) const {
  double change_u = 0, u = 0, change_n = 0, n = 0;
  for (const NodeId id : system_.model().nodes.ids()) {
    const Vector3d& now = after.nodes[id].translation;
    change_u = std::max(change_u, (now - before.nodes[id].translation).cwiseAbs().maxCoeff());
    u = std::max(u, now.cwiseAbs().maxCoeff());
  }
  for (const MemberId id : system_.model().members.ids()) {
    change_n = std::max(change_n, std::abs(new_forces[id] - old_forces[id]));
    n = std::max(n, std::abs(new_forces[id]));
  }
  return {u > 0 ? change_u / u : 0, n > 0 ? change_n / n : 0, 0};
}

/// Three rounds without progress, all of them tiny.
bool Iteration::stagnates() const {
  constexpr std::size_t kRoundsBack = 3;
  if (rounds_.size() <= kRoundsBack + 2) return false;
  const auto change = [this](std::size_t back) {
    const ConvergenceRound& r = rounds_[rounds_.size() - 1 - back];
    return std::max(r.change_u, r.change_n);
  };
  return change(0) > spec_.tolerance && change(0) <= kRoundingFloor &&
         change(0) > 0.3 * change(kRoundsBack);
}

Iteration::End Iteration::run(double lambda, const StartForces& start) {
  rounds_.clear();
  past_.clear();
  negative_pivots_.reset();
  applied_ = std::make_shared<AppliedLoads>(system_.variant(), scaled(loads_, lambda));
  const AppliedLoads& applied = *applied_;
  StartForces forces = given_.value_or(start);
  State before(system_.model());
  VectorXd q = VectorXd::Zero(system_.dofs().size());
  bool last = factor_.flops() < kIterativeFlops, refining = false;
  for (int round = 1; round <= spec_.iterations; ++round) {
    State now(system_.model());
    now.geometric = true;
    now.between_nodes = spec_.between_nodes;
    now.lambda = lambda;
    now.axial_given = given_.has_value();
    for (const MemberId id : system_.model().members.ids())
      now.members[id].axial_start = forces[id];
    const Assembly assembly = system_.assemble(applied, now, spec_.split);
    bool proven = last;
    if (!solve(assembly, q, proven)) return End::not_definite;
    if (!q.allFinite()) return End::not_finite;
    system_.set_motion(q, now);
    if (refining && proven) refine(assembly, now);
    StartForces found = system_.axial_forces(applied, now);
    ConvergenceRound record = compare(before, now, forces, found);
    const VectorXd rest = assembly.rhs - multiply(system_.pattern(), assembly.values, q);
    const double load = assembly.rhs.lpNorm<Eigen::Infinity>();
    record.residual = load > 0 ? rest.lpNorm<Eigen::Infinity>() / load : 0;
    rounds_.push_back(record);
    stagnates_ = stagnates();
    const bool small = given_.has_value() ||
                       (record.change_u <= spec_.tolerance && record.change_n <= spec_.tolerance);
    if ((small || stagnates_) && proven) {
      bool settled = refining || given_.has_value();
      if (!refining) {
        const State rough = now;
        refine(assembly, now);
        const StartForces refined = system_.axial_forces(applied, now);
        const ConvergenceRound moved = compare(rough, now, found, refined);
        found = refined;
        settled = settled || std::max(moved.change_u, moved.change_n) <= spec_.tolerance;
      }
      if (settled) {
        state_ = now;
        forces_ = found;
        return End::converged;
      }
      refining = true;
    }
    if (small || stagnates_) last = true;
    before = now;
    if (!given_) accelerate(forces, found);
  }
  return End::limit;
}

StartForces times(StartForces forces, double factor) {
  for (double& n : forces) n *= factor;
  return forces;
}

Vector3d largest_translations(const State& state) {
  Vector3d u = Vector3d::Zero();
  for (const NodeMotion& n : state.nodes) u = u.cwiseMax(n.translation.cwiseAbs());
  return u;
}

/// How many times first-order the displacements have become, in the direction where they grew most;
/// directions in which hardly anything moves do not count.
double amplification(const State& first_order, const State& second_order) {
  const Vector3d before = largest_translations(first_order);
  const Vector3d after = largest_translations(second_order);
  double largest = 1;
  for (int d = 0; d < 3; ++d) {
    const bool counts = after[d] > 1e-3 * after.maxCoeff() && before[d] > 1e-6 * after[d];
    if (counts) largest = std::max(largest, after[d] / before[d]);
  }
  return largest;
}

void take(const FrameSystem& system, const Iteration& iteration, Step& step) {
  step.state = iteration.state();
  step.rounds = iteration.rounds();
  step.has_state = true;
  step.solve_error = iteration.solve_error();
  complete(system, iteration.applied(), step);
}

std::string unstable_words(const Model& model, const std::vector<MemberId>& members) {
  if (members.empty()) return {};
  std::vector<std::string> names;
  for (const MemberId m : members) names.push_back(model.members[m].name);
  return fmt::format("; {}: the compression uses up the shear or torsion stiffness of the section",
                     listed(names));
}

/// Two factors with as many digits as tell them apart.
std::string bounds(double low, double high, const std::string& loads) {
  int digits = 3;
  while (digits < 12 && fmt::format("{:.{}f}", low, digits) == fmt::format("{:.{}f}", high, digits))
    ++digits;
  return fmt::format("it stands at {:.{}f} of {} and no longer at {:.{}f}", low, digits, loads,
                     high, digits);
}

/// The mode that the axial forces of the last good state are nearest to.
std::string gives_way(const ElasticFrame& frame, const Step& step) {
  const auto mode = lowest_mode(frame, step);
  if (!mode) return {};
  const Model& model = frame.system->model();
  std::string words = "nearest buckling mode: " + mode->kind;
  if (mode->kind.starts_with("between the ends")) {
    words += ", most in " + model.members[main_member(mode->shares)].name;
  } else if (mode->shape.furthest.valid()) {
    words += ", most at " + model.nodes[mode->shape.furthest].name;
  }
  return words;
}

/// Brings the load up where the full load does not stand from first-order forces.
class LoadPath {
 public:
  LoadPath(const ElasticFrame& frame, Iteration& iteration, const StartForces& first, Step& step)
      : frame_(frame), iteration_(iteration), per_load_(first), step_(step) {}

  /// `end`: how the full load ended from first-order forces.
  void follow(Iteration::End end) {
    negative_ = iteration_.negative_pivots();
    unstable_ = iteration_.unstable_members();
    ended_ = end;
    const int most = iteration_.factor().flops() > kCostlyFlops ? kCostlyBisections : kBisections;
    for (int i = 0; i < most && high_ - low_ > kCloseEnough * high_; ++i) {
      const double middle = (low_ + high_) / 2;
      if (!stands_at(middle)) {
        high_ = middle;
        continue;
      }
      const bool first_good = low_ == 0;
      low_ = middle;
      // Forces that went another way on the bent shape may carry the full load after all.
      if ((first_good || low_ > kNearFull) && stands_at(1)) return;
    }
    tell();
  }

 private:
  static constexpr double kCloseEnough = 1e-6, kNearFull = 0.9;

  bool stands_at(double factor) {
    const Iteration::End end = iteration_.run(factor, times(per_load_, factor));
    if (end == Iteration::End::converged) {
      take(*frame_.system, iteration_, step_);
      per_load_ = times(iteration_.forces(), 1 / factor);
      return true;
    }
    if (factor <= high_) ended_ = end;
    return false;
  }

  void tell() {
    step_.outcome.stands_at = low_;
    step_.outcome.fails_at = high_;
    if (ended_ == Iteration::End::limit) {
      step_.outcome.verdict = Verdict::iteration_limit;
      step_.outcome.reason = fmt::format(
          "not converged: equilibrium was found at {:.6g} of {}; at {:.6g} the iteration did not "
          "settle, though the tangent has no negative pivot",
          low_, step_.loads.name, high_);
      return;
    }
    step_.outcome.verdict = Verdict::above_critical_load;
    step_.outcome.negative_pivots = negative_;
    const std::string count = negative_ ? fmt::format("{} negative pivot{} at the full load",
                                                      *negative_, *negative_ == 1 ? "" : "s")
                                        : "negative pivots at the full load (not counted)";
    const std::string motion = step_.has_state ? gives_way(frame_, step_) : "";
    step_.outcome.reason = fmt::format(
        "above the critical load: {} ({}){}{}", bounds(low_, high_, step_.loads.name), count,
        motion.empty() ? "" : "; " + motion, unstable_words(frame_.system->model(), unstable_));
  }

  const ElasticFrame& frame_;
  Iteration& iteration_;
  StartForces per_load_;  // axial forces over the load factor
  Step& step_;
  Iteration::End ended_ = Iteration::End::not_definite;
  std::optional<int> negative_;
  std::vector<MemberId> unstable_;
  double low_ = 0, high_ = 1;
};

void remark_on_convergence(const Step& baseline, Step& step) {
  const double grown = amplification(baseline.state, step.state);
  if (grown < kLargeAmplification) return;
  step.outcome.reason = fmt::format(
      "close to the critical load: displacements are {:.1f} times first-order after {} "
      "rounds; small changes of stiffness or load change the result much",
      grown, step.rounds.size());
}

/// The axial forces that `axial_from` makes: of equilibrium on the bent shape under those loads
/// alone. Empty, with the reason, if there is none.
std::optional<StartForces> axial_forces_of(const ElasticFrame& frame, const AnalysisSpec& spec,
                                           std::string& reason) {
  const FrameSystem& system = *frame.system;
  AnalysisSpec first;
  first.loads = {*spec.axial_from};
  const Step baseline = first_order(frame, first).front();
  if (!baseline.outcome.stands()) {
    reason = baseline.outcome.reason;
    return std::nullopt;
  }
  Iteration iteration(frame, spec, *spec.axial_from);
  const auto end = iteration.run(1, system.axial_forces(*baseline.applied, baseline.state));
  if (end == Iteration::End::converged) {
    return system.mean_axial_forces(*iteration.applied(), iteration.state());
  }
  reason = fmt::format("the loads of axial_from, {}, are above their critical load",
                       spec.axial_from->name);
  return std::nullopt;
}

/// Equilibrium under one set of loads with axial forces that are given.
void solve_with_given(const ElasticFrame& frame, const AnalysisSpec& spec,
                      const StartForces& forces, const Step& baseline, Step& step) {
  if (!baseline.outcome.stands()) {
    step.outcome = baseline.outcome;
    return;
  }
  Iteration iteration(frame, spec, step.loads);
  iteration.give_axial_forces(forces);
  if (iteration.run(1, forces) == Iteration::End::converged) {
    take(*frame.system, iteration, step);
    return;
  }
  step.outcome.verdict = Verdict::above_critical_load;
  step.outcome.reason = fmt::format("above the critical load: the axial forces of {} are too large",
                                    spec.axial_from->name);
}

void solve_one(const ElasticFrame& frame, const AnalysisSpec& spec, const Step& baseline,
               Step& step) {
  if (!baseline.outcome.stands()) {
    step.outcome = baseline.outcome;
    return;
  }
  const StartForces first = frame.system->axial_forces(*baseline.applied, baseline.state);
  Iteration iteration(frame, spec, step.loads);
  const Iteration::End end = iteration.run(1, first);
  switch (end) {
    case Iteration::End::converged:
      take(*frame.system, iteration, step);
      break;
    case Iteration::End::not_definite:
      if (baseline.solve_error.first_correction > kRoundingCounts) {
        step.outcome = {
            Verdict::unreliable,
            "rounding hides whether the tangent has negative pivots: very stiff or very "
            "short members meet soft or long ones",
            {},
            0,
            0};
        return;
      }
      LoadPath(frame, iteration, first, step).follow(end);
      break;
    case Iteration::End::limit:
      LoadPath(frame, iteration, first, step).follow(end);
      if (step.rounds.empty()) step.rounds = iteration.rounds();
      break;
    case Iteration::End::not_finite:
      step.outcome = {Verdict::not_solvable, "the displacements overflow", {}, 0, 0};
      return;
  }
  if (!step.outcome.stands() || !step.has_state) return;
  remark_on_convergence(baseline, step);
  judge(step);
  if (iteration.stagnated()) {
    step.outcome.reason += fmt::format(
        "{}rounds stop at changes of {:.0e}: very stiff and very soft parts meet, and the digits "
        "between them are lost; look for rigid dummies or springs far stiffer than the frame",
        step.outcome.reason.empty() ? "" : "; ",
        std::max(step.rounds.back().change_u, step.rounds.back().change_n));
  }
}

}  // namespace

std::vector<Step> p_delta(const ElasticFrame& frame, const AnalysisSpec& spec,
                          const std::vector<Step>& baseline, const Progress& progress) {
  std::vector<Step> steps(spec.loads.size());
  std::atomic<int> done = 0;
  std::optional<StartForces> given;
  std::string no_forces;
  if (spec.axial_from && frame.stands()) given = axial_forces_of(frame, spec, no_forces);
  const auto solve = [&](std::size_t i) {
    if (progress) progress(spec.name, double(done) / double(spec.loads.size()));
    Step& step = steps[i];
    step.analysis = spec.name;
    step.kind = spec.kind;
    step.loads = spec.loads[i];
    step.label = spec.loads[i].name;
    step.split = spec.split;
    if (given) {
      solve_with_given(frame, spec, *given, baseline[i], step);
    } else if (!no_forces.empty()) {
      step.outcome = {Verdict::above_critical_load, no_forces, {}, 0, 0};
    } else {
      solve_one(frame, spec, baseline[i], step);
    }
    ++done;
  };
  // Sets of loads do not know of each other. Those of a large frame share the solver of the
  // first-order factorisation, and a factorisation each would cost its memory.
  if (frame.factor->flops() < kIterativeFlops) {
    tbb::parallel_for(std::size_t{0}, steps.size(), solve);
  } else {
    for (std::size_t i = 0; i < steps.size(); ++i) solve(i);
  }
  return steps;
}

std::vector<MarchStep> march(const ElasticFrame& frame, const AnalysisSpec& spec,
                             const Step& baseline, double guess) {
  std::vector<MarchStep> steps;
  if (!baseline.outcome.stands() || !(guess > 0)) return steps;
  constexpr int kMostSteps = 60;
  const LoadSet& loads = baseline.loads;
  StartForces per_load = frame.system->axial_forces(*baseline.applied, baseline.state);
  Iteration iteration(frame, spec, loads);
  double low = 0, high = 0, next = guess / 2;
  while (static_cast<int>(steps.size()) < kMostSteps) {
    MarchStep step;
    step.factor = next;
    step.stands = iteration.run(next, times(per_load, next)) == Iteration::End::converged;
    step.rounds = static_cast<int>(iteration.rounds().size());
    if (!iteration.rounds().empty()) step.residual = iteration.rounds().back().residual;
    step.negative_pivots = step.stands ? std::optional<int>(0) : iteration.negative_pivots();
    steps.push_back(step);
    if (step.stands) {
      low = next;
      per_load = times(iteration.forces(), 1 / next);
    } else {
      high = next;
    }
    if (high > 0 && high - low <= kMarchTolerance * high) break;
    // Near the guess first; where that says nothing, doubling and halving.
    if (high == 0) {
      next = low < 0.98 * guess ? 0.98 * guess : 1.25 * low;
    } else {
      next = (low + high) / 2;
    }
  }
  return steps;
}

}  // namespace ulterix
