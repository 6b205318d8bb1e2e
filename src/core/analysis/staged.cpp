#include "core/analysis/staged.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/breaks.hpp"
#include "core/analysis/buckling.hpp"
#include "core/analysis/creep.hpp"
#include "core/analysis/erection_site.hpp"
#include "core/analysis/first_order.hpp"
#include "core/analysis/modal.hpp"
#include "core/analysis/p_delta.hpp"
#include "core/analysis/path_trials.hpp"
#include "core/analysis/restraints.hpp"

namespace ulterix {

namespace {

/// Modes of stages are looked for up to so many unknowns in all; of a large erection in some stages
/// only, evenly, the last one among them.
constexpr int kUnknownsLookedAt = 60'000;

std::vector<ExtraRestraint> held_by(const AnalysisSpec& spec, const Model& model) {
  return with_holds(Situation(model), spec.holds).restraints;
}

/// Which stage of an analysis a step is.
void name_stage(const AnalysisSpec& spec, std::size_t k, Step& step) {
  step.analysis = spec.name;
  step.kind = AnalysisKind::staged;
  step.at_once = spec.staged().at_once;
  step.loads = spec.loads[k];
  step.number = static_cast<int>(k) + 1;
  step.label = spec.staged().stages[k].name;
}

/// The site as the first stages leave it, as if nothing had moved.
ErectionSite undisplaced_site(const Model& model, const AnalysisSpec& spec, std::size_t stages,
                              bool at_once) {
  ErectionSite site(model, held_by(spec, model), at_once);
  for (std::size_t k = 0; k < stages; ++k) site.change(spec.staged().stages[k], State(model));
  return site;
}

class Erection {
 public:
  Erection(const ElasticFrame& whole, const AnalysisSpec& spec)
      : whole_(whole),
        model_(whole.system->model()),
        spec_(spec),
        keys_(spec.staged()),
        site_(model_, held_by(spec, model_), keys_.at_once),
        state_(model_) {
    if (keys_.creep && !keys_.at_once) creep_.emplace(model_, spec);
    const auto all = static_cast<std::size_t>(whole.system->dofs().size()) * keys_.stages.size();
    every_ = 1 + all / kUnknownsLookedAt;
  }

  std::vector<Step> run(const Progress& progress) {
    std::vector<Step> steps;
    std::string stopped;
    Verdict why = Verdict::stands;
    for (std::size_t k = 0; k < keys_.stages.size(); ++k) {
      if (progress) progress(spec_.name, double(k) / double(keys_.stages.size()));
      const Stage& stage = keys_.stages[k];
      Step step;
      if (stopped.empty()) {
        site_.change(stage, state_);
        site_.now().heavy = spec_.loads[k].heavy;
        const std::size_t left = keys_.stages.size() - 1 - k;
        const bool waits = creep_ && stage.days > 0;
        if (creep_) creep_->arrive(stage);
        if (waits) creep_->begin(stage.days, site_.now());
        step = solve(stage, spec_.loads[k], left % every_ == 0 && !waits);
        if (waits && step.has_state) {
          creep_->end(site_.now(), step);
          step.reserve = steps.back().reserve;  // nothing but time has changed
          step.lowest_omega = steps.back().lowest_omega;
        } else if (creep_ && step.has_state) {
          creep_->note(step);
        }
      } else {
        step.outcome = {
            why, fmt::format("not reached: stage {} does not stand", stopped), {}, 0, 0};
      }
      name_stage(spec_, k, step);
      const bool whole_load = step.has_state && step.state.lambda == 1;
      if (whole_load) relieve(step);
      const bool goes_on = whole_load && step.has_state;
      if (goes_on) {
        state_ = step.state;
        for (const MemberId id : model_.members.ids()) {
          const Activity a = state_.members[id].activity;
          if (has_failed(a)) site_.now().fail(id, a);
        }
      } else if (stopped.empty() && !keys_.at_once) {
        stopped = stage.name;
        why = step.outcome.verdict;
      }
      steps.push_back(std::move(step));
    }
    return steps;
  }

