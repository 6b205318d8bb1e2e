#include "core/analysis/large_displacement.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/analysis/breaks.hpp"
#include "core/analysis/first_order.hpp"
#include "core/results/event_words.hpp"
#include "core/results/recovery.hpp"
#include "core/system/piecewise_frame.hpp"

namespace ulterix {

namespace {

constexpr int kFirstPieces = 4, kMostPieces = 128;
/// The change from n to 2n pieces is this many times the error that is left: it falls with the
/// fourth power of their length. Where two changes do not show that yet, fewer times.
constexpr double kFourthOrder = 15, kUnproven = 3;
constexpr double kEnough = 0.3 * kReliable;
/// Forces below this part of those that would hold the strained members are their rounding.
constexpr double kStrainOnly = 1e-4;
/// States along the path are kept up to so many motions in all.
constexpr std::size_t kMostKept = 4'000'000;

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

/// A frame with what has broken, yields or has yielded in a state.
std::shared_ptr<const MemberFrame> frame_in(std::shared_ptr<const MemberFrame> frame,
                                            const State& state) {
  const Situation& known = frame->situation();
  const auto differs = [&](MemberId id) {
    const Activity now = state.members[id].activity;
    const double stayed = known.permanent.empty() ? 0 : known.permanent[id];
    return known.failed_as(id) != (has_failed(now) ? now : Activity::active) ||
           stayed != state.members[id].permanent;
  };
  const std::vector<MemberId> all = known.model->members.ids();
  if (std::none_of(all.begin(), all.end(), differs)) return frame;
  Situation situation = known;
  for (const MemberId id : all) {
    if (known.failed_as(id) == Activity::broken) situation.present[id] = 1;
  }
  situation.failed = {};
  for (const MemberId id : all) {
    const Activity now = state.members[id].activity;
    if (has_failed(now)) situation.fail(id, now);
    situation.keep_permanent(id, state);
  }
  return std::make_shared<const MemberFrame>(situation);
}

/// What grows on one path, on top of what stays.
struct Leg {
  std::string loads;  // name of the set at its end
  AppliedLoads grows;
  std::optional<AppliedLoads> stays;
  int steps = 0;
};

/// One path after the other with so many pieces to a member.
struct Trial {
  struct Part {
    std::unique_ptr<PiecewiseFrame> frame;
    PathResult path;

    double last_factor() const { return path.states.empty() ? 0 : path.states.back().factor; }
  };
  int pieces = 0;
  bool with_events = false;
  std::vector<Part> parts;  // those that were begun, one a leg

  bool arrives() const { return parts.back().path.end == PathEnd::reached; }
};

/// The terms of one set less those of another one.
LoadSet less(LoadSet set, const LoadSet& taken) {
  for (const auto& [id, factor] : taken.terms) set.terms.emplace_back(id, -factor);
  return set;
}

class LargeDisplacement {
 public:
  /// One set of loads, or all legs of a history.
  LargeDisplacement(std::shared_ptr<const FrameSystem> system, const AnalysisSpec& spec,
                    const std::vector<LoadSet>& loads, const Progress& progress)
      : system_(std::move(system)),
        spec_(spec),
        keys_(spec.large_displacement()),
        progress_(progress) {
    const Situation& situation = system_->situation();
    for (std::size_t k = 0; k < loads.size(); ++k) {
      const bool goes_on = k > 0;
      legs_.push_back({loads[k].name,
                       AppliedLoads(situation, goes_on ? less(loads[k], loads[k - 1]) : loads[k]),
                       std::nullopt, keys_.steps});
      Leg& leg = legs_.back();
      if (goes_on) leg.stays.emplace(situation, loads[k - 1]);
      if (!keys_.history.empty() && keys_.history[k].steps > 0) leg.steps = keys_.history[k].steps;
    }
    if (keys_.constant) legs_.front().stays.emplace(situation, *keys_.constant);
    for (const Leg& leg : legs_) {
      for (const MemberId id : system_->model().members.ids()) {
        const ElementProperties p = system_->properties(id);
        const MemberLoading& l = leg.grows.on_member(id);
        held_ =
            std::max({held_, std::abs(p.EA * l.strain), std::abs(p.EIy * l.curvature[0]) / p.length,
                      std::abs(p.EIz * l.curvature[1]) / p.length});
      }
    }
  }

