#include "core/analysis/breaks.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/results/cables.hpp"
#include "core/results/event_words.hpp"
#include "core/system/mechanism_words.hpp"

namespace ulterix {

namespace {

constexpr double kLocated = 1e-6;
constexpr double kBroken = 1 + 1e-9;  // of the breaking force
constexpr int kSteps = 16;

class Breaking {
 public:
  Breaking(const OneWayFrames& whole, const AnalysisSpec& spec, const LoadSet& loads)
      : whole_(whole), spec_(spec), loads_(loads) {}

  OneWayState follow(const IdleSet* start) {
    if (!whole_.model().has_breakable()) return finish(solve(whole_, 1, start), whole_, 0);
    double low = 0;
    while (true) {
      const OneWayFrames& frames = left();
      OneWayState full = solve(frames, 1, failed_.empty() ? start : nullptr);
      if (holds(full)) return finish(std::move(full), frames, low);
      std::optional<double> at;
      if (low > 0 && overloaded(solve(frames, low, nullptr))) at = low;
      if (!at) at = first_break(frames, low);
      if (!at) return finish(std::move(full), frames, low);
      add_switches(frames, low, *at);
      fail_at(solve(frames, *at, nullptr), *at);
      low = *at;
    }
  }

  OneWayState at_full_load() {
    while (true) {
      OneWayState full = solve(left(), 1, nullptr);
      if (!full.step.has_state || !overloaded(full)) return finish(std::move(full), left(), 1);
      fail_at(full, 1);
    }
  }

 private:
  const OneWayFrames& left() const { return failed_.empty() ? whole_ : whole_.left_by(failed_); }

  OneWayState solve(const OneWayFrames& frames, double lambda, const IdleSet* start) const {
    return spec_.kind() == AnalysisKind::p_delta
               ? solve_one_way_p_delta(frames, spec_, loads_, lambda, start)
               : solve_one_way(frames, spec_, loads_, lambda, start);
  }

  /// Largest tension over the breaking force, of members that are whole yet.
  double most(const OneWayState& state) const {
    double largest = 0;
    const Recovery recovery(state.step);
    for (const MemberId id : whole_.model().members.ids()) {
      largest = std::max(largest, part_of_breaking(recovery, id));
    }
    return largest;
  }
  bool overloaded(const OneWayState& state) const {
    return state.step.has_state && most(state) > kBroken;
  }
  bool holds(const OneWayState& state) const {
    return state.step.has_state && state.step.state.lambda == 1 && most(state) <= kBroken;
  }

  /// The lowest factor above `low` at which a member is overloaded; nothing where none is before
  /// the frame gives way.
  std::optional<double> first_break(const OneWayFrames& frames, double low) const {
    double safe = low;
    for (int i = 1; i <= kSteps; ++i) {
      const double there = low + (1 - low) * i / kSteps;
      const OneWayState state = solve(frames, there, nullptr);
      if (overloaded(state)) return between(frames, safe, there, most(state));
      if (!state.step.has_state) return before_the_end(frames, safe, there);
      safe = there;
    }
    return std::nullopt;
  }

  /// False position with halving, on how far the most loaded member is beyond its force.
  double between(const OneWayFrames& frames, double safe, double over, double most_over) const {
    double f_over = most_over - 1;
    double f_safe = -1;
    if (safe > 0) f_safe = std::min(most(solve(frames, safe, nullptr)) - 1, -1e-12);
    for (int i = 0; i < 60 && over - safe > 0.1 * kLocated; ++i) {
      double there = safe + (over - safe) * (-f_safe) / (f_over - f_safe);
      // Close to a root the bracket is closed from the other side.
      if (i % 3 == 2) there = (safe + over) / 2;
      there = std::clamp(there, safe + 0.04 * kLocated, over - 0.04 * kLocated);
      const OneWayState state = solve(frames, there, nullptr);
      // Where nothing stands no member can be asked: the break is looked for above.
      const double f = state.step.has_state ? most(state) - 1 : -1;
      (f > kBroken - 1 ? over : safe) = there;
      (f > kBroken - 1 ? f_over : f_safe) = f > kBroken - 1 ? f : std::min(f, -1e-12);
    }
    return over;
  }

  /// A break just before a factor at which nothing stands.
  std::optional<double> before_the_end(const OneWayFrames& frames, double safe, double gone) const {
    while (gone - safe > kLocated) {
      const double there = (safe + gone) / 2;
      const OneWayState state = solve(frames, there, nullptr);
      if (overloaded(state)) return between(frames, safe, there, most(state));
      (state.step.has_state ? safe : gone) = there;
    }
    return std::nullopt;
  }

