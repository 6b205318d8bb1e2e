#include "core/analysis/first_order.hpp"

#include <fmt/format.h>

#include "core/analysis/p_delta_rounds.hpp"
#include "core/results/recovery.hpp"
#include "core/system/mechanism_words.hpp"

namespace ulterix {

namespace {

Outcome why_it_fails(const ElasticFrame& frame) {
  Outcome outcome;
  if (!frame.mechanisms.empty()) {
    outcome.verdict = Verdict::mechanism;
    for (const Mechanism& m : frame.mechanisms) {
      if (!outcome.reason.empty()) outcome.reason += " | ";
      outcome.reason += m.words;
    }
  } else {
    outcome.verdict = Verdict::not_solvable;
    outcome.reason = frame.trouble;
  }
  return outcome;
}

Outcome why_cables_fail(const ElasticFrame& frame, PDeltaRounds::End end) {
  Outcome outcome;
  std::vector<std::string> names;
  for (const MemberId id : frame.system->cables()) {
    names.push_back(frame.system->model().members[id].name);
  }
  const std::string cables = listed(names);
  switch (end) {
    case PDeltaRounds::End::not_finite:
      outcome = {Verdict::not_solvable, "the displacements overflow", {}, 0, 0};
      break;
    case PDeltaRounds::End::not_definite:
      outcome.verdict = Verdict::mechanism;
      outcome.reason =
          "with cables that are slack in this state the frame is free to move (cables: " + cables +
          "): give them a preload, a shorter cut_length, or their weight";
      break;
    case PDeltaRounds::End::limit:
    case PDeltaRounds::End::converged:
      outcome = {Verdict::iteration_limit,
                 "not converged: no state of the cables was found (cables: " + cables + ")",
                 {},
                 0,
                 0};
      break;
  }
  return outcome;
}

/// Each set of loads on a frame whose cables hang: all else is linear.
void solve_with_cables(const ElasticFrame& frame, Step& step) {
  PDeltaRounds rounds(frame, PDeltaKeys{}, step.loads);
  rounds.stay_linear();
  const StartForces none(frame.system->model().members.size(), 0.0);
  const auto end = rounds.run(1, none);
  if (end != PDeltaRounds::End::converged) {
    step.outcome = why_cables_fail(frame, end);
    return;
  }
  rounds.give(step);
  judge(step);
}

}  // namespace

Step begin_step(const AnalysisSpec& spec, const LoadSet& loads) {
  Step step;
  step.analysis = spec.name;
  step.kind = spec.kind();
  step.loads = loads;
  step.label = loads.name;
  return step;
}

void judge(Step& step) {
  const SolveError& e = step.solve_error;
  if (!step.outcome.stands() || e.largest() <= kReliable) return;
  step.outcome.verdict = Verdict::unreliable;
  step.outcome.reason = fmt::format(
      "not sure to six digits: the last of {} corrections changes displacements by {:.0e} and end "
      "forces by {:.0e}, and {:.0e} is left unbalanced, each of the largest; very stiff or very "
      "short "
      "members meet soft or long ones",
      e.corrections, e.displacement, e.end_forces, e.unbalanced);
}

std::vector<Step> first_order(const ElasticFrame& frame, const AnalysisSpec& spec,
                              const Progress& progress) {
  const FrameSystem& system = *frame.system;
  std::vector<Step> steps;
  for (const LoadSet& loads : spec.loads) {
    steps.push_back(begin_step(spec, loads));
    steps.back().frame = frame.system;  // also of one without a state
  }
  if (!frame.stands()) {
    for (Step& step : steps) step.outcome = why_it_fails(frame);
    return steps;
  }
  if (!system.cables().empty()) {
    for (Step& step : steps) solve_with_cables(frame, step);
    return steps;
  }
  const auto count = static_cast<Eigen::Index>(steps.size());
  Eigen::MatrixXd rhs(system.dofs().size(), count), balanced = rhs;
  std::vector<std::shared_ptr<const AppliedLoads>> applied;
  const State unloaded = state_at_rest(system.situation());
  for (Eigen::Index i = 0; i < count; ++i) {
    applied.push_back(std::make_shared<AppliedLoads>(system.situation(),
                                                     spec.loads[static_cast<std::size_t>(i)]));
    if (progress) progress("first-order", static_cast<double>(i) / static_cast<double>(count));
    const Assembly side = system.right_side(*applied.back(), unloaded);
    rhs.col(i) = side.rhs;
    balanced.col(i) = side.loads;
    Step& step = steps[static_cast<std::size_t>(i)];
    step.outcome.reason = loads_on_free_motions(frame, *applied.back(), side.loaded_free_motions);
    if (!step.outcome.reason.empty()) step.outcome.verdict = Verdict::loaded_free_rotation;
  }
  const AppliedLoads nothing(system.situation(), LoadSet{});
  ColumnLoads acting;
  for (const auto& loads : applied) acting.push_back(loads.get());
  const RefinedSolution solved =
      solve_refined({system, nothing, unloaded}, *frame.factor, rhs, balanced, acting);
  for (Eigen::Index i = 0; i < count; ++i) {
    Step& step = steps[static_cast<std::size_t>(i)];
    if (!step.outcome.stands()) continue;
    if (!solved.q.col(i).allFinite()) {
      step.outcome = {Verdict::not_solvable, "the displacements overflow", {}, 0, 0};
      continue;
    }
    step.state = unloaded;
    system.set_motion(*acting[static_cast<std::size_t>(i)], solved.q.col(i), solved.rest.col(i),
                      step.state);
    step.has_state = true;
    step.solve_error = solved.errors[static_cast<std::size_t>(i)];
    judge(step);
    if (progress) progress("recover", static_cast<double>(i) / static_cast<double>(count));
    complete(frame.system, applied[static_cast<std::size_t>(i)], step);
  }
  return steps;
}

}  // namespace ulterix
