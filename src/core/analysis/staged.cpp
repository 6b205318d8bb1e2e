#include "core/analysis/staged.hpp"

#include <fmt/format.h>
#include <tbb/parallel_invoke.h>

#include <algorithm>
#include <deque>
#include <future>
#include <utility>

#include "core/analysis/breaks.hpp"
#include "core/analysis/buckling.hpp"
#include "core/analysis/creep.hpp"
#include "core/analysis/displaced_frame.hpp"
#include "core/analysis/erection_site.hpp"
#include "core/analysis/first_order.hpp"
#include "core/analysis/large_displacement.hpp"
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

/// What is looked for beyond a stage's own equilibrium.
struct LookAhead {
  std::optional<double> reserve;       ///< how far it is from buckling
  std::optional<double> lowest_omega;  ///< and how slowly it vibrates, rad/s
};

LookAhead look_ahead(const ElasticFrame& frame, const Step& step) {
  LookAhead found;
  tbb::parallel_invoke(
      [&] {
        if (const auto mode = lowest_mode(frame, step)) found.reserve = mode->factor;
      },
      [&] { found.lowest_omega = lowest_omega(frame, step); });
  return found;
}

/// Stages lie so far apart that are looked ahead from.
std::size_t stages_a_look(const ElasticFrame& whole, std::size_t stages) {
  return 1 + static_cast<std::size_t>(whole.system->dofs().size()) * stages / kUnknownsLookedAt;
}

/// Frames of the stages to come, made in the background while a stage is solved: what stands, and
/// how stiff, does not depend on how far it has moved, unless something acts one way or creeps.
class FramesAhead {
 public:
  FramesAhead(const ElasticFrame& whole, const AnalysisSpec& spec)
      : whole_(whole),
        stages_(spec.staged().stages),
        site_(whole.system->model(), held_by(spec, whole.system->model()), spec.staged().at_once) {}

  /// Of the next stage in which nothing acts one way; `now`: what stands there, with where it was
  /// built in.
  ElasticFrame next(const Situation& now) {
    while (made_.size() <= kAhead && begun_ < stages_.size()) begin();
    ElasticFrame frame = made_.front().get();
    made_.pop_front();
    const auto& near = whole_.system->topology();
    if (!frame.spins.empty()) return make_elastic_frame(now, {}, near);  // held on the site alone
    frame.system->take_histories(now);
    return frame;
  }

 private:
  static constexpr std::size_t kAhead = 2;

  void begin() {
    site_.change(stages_[begun_++], State(whole_.system->model()));
    if (site_.acts_one_way()) return;
    made_.push_back(std::async(std::launch::async, [this, standing = site_.now()] {
      return make_elastic_frame(standing, {}, whole_.system->topology());
    }));
  }