  void add_switches(const OneWayFrames& frames, double from, double to) {
    if (!spec_.wants_events() || to <= from) return;
    const auto more = find_events(frames, spec_, loads_, from, to);
    events_.insert(events_.end(), more.begin(), more.end());
  }

  void fail_at(const OneWayState& state, double factor) {
    const Model& model = whole_.model();
    if (failed_.empty()) failed_ = FailedSet(model.members.size(), Activity::active);
    const double largest = most(state);
    const Recovery recovery(state.step);
    for (const MemberId id : model.members.ids()) {
      if (part_of_breaking(recovery, id) < std::max(1 - kLocated, largest * (1 - kLocated))) {
        continue;
      }
      const bool yields = model.members[id].yields;
      failed_[id] = yields ? Activity::yields : Activity::broken;
      if (yields) yielded_.emplace_back(id, yielded_to(state.step, id));
      events_.push_back({factor, id, {}, 0, yields ? ItemChange::yields : ItemChange::breaks});
    }
  }

  OneWayState finish(OneWayState state, const OneWayFrames& frames, double low) {
    Step& step = state.step;
    if (step.has_state && low < 1) add_switches(frames, low, 1);
    Outcome& outcome = step.outcome;
    std::string breaks;
    for (const ItemEvent& e : events_) {
      if (e.change != ItemChange::breaks && e.change != ItemChange::yields) continue;
      breaks += fmt::format("{}{} at {:.6g} of {}", breaks.empty() ? "" : ", ",
                            event_words(whole_.model(), e), e.factor, loads_.name);
    }
    if (!breaks.empty()) {
      const bool fails = !outcome.stands();
      outcome.reason = breaks + (fails ? ", and what is left does not carry the load: " : "") +
                       (fails ? outcome.reason : "");
    }
    if (step.has_state) check_yielded(step);
    step.events = events_;
    return state;
  }

  /// A member that has yielded and goes back would carry less than its force.
  void check_yielded(Step& step) const {
    for (const auto& [id, reached] : yielded_) {
      if (is_relieved(step, id, reached)) return refuse_relieved(step, id);
    }
  }

  const OneWayFrames& whole_;
  const AnalysisSpec& spec_;
  const LoadSet& loads_;
  FailedSet failed_;
  std::vector<ItemEvent> events_;
  std::vector<std::pair<MemberId, double>> yielded_;  // and how far it had gone then
};

}  // namespace

double yielded_to(const Step& step, MemberId id) {
  const Recovery recovery(step);
  if (const auto cable = cable_in(recovery, id)) {
    return cable->length() / (1 + recovery.loads().on_member(id).strain);
  }
  return step.frame->end_motion(id, step.state).deformed[6];
}

bool is_relieved(const Step& step, MemberId id, double reached) {
  const double limit = step.frame->model().members[id].breaks_at;
  const auto cable = cable_in(Recovery(step), id);
  if (cable && cable->largest_tension() < (1 - kLocated) * limit) return true;
  return yielded_to(step, id) < reached - kLocated * std::abs(reached);
}

void refuse_relieved(Step& step, MemberId id) {
  step.has_state = false;
  step.outcome.verdict = Verdict::not_solvable;
  step.outcome.reason += fmt::format(
      "{}{} becomes shorter again, and a member that unloads after it has yielded is "
      "not followed",
      step.outcome.reason.empty() ? "" : "; then ", step.frame->model().members[id].name);
}

double part_of_breaking(const Recovery& recovery, MemberId id) {
  const MemberFrame& frame = recovery.frame();
  const double limit = frame.model().members[id].breaks_at;
  const Situation& situation = frame.situation();
  if (limit <= 0 || situation.present[id] == 0) return 0;
  if (situation.failed_as(id) != Activity::active || situation.idle[id] != 0) return 0;
  if (const auto cable = cable_in(recovery, id)) {
    return cable->largest_tension() / limit;
  }
  return std::max(0.0, recovery.line(id).extremes()[kN].max) / limit;
}

OneWayState solve_with_breaks(const OneWayFrames& frames, const AnalysisSpec& spec,
                              const LoadSet& loads, const IdleSet* start) {
  return Breaking(frames, spec, loads).follow(start);
}

OneWayState break_at_full_load(const OneWayFrames& frames, const AnalysisSpec& spec,
                               const LoadSet& loads) {
  return Breaking(frames, spec, loads).at_full_load();
}

}  // namespace ulterix
