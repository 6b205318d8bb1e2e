#include "core/analysis/buckling.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/analysis/buckling_solver.hpp"
#include "core/analysis/first_order.hpp"
#include "core/analysis/p_delta.hpp"
#include "core/analysis/restraints.hpp"
#include "core/analysis/split_plan.hpp"

namespace ulterix {

namespace {

constexpr int kDefaultModes = 5;

/// One direction more held than in the analysis; the new factor, if the frame still buckles.
std::optional<double> factor_with(const ElasticFrame& frame, const AnalysisSpec& spec,
                                  const LoadSet& loads, const RestraintGain& gain) {
  const ElasticFrame held = with_restraint(frame, gain);
  if (!held.stands()) return std::nullopt;
  AnalysisSpec first;
  first.loads = {loads};
  const Step step = first_order(held, first).front();
  std::optional<Step> constant;
  if (spec.constant) {
    first.loads = {*spec.constant};
    constant = first_order(held, first).front();
  }
  const Recovery grows(*held.system, step);
  std::optional<Recovery> stays;
  if (constant) stays.emplace(*held.system, *constant);
  return find_lowest_factor(held, {&grows, stays ? &*stays : nullptr}, mode_accuracy(*held.system));
}

Outcome outcome_of(const BucklingResult& result, const LoadSet& loads) {
  Outcome outcome;
  if (result.modes.empty()) {
    outcome.reason = result.remarks.empty() ? "no positive factor: no member is in compression"
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
void march_up(const ElasticFrame& frame, const AnalysisSpec& spec, const Step& first,
              BucklingResult& result) {
  const double linear = result.modes.front().factor;
  result.march = march(frame, spec, first, linear);
  double low = 0, high = 0;
  for (const MarchStep& s : result.march) {
    if (s.stands) low = std::max(low, s.factor);
    if (!s.stands && (high == 0 || s.factor < high)) high = s.factor;
  }
  if (high == 0) {
    result.remarks.push_back(fmt::format("the march found no end up to {:.4g}", low));
    return;
  }
  result.march_factor = (low + high) / 2;
  const double difference = *result.march_factor / linear - 1;
  if (std::abs(difference) < 1e-3) {
    result.remarks.push_back(fmt::format(
        "stepping the load ends at {:.4g}, as the linear eigenproblem says", *result.march_factor));
    return;
  }
  result.remarks.push_back(
      fmt::format("stepping the load ends at {:.4g}, the linear eigenproblem at {:.4g}: the frame "
                  "bends before it "
                  "buckles, and its axial forces move {} the members that give way",
                  *result.march_factor, linear, difference < 0 ? "towards" : "away from"));
}

/// What buckles under one set of loads; nothing where first-order does not stand.
struct Buckles {
  Outcome first_order;
  std::optional<Recovery> grows, stays;
  FirstCut cut;

  AxialState axial() const { return {&*grows, stays ? &*stays : nullptr}; }
};

Buckles buckles(const ElasticFrame& frame, const Step& first, const Step* constant) {
  Buckles b;
  b.first_order = first.outcome;
  if (constant != nullptr && first.outcome.stands()) b.first_order = constant->outcome;
  if (!b.first_order.stands()) return b;
  b.grows.emplace(*frame.system, first);
  if (constant != nullptr) b.stays.emplace(*frame.system, *constant);
  b.cut = first_cut(frame, b.axial());
  return b;
}

/// Large frames are cut once for all sets of loads, which share what is made of the pieces.
void cut_together(std::vector<Buckles>& sets) {
  IndexedVector<MemberId, int> counts;
  for (const Buckles& b : sets) {
    if (!b.cut.chosen) continue;
    if (counts.empty()) counts = b.cut.counts;
    raise(counts, b.cut.counts);
  }
  for (Buckles& b : sets) {
    if (b.cut.chosen) b.cut.counts = counts;
  }
}

/// One set of loads of a buckling analysis.
void solve_set(const ElasticFrame& frame, const AnalysisSpec& spec, const Step& first,
               const Step* constant, const Buckles& set, FoundBefore& before, Step& step) {
  if (!set.first_order.stands()) {
    step.outcome = set.first_order;
    return;
  }
  const int wanted = spec.modes > 0 ? spec.modes : kDefaultModes;
  auto result = std::make_shared<BucklingResult>(
      find_factors(frame, set.axial(), wanted, mode_accuracy(*frame.system), set.cut, before));
  const auto downward = [&frame](const Step& s) {
    return -s.equilibrium.loads[frame.system->model().vertical];
  };
  result->vertical = downward(first);
  if (constant != nullptr) result->vertical_stays = downward(*constant);
  if (!result->modes.empty()) {
    // dλ/dk = φ²/(φᵀ(−Kg)φ) = λ·φ²/(φᵀKφ).
    const BucklingMode& lowest = result->modes.front();
    result->gains = rank_restraints(*frame.system, lowest.shape, lowest.factor / lowest.stiffness);
    const auto tries =
        std::min<std::size_t>(result->gains.size(), std::size_t(spec.try_restraints));
    for (std::size_t i = 0; i < tries; ++i) {
      result->gains[i].held = factor_with(frame, spec, step.loads, result->gains[i]);
    }
    if (spec.march) march_up(frame, spec, first, *result);
    const int few = static_cast<int>(result->modes.size());
    if (few < wanted) {
      result->remarks.push_back(
          fmt::format("{} modes asked, {} there are with a positive factor", wanted, few));
    }
  }
  step.outcome = outcome_of(*result, step.loads);
  step.buckling = result;
}

}  // namespace

std::vector<Step> buckling(const ElasticFrame& given, const AnalysisSpec& spec,
                           const std::vector<Step>& baseline, const Progress& progress) {
  // Restraints of this analysis alone change the axial forces as well.
  std::optional<ElasticFrame> own;
  if (!spec.holds.empty()) {
    own.emplace(make_elastic_frame(with_holds(given.system->variant(), spec.holds)));
  }
  const ElasticFrame& frame = own ? *own : given;
  std::vector<Step> first = baseline;
  AnalysisSpec linear;
  if (own) {
    linear.loads = spec.loads;
    first = first_order(frame, linear);
  }
  std::optional<Step> constant;
  if (spec.constant) {
    linear.loads = {*spec.constant};
    constant = first_order(frame, linear).front();
  }
  const Step* stays = constant ? &*constant : nullptr;
  std::vector<Buckles> sets;
  for (std::size_t i = 0; i < spec.loads.size(); ++i) {
    sets.push_back(buckles(frame, first[i], stays));
  }
  cut_together(sets);
  std::vector<Step> steps(spec.loads.size());
  FoundBefore before;
  for (std::size_t i = 0; i < steps.size(); ++i) {
    if (progress) progress(spec.name, double(i) / double(steps.size()));
    Step& step = steps[i];
    step.analysis = spec.name;
    step.kind = spec.kind;
    step.loads = spec.loads[i];
    step.label = spec.loads[i].name;
    solve_set(frame, spec, first[i], stays, sets[i], before, step);
  }
  return steps;
}

std::optional<double> lowest_factor(const ElasticFrame& frame, const Step& step) {
  if (!step.has_state || step.state.lambda != 1) return std::nullopt;
  const Recovery state(*frame.system, step);
  return find_lowest_factor(frame, {&state, nullptr}, {1e-3, 3e-3});
}

}  // namespace ulterix
