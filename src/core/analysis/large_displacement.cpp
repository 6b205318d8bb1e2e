#include "core/analysis/large_displacement.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/breaks.hpp"
#include "core/analysis/first_order.hpp"
#include "core/analysis/path_trials.hpp"
#include "core/results/recovery.hpp"

namespace ulterix {

namespace {

PathLead lead_of(PathControl control) {
  switch (control) {
    case PathControl::load:
      return PathLead::load;
    case PathControl::arc_length:
      return PathLead::arc_length;
    case PathControl::displacement:
      return PathLead::displacement;
    case PathControl::automatic:
      break;
  }
  return PathLead::automatic;
}

/// What grows on one path, on top of what stays.
struct LoadLeg {
  AppliedLoads grows;
  std::optional<AppliedLoads> stays;
  int steps = 0;
};

/// The terms of one set less those of another one.
LoadSet less(LoadSet set, const LoadSet& taken) {
  for (const auto& [id, factor] : taken.terms) set.terms.emplace_back(id, -factor);
  return set;
}

class LargeDisplacement : public PathTrials {
 public:
  /// One set of loads, or all legs of a history.
  LargeDisplacement(std::shared_ptr<const FrameSystem> system, const AnalysisSpec& spec,
                    const std::vector<LoadSet>& loads)
      : PathTrials(system->model()),
        system_(std::move(system)),
        spec_(spec),
        keys_(spec.large_displacement()) {
    const Situation& situation = system_->situation();
    for (std::size_t k = 0; k < loads.size(); ++k) {
      const bool goes_on = k > 0;
      legs_.push_back({AppliedLoads(situation, goes_on ? less(loads[k], loads[k - 1]) : loads[k]),
                       std::nullopt, keys_.steps});
      LoadLeg& leg = legs_.back();
      if (goes_on) leg.stays.emplace(situation, loads[k - 1]);
      if (!keys_.history.empty() && keys_.history[k].steps > 0) leg.steps = keys_.history[k].steps;
      note_strains(*system_, leg.grows);
    }
    if (keys_.constant) legs_.front().stays.emplace(situation, *keys_.constant);
  }

 private:
  Leg begin(std::size_t k, int pieces, const PiecewiseFrame* before) override {
    const LoadLeg& own = legs_[k];
    PathLoads loads{own.grows, own.stays ? &*own.stays : nullptr, k > 0, {}};
    for (const LoadLeg& other : legs_) loads.cuts.push_back(&other.grows);
    Leg leg;
    leg.system = system_;
    leg.frame = std::make_unique<PiecewiseFrame>(*system_, loads, pieces);
    if (before != nullptr) leg.frame->start_from(*before);
    leg.options = path_options(keys_, *leg.frame);
    leg.options.steps = own.steps;
    return leg;
  }
  LoadSet acting(std::size_t, const LoadSet& loads, double factor) const override {
    return loads_at(spec_, loads, factor);
  }
  double standing_force(std::size_t k) const override {
    const auto& stays = legs_[k].stays;
    return stays ? stays->total_force().cwiseAbs().maxCoeff() : 0;
  }
  std::string whole(std::size_t, const LoadSet& loads) const override { return loads.name; }
  bool parts_count(std::size_t) const override { return true; }