  /// One step a leg.
  void solve(std::vector<Step>& steps) {
    const bool refines = keys_.pieces == 0 && bends();
    // What happens on the way is located on the last path alone, but for breaks.
    Trial best = follow(keys_.pieces > 0 ? keys_.pieces : kFirstPieces, !refines);
    double error = 0;
    if (refines) {
      error = 1;
      double before = 0;
      while (2 * best.pieces <= kMostPieces) {
        const bool last = before > 0 && before / (kFourthOrder + 1) / kFourthOrder <= kEnough;
        Trial finer = follow(2 * best.pieces, last);
        const double changed = change(best, finer);
        const bool fourth = before > 0 && changed < before / 8;
        error = changed / (fourth ? kFourthOrder : kUnproven);
        before = changed;
        best = std::move(finer);
        if (error <= kEnough) break;
      }
      if (!best.with_events && keys_.events) best = follow(best.pieces, true);
    }
    for (std::size_t k = 0; k < legs_.size(); ++k) {
      if (k >= best.parts.size()) {
        steps[k].outcome = {
            Verdict::iteration_limit,
            fmt::format("not reached: the path ends in {}", legs_[best.parts.size() - 1].loads),
            {},
            0,
            0};
        continue;
      }
      take(best, k, steps[k]);
      judge(best, k, error, steps[k]);
    }
  }

 private:
  bool bends() const {
    const Model& model = system_->model();
    return std::any_of(model.members.begin(), model.members.end(),
                       [](const Member& m) { return m.kind == MemberKind::frame; });
  }

  Trial follow(int pieces, bool with_events) {
    Trial trial;
    trial.with_events = with_events && keys_.events;
    trial.pieces = pieces;
    for (std::size_t k = 0; k < legs_.size() && (k == 0 || trial.arrives()); ++k) {
      follow_leg(k, trial);
    }
    return trial;
  }

  void follow_leg(std::size_t k, Trial& trial) {
    const Leg& leg = legs_[k];
    PathLoads loads{leg.grows, leg.stays ? &*leg.stays : nullptr, k > 0, {}};
    for (const Leg& other : legs_) loads.cuts.push_back(&other.grows);
    Trial::Part part;
    part.frame = std::make_unique<PiecewiseFrame>(*system_, loads, trial.pieces);
    if (trial.with_events) part.frame->look_for_events();
    if (k > 0) part.frame->start_from(*trial.parts.back().frame);
    PathOptions options;
    options.lead = lead_of(keys_.control);
    options.steps = leg.steps;
    if (keys_.most_steps > 0) options.most_steps = keys_.most_steps;
    options.follow_branch = keys_.follow_branch;
    options.stop_at_limit = keys_.stop_at_limit;
    options.stop_at_factor = keys_.stop_at_factor;
    if (keys_.control == PathControl::displacement) {
      options.watched = part.frame->unknown_of(keys_.lead.node, keys_.lead.component);
      options.watched_end = keys_.lead_to;
    }
    part.path = follow_path(*part.frame, options, [this, k](double done) {
      if (progress_) progress_(spec_.name, (double(k) + done) / double(legs_.size()));
    });
    if (!part.path.states.empty()) part.frame->restore(part.path.states.back().state);
    trial.parts.push_back(std::move(part));
  }

  /// The largest motion and force at the ends of all legs, and what two paths differ by.
  struct Change {
    double shift = 0, turn = 0, force = 0;
    double of_shift = 0, of_turn = 0, of_force = 0;
  };

  /// How much the ends of two trials differ, of the largest motion and the largest force.
  double change(const Trial& coarse, const Trial& fine) const {
    if (coarse.parts.size() != fine.parts.size()) return 1;
    Change change;
    change.force = kStrainOnly * held_;
    double ends = 0;
    for (std::size_t k = 0; k < fine.parts.size(); ++k) {
      const Trial::Part &a = coarse.parts[k], &b = fine.parts[k];
      if (a.path.end != b.path.end) return 1;
      if (a.path.end == PathEnd::reached) {
        compare(a, b, change);
        continue;
      }
      // At a limit point, of the factor.
      const double fa = a.last_factor(), fb = b.last_factor();
      ends = std::max(ends, std::abs(fa - fb) / std::max(std::abs(fb), 1e-300));
    }
    // A rotation has the frame for a lever, and the reverse: without the one, it is only rounding.
    const double size = std::max(system_->model().size(), 1e-9);
    const double turn = std::max(change.turn, change.shift / size);
    const auto part = [](double changed, double of) { return of > 0 ? changed / of : 0; };
    return std::max({ends, part(change.of_shift, change.shift), part(change.of_turn, turn),
                     part(change.of_force, change.force)});
  }

