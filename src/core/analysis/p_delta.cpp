#include "core/analysis/p_delta.hpp"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cmath>

#include "core/analysis/buckling.hpp"
#include "core/analysis/first_order.hpp"
#include "core/analysis/p_delta_rounds.hpp"
#include "core/results/mode_kind.hpp"
#include "core/results/recovery.hpp"
#include "core/system/mechanism_words.hpp"

namespace ulterix {

namespace {

/// Bisection of the load factor where the full load does not stand.
constexpr int kBisections = 12;
/// With more work than this a factorisation, fewer.
constexpr double kCostlyFlops = 1e10;
constexpr int kCostlyBisections = 6;
/// Where refinement corrects first-order by more, pivots of the tangent tell nothing.
constexpr double kRoundingCounts = 1e-4;
/// Displacements this many times first-order are worth a word.
constexpr double kLargeAmplification = 5;

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

std::string unstable_words(const Model& model, const std::vector<MemberId>& members) {
  if (members.empty()) return {};
  std::vector<std::string> names;
  for (const MemberId m : members) names.push_back(model.members[m].name);
  return fmt::format(
      "; {}: compression exceeds the shear or torsional buckling load of the section",
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
  LoadPath(const ElasticFrame& frame, PDeltaRounds& iteration, const StartForces& first, Step& step)
      : frame_(frame), iteration_(iteration), per_load_(first), step_(step) {}

  /// `end`: how the full load ended from first-order forces.
  void follow(PDeltaRounds::End end) {
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
    const PDeltaRounds::End end = iteration_.run(factor, times(per_load_, factor));
    if (end == PDeltaRounds::End::converged) {
      iteration_.give(step_);
      per_load_ = times(iteration_.forces(), 1 / factor);
      return true;
    }
    if (factor <= high_) ended_ = end;
    return false;
  }

  void tell() {
    step_.outcome.stands_at = low_;
    step_.outcome.fails_at = high_;
    if (ended_ == PDeltaRounds::End::limit) {
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
  PDeltaRounds& iteration_;
  StartForces per_load_;  // axial forces over the load factor
  Step& step_;
  PDeltaRounds::End ended_ = PDeltaRounds::End::not_definite;
  std::optional<int> negative_;
  std::vector<MemberId> unstable_;
  double low_ = 0, high_ = 1;
};

void remark_on_convergence(const Step& baseline, Step& step) {
  const double grown = amplification(baseline.state, step.state);
  if (grown < kLargeAmplification) return;
  step.outcome.reason = fmt::format(
      "close to the critical load: displacements are {:.1f} times first-order after {} "
      "iterations; small changes of stiffness or load change the result much",
      grown, step.rounds.size());
}

/// The axial forces that `axial_from` makes: of equilibrium on the bent shape under those loads
/// alone. Empty, with the reason, if there is none.
std::optional<StartForces> axial_forces_of(const ElasticFrame& frame, const AnalysisSpec& spec,
                                           std::string& reason) {
  const FrameSystem& system = *frame.system;
  AnalysisSpec first;
  first.loads = {*spec.p_delta().axial_from};
  const Step baseline = first_order(frame, first).front();
  if (!baseline.outcome.stands()) {
    reason = baseline.outcome.reason;
    return std::nullopt;
  }
  PDeltaRounds iteration(frame, spec.p_delta(), *spec.p_delta().axial_from);
  const auto end = iteration.run(1, system.axial_forces(*baseline.applied, baseline.state));
  if (end == PDeltaRounds::End::converged) {
    return system.mean_axial_forces(*iteration.applied(), iteration.state());
  }
  reason = fmt::format("the loads of axial_from, {}, are above their critical load",
                       spec.p_delta().axial_from->name);
  return std::nullopt;
}

/// Equilibrium under one set of loads with axial forces that are given.
void solve_with_given(const ElasticFrame& frame, const AnalysisSpec& spec,
                      const StartForces& forces, const Step& baseline, Step& step) {
  if (!baseline.outcome.stands()) {
    step.outcome = baseline.outcome;
    return;
  }
  PDeltaRounds iteration(frame, spec.p_delta(), step.loads);
  iteration.give_axial_forces(forces);
  if (iteration.run(1, forces) == PDeltaRounds::End::converged) {
    iteration.give(step);
    return;
  }
  step.outcome.verdict = Verdict::above_critical_load;
  step.outcome.reason = fmt::format("above the critical load: the axial forces of {} are too large",
                                    spec.p_delta().axial_from->name);
}

}  // namespace

double waves_of(const ElementProperties& properties, double N) {
  if (properties.kind != MemberKind::frame) return 0;
  double EI = std::numeric_limits<double>::max();
  for (const double own : {properties.EIy, properties.EIz}) EI = own > 0 ? std::min(EI, own) : EI;
  return std::abs(N) * properties.length * properties.length / EI;
}

namespace {

/// The member whose axial force is furthest beyond that; nothing where none is.
std::optional<std::string> beyond_reach(const FrameSystem& system, const StartForces& forces) {
  double worst = kMostWaves;
  std::optional<std::string> words;
  for (const MemberId id : forces.ids()) {
    if (!system.situation().present[id]) continue;
    const ElementProperties& p = system.properties(id);
    const double ratio = waves_of(p, forces[id]);
    if (!(ratio > worst)) continue;
    worst = ratio;
    words = fmt::format(
        "the axial force of {} is {:.1e} times its Euler load: look for loads, lengths or sections "
        "in the wrong unit",
        system.model().members[id].name, ratio / (M_PI * M_PI));
  }
  return words;
}

void solve_one(const ElasticFrame& frame, const AnalysisSpec& spec, const Step& baseline,
               Step& step) {
  if (!baseline.outcome.stands()) {
    step.outcome = baseline.outcome;
    return;
  }
  const StartForces first = frame.system->axial_forces(*baseline.applied, baseline.state);
  if (const auto words = beyond_reach(*frame.system, first)) {
    step.outcome = {Verdict::not_solvable, *words, {}, 0, 0};
    return;
  }
  PDeltaRounds iteration(frame, spec.p_delta(), step.loads);
  const PDeltaRounds::End end = iteration.run(1, first);
  switch (end) {
    case PDeltaRounds::End::converged:
      iteration.give(step);
      break;
    case PDeltaRounds::End::not_definite:
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
    case PDeltaRounds::End::limit:
      LoadPath(frame, iteration, first, step).follow(end);
      if (step.rounds.empty()) step.rounds = iteration.rounds();
      break;
    case PDeltaRounds::End::not_finite:
      step.outcome = {Verdict::not_solvable, "the displacements overflow", {}, 0, 0};
      return;
  }
  if (!step.outcome.stands() || !step.has_state) return;
  remark_on_convergence(baseline, step);
  judge(step);
  if (iteration.stagnated()) {
    step.outcome.reason += fmt::format(
        "{}iterations stop at changes of {:.0e}: very stiff and very soft parts meet, and the "
        "digits "
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
  if (spec.p_delta().axial_from && frame.stands()) given = axial_forces_of(frame, spec, no_forces);
  const auto solve = [&](std::size_t i) {
    if (progress) progress(spec.name, double(done) / double(spec.loads.size()));
    Step& step = steps[i] = begin_step(spec, spec.loads[i]);
    step.split = spec.p_delta().split;
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

std::vector<LoadLevel> load_levels(const ElasticFrame& frame, const Step& baseline, double guess) {
  std::vector<LoadLevel> steps;
  if (!baseline.outcome.stands() || !(guess > 0)) return steps;
  constexpr int kMostLevels = 60;
  const LoadSet& loads = baseline.loads;
  StartForces per_load = frame.system->axial_forces(*baseline.applied, baseline.state);
  PDeltaRounds iteration(frame, PDeltaKeys{}, loads);
  double low = 0, high = 0, next = guess / 2;
  while (static_cast<int>(steps.size()) < kMostLevels) {
    LoadLevel step;
    step.factor = next;
    step.stands = iteration.run(next, times(per_load, next)) == PDeltaRounds::End::converged;
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
    if (high > 0 && high - low <= kLevelTolerance * high) break;
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
