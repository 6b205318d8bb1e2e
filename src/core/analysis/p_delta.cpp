#include "core/analysis/p_delta.hpp"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cmath>

#include "core/analysis/first_order.hpp"
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
/// Displacements this many times first-order are worth a word.
constexpr double kLargeAmplification = 5;

using AxialForces = IndexedVector<MemberId, double>;

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
  void give_axial_forces(const AxialForces& forces) { given_ = forces; }

  /// Iterates at load factor lambda from the given axial forces; on success state() and forces()
  /// hold the result.
  End run(double lambda, const AxialForces& start);

  const State& state() const { return state_; }
  const AxialForces& forces() const { return forces_; }
  const std::vector<ConvergenceRound>& rounds() const { return rounds_; }
  std::optional<int> negative_pivots() const { return negative_pivots_; }
  const std::vector<MemberId>& unstable_members() const { return unstable_; }
  const Factorisation& factor() const { return factor_; }
  const std::shared_ptr<const AppliedLoads>& applied() const { return applied_; }

  /// True if the last run ended in rounding, short of its tolerance.
  bool stagnated() const { return stagnates_; }

  /// The shape that gives way first: the softest motion of the last good tangent.
  std::string softest_motion(double lambda);

 private:
  /// Solves a round; false if the tangent has negative pivots. `proven` tells whether it was
  /// factorised, which a large frame leaves to the last round.
  bool solve(const Assembly& assembly, VectorXd& q, bool& proven);
  bool definite(const Assembly& assembly);
  bool stagnates() const;
  ConvergenceRound compare(const State& before, const State& after, const AxialForces& old_forces,
                           const AxialForces& new_forces) const;

  const ElasticFrame& frame_;
  const FrameSystem& system_;
  Factorisation factor_;
  const AnalysisSpec& spec_;
  const LoadSet& loads_;
  std::shared_ptr<const AppliedLoads> applied_;  // of the last run
  State state_;
  AxialForces forces_;
  std::vector<ConvergenceRound> rounds_;
  std::optional<int> negative_pivots_;
  std::vector<MemberId> unstable_;
  bool stagnates_ = false;
  std::optional<AxialForces> given_;
};

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
  q = solve_refined(system_, factor_, assembly.values, assembly.rhs);
  return true;
}

ConvergenceRound Iteration::compare(const State& before, const State& after,
                                    const AxialForces& old_forces,
                                    const AxialForces& new_forces) const {
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

Iteration::End Iteration::run(double lambda, const AxialForces& start) {
  rounds_.clear();
  negative_pivots_.reset();
  applied_ = std::make_shared<AppliedLoads>(system_.variant(), scaled(loads_, lambda));
  const AppliedLoads& applied = *applied_;
  AxialForces forces = given_.value_or(start);
  State before(system_.model());
  VectorXd q = VectorXd::Zero(system_.dofs().size());
  bool last = factor_.flops() < kIterativeFlops;
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
    const AxialForces found = system_.axial_forces(applied, now);
    ConvergenceRound record = compare(before, now, forces, found);
    const VectorXd rest = assembly.rhs - multiply(system_.pattern(), assembly.values, q);
    const double load = assembly.rhs.lpNorm<Eigen::Infinity>();
    record.residual = load > 0 ? rest.lpNorm<Eigen::Infinity>() / load : 0;
    rounds_.push_back(record);
    before = now;
    if (!given_) forces = found;
    stagnates_ = stagnates();
    const bool small = given_.has_value() ||
                       (record.change_u <= spec_.tolerance && record.change_n <= spec_.tolerance);
    if (small || stagnates_) {
      state_ = now;
      forces_ = found;
      if (proven) return End::converged;
      last = true;
    }
  }
  return End::limit;
}

std::string Iteration::softest_motion(double lambda) {
  State at = state_;
  const AppliedLoads applied(system_.variant(), scaled(loads_, lambda));
  const Assembly assembly = system_.assemble(applied, at, spec_.split);
  if (factor_.factorise(assembly.values) != FactorStatus::positive_definite) return {};
  Eigen::MatrixXd phi(system_.dofs().size(), 1);
  for (Eigen::Index i = 0; i < phi.rows(); ++i) phi(i, 0) = std::sin(1.0 + 7.0 * double(i));
  for (int i = 0; i < 6; ++i) {
    factor_.solve(phi);
    phi /= phi.norm();
  }
  int best = -1;
  double largest = 0;
  for (int q = 0; q < phi.rows(); ++q) {
    if (system_.dofs().direction_of(q) >= 3 || std::abs(phi(q, 0)) <= largest * (1 + 1e-9))
      continue;
    largest = std::abs(phi(q, 0));
    best = q;
  }
  if (best < 0) return "a rotation gives way";
  return fmt::format("it gives way along {}, most at {}",
                     kAxisNames[system_.dofs().direction_of(best)],
                     system_.model().nodes[system_.dofs().node_of(best)].name);
}

