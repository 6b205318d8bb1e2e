#include "core/analysis/buckling.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/analysis/buckling_solver.hpp"
#include "core/analysis/first_order.hpp"
#include "core/analysis/p_delta.hpp"
#include "core/analysis/restraints.hpp"

namespace ulterix {

namespace {

/// The frame without what strains it beside loads: beside constant loads that stays with them, and
/// does not grow.
ElasticFrame without_strains(const ElasticFrame& frame) {
  Situation situation = frame.system->situation();
  situation.strained = false;
  return make_elastic_frame(std::move(situation), {}, frame.system->topology());
}

/// What stays while the loads of an analysis grow.
struct Staying {
  const Step* step = nullptr;  ///< of the constant loads, or the state; none: nothing stays
  bool is_state = false;
  std::optional<AxialForces> forces;

  const AxialForces* acting() const { return forces ? &*forces : nullptr; }
};

/// One direction more held than in the analysis; the new factor, if the frame still buckles.
std::optional<double> factor_with(const ElasticFrame& frame, const AnalysisSpec& spec,
                                  const LoadSet& loads, const Staying& given,
                                  const RestraintGain& gain) {
  const ElasticFrame held = with_restraint(frame, gain);
  if (!held.stands()) return std::nullopt;
  const auto forces = [&](const ElasticFrame& of,
                          const LoadSet& set) -> std::optional<AxialForces> {
    AnalysisSpec first;
    first.loads = {set};
    const Step step = first_order(of, first).front();
    if (!step.has_state) return std::nullopt;
    return axial_forces_along(Recovery(step));
  };
  std::optional<AxialForces> grows, stays;
  if (given.is_state) {
    grows = forces(held, loads);
    stays = given.forces;
  } else if (spec.buckling().constant) {
    grows = forces(without_strains(held), loads);
    stays = forces(held, *spec.buckling().constant);
    if (!stays) return std::nullopt;
  } else {
    grows = forces(held, loads);
  }
  if (!grows) return std::nullopt;
  const auto mode = find_lowest_mode(held, {&*grows, stays ? &*stays : nullptr});
  return mode ? std::optional(mode->factor) : std::nullopt;
}

Outcome outcome_of(const BucklingResult& result, const LoadSet& loads) {
  Outcome outcome;
  if (result.constant_too_large) {
    outcome.verdict = Verdict::above_critical_load;
    outcome.reason = result.remarks.front();
    return outcome;
  }
  if (result.unreliable) {
    outcome.verdict = Verdict::unreliable;
    outcome.reason = result.remarks.empty() ? "not sure to six digits" : result.remarks.front();
    return outcome;
  }
  if (result.modes.empty()) {
    outcome.reason = result.remarks.empty() ? "no member is compressed: no buckling factor"
                                            : result.remarks.front();
    if (result.negative) {
      outcome.reason += fmt::format("; the load would have to be reversed, factor {:.4g}",
                                    result.negative->factor);
    }
    return outcome;
  }
  const double lowest = result.lowest();
  outcome.stands_at = lowest;
  if (lowest < 1) {
    outcome.verdict = Verdict::buckles_below_load;
    outcome.reason = fmt::format("buckles at {:.0f} % of {}", 100 * lowest, loads.name);
  }
  return outcome;
}

/// The factor by stepping the load, beside that of the linear eigenproblem, and what the difference
/// means.
void step_load(const ElasticFrame& frame, const Step& first, BucklingResult& result) {
  const double linear = result.modes.front().factor;
  result.levels = load_levels(frame, first, linear);
  double low = 0, high = 0;
  for (const LoadLevel& s : result.levels) {
    if (s.stands) low = std::max(low, s.factor);
    if (!s.stands && (high == 0 || s.factor < high)) high = s.factor;
  }
  if (high == 0) {
    result.remarks.push_back(fmt::format("stepping the load found no end up to {:.4g}", low));
    return;
  }
  result.incremental_factor = (low + high) / 2;
  const double difference = *result.incremental_factor / linear - 1;
  if (std::abs(difference) < 1e-3) {
    result.remarks.push_back(
        fmt::format("stepping the load ends at {:.4g}, as the linear eigenproblem says",
                    *result.incremental_factor));
    return;
  }
  result.remarks.push_back(
      fmt::format("stepping the load ends at {:.4g}, the linear eigenproblem at {:.4g}: the frame "
                  "bends before it "
                  "buckles, and its axial forces move {} the members that give way",
                  *result.incremental_factor, linear, difference < 0 ? "towards" : "away from"));
}

/// One set of loads of a buckling analysis.
void solve_set(const ElasticFrame& frame, const AnalysisSpec& spec, const Step& first,
               const Staying& stays, FoundBefore& before, Step& step) {
  const Step* constant = stays.step;
  step.outcome = constant != nullptr && first.outcome.stands() ? constant->outcome : first.outcome;
  if (!step.outcome.stands()) return;
  step.outcome = {};
  BucklingOptions options;
  options.wanted = spec.buckling().modes > 0 ? spec.buckling().modes : kDefaultBucklingModes;
  options.functions = spec.buckling().functions;
  options.tolerance = spec.buckling().tolerance;
  const int wanted = options.wanted;
  const AxialForces grows = axial_forces_along(Recovery(first));
  auto result = std::make_shared<BucklingResult>(
      find_factors(frame, {&grows, stays.acting()}, options, before));
  const auto downward = [&frame](const Step& s) {
    return -s.equilibrium.loads[frame.system->model().vertical];
  };
  result->vertical = downward(first);
  if (constant != nullptr) result->vertical_stays = downward(*constant);
  const auto shaped = std::find_if(result->modes.begin(), result->modes.end(),
                                   [](const BucklingMode& m) { return !m.torsional_limit; });
  if (shaped != result->modes.end()) {
    // dλ/dk = φ²/(φᵀ(−Kg)φ) = λ·φ²/(φᵀKφ).
    result->gains =
        rank_restraints(*frame.system, shaped->shape, shaped->factor / shaped->stiffness);
    // Below 1 the best restraint is told without being asked for.
    const int asked = std::max(spec.buckling().try_restraints, result->lowest() < 1 ? 1 : 0);
    const auto tries = std::min<std::size_t>(result->gains.size(), std::size_t(asked));
    for (std::size_t i = 0; i < tries; ++i) {
      result->gains[i].held = factor_with(frame, spec, step.loads, stays, result->gains[i]);
    }
    if (spec.buckling().incremental) step_load(frame, first, *result);
    const int few = static_cast<int>(result->modes.size());
    if (few < wanted && !result->limited) {
      result->remarks.push_back(
          fmt::format("{} modes requested, only {} exist with a positive factor", wanted, few));
    }
  }
  step.outcome = outcome_of(*result, step.loads);
  step.buckling = result;
}

}  // namespace

std::vector<Step> buckling(const ElasticFrame& given, const AnalysisSpec& spec,
                           const std::vector<Step>& baseline, const Progress& progress,
                           const Step* state) {
  // Restraints of this analysis alone change the axial forces as well.
  std::optional<ElasticFrame> own;
  if (!spec.holds.empty()) {
    own.emplace(make_elastic_frame(with_holds(given.system->situation(), spec.holds)));
  }
  const ElasticFrame& frame = own ? *own : given;
  std::vector<Step> first = baseline;
  AnalysisSpec linear;
  linear.loads = spec.loads;
  std::optional<Step> constant;
  std::optional<ElasticFrame> unstrained;
  if (state == nullptr && spec.buckling().constant) {
    unstrained.emplace(without_strains(frame));
    first = first_order(*unstrained, linear);
    linear.loads = {*spec.buckling().constant};
    constant = first_order(frame, linear).front();
  } else if (own) {
    first = first_order(frame, linear);
  }
  Staying stays{constant ? &*constant : state, state != nullptr, {}};
  if (stays.step != nullptr && stays.step->has_state) {
    stays.forces = axial_forces_along(Recovery(*stays.step));
  }
  std::vector<Step> steps(spec.loads.size());
  FoundBefore before;
  for (std::size_t i = 0; i < steps.size(); ++i) {
    if (progress) progress(spec.name, double(i) / double(steps.size()));
    Step& step = steps[i] = begin_step(spec, spec.loads[i]);
    const auto about = frame_about(frame, first[i]);
    solve_set(about ? *about : frame, spec, first[i], stays, before, step);
  }
  return steps;
}

std::optional<BucklingMode> lowest_mode(const ElasticFrame& frame, const Step& step) {
  if (!step.has_state) return std::nullopt;
  const AxialForces grows = axial_forces_along(Recovery(step));
  const auto about = frame_about(frame, step);
  return find_lowest_mode(about ? *about : frame, {&grows, nullptr});
}

}  // namespace ulterix
