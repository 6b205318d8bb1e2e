#include "core/analysis/one_way.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/analysis/first_order.hpp"
#include "core/analysis/one_way_values.hpp"
#include "core/analysis/p_delta.hpp"
#include "core/results/recovery.hpp"
#include "core/system/mechanism_words.hpp"

namespace ulterix {

namespace {

constexpr int kMostBlocks = 30, kBlocksWithoutGain = 4;
constexpr double kEventTolerance = 1e-6;

/// The linear solution with a given set; nothing where the frame does not stand.
std::optional<Step> linear(const ElasticFrame& frame, const AnalysisSpec& spec,
                           const LoadSet& loads) {
  if (!frame.stands()) return std::nullopt;
  AnalysisSpec one;
  one.name = spec.name;
  one.keys = spec.keys;
  one.loads = {loads};
  return first_order(frame, one).front();
}

/// How fast an item's free length grows in a motion without stiffness.
double rate_in(const OneWayFrames& frames, const FrameSystem& system, std::size_t i,
               const Mechanism& mechanism) {
  const OneWayItem& item = frames.items()[i];
  if (!item.member.valid()) {
    return item.sign * mechanism.motion[item.node].vector()[item.direction];
  }
  State moved(system.model());
  for (const NodeId n : system.model().nodes.ids()) moved.nodes[n] = mechanism.motion[n];
  return -item.sign * system.end_motion(item.member, moved).deformed[6];
}

/// Where idle items leave a motion: true if no item stands in its way, in one sense or the other.
bool motion_is_free(const OneWayFrames& frames, const ElasticFrame& frame, const Mechanism& m,
                    const IdleSet& idle, const std::vector<char>& slack_by_some) {
  constexpr double kMoves = 1e-9;
  for (const double sense : {1.0, -1.0}) {
    bool free = true;
    for (std::size_t i = 0; i < idle.size() && free; ++i) {
      if (idle[i] == 0 || slack_by_some[i] != 0) continue;  // has room both ways
      free = sense * rate_in(frames, *frame.system, i, m) >= -kMoves;
    }
    if (free) return true;
  }
  return false;
}

/// The horizontal direction of a motion in which the loads have no part; -1 if there is none.
int direction_without_load(const ElasticFrame& frame, const LoadSet& loads) {
  if (frame.mechanisms.empty()) return -1;
  const Situation& situation = frame.system->situation();
  Vector3d moved = Vector3d::Zero();
  for (const NodeMotion& n : frame.mechanisms.front().motion) {
    moved = moved.cwiseMax(n.translation.cwiseAbs());
  }
  moved[situation.model->vertical] = 0;
  int direction = 0;
  if (moved.maxCoeff(&direction) == 0) return -1;
  const Vector3d total = AppliedLoads(situation, loads).total_force();
  return std::abs(total[direction]) <= kNegligible * total.norm() ? direction : -1;
}

/// What an engineer reads of a frame that idle items leave without a hold.
Step without_state(const OneWayFrames& frames, const AnalysisSpec& spec, const LoadSet& loads,
                   const ElasticFrame& frame, const IdleSet& idle) {
  Step step = begin_step(spec, loads);
  step.outcome.verdict = frame.mechanisms.empty() ? Verdict::not_solvable : Verdict::mechanism;
  const bool any = std::any_of(idle.begin(), idle.end(), [](char c) { return c != 0; });
  std::string& words = step.outcome.reason;
  words = any ? frames.words(idle) + ": the frame is then free to move: " : "";
  words += frame.mechanisms.empty() ? frame.trouble : frame.mechanisms.front().words;
  const int direction = any ? direction_without_load(frame, loads) : -1;
  if (direction >= 0) {
    words += fmt::format(
        "; these loads have no part along {}, which would decide which ties carry: add a notional "
        "load",
        kAxisNames[static_cast<std::size_t>(direction)]);
  }
  return step;
}

class LinearSearch {
 public:
  LinearSearch(const OneWayFrames& frames, const AnalysisSpec& spec, const LoadSet& loads)
      : frames_(frames), spec_(spec), loads_(loads), count_(frames.items().size()) {}

  OneWayState find(const IdleSet* start) {
    result_.idle.assign(count_, 0);
    const IdleSet all_carry(count_, 0);
    const bool done = (start != nullptr && by_blocks(*start)) || by_blocks(all_carry);
    if (!done) one_at_a_time();
    if (result_.step.has_state) look_for_free_motion();
    return result_;
  }