  void compare(const Trial::Part& coarse, const Trial::Part& fine, Change& change) const {
    const State a = coarse.frame->node_state(), b = fine.frame->node_state();
    const auto ra = coarse.frame->reactions(), rb = fine.frame->reactions();
    const double size = std::max(system_->model().size(), 1e-9);
    const auto largest = [](double& value, const Vector3d& v) {
      value = std::max(value, v.cwiseAbs().maxCoeff());
    };
    const auto force = [&](double& value, const Vector6d& v) {
      largest(value, v.head<3>());
      largest(value, v.tail<3>() / size);
    };
    for (const NodeId n : system_->model().nodes.ids()) {
      const NodeMotion &na = a.nodes[n], &nb = b.nodes[n];
      largest(change.shift, nb.translation);
      largest(change.of_shift, na.translation - nb.translation);
      largest(change.turn, nb.rotation);
      largest(change.of_turn, na.rotation - nb.rotation);
      force(change.force, rb[n]);
      force(change.of_force, ra[n] - rb[n]);
    }
    for (const MemberId id : system_->model().members.ids()) {
      if (b.poses[id].x.empty()) continue;
      // The largest displacement inside is told by the poses that both have.
      const auto &ca = a.poses[id].poses, &cb = b.poses[id].poses;
      if (2 * (ca.size() - 1) != cb.size() - 1 || (ca.size() - 1) % 2 != 0) continue;
      const Vector3d &ma = ca[ca.size() / 2].displacement, &mb = cb[cb.size() / 2].displacement;
      largest(change.shift, mb);
      largest(change.of_shift, ma - mb);
    }
  }

  void take(const Trial& trial, std::size_t k, Step& step) {
    const Trial::Part& part = trial.parts[k];
    if (part.path.states.empty()) return;
    const PathState& last = part.path.states.back();
    part.frame->restore(last.state);
    step.state = part.frame->node_state();
    step.frame = frame_in(system_, step.state);
    step.has_state = true;
    step.pieces = trial.pieces;
    step.applied = std::make_shared<AppliedLoads>(step.frame->situation(),
                                                  loads_at(spec_, step.loads, last.factor));
    step.reactions = part.frame->reactions();
    step.equilibrium.nodes = part.frame->unbalanced();
    double force = step.applied->total_force().cwiseAbs().maxCoeff();
    if (const auto& stays = legs_[k].stays) {  // what is taken off again leaves its rounding
      force = std::max(force, stays->total_force().cwiseAbs().maxCoeff());
    }
    compare_reactions(system_->model(), force, step);
    const auto motions = static_cast<std::size_t>(system_->model().nodes.size()) +
                         static_cast<std::size_t>(system_->model().members.size() * trial.pieces);
    const bool keep = motions * part.path.states.size() <= kMostKept;
    for (const PathState& s : part.path.states) {
      PathPoint point;
      static_cast<PathEquilibrium&>(point) = s;
      if (s.event == PathEventKind::crossing) {
        auto [item, change] = part.frame->meaning(s.condition);
        if (!s.loses && change == ItemChange::idle) change = ItemChange::carries;
        // That a member comes back below fy says nothing.
        const bool says = s.loses || change == ItemChange::carries;
        if (says) point.item = ItemEvent{s.factor, item.member, item.node, item.direction, change};
      }
      if (s.mode.size() > 0) tell_place(*part.frame, s.mode, point);
      if (keep) {
        part.frame->restore(s.state);
        point.state = part.frame->node_state();
        point.reactions = part.frame->reactions();
      }
      step.path.push_back(std::move(point));
    }
    part.frame->restore(last.state);
  }

  void tell_place(const PiecewiseFrame& frame, const VectorXd& mode, PathPoint& point) const {
    const auto motion = frame.motion_of(mode);
    double most = -1, turn = 0, shift = 0;
    for (const NodeMotion& n : motion) {
      shift = std::max(shift, n.translation.cwiseAbs().maxCoeff());
      turn = std::max(turn, n.rotation.cwiseAbs().maxCoeff());
    }
    // A displacement says more than a rotation, unless no node is displaced.
    const bool displaces = shift > 1e-6 * turn * system_->model().size();
    for (const NodeId n : system_->model().nodes.ids()) {
      for (int d = displaces ? 0 : 3; d < (displaces ? 3 : 6); ++d) {
        const double u = std::abs(motion[n].vector()[d]);
        if (u <= most * (1 + 1e-9)) continue;
        most = u;
        point.most = n;
        point.direction = d;
      }
    }
  }

