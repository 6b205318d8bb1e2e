#include "core/analysis/run.hpp"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cassert>
#include <chrono>

#include "core/analysis/breaks.hpp"
#include "core/analysis/buckling.hpp"
#include "core/analysis/creep.hpp"
#include "core/analysis/displaced_frame.hpp"
#include "core/analysis/first_order.hpp"
#include "core/analysis/large_displacement.hpp"
#include "core/analysis/modal.hpp"
#include "core/analysis/p_delta.hpp"
#include "core/analysis/restraints.hpp"
#include "core/analysis/staged.hpp"
#include "core/analysis/start_shape.hpp"
#include "core/system/mechanism_words.hpp"

namespace ulterix {

namespace {

bool wanted(const std::vector<std::string>& only, const std::string& name) {
  return only.empty() || std::find(only.begin(), only.end(), name) != only.end();
}

/// The names asked for with those of the analyses that they stand on; empty: all.
std::vector<std::string> with_what_they_need(const Model& model, std::vector<std::string> only) {
  for (std::size_t i = 0; i < only.size(); ++i) {
    for (const AnalysisSpec& spec : model.analyses) {
      if (spec.name != only[i]) continue;
      std::string needed = spec.after.analysis;
      if (spec.is_erection()) needed = at_once_name(spec.name);
      if (spec.kind() == AnalysisKind::large_displacement) {
        const auto& shape = spec.large_displacement().start_shape;
        if (shape && shape->analysis != kBaseline) needed = shape->analysis;
      }
      if (!needed.empty() && !wanted(only, needed)) only.push_back(needed);
    }
  }
  return only;
}

/// Every set of loads that the analyses to run use, once, in the order they come.
std::vector<LoadSet> loads_in_use(const Model& model, const std::vector<std::string>& only) {
  std::vector<LoadSet> all;
  for (const AnalysisSpec& spec : model.analyses) {
    // What acts in a stage acts on the frame of that stage.
    if (!wanted(only, spec.name) || spec.kind() == AnalysisKind::staged) continue;
    for (const LoadSet& loads : spec.loads) {
      const bool known = std::any_of(all.begin(), all.end(),
                                     [&](const LoadSet& l) { return l.name == loads.name; });
      if (!known) all.push_back(loads);
    }
  }
  return all;
}

/// What is read off one step alone.
void read_off(RunResult& result, std::size_t index) {
  const Step& step = result.steps[index];
  if (!step.has_state) return;
  const Recovery own(step);
  result.extremes[index] = find_extremes(own);
  result.stiffness[index] = lateral_stiffness(own);
}

/// What is read off a step beside its baseline, whose extremes are there.
void compare(RunResult& result, std::size_t index) {
  const Step& step = result.steps[index];
  if (!step.has_state) return;
  const Recovery own(step);
  const Step* held = result.own_baseline(step);
  if (step.kind == AnalysisKind::staged) {
    if (held == nullptr || !held->has_state) return;
    result.comparisons[index] =
        compare_to_first_order(Recovery(*held), own, result.extremes[index], {});
    return;
  }
  const std::size_t baseline = result.baseline_index(step.loads.name);
  const Recovery first(held != nullptr ? *held : result.steps[baseline]);
  result.storeys[index] = find_storeys(first, own);
  if (step.analysis == kBaseline) return;
  result.comparisons[index] =
      compare_to_first_order(first, own, result.extremes[index], result.storeys[index]);
  const bool whole = step.state.lambda == 1 && first.step().has_state;
  if (step.kind != AnalysisKind::p_delta || !whole) return;
  result.storey_formulas[index] = storey_formulas(own, result.storeys[index]);
  result.member_formulas[index] = member_formulas(
      first, own, held != nullptr ? find_extremes(first) : result.extremes[baseline],
      result.extremes[index], result.storey_formulas[index]);
}

/// Steps do not know of each other.
void read_off_steps(RunResult& result) {
  const std::size_t count = result.steps.size();
  result.extremes.resize(count);
  result.comparisons.resize(count);
  result.storeys.resize(count);
  result.stiffness.resize(count);
  result.storey_formulas.resize(count);
  result.member_formulas.resize(count);
  tbb::parallel_for(std::size_t{0}, count, [&result](std::size_t i) { read_off(result, i); });
  tbb::parallel_for(std::size_t{0}, count, [&result](std::size_t i) { compare(result, i); });
  result.envelopes = find_envelopes(*result.model, result.steps, result.extremes);
}

/// The baseline steps of an analysis' loads.
std::vector<Step> baseline_of(const std::vector<Step>& base, const AnalysisSpec& spec) {
  std::vector<Step> own;
  for (const LoadSet& loads : spec.loads) {
    own.push_back(*std::find_if(base.begin(), base.end(),
                                [&](const Step& s) { return s.loads.name == loads.name; }));
  }
  return own;
}

/// Why an analysis does not begin.
Outcome without_start(const AnalysisSpec& spec, const Step* state) {
  return {
      state != nullptr ? state->outcome.verdict : Verdict::not_solvable,
      fmt::format("{} under {} has no state to start from", spec.after.analysis, spec.after.loads),
      {},
      0,
      0};
}

/// A result about a state of finite motion, with what its straight chords leave out.
template <class Result>
std::shared_ptr<const Result> with_remark(const std::shared_ptr<const Result>& result,
                                          const Step& state) {
  constexpr double kWorthTelling = 0.01;
  const auto error = largest_chord_error(state);
  if (!result || !error || error->softens < kWorthTelling) return result;
  auto told = std::make_shared<Result>(*result);
  told->remarks.push_back(fmt::format(
      "about a state of large displacement members are straight between their displaced nodes: {} "
      "is bowed by {:.3g} of its length there, which takes {:.0f} % off the stiffness of its chord",
      state.frame->model().members[error->member].name,
      error->sag / state.frame->properties(error->member).length, 100 * error->softens));
  return told;
}

/// Unstressed, or about each state asked for.
std::vector<Step> run_modal(const RunResult& result, const ElasticFrame& frame,
                            const AnalysisSpec& spec, const Progress& progress) {
  if (spec.after.empty()) return {modal(frame, spec, nullptr, progress)};
  const Step* state = result.find(spec.after.analysis, spec.after.loads);
  if (state != nullptr && state->has_state && state->state.lambda == 1 &&
      state->kind == AnalysisKind::staged) {
    const bool moved = is_of_finite_motion(*state);
    const Situation situation = moved ? displaced(*state) : state->frame->situation();
    const ElasticFrame stage =
        make_elastic_frame(with_holds(situation, spec.holds), {}, result.frame.system->topology());
    Step step = modal(stage, spec, state, progress);
    if (moved) step.modal = with_remark(step.modal, *state);
    return {step};
  }
  if (state != nullptr && state->has_state && state->state.lambda == 1) {
    if (!state->state.one_way) return {modal(frame, spec, state, progress)};
    const ElasticFrame& left = result.frame_of(*state);
    const bool held_too = result.one_way.contains(state->analysis);  // its frames have its holds
    if (spec.holds.empty() || held_too) return {modal(left, spec, state, progress)};
    const ElasticFrame held = make_elastic_frame(with_holds(left.system->situation(), spec.holds),
                                                 {}, left.system->topology());
    return {modal(held, spec, state, progress)};
  }
  Step step;
  step.analysis = spec.name;
  step.kind = spec.kind();
  step.label = spec.after.loads;
  step.outcome = without_start(spec, state);
  return {step};
}

/// The lowest factor that a buckling analysis of the same loads, without restraints of its own,
/// has.
std::optional<double> factor_of_analysis(const RunResult& result, const std::string& loads) {
  for (const Step& step : result.steps) {
    if (!step.buckling || step.loads.name != loads || step.buckling->modes.empty()) continue;
    for (const AnalysisSpec& spec : result.model->analyses) {
      const bool plain = spec.name == step.analysis && spec.holds.empty() && spec.after.empty() &&
                         !spec.buckling().constant;
      if (plain) return step.buckling->lowest();
    }
  }
  return std::nullopt;
}

/// What each second-order result has in reserve: by a buckling analysis of the same loads where
/// there is one.
void find_reserves(RunResult& result, const Progress& progress) {
  if (!result.frame.stands()) return;
  for (Step& step : result.steps) {
    if (step.kind != AnalysisKind::p_delta) continue;
    const AnalysisSpec* spec = result.model->find_analysis(step.analysis);
    const bool plain = spec == nullptr || (spec->holds.empty() && spec->after.empty());
    if (plain) step.reserve = factor_of_analysis(result, step.loads.name);
    if (step.reserve) continue;
    if (progress) progress("reserve", 0);
    if (step.state.lambda != 1) continue;
    if (const auto mode = lowest_mode(result.frame_of(step), step)) step.reserve = mode->factor;
  }
}

/// The frames of the one-way items under the holds of an analysis.
OneWayFrames& one_way_frames(RunResult& result, const AnalysisSpec& spec) {
  const std::string key =
      spec.holds.empty() || spec.kind() == AnalysisKind::buckling ? "" : spec.name;
  std::unique_ptr<OneWayFrames>& frames = result.one_way[key];
  if (!frames) {
    const Situation& situation = result.frame.system->situation();
    frames =
        std::make_unique<OneWayFrames>(key.empty() ? situation : with_holds(situation, spec.holds));
  }
  return *frames;
}

/// Analyses in which one-way members and supports act one way, a set of loads at a time.
std::vector<Step> run_one_way(const OneWayFrames& frames, const AnalysisSpec& spec,
                              const Progress& progress) {
  std::vector<Step> steps;
  std::optional<IdleSet> before;
  for (const LoadSet& loads : spec.loads) {
    if (progress) progress(spec.name, double(steps.size()) / double(spec.loads.size()));
    OneWayState state = solve_with_breaks(frames, spec, loads, before ? &*before : nullptr);
    const bool whole = state.step.events.empty();
    if (state.step.has_state && whole) before = state.idle;
    Step step = std::move(state.step);
    if (spec.kind() == AnalysisKind::buckling && step.has_state) {
      // About the state that the loads give.
      AnalysisSpec one = spec;
      one.loads = {loads};
      const Step linear = std::move(step);
      step = buckling(*state.frame, one, {linear}, progress).front();
      step.state.one_way = true;
      step.state.members = linear.state.members;
      step.state.open = linear.state.open;
      step.applied = linear.applied;
      step.events = linear.events;
    }
    step.analysis = spec.name;
    step.kind = spec.kind();
    step.loads = loads;
    step.label = loads.name;
    steps.push_back(std::move(step));
  }
  return steps;
}

/// Large displacement from the drawn nodes, or from a start shape of each set of loads.
std::vector<Step> run_large_displacement(const RunResult& result, const ElasticFrame& frame,
                                         const AnalysisSpec& spec, const std::vector<Step>& first,
                                         const Progress& progress) {
  const auto& shape = spec.large_displacement().start_shape;
  if (!shape) return large_displacement(frame, spec, first, progress);
  std::vector<Step> steps;
  for (std::size_t i = 0; i < spec.loads.size(); ++i) {
    AnalysisSpec one = spec;
    one.loads = {spec.loads[i]};
    const auto offsets = start_offsets(*result.model, *shape, spec.loads[i].name, result.steps);
    if (const auto* words = std::get_if<std::string>(&offsets)) {
      Step step = begin_step(spec, spec.loads[i]);
      step.outcome = {Verdict::not_solvable, *words, {}, 0, 0};
      steps.push_back(std::move(step));
      continue;
    }
    Situation situation = frame.system->situation();
    situation.offsets = std::get<0>(offsets);
    ElasticFrame shaped;
    shaped.system = std::make_shared<FrameSystem>(situation, frame.system->topology());
    steps.push_back(large_displacement(shaped, one, {first[i]}, progress).front());
  }
  return steps;
}

/// What stood where a state was found, before one-way items were idle.
Situation start_of(const Step& state) {
  Situation situation = state.frame->situation();
  for (char& idle : situation.idle) idle = 0;
  situation.open.clear();
  situation.one_way = false;
  situation.cable_rests = {};
  return situation;
}

/// What stands in the state of a stage of finite motion, with its holds: large displacement goes on
/// from it, buckling is that of the displaced frame, whose axial forces stay.
std::vector<Step> run_after_finite_stage(RunResult& result, const Step& state,
                                         const AnalysisSpec& spec, const Progress& progress) {
  const auto& near = result.frame.system->topology();
  RunResult::Held& held = result.held[spec.name];
  AnalysisSpec linear;
  linear.name = kBaseline;
  linear.loads = spec.loads;
  if (spec.kind() == AnalysisKind::buckling) {
    held.frame = make_elastic_frame(with_holds(displaced(state), spec.holds), progress, near);
    held.baseline = first_order(held.frame, linear);
    AnalysisSpec grows = spec;
    grows.holds.clear();  // they are in the situation
    std::vector<Step> steps = buckling(held.frame, grows, held.baseline, progress, &state);
    for (Step& step : steps) step.buckling = with_remark(step.buckling, state);
    return steps;
  }
  held.frame = make_elastic_frame(start_of(state), progress, near);
  for (LoadSet& loads : linear.loads) loads = on_top(loads, state.loads);
  held.baseline = first_order(held.frame, linear);
  const AnalysisSpec& erection = *result.model->find_analysis(spec.after.analysis);
  const auto stage = static_cast<std::size_t>(state.number - 1);
  return large_displacement_after(result.frame, erection, stage, spec, progress);
}

/// P-Delta or buckling of what stands in a state: its loads stay, those of the analysis come on
/// top. First-order beside it has the same frame and all of the loads.
std::vector<Step> run_after(RunResult& result, const AnalysisSpec& given,
                            const Progress& progress) {
  const Step* state = result.find(given.after.analysis, given.after.loads);
  std::vector<Step> steps;
  if (state == nullptr || !state->has_state || state->state.lambda != 1) {
    for (const LoadSet& loads : given.loads) {
      steps.push_back(begin_step(given, loads));
      steps.back().outcome = without_start(given, state);
    }
    return steps;
  }
  if (is_of_finite_motion(*state)) return run_after_finite_stage(result, *state, given, progress);
  const Situation start = with_holds(start_of(*state), given.holds);
  AnalysisSpec spec = given;
  spec.holds.clear();  // they are in the situation
  const LoadSet stays = state->loads;
  if (spec.kind() == AnalysisKind::buckling) {
    spec.become<BucklingKeys>().constant = stays;
    if (spec.loads.empty()) return {};
  } else {
    for (LoadSet& loads : spec.loads) loads = on_top(loads, stays);
  }
  RunResult::Held& held = result.held[given.name];
  held.frame = make_elastic_frame(start, progress, result.frame.system->topology());
  AnalysisSpec linear;
  linear.name = kBaseline;
  linear.loads = spec.loads;
  held.baseline = first_order(held.frame, linear);
  if (result.model->has_one_way()) {
    auto& frames = result.one_way[given.name];
    frames = std::make_unique<OneWayFrames>(start, result.frame.system->topology());
    return run_one_way(*frames, spec, progress);
  }
  if (spec.kind() == AnalysisKind::buckling) {
    return buckling(held.frame, spec, held.baseline, progress);
  }
  return p_delta(held.frame, spec, held.baseline, progress);
}

/// One analysis; with holds of its own on a frame and a baseline of its own.
std::vector<Step> run_one(RunResult& result, const std::vector<Step>& base,
                          const AnalysisSpec& spec, const Progress& progress) {
  if (spec.kind() == AnalysisKind::staged) return staged(result.frame, spec, progress);
  if (!spec.after.empty() && spec.kind() != AnalysisKind::modal) {
    return run_after(result, spec, progress);
  }
  const bool acts = spec.kind() == AnalysisKind::p_delta || spec.kind() == AnalysisKind::buckling ||
                    (spec.kind() == AnalysisKind::first_order && spec.first_order().iterate);
  const bool one_way = acts && result.model->has_one_way();
  if (spec.kind() == AnalysisKind::buckling) {
    if (one_way) return run_one_way(one_way_frames(result, spec), spec, progress);
    return buckling(result.frame, spec, baseline_of(base, spec), progress);  // holds by itself
  }
  std::vector<Step> first = baseline_of(base, spec);
  const ElasticFrame* own = &result.frame;
  if (!spec.holds.empty()) {
    RunResult::Held& held = result.held[spec.name];
    held.frame = make_elastic_frame(with_holds(result.frame.system->situation(), spec.holds));
    AnalysisSpec linear;
    linear.name = kBaseline;
    linear.loads = spec.loads;
    held.baseline = first = first_order(held.frame, linear);
    own = &held.frame;
  }
  if (one_way) return run_one_way(one_way_frames(result, spec), spec, progress);
  const ElasticFrame& frame = *own;
  if (spec.kind() == AnalysisKind::p_delta) return p_delta(frame, spec, first, progress);
  if (spec.kind() == AnalysisKind::large_displacement) {
    return run_large_displacement(result, frame, spec, first, progress);
  }
  if (spec.kind() == AnalysisKind::modal) return run_modal(result, frame, spec, progress);
  for (Step& step : first) {
    step.analysis = spec.name;
    step.kind = spec.kind();
  }
  return first;
}

void add_remarks(RunResult& result) {
  const Model& model = *result.model;
  for (const Mechanism& spin : result.frame.spins) {
    std::vector<std::string> names;
    for (const MemberId m : spin.members) names.push_back(model.members[m].name);
    result.remarks.push_back(fmt::format(
        "{} could spin about {} own axis; held at {}, since no load "
        "works on it",
        listed(names), names.size() == 1 ? "its" : "their", model.nodes[spin.nodes.front()].name));
  }
  if (result.steps.empty()) result.remarks.push_back("no loads: nothing to analyse");
  const bool linear = std::any_of(result.steps.begin(), result.steps.end(),
                                  [](const Step& s) { return s.analysis == kBaseline; });
  if (model.has_cables() && linear) {
    result.remarks.push_back(
        "first-order takes cables as straight members that carry both ways, with the force along "
        "the chord that they have at the drawn geometry and half their weight at each end");
  }
  const bool bowed = std::any_of(model.members.begin(), model.members.end(), [](const Member& m) {
    return m.bow != std::array<double, 2>{0, 0};
  });
  if (bowed) {
    result.remarks.push_back(
        "the bow of members acts under their axial force, in P-Delta and large displacement; other "
        "analyses take them straight");
  }
  const bool modal = std::any_of(
      model.analyses.begin(), model.analyses.end(),
      [](const AnalysisSpec& a) { return a.kind() == AnalysisKind::modal && a.after.empty(); });
  if (model.has_cables() && modal) {
    result.remarks.push_back(
        "in vibration without loads a cable moves with its ends: modes of the cables themselves "
        "are found about a state, after or loads");
  }
  for (const AnalysisSpec& spec : model.analyses) {
    if (!spec.is_erection() || !spec.staged().creep || spec.staged().at_once) continue;
    const std::string remark = creep_remark(model, spec, result.steps);
    if (!remark.empty()) result.remarks.push_back(remark);
  }
  if (!model.has_one_sided()) return;
  if (!linear && !modal) return;
  result.remarks.push_back(
      fmt::format("first-order{} takes one-way members and supports both ways, without their slack",
                  modal ? " and vibration without loads" : ""));
}

}  // namespace

const Step* RunResult::find(const std::string& analysis, const std::string& loads) const {
  for (const Step& step : steps) {
    if (step.analysis == analysis && step.loads.name == loads) return &step;
  }
  return nullptr;
}

const ElasticFrame& RunResult::frame_of(const Step& step) const {
  if (!step.state.one_way) {
    const auto with_holds = held.find(step.analysis);
    return with_holds != held.end() ? with_holds->second.frame : frame;
  }
  const auto own = one_way.find(step.analysis);
  const OneWayFrames& frames = *(own != one_way.end() ? own : one_way.find(""))->second;
  return frames.frame_of(step.state);
}

std::size_t RunResult::baseline_index(const std::string& loads) const {
  const Step* step = find(std::string(kBaseline), loads);
  assert(step != nullptr);
  return static_cast<std::size_t>(step - steps.data());
}

const Step& RunResult::baseline(const std::string& loads) const {
  return steps[baseline_index(loads)];
}

bool RunResult::free_structure() const {
  return model->supports.empty() && !steps.empty() &&
         std::all_of(steps.begin(), steps.end(),
                     [](const Step& s) { return s.kind == AnalysisKind::modal; });
}

std::vector<std::string> RunResult::analyses() const {
  return analyses_of(steps);
}

const Step* RunResult::own_baseline(const Step& step) const {
  if (step.kind == AnalysisKind::staged) return find(at_once_name(step.analysis), step.loads.name);
  const auto own = held.find(step.analysis);
  if (own == held.end()) return nullptr;
  for (const Step& first : own->second.baseline) {
    if (first.loads.name == step.loads.name) return &first;
  }
  return nullptr;
}

RunResult run(Model given, const std::vector<std::string>& asked, const Progress& progress) {
  const auto start = std::chrono::steady_clock::now();
  RunResult result;
  result.model = std::make_unique<Model>(std::move(given));
  const Model& model = *result.model;
  const std::vector<std::string> only = with_what_they_need(model, asked);
  result.frame = make_elastic_frame(model, progress);
  AnalysisSpec baseline;
  baseline.name = kBaseline;
  baseline.loads = loads_in_use(model, only);
  result.steps = first_order(result.frame, baseline, progress);
  const std::vector<Step> base = result.steps;
  for (const AnalysisSpec& spec : model.analyses) {
    if (!wanted(only, spec.name) || spec.name == kBaseline) continue;
    std::vector<Step> own = run_one(result, base, spec, progress);
    std::move(own.begin(), own.end(), std::back_inserter(result.steps));
  }
  find_reserves(result, progress);
  read_off_steps(result);
  add_remarks(result);
  result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  return result;
}

}  // namespace ulterix