 private:
  bool solve(const IdleSet& idle) {
    const ElasticFrame& frame = frames_.frame(idle);
    ++result_.solutions;
    const auto step = linear(frame, spec_, loads_);
    if (!step) return false;
    result_.idle = idle;
    result_.frame = &frame;
    result_.step = *step;
    values_.clear();
    switched_.reset();
    if (!step->has_state) return true;
    ItemValues values = values_of(frames_, frame, *step, idle);
    if (frame.system->cables().empty()) switched_.emplace(frames_, frame, idle, values);
    values_ = std::move(values.items);
    return true;
  }

  /// The values with the set: by a change of the solution before, where that will do.
  bool look(const IdleSet& idle) {
    std::optional<std::vector<ItemValue>> values;
    if (switched_) values = switched_->values(idle);
    if (!values) return solve(idle);
    ++result_.solutions;
    values_ = std::move(*values);
    return true;
  }

  /// On the set's own frame; false where that does not stand.
  bool confirm(const IdleSet& idle) { return result_.idle == idle || solve(idle); }

  /// True if done: with a state, or with an outcome that has nothing to do with one-way items.
  bool by_blocks(IdleSet idle) {
    int fewest = static_cast<int>(count_) + 1, without_gain = 0;
    for (int round = 0; round < kMostBlocks; ++round) {
      if (!look(idle)) return false;
      if (violations(values_) == 0 && !confirm(idle)) return false;
      const int wrong = violations(values_);
      if (!result_.step.has_state || wrong == 0) return true;
      without_gain = wrong < fewest ? 0 : without_gain + 1;
      if (without_gain == kBlocksWithoutGain) return false;
      fewest = std::min(fewest, wrong);
      for (std::size_t i = 0; i < count_; ++i) {
        if (values_[i].violates()) idle[i] = idle[i] != 0 ? 0 : 1;
      }
    }
    return false;
  }

  /// Lawson & Hanson: `lengths_` are the free lengths of the idle items, all above 0.
  void one_at_a_time() {
    IdleSet idle(count_, 0);
    lengths_.assign(count_, 0);
    if (!solve(idle)) {
      // The frame does not even stand with all items both ways.
      result_.step = without_state(frames_, spec_, loads_, frames_.frame(idle), idle);
      return;
    }
    const std::size_t most = 10 * count_ + 100;
    for (std::size_t step = 0; step < most; ++step) {
      std::size_t worst = count_;
      for (std::size_t i = 0; i < count_; ++i) {
        if (idle[i] != 0 || !values_[i].violates()) continue;
        const double own = values_[i].value / values_[i].scale;
        if (worst == count_ || own < values_[worst].value / values_[worst].scale - kNegligible) {
          worst = i;
        }
      }
      if (worst == count_) {
        const bool own = result_.idle == idle;
        if (!confirm(idle)) return does_not_stand(idle);
        if (own || !result_.step.has_state) return;
        continue;
      }
      idle[worst] = 1;
      if (!shrink_to_feasible(idle, worst)) return;
    }
    result_.step.has_state = false;
    result_.step.outcome = {Verdict::iteration_limit,
                            "the state of one-way members and supports was not found",
                            {},
                            0,
                            0};
  }

  /// Solves with the set, and as long as a free length comes out at or below 0, goes only as far as
  /// the first one allows and lets that item carry again. False: the frame moves freely.
  bool shrink_to_feasible(IdleSet& idle, std::size_t entered) {
    while (true) {
      std::vector<double> target(count_, 0);
      if (look(idle)) {
        if (!result_.step.has_state) return false;
        for (std::size_t i = 0; i < count_; ++i) {
          if (idle[i] != 0) target[i] = values_[i].value;
        }
      } else if (!far_along_motion(idle, entered, target)) {
        does_not_stand(idle);
        return false;
      }
      double part = 1;
      for (std::size_t i = 0; i < count_; ++i) {
        if (idle[i] != 0 && target[i] <= 0 && i != entered) {
          part = std::min(part, lengths_[i] / (lengths_[i] - target[i]));
        }
      }
      bool all = true;
      for (std::size_t i = 0; i < count_; ++i) {
        if (idle[i] == 0) continue;
        const double before = lengths_[i];
        lengths_[i] += part * (target[i] - lengths_[i]);
        const bool gone = target[i] <= 0 && i != entered &&
                          lengths_[i] <= kNegligible * std::max(std::abs(before), 1e-300);
        if (!gone) continue;
        idle[i] = 0;
        lengths_[i] = 0;
        all = false;
      }
      if (all) return true;
    }
  }