  const ElasticFrame& whole_;
  const std::vector<Stage>& stages_;
  ErectionSite site_;  // as if nothing moved
  std::size_t begun_ = 0;
  std::deque<std::future<ElasticFrame>> made_;
};

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
    if (!keys_.creep) ahead_.emplace(whole, spec);
    every_ = stages_a_look(whole, keys_.stages.size());
  }

  std::vector<Step> run(const Progress& progress) {
    std::vector<Step> steps;
    steps.reserve(keys_.stages.size());  // they are looked ahead from while others come
    std::vector<std::pair<Step*, std::future<LookAhead>>> looks;
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
      if (left_) {
        looks.emplace_back(&steps.back(),
                           std::async(std::launch::async, [frame = std::move(left_),
                                                           &of = std::as_const(steps.back())] {
                             return look_ahead(*frame, of);
                           }));
      }
    }
    for (auto& [step, found] : looks) take(found.get(), *step);
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

  /// One stage; a frame that is to be looked ahead from later stays in left_.
  Step solve(const Stage& stage, const LoadSet& loads, bool with_modes) {
    AnalysisSpec one;
    one.name = spec_.name;
    one.loads = {loads};
    const bool bent = stage.theory == AnalysisKind::p_delta;
    if (bent) one.become<PDeltaKeys>();
    if (site_.acts_one_way()) {
      const OneWayFrames frames(site_.now(), whole_.system->topology());
      OneWayState found = break_at_full_load(frames, one, loads);
      if (with_modes && is_looked_at(found.step)) {
        take(look_ahead(*found.frame, found.step), found.step);
      }
      return std::move(found.step);
    }
    ElasticFrame frame = ahead_ ? ahead_->next(site_.now())
                                : make_elastic_frame(site_.now(), {}, whole_.system->topology());
    const std::vector<Step> first = first_order(frame, one);
    Step step = bent ? p_delta(frame, one, first).front() : first.front();
    if (!with_modes || !is_looked_at(step)) return step;
    if (creep_) {
      take(look_ahead(frame, step), step);
    } else {
      left_ = std::make_shared<const ElasticFrame>(std::move(frame));
    }
    return step;
  }

  bool is_looked_at(const Step& step) const {
    return !keys_.at_once && step.has_state && step.state.lambda == 1;
  }

  static void take(const LookAhead& found, Step& step) {
    step.reserve = found.reserve;
    step.lowest_omega = found.lowest_omega;
    if (step.outcome.stands() && step.reserve && *step.reserve > 0 && *step.reserve < 1) {
      step.outcome.verdict = Verdict::buckles_below_load;
      step.outcome.reason =
          fmt::format("the stage buckles at {:.4g} of its loads, which first-order does not know",
                      *step.reserve);
    }
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
  std::optional<FramesAhead> ahead_;
  std::shared_ptr<const ElasticFrame> left_;
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
    for (std::size_t k = from; k < to; ++k) note(spec.loads[k]);
  }

  /// After the stages the loads of an analysis of large displacement grow.
  void go_on_with(const LargeDisplacementKeys& keys, const LoadSet& loads) {
    last_stage_ = loads_.size() - 1;
    then_ = &keys;
    grows_ = loads;
    note(loads);
  }

 private:
  void note(const LoadSet& loads) {
    loads_.emplace_back(finished_, loads);
    note_strains(*whole_.system, loads_.back());
  }
  bool is_after_stages(std::size_t k) const { return then_ != nullptr && k > last_stage_; }

  std::shared_ptr<const FrameSystem> what_stands(std::size_t stage) const {
    Situation now = site_->now();
    now.one_way = site_->acts_one_way();
    now.heavy = spec_.loads[stage].heavy;
    return std::make_shared<FrameSystem>(now, whole_.system->topology());
  }

  Leg begin(std::size_t k, int pieces, const PiecewiseFrame* before) override {
    if (is_after_stages(k)) return begin_after_stages(pieces, *before);
    if (before == nullptr) site_ = undisplaced_site(model_, spec_, from_, spec_.staged().at_once);
    site_->change(spec_.staged().stages[from_ + k],
                  before != nullptr ? before->node_state() : State(model_));
    Leg leg;
    leg.system = what_stands(from_ + k);
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
  Leg begin_after_stages(int pieces, const PiecewiseFrame& before) {
    Leg leg;
    leg.system = what_stands(from_ + last_stage_);
    const AppliedLoads grows(leg.system->situation(), grows_);
    const AppliedLoads stays(leg.system->situation(), spec_.loads[from_ + last_stage_]);
    PathLoads loads{grows, &stays, true, {}, &before};
    for (const AppliedLoads& other : loads_) loads.cuts.push_back(&other);
    leg.frame = std::make_unique<PiecewiseFrame>(*leg.system, loads, pieces);
    leg.options = path_options(*then_, *leg.frame);
    return leg;
  }
  LoadSet acting(std::size_t k, const LoadSet& loads, double factor) const override {
    if (!is_after_stages(k)) return scaled(loads, factor);
    return on_top(scaled(loads, factor), spec_.loads[from_ + last_stage_]);
  }
  double standing_force(std::size_t k) const override {
    return k > 0 ? loads_[k - 1].total_force().cwiseAbs().maxCoeff() : 0;
  }
  std::string whole(std::size_t k, const LoadSet& loads) const override {
    return k > 0 && !is_after_stages(k) ? "what changes in stage " + loads.name : loads.name;
  }
  bool parts_count(std::size_t k) const override { return k == 0 || is_after_stages(k); }

  static constexpr int kStepsOfAChange = 4;

  const ElasticFrame& whole_;
  const AnalysisSpec& spec_;
  std::size_t from_;
  Situation finished_;
  std::vector<AppliedLoads> loads_;  // on all members of that
  const LargeDisplacementKeys* then_ = nullptr;
  std::size_t last_stage_ = 0;  // of the legs, before what comes then
  LoadSet grows_;
  std::optional<ErectionSite> site_;
};

/// On the displaced frame. Where members bow so much that their chords tell nothing, or where the
/// chords would buckle in a state that stands, there is no figure.
void look_ahead_from(const ElasticFrame& whole, Step& step) {
  constexpr double kMostSoftened = 0.1;
  const auto error = largest_chord_error(step);
  if (error && error->softens > kMostSoftened) return;
  const ElasticFrame frame = make_elastic_frame(displaced(step), {}, whole.system->topology());
  if (!frame.stands()) return;
  const LookAhead found = look_ahead(frame, step);
  if (found.reserve && *found.reserve > 0 && *found.reserve < 1) return;
  step.reserve = found.reserve;
  step.lowest_omega = found.lowest_omega;
}

/// Where no equilibrium was found at all, what stands may be a mechanism.
void name_mechanism(const ElasticFrame& whole, const AnalysisSpec& spec, std::size_t k,
                    Step& step) {
  if (step.outcome.verdict != Verdict::iteration_limit) return;
  const ErectionSite site = undisplaced_site(whole.system->model(), spec, k + 1, true);
  AnalysisSpec linear;
  linear.name = spec.name;
  linear.loads = {spec.loads[k]};
  const ElasticFrame frame = make_elastic_frame(site.now(), {}, whole.system->topology());
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
    const std::size_t left = steps.size() - 1 - k;
    const bool looks = left % stages_a_look(whole, steps.size()) == 0;
    if (whole_load && looks && !step.at_once) look_ahead_from(whole, step);
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

std::vector<Step> large_displacement_after(const ElasticFrame& whole, const AnalysisSpec& erection,
                                           std::size_t stage, const AnalysisSpec& spec,
                                           const Progress& progress) {
  std::vector<Step> steps;
  const LargeDisplacementKeys& keys = spec.large_displacement();
  for (const LoadSet& loads : spec.loads) {
    std::vector<Step> all(stage + 2);
    for (std::size_t k = 0; k <= stage; ++k) name_stage(erection, k, all[k]);
    all.back() = begin_step(spec, loads);
    FiniteErection path(whole, erection, 0, stage + 1);
    path.go_on_with(keys, loads);
    path.solve(keys.pieces, keys.events, progress, all);
    steps.push_back(std::move(all.back()));
  }
  return steps;
}

std::vector<Step> staged(const ElasticFrame& whole, const AnalysisSpec& spec,
                         const Progress& progress) {
  if (has_finite_motion(spec.staged())) return finite_erection(whole, spec, progress);
  return Erection(whole, spec).run(progress);
}

}  // namespace ulterix