 private:
  /// A member that yielded in a stage before and goes back would carry less than its force.
  void relieve(Step& step) {
    if (yielded_.empty()) yielded_ = IndexedVector<MemberId, double>(model_.members.size(), 0.0);
    for (const MemberId id : model_.members.ids()) {
      if (step.state.members[id].activity != Activity::yields) continue;
      if (yielded_[id] != 0 && is_relieved(step, id, yielded_[id])) {
        return refuse_relieved(step, id);
      }
      yielded_[id] = std::max(yielded_[id], yielded_to(step, id));
    }
  }

  Step solve(const Stage& stage, const LoadSet& loads, bool with_modes) const {
    AnalysisSpec one;
    one.name = spec_.name;
    one.loads = {loads};
    const bool bent = stage.theory == AnalysisKind::p_delta;
    if (bent) one.become<PDeltaKeys>();
    if (site_.acts_one_way()) {
      const OneWayFrames frames(site_.now(), whole_.system->order());
      OneWayState found = break_at_full_load(frames, one, loads);
      if (found.step.has_state && with_modes) look_ahead(*found.frame, found.step);
      return std::move(found.step);
    }
    const ElasticFrame frame = make_elastic_frame(site_.now(), {}, &whole_.system->order());
    const std::vector<Step> first = first_order(frame, one);
    Step step = bent ? p_delta(frame, one, first).front() : first.front();
    if (step.has_state && with_modes) look_ahead(frame, step);
    return step;
  }

  /// How far the stage is from buckling, and how slowly it vibrates.
  void look_ahead(const ElasticFrame& frame, Step& step) const {
    if (keys_.at_once || step.state.lambda != 1) return;
    if (const auto mode = lowest_mode(frame, step)) step.reserve = mode->factor;
    if (step.outcome.stands() && step.reserve && *step.reserve > 0 && *step.reserve < 1) {
      step.outcome.verdict = Verdict::buckles_below_load;
      step.outcome.reason =
          fmt::format("the stage buckles at {:.4g} of its loads, which first-order does not know",
                      *step.reserve);
    }
    step.lowest_omega = lowest_omega(frame, step);
  }

  const ElasticFrame& whole_;
  const Model& model_;
  const AnalysisSpec& spec_;
  const StagedKeys& keys_;
  ErectionSite site_;
  State state_;            // after the stage before
  std::size_t every_ = 1;  // stage's modes are looked for
  IndexedVector<MemberId, double> yielded_;
  std::optional<CreepHistory> creep_;
};

/// The same with finite motion: what a stage changes is brought into equilibrium step by step, by
/// the forces out of balance, which fall from the whole to nothing.
class FiniteErection : public PathTrials {
 public:
  /// Stages from one to before another, which go on from each other.
  FiniteErection(const ElasticFrame& whole, const AnalysisSpec& spec, std::size_t from,
                 std::size_t to)
      : PathTrials(whole.system->model()),
        whole_(whole),
        spec_(spec),
        from_(from),
        finished_(model_) {
    for (std::size_t k = from; k < to; ++k) {
      loads_.emplace_back(finished_, spec.loads[k]);
      note_strains(*whole.system, loads_.back());
    }
  }