  void does_not_stand(const IdleSet& idle) {
    const ElasticFrame& frame = frames_.frame(idle);
    result_.step = without_state(frames_, spec_, loads_, frame, idle);
    result_.idle = idle;
    result_.frame = &frame;
  }

  /// The set leaves a mechanism: goes along it until an idle item takes up. False if none does.
  bool far_along_motion(const IdleSet& idle, std::size_t entered, std::vector<double>& target) {
    const ElasticFrame& frame = frames_.frame(idle);
    constexpr double kFar = 1e6;
    for (const Mechanism& m : frame.mechanisms) {
      const double own = rate_in(frames_, *frame.system, entered, m);
      if (own == 0) continue;
      bool bounded = false;
      for (std::size_t i = 0; i < count_; ++i) {
        if (idle[i] == 0) continue;
        const double rate = rate_in(frames_, *frame.system, i, m) * (own > 0 ? 1 : -1);
        target[i] = lengths_[i] + kFar * rate;
        bounded = bounded || (i != entered && rate < 0);
      }
      if (bounded) return true;
    }
    return false;
  }

  /// A state whose taut items carry nothing may be one of many: with those idle too the frame may
  /// move freely, and no condition stands in the way.
  void look_for_free_motion() {
    IdleSet loose = result_.idle;
    std::vector<char> room(count_, 0);
    bool any_idle = false, any_nothing = false;
    for (std::size_t i = 0; i < count_; ++i) {
      if (loose[i] != 0) {
        any_idle = true;
        room[i] = values_[i].is_nothing() ? 0 : 1;
      } else if (values_[i].is_nothing()) {
        loose[i] = 1;
        any_nothing = true;
      }
    }
    if (!any_idle || !any_nothing) return;
    const ElasticFrame& frame = frames_.frame(loose);
    for (const Mechanism& m : frame.mechanisms) {
      if (!motion_is_free(frames_, frame, m, loose, room)) continue;
      Step step = without_state(frames_, spec_, loads_, frame, loose);
      result_.step = step;
      return;
    }
  }

  const OneWayFrames& frames_;
  const AnalysisSpec& spec_;
  const LoadSet& loads_;
  std::size_t count_;
  OneWayState result_;
  std::vector<ItemValue> values_;
  std::optional<SwitchedItems> switched_;  // from the last set that was solved
  std::vector<double> lengths_;
};

/// One P-Delta solution with a given set; its step says why where there is none. `linear`: the
/// first-order one, if it is known.
Step bent(const ElasticFrame& frame, const AnalysisSpec& spec, const LoadSet& loads,
          const Step* linear) {
  AnalysisSpec one = spec;
  one.loads = {loads};
  const std::vector<Step> first =
      linear != nullptr ? std::vector<Step>{*linear} : first_order(frame, one);
  return p_delta(frame, one, first).front();
}

bool is_whole(const Step& step) {
  return step.has_state && step.outcome.verdict != Verdict::above_critical_load &&
         step.outcome.verdict != Verdict::iteration_limit && step.state.lambda == 1;
}

/// Switches items of a P-Delta state until all conditions hold. True if they do.
class BentSearch {
 public:
  BentSearch(const OneWayFrames& frames, const AnalysisSpec& spec) : frames_(frames), spec_(spec) {}

  /// From a linear state of these loads.
  bool settle_from_linear(OneWayState& state, const LoadSet& loads) const {
    const Step linear = state.step;
    return settle(state, loads, false, &linear);
  }

  /// From a state of other loads, `linear`: or from the linear one of these.
  bool settle(OneWayState& state, const LoadSet& loads, bool one_at_a_time,
              const Step* linear = nullptr) const {
    std::set<IdleSet> seen;
    for (int round = 0; round < kMostBlocks; ++round) {
      const ElasticFrame& frame = frames_.frame(state.idle);
      state.frame = &frame;
      if (!frame.stands()) {
        state.step = without_state(frames_, spec_, loads, frame, state.idle);
        return false;
      }
      ++state.solutions;
      state.step = bent(frame, spec_, loads, linear);
      linear = nullptr;
      if (!is_whole(state.step) || !seen.insert(state.idle).second) return false;
      const auto values = values_of(frames_, frame, state.step, state.idle).items;
      if (violations(values) == 0) return true;
      std::size_t worst = values.size();
      for (std::size_t i = 0; i < values.size(); ++i) {
        if (!values[i].violates()) continue;
        const bool worse = worst == values.size() || values[i].value / values[i].scale <
                                                         values[worst].value / values[worst].scale;
        if (worse) worst = i;
        if (!one_at_a_time) state.idle[i] = state.idle[i] != 0 ? 0 : 1;
      }
      if (one_at_a_time) state.idle[worst] = state.idle[worst] != 0 ? 0 : 1;
    }
    return false;
  }