  void judge(const Trial& trial, std::size_t k, double error, Step& step) const {
    const Trial::Part& part = trial.parts[k];
    Outcome& outcome = step.outcome;
    std::string events;
    for (const PathPoint& p : step.path) {
      const bool grave =
          p.item && (p.item->change == ItemChange::breaks || p.item->change == ItemChange::yields);
      const bool singular =
          p.event == PathEventKind::limit_point || p.event == PathEventKind::branch_point;
      if (!grave && !singular) continue;
      if (!events.empty()) events += "; ";
      events += fmt::format("{} at {:.6g} of {}", event_words(system_->model(), p), p.factor,
                            step.loads.name);
    }
    const double last = part.last_factor();
    outcome.stands_at = last;
    switch (part.path.end) {
      case PathEnd::reached:
        outcome.reason = events.empty() ? "" : "on the way: " + events;
        if (!step.path.empty()) outcome.negative_pivots = step.path.back().negative_pivots;
        if (outcome.negative_pivots.value_or(0) > 0) {
          outcome.verdict = Verdict::unstable;
          outcome.reason =
              fmt::format("the equilibrium has {} negative pivots{}{}", *outcome.negative_pivots,
                          events.empty() ? "" : ": ", events);
        }
        break;
      case PathEnd::limit_point:
        outcome.verdict = Verdict::limit_point;
        outcome.reason = events + "; the load does not grow beyond it";
        break;
      case PathEnd::branch_point:
        outcome.verdict = Verdict::branch_point;
        outcome.reason =
            events +
            "; a second path leaves here: go along it with branch = \"follow\", or give the frame "
            "a small load or shape that decides the side";
        if (!part.path.tried.empty()) outcome.reason += "; " + part.path.tried;
        break;
      case PathEnd::no_convergence:
      case PathEnd::too_many_steps:
        outcome.verdict = Verdict::iteration_limit;
        outcome.reason = fmt::format(
            "not converged: the last equilibrium is at {:.6g} of {}; {}{}{}", last, step.loads.name,
            part.path.tried, events.empty() ? "" : "; on the way: ", events);
        break;
    }
    if (outcome.stands() && error > kReliable) {
      outcome.verdict = Verdict::unreliable;
      outcome.reason = fmt::format(
          "not sure to six digits: with {} pieces of a member the error is about {:.1e}{}{}",
          trial.pieces, error, events.empty() ? "" : "; on the way: ", events);
    }
    step.solve_error.displacement = error;
    step.solve_error.unbalanced = step.equilibrium.nodes;
  }

  std::shared_ptr<const FrameSystem> system_;
  const AnalysisSpec& spec_;
  const LargeDisplacementKeys& keys_;
  const Progress& progress_;
  std::vector<Leg> legs_;
  double held_ = 0;  // the largest force that would hold a strained member, N
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
  const OneWayFrames frames(frame.system->situation(), frame.system->order());
  const Step found = solve_with_breaks(frames, linear, step.loads, nullptr).step;
  if (!found.outcome.stands()) step.outcome = found.outcome;
}

/// The frame of the analysis with one-way items acting one way.
std::shared_ptr<const FrameSystem> acting_frame(const ElasticFrame& frame) {
  if (!frame.system->model().has_one_way()) return frame.system;
  Situation situation = frame.system->situation();
  situation.one_way = true;
  return std::make_shared<FrameSystem>(situation, frame.system->order());
}

}  // namespace

LoadSet loads_at(const AnalysisSpec& spec, const LoadSet& loads, double factor) {
  LoadSet acting = scaled(loads, factor);
  const auto* keys = std::get_if<LargeDisplacementKeys>(&spec.keys);
  if (keys == nullptr) return acting;
  const auto add = [&acting](const LoadSet& more, double part) {
    for (const auto& [id, f] : more.terms) acting.terms.emplace_back(id, part * f);
  };
  if (keys->constant) add(*keys->constant, 1);
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
  for (std::size_t i = 0; i < steps.size(); ++i) {
    steps[i] = begin_step(spec, spec.loads[i]);
  }
  if (!spec.large_displacement().history.empty()) {
    LargeDisplacement(system, spec, spec.loads, progress).solve(steps);
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
    LargeDisplacement(system, spec, {spec.loads[i]}, progress).solve(alone);
    step = std::move(alone.front());
    say_what_lets_go(frame, step);
    // Without a single equilibrium the frame is what first-order found.
    if (!step.has_state && !baseline[i].outcome.stands()) step.outcome = baseline[i].outcome;
  }
  return steps;
}

}  // namespace ulterix
