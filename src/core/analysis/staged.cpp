#include "core/analysis/staged.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/breaks.hpp"
#include "core/analysis/buckling.hpp"
#include "core/analysis/first_order.hpp"
#include "core/analysis/modal.hpp"
#include "core/analysis/p_delta.hpp"
#include "core/analysis/restraints.hpp"
#include "core/modes/frame_mass.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

namespace {

/// Modes of stages are looked for up to so many unknowns in all; of a large erection in some stages
/// only, evenly, the last one among them.
constexpr int kUnknownsLookedAt = 60'000;

class Erection {
 public:
  Erection(const ElasticFrame& whole, const AnalysisSpec& spec)
      : whole_(whole),
        model_(whole.system->model()),
        spec_(spec),
        keys_(spec.staged()),
        now_(model_),
        state_(model_) {
    now_.clear();
    holds_ = with_holds(now_, spec.holds).restraints;
    supports_ = model_.supports;
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
        change(stage);
        now_.heavy = spec_.loads[k].heavy;
        const std::size_t left = keys_.stages.size() - 1 - k;
        step = solve(stage, spec_.loads[k], left % every_ == 0);
      } else {
        step.outcome = {
            why, fmt::format("not reached: stage {} does not stand", stopped), {}, 0, 0};
      }
      step.analysis = spec_.name;
      step.kind = AnalysisKind::staged;
      step.at_once = keys_.at_once;
      step.loads = spec_.loads[k];
      step.number = static_cast<int>(k) + 1;
      step.label = stage.name;
      const bool whole_load = step.has_state && step.state.lambda == 1;
      if (whole_load) relieve(step);
      const bool goes_on = whole_load && step.has_state;
      if (goes_on) {
        state_ = step.state;
        for (const MemberId id : model_.members.ids()) {
          const Activity a = state_.members[id].activity;
          if (has_failed(a)) now_.fail(id, a);
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

  /// Everything of a stage but its loads.
  void change(const Stage& stage) {
    const IndexedVector<NodeId, char> stood = now_.standing;
    now_.change_members(stage);
    for (const MemberId id : stage.erected) arrive(id, stage, stood);
    for (const NodeId n : model_.nodes.ids()) {
      if (now_.standing[n] == 0) state_.nodes[n] = {};
    }
    for (Support s : stage.supports) {
      for (std::size_t d = 0; d < s.directions.size() && !keys_.at_once; ++d) {
        s.directions[d].settle += state_.nodes[s.node].vector()[static_cast<Eigen::Index>(d)];
      }
      supports_.push_back(s);
    }
    for (const auto& [node, direction] : stage.freed) {
      for (Support& s : supports_) {
        if (s.node == node) s.directions[static_cast<std::size_t>(direction)] = {};
      }
    }
    for (const GroundMotion& g : stage.ground) {
      for (Support& s : supports_) {
        SupportDirection& d = s.directions[static_cast<std::size_t>(g.direction)];
        if (s.node == g.node && d.stiffness != 0) d.settle += g.amount;
      }
    }
    now_.supports.clear();
    for (const Support& s : supports_) {
      if (now_.standing[s.node] != 0) now_.supports.push_back(s);
    }
    now_.restraints.clear();
    for (const ExtraRestraint& r : holds_) {
      if (now_.standing[r.node] != 0) now_.restraints.push_back(r);
    }
  }

  void arrive(MemberId id, const Stage& stage, const IndexedVector<NodeId, char>& stood) {
    if (keys_.at_once || stage.drawn) return;
    const Member& m = model_.members[id];
    State at(model_);
    bool moved = false;
    for (const NodeId n : {m.start, m.end}) {
      if (stood[n] == 0) continue;
      at.nodes[n] = state_.nodes[n];
      moved = moved || !at.nodes[n].vector().isZero(0);
    }
    if (moved) now_.bear(id, at);
  }

  Step solve(const Stage& stage, const LoadSet& loads, bool with_modes) const {
    AnalysisSpec one;
    one.name = spec_.name;
    one.loads = {loads};
    if (stage.bent) one.become<PDeltaKeys>();
    if (acts_one_way()) {
      const OneWayFrames frames(now_, whole_.system->order());
      OneWayState found = break_at_full_load(frames, one, loads);
      if (found.step.has_state && with_modes) look_ahead(*found.frame, found.step);
      return std::move(found.step);
    }
    const ElasticFrame frame = make_elastic_frame(now_, {}, &whole_.system->order());
    const std::vector<Step> first = first_order(frame, one);
    Step step = stage.bent ? p_delta(frame, one, first).front() : first.front();
    if (step.has_state && with_modes) look_ahead(frame, step);
    return step;
  }

  bool acts_one_way() const {
    if (model_.has_one_way()) return true;
    for (const Support& s : now_.supports) {
      for (const SupportDirection& d : s.directions) {
        if (d.only != 0) return true;
      }
    }
    return false;
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
    if (FrameMass(*frame.system).empty()) return;
    AnalysisSpec spec;
    spec.name = spec_.name;
    ModalKeys& keys = spec.become<ModalKeys>();
    keys.modes = 1;
    keys.strings = false;  // the frame's frequency is meant
    const Step found = modal(frame, spec, &step);
    if (found.modal && !found.modal->modes.empty() && found.outcome.stands()) {
      step.lowest_omega = found.modal->modes.front().omega;
    }
  }

  const ElasticFrame& whole_;
  const Model& model_;
  const AnalysisSpec& spec_;
  const StagedKeys& keys_;
  Situation now_;
  State state_;                        // after the stage before
  std::size_t every_ = 1;              // stage's modes are looked for
  std::vector<ExtraRestraint> holds_;  // of all nodes
  IndexedVector<MemberId, double> yielded_;
  std::vector<Support> supports_;  // of all nodes, also of those that do not stand yet
};

}  // namespace

std::string at_once_name(const std::string& staged) {
  return staged + "-at-once";
}

std::vector<Step> staged(const ElasticFrame& whole, const AnalysisSpec& spec,
                         const Progress& progress) {
  return Erection(whole, spec).run(progress);
}

}  // namespace ulterix