  std::shared_ptr<const FrameSystem> system_;
  const AnalysisSpec& spec_;
  const LargeDisplacementKeys& keys_;
  std::vector<LoadLeg> legs_;
};

/// A frame that carries nothing from the start on is a mechanism where one-way items let go.
void say_what_lets_go(const ElasticFrame& frame, Step& step) {
  constexpr double kNothing = 1e-6;
  const bool at_once = step.outcome.verdict == Verdict::iteration_limit && step.has_state &&
                       step.state.lambda < kNothing;
  if (!at_once || !frame.system->model().has_one_sided()) return;
  AnalysisSpec linear;
  linear.name = step.analysis;
  linear.become<FirstOrderKeys>().iterate = true;
  const OneWayFrames frames(frame.system->situation(), frame.system->topology());
  const Step found = solve_with_breaks(frames, linear, step.loads, nullptr).step;
  if (!found.outcome.stands()) step.outcome = found.outcome;
}

/// The frame of the analysis with one-way items acting one way.
std::shared_ptr<const FrameSystem> acting_frame(const ElasticFrame& frame) {
  if (!frame.system->model().has_one_way()) return frame.system;
  Situation situation = frame.system->situation();
  situation.one_way = true;
  return std::make_shared<FrameSystem>(situation, frame.system->topology());
}

}  // namespace

PathOptions path_options(const LargeDisplacementKeys& keys, const PiecewiseFrame& frame) {
  PathOptions options;
  options.lead = lead_of(keys.control);
  options.steps = keys.steps;
  if (keys.most_steps > 0) options.most_steps = keys.most_steps;
  options.follow_branch = keys.follow_branch;
  options.stop_at_limit = keys.stop_at_limit;
  options.stop_at_factor = keys.stop_at_factor;
  if (keys.control == PathControl::displacement) {
    options.watched = frame.unknown_of(keys.lead.node, keys.lead.component);
    options.watched_end = keys.lead_to;
  }
  return options;
}

LoadSet loads_at(const AnalysisSpec& spec, const LoadSet& loads, double factor) {
  LoadSet acting = scaled(loads, factor);
  const auto* keys = std::get_if<LargeDisplacementKeys>(&spec.keys);
  if (keys == nullptr) return acting;
  const auto add = [&acting](const LoadSet& more, double part) {
    for (const auto& [id, f] : more.terms) acting.terms.emplace_back(id, part * f);
  };
  if (keys->constant) acting = on_top(acting, *keys->constant);
  if (keys->history.empty()) return acting;
  const auto leg = std::find_if(spec.loads.begin(), spec.loads.end(),
                                [&loads](const LoadSet& l) { return l.name == loads.name; });
  if (leg == spec.loads.begin() || leg == spec.loads.end()) return acting;
  add(*(leg - 1), 1 - factor);  // from the end of the leg before
  return acting;
}

std::optional<Step> step_on_path(const Model& model, const Step& step, const PathPoint& point,
                                 const std::vector<MemberId>& members) {
  const AnalysisSpec* spec = model.find_analysis(step.analysis);
  if (point.state.nodes.empty() || spec == nullptr) return std::nullopt;
  Step there;
  there.analysis = step.analysis;
  there.kind = step.kind;
  there.loads = step.loads;
  there.frame = frame_in(step.frame, point.state);
  there.has_state = true;
  there.state = point.state;
  there.reactions = point.reactions;
  const LoadSet acting = loads_at(*spec, step.loads, point.factor);
  const Situation& situation = there.frame->situation();
  there.applied = members.empty() ? std::make_shared<AppliedLoads>(situation, acting)
                                  : std::make_shared<AppliedLoads>(situation, acting, members);
  return there;
}

std::optional<double> value_on_path(const Model& model, const Step& step, const PathPoint& point,
                                    const Place& place) {
  const auto there = step_on_path(model, step, point, place.members);
  return there ? value_at(Recovery(*there), place) : std::nullopt;
}

std::vector<Step> large_displacement(const ElasticFrame& frame, const AnalysisSpec& spec,
                                     const std::vector<Step>& baseline, const Progress& progress) {
  std::vector<Step> steps(spec.loads.size());
  const auto system = acting_frame(frame);
  const LargeDisplacementKeys& keys = spec.large_displacement();
  const auto solve = [&](LargeDisplacement&& paths, std::vector<Step>& of) {
    paths.solve(keys.pieces, keys.events, progress, of);
  };
  for (std::size_t i = 0; i < steps.size(); ++i) {
    steps[i] = begin_step(spec, spec.loads[i]);
  }
  if (!keys.history.empty()) {
    solve(LargeDisplacement(system, spec, spec.loads), steps);
    for (Step& step : steps) say_what_lets_go(frame, step);
    return steps;
  }
  for (std::size_t i = 0; i < steps.size(); ++i) {
    Step& step = steps[i];
    if (baseline[i].outcome.verdict == Verdict::loaded_free_rotation ||
        baseline[i].outcome.verdict == Verdict::not_solvable) {
      step.outcome = baseline[i].outcome;
      continue;
    }
    std::vector<Step> alone = {std::move(step)};
    solve(LargeDisplacement(system, spec, {spec.loads[i]}), alone);
    step = std::move(alone.front());
    say_what_lets_go(frame, step);
    // Without a single equilibrium the frame is what first-order found.
    if (!step.has_state && !baseline[i].outcome.stands()) step.outcome = baseline[i].outcome;
  }
  return steps;
}

}  // namespace ulterix