 private:
  const OneWayFrames& frames_;
  const AnalysisSpec& spec_;
};

LoadSet at_factor(const LoadSet& loads, double lambda) {
  return lambda == 1 ? loads : scaled(loads, lambda);
}

}  // namespace

OneWayFrames::OneWayFrames(Situation base, std::shared_ptr<const Topology> near)
    : base_(std::move(base)), near_(std::move(near)) {
  base_.one_way = true;
  const Model& model = *base_.model;
  for (const MemberId id : model.members.ids()) {
    const int sign = one_way_sign(model.members[id].kind);
    if (sign != 0 && base_.present[id] != 0 && base_.failed_as(id) == Activity::active)
      items_.push_back({id, {}, 0, double(sign)});
  }
  for (const Support& s : base_.supports) {
    for (int d = 0; d < 6; ++d) {
      const int only = s.directions[static_cast<std::size_t>(d)].only;
      if (only != 0 && model.uses_direction(d)) items_.push_back({{}, s.node, d, double(only)});
    }
  }
}

const ElasticFrame& OneWayFrames::frame(const IdleSet& idle) const {
  const std::scoped_lock lock(mutex_);
  std::unique_ptr<const ElasticFrame>& known = frames_[idle];
  if (known) return *known;
  Situation situation = base_;
  for (std::size_t i = 0; i < idle.size(); ++i) {
    if (idle[i] == 0) continue;
    const OneWayItem& item = items_[i];
    if (item.member.valid()) {
      situation.idle[item.member] = 1;
    } else {
      situation.open.emplace_back(item.node, item.direction);
    }
  }
  known = std::make_unique<const ElasticFrame>(make_elastic_frame(std::move(situation), {}, near_));
  near_ = known->system->topology();
  return *known;
}

std::unique_ptr<OneWayFrames> OneWayFrames::without_frames() const {
  return std::make_unique<OneWayFrames>(base_, near_);
}

const OneWayFrames& OneWayFrames::left_by(const FailedSet& failed) const {
  if (std::all_of(failed.begin(), failed.end(), [](Activity a) { return a == Activity::active; })) {
    return *this;
  }
  const std::scoped_lock lock(mutex_);
  for (const auto& [set, frames] : left_) {
    if (std::equal(set.begin(), set.end(), failed.begin())) return *frames;
  }
  Situation situation = base_;
  for (const MemberId id : base_.model->members.ids()) {
    if (failed[id] != Activity::active) situation.fail(id, failed[id]);
  }
  left_.emplace_back(failed, std::make_unique<const OneWayFrames>(std::move(situation), near_));
  return *left_.back().second;
}

const ElasticFrame& OneWayFrames::frame_of(const State& state) const {
  FailedSet failed(base_.model->members.size(), Activity::active);
  for (const MemberId id : base_.model->members.ids()) {
    const Activity a = state.members[id].activity;
    if (has_failed(a)) failed[id] = a;
  }
  const OneWayFrames& left = left_by(failed);
  return left.frame(left.idle_of(state));
}

IdleSet OneWayFrames::idle_of(const State& state) const {
  IdleSet idle(items_.size(), 0);
  for (std::size_t i = 0; i < items_.size(); ++i) {
    const OneWayItem& item = items_[i];
    const bool open = std::find(state.open.begin(), state.open.end(),
                                std::pair(item.node, item.direction)) != state.open.end();
    const bool nothing =
        item.member.valid() ? state.members[item.member].activity == Activity::idle : open;
    idle[i] = nothing ? 1 : 0;
  }
  return idle;
}

std::string OneWayFrames::name(const OneWayItem& item) const {
  const Model& model = *base_.model;
  if (item.member.valid()) return model.members[item.member].name;
  return model.place_name(item.node, item.direction);
}

std::string OneWayFrames::words(const IdleSet& idle) const {
  std::vector<std::string> members, supports;
  for (std::size_t i = 0; i < idle.size(); ++i) {
    if (idle[i] != 0) (items_[i].member.valid() ? members : supports).push_back(name(items_[i]));
  }
  std::string text;
  if (!members.empty()) text = listed(members) + " slack";
  if (!supports.empty()) {
    text += (text.empty() ? "" : "; ") + fmt::format("support {} lifted", listed(supports));
  }
  return text;
}

OneWayState solve_one_way(const OneWayFrames& frames, const AnalysisSpec& spec,
                          const LoadSet& loads, double lambda, const IdleSet* start) {
  const LoadSet whole = at_factor(loads, lambda);
  return LinearSearch(frames, spec, whole).find(start);
}

OneWayState solve_one_way_p_delta(const OneWayFrames& frames, const AnalysisSpec& spec,
                                  const LoadSet& loads, double lambda, const IdleSet* start) {
  constexpr int kSteps = 16;
  const LoadSet whole = at_factor(loads, lambda);
  OneWayState state = solve_one_way(frames, spec, whole, 1, start);
  if (!state.step.has_state) return state;
  const BentSearch search(frames, spec);
  if (search.settle_from_linear(state, whole)) return state;
  // From nothing up, one item at a time: the state of each step starts from the one before.
  OneWayState path = solve_one_way(frames, spec, scaled(whole, 1.0 / kSteps));
  for (int step = 1; step <= kSteps && path.frame != nullptr; ++step) {
    const LoadSet part = at_factor(whole, double(step) / kSteps);
    path.solutions += state.solutions;
    if (!search.settle(path, part, true)) break;
    if (step == kSteps) return path;
  }
  const bool failed = !is_whole(state.step) && !state.step.outcome.stands();
  const bool already_told = state.step.outcome.verdict == Verdict::mechanism;
  if (failed) {
    const std::string what = frames.words(state.idle);
    if (!what.empty() && !already_told)
      state.step.outcome.reason += fmt::format(" (with {})", what);
    return state;
  }
  state.step.has_state = false;
  state.step.outcome = {
      Verdict::iteration_limit,
      fmt::format("not converged: no state of the one-way members and supports holds on the bent "
                  "shape (last tried: {})",
                  frames.words(state.idle).empty() ? "all carry" : frames.words(state.idle)),
      {},
      0,
      0};
  return state;
}

std::vector<ItemEvent> find_events(const OneWayFrames& kept_frames, const AnalysisSpec& spec,
                                   const LoadSet& loads, double from, double to) {
  constexpr int kSteps = 16;
  const std::unique_ptr<OneWayFrames> own = kept_frames.without_frames();
  const OneWayFrames& frames = *own;
  const auto set_at = [&](double lambda) {
    const OneWayState s = spec.kind() == AnalysisKind::p_delta
                              ? solve_one_way_p_delta(frames, spec, loads, lambda)
                              : solve_one_way(frames, spec, loads, lambda);
    return s.step.has_state ? std::optional(s.idle) : std::nullopt;
  };
  std::vector<ItemEvent> events;
  // Intervals of different ends are halved until they are short; what differs then is an event.
  const auto look = [&](const auto& self, double low, const std::optional<IdleSet>& a, double high,
                        const std::optional<IdleSet>& b) -> void {
    if (a == b) return;
    if (high - low > kEventTolerance) {
      const double middle = (low + high) / 2;
      const auto between = set_at(middle);
      self(self, low, a, middle, between);
      self(self, middle, between, high, b);
      return;
    }
    if (!a || !b) return;
    for (std::size_t i = 0; i < a->size(); ++i) {
      if ((*a)[i] == (*b)[i]) continue;
      const OneWayItem& item = frames.items()[i];
      events.push_back({low == 0 ? 0 : (low + high) / 2, item.member, item.node, item.direction,
                        (*b)[i] != 0 ? ItemChange::idle : ItemChange::carries});
    }
  };
  // Where all loads grow together, most items decide with the very first part of them.
  double low = from;
  auto before = set_at(std::max(from, kEventTolerance));
  if (from == 0) look(look, 0, IdleSet(frames.items().size(), 0), kEventTolerance, before);
  for (int step = 1; step <= kSteps; ++step) {
    const double high = from + (to - from) * step / kSteps;
    const auto after = set_at(high);
    look(look, low, before, high, after);
    low = high;
    before = after;
  }
  return events;
}

}  // namespace ulterix