AxialForces times(AxialForces forces, double factor) {
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
  complete(system, iteration.applied(), step);
}

std::string unstable_words(const Model& model, const std::vector<MemberId>& members) {
  if (members.empty()) return {};
  std::vector<std::string> names;
  for (const MemberId m : members) names.push_back(model.members[m].name);
  return fmt::format("; {}: the compression uses up the shear or torsion stiffness of the section",
                     listed(names));
}

/// Brings the load up where the full load does not stand from first-order forces.
void bring_up(const ElasticFrame& frame, Iteration& iteration, const AxialForces& first,
              Step& step) {
  const std::optional<int> negative = iteration.negative_pivots();
  const std::string sections = unstable_words(frame.system->model(), iteration.unstable_members());
  const int most = iteration.factor().flops() > kCostlyFlops ? kCostlyBisections : kBisections;
  double low = 0, high = 1;
  AxialForces per_load = first;  // axial forces over lambda
  for (int i = 0; i < most; ++i) {
    const double middle = (low + high) / 2;
    if (iteration.run(middle, times(per_load, middle)) != Iteration::End::converged) {
      high = middle;
      continue;
    }
    const bool first_good = low == 0;
    low = middle;
    take(*frame.system, iteration, step);
    per_load = times(iteration.forces(), 1 / middle);
    // Forces that went another way on the bent shape may carry the full load after all.
    if (first_good && iteration.run(1, per_load) == Iteration::End::converged) {
      take(*frame.system, iteration, step);
      return;
    }
  }
  step.outcome.verdict = Verdict::above_critical_load;
  step.outcome.negative_pivots = negative;
  step.outcome.stands_at = low;
  step.outcome.fails_at = high;
  const std::string count = negative ? fmt::format("{} negative pivot{} at the full load",
                                                   *negative, *negative == 1 ? "" : "s")
                                     : "negative pivots at the full load (not counted)";
  const std::string motion = step.has_state ? iteration.softest_motion(low) : "";
  step.outcome.reason = fmt::format(
      "above the critical load: it stands at {:.3f} of {} and no longer at {:.3f} ({}){}{}", low,
      step.loads.name, high, count, motion.empty() ? "" : "; " + motion, sections);
}

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
std::optional<AxialForces> axial_forces_of(const ElasticFrame& frame, const AnalysisSpec& spec,
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
                      const AxialForces& forces, const Step& baseline, Step& step) {
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
  const AxialForces first = frame.system->axial_forces(*baseline.applied, baseline.state);
  Iteration iteration(frame, spec, step.loads);
  switch (iteration.run(1, first)) {
    case Iteration::End::converged:
      take(*frame.system, iteration, step);
      remark_on_convergence(baseline, step);
      if (iteration.stagnated()) {
        step.outcome.reason += fmt::format(
            "{}rounds stop at changes of {:.0e}: very stiff and very soft parts meet, and the "
            "digits "
            "between them are lost; look for rigid dummies or springs far stiffer than the frame",
            step.outcome.reason.empty() ? "" : "; ",
            std::max(step.rounds.back().change_u, step.rounds.back().change_n));
      }
      return;
    case Iteration::End::not_definite:
      bring_up(frame, iteration, first, step);
      return;
    case Iteration::End::limit:
      step.rounds = iteration.rounds();
      step.outcome.verdict = Verdict::iteration_limit;
      step.outcome.reason = fmt::format(
          "no equilibrium within {} rounds: the last changed displacements by {:.1e} and axial "
          "forces by {:.1e} (wanted {:.0e}); near the critical load this is slow: raise "
          "iterations, "
          "or stiffen the frame",
          step.rounds.size(), step.rounds.back().change_u, step.rounds.back().change_n,
          spec.tolerance);
      return;
    case Iteration::End::not_finite:
      step.outcome = {Verdict::not_solvable, "the displacements overflow", {}, 0, 0};
      return;
  }
}

}  // namespace

std::vector<Step> p_delta(const ElasticFrame& frame, const AnalysisSpec& spec,
                          const std::vector<Step>& baseline, const Progress& progress) {
  std::vector<Step> steps(spec.loads.size());
  std::atomic<int> done = 0;
  std::optional<AxialForces> given;
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
  AxialForces per_load = frame.system->axial_forces(*baseline.applied, baseline.state);
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