 private:
  Leg begin(std::size_t k, int pieces, const PiecewiseFrame* before) override {
    if (before == nullptr) site_ = undisplaced_site(model_, spec_, from_, spec_.staged().at_once);
    site_->change(spec_.staged().stages[from_ + k],
                  before != nullptr ? before->node_state() : State(model_));
    Situation now = site_->now();
    now.one_way = site_->acts_one_way();
    now.heavy = spec_.loads[from_ + k].heavy;
    Leg leg;
    leg.system = std::make_shared<FrameSystem>(now, whole_.system->order());
    const AppliedLoads own(leg.system->situation(), spec_.loads[from_ + k]);
    const AppliedLoads none(leg.system->situation(), LoadSet());
    PathLoads loads{before != nullptr ? none : own,
                    before != nullptr ? &own : nullptr,
                    before != nullptr,
                    {},
                    before};
    for (const AppliedLoads& other : loads_) loads.cuts.push_back(&other);
    leg.frame = std::make_unique<PiecewiseFrame>(*leg.system, loads, pieces);
    if (before != nullptr) leg.options.steps = kStepsOfAChange;
    return leg;
  }
  LoadSet acting(std::size_t, const LoadSet& loads, double factor) const override {
    return scaled(loads, factor);
  }
  double standing_force(std::size_t k) const override {
    return k > 0 ? loads_[k - 1].total_force().cwiseAbs().maxCoeff() : 0;
  }
  std::string whole(std::size_t k, const LoadSet& loads) const override {
    return k > 0 ? "what changes in stage " + loads.name : loads.name;
  }
  bool parts_count(std::size_t k) const override { return k == 0; }

  static constexpr int kStepsOfAChange = 4;

  const ElasticFrame& whole_;
  const AnalysisSpec& spec_;
  std::size_t from_;
  Situation finished_;
  std::vector<AppliedLoads> loads_;  // on all members of that
  std::optional<ErectionSite> site_;
};

/// Where no equilibrium was found at all, what stands may be a mechanism.
void name_mechanism(const ElasticFrame& whole, const AnalysisSpec& spec, std::size_t k,
                    Step& step) {
  if (step.outcome.verdict != Verdict::iteration_limit) return;
  const ErectionSite site = undisplaced_site(whole.system->model(), spec, k + 1, true);
  AnalysisSpec linear;
  linear.name = spec.name;
  linear.loads = {spec.loads[k]};
  const ElasticFrame frame = make_elastic_frame(site.now(), {}, &whole.system->order());
  const Outcome found = first_order(frame, linear).front().outcome;
  if (!found.stands()) step.outcome = found;
}

std::vector<Step> finite_erection(const ElasticFrame& whole, const AnalysisSpec& spec,
                                  const Progress& progress) {
  std::vector<Step> steps(spec.loads.size());
  for (std::size_t k = 0; k < steps.size(); ++k) name_stage(spec, k, steps[k]);
  if (spec.staged().at_once) {
    for (std::size_t k = 0; k < steps.size(); ++k) {
      std::vector<Step> alone = {std::move(steps[k])};
      FiniteErection(whole, spec, k, k + 1).solve(0, true, progress, alone);
      steps[k] = std::move(alone.front());
    }
  } else {
    FiniteErection(whole, spec, 0, steps.size()).solve(0, true, progress, steps);
  }
  std::string stopped;
  for (std::size_t k = 0; k < steps.size(); ++k) {
    Step& step = steps[k];
    if (stopped.empty()) name_mechanism(whole, spec, k, step);
    if (!stopped.empty()) {
      step.outcome.reason = fmt::format("not reached: stage {} does not stand", stopped);
    }
    const bool whole_load = step.has_state && step.state.lambda == 1;
    if (!whole_load && stopped.empty() && !step.at_once) stopped = step.label;
    step.path.clear();  // a stage is its end
  }
  return steps;
}

}  // namespace

std::string at_once_name(const std::string& staged) {
  return staged + "-at-once";
}

bool has_finite_motion(const StagedKeys& keys) {
  return !keys.stages.empty() && keys.stages.front().theory == AnalysisKind::large_displacement;
}

std::vector<Step> staged(const ElasticFrame& whole, const AnalysisSpec& spec,
                         const Progress& progress) {
  if (has_finite_motion(spec.staged())) return finite_erection(whole, spec, progress);
  return Erection(whole, spec).run(progress);
}

}  // namespace ulterix
