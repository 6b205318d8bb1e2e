#include "core/analysis/path_trials.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/analysis/first_order.hpp"
#include "core/results/event_words.hpp"
#include "core/results/recovery.hpp"

namespace ulterix {

namespace {

constexpr int kFirstPieces = 4, kMostPieces = 128;
/// The change from n to 2n pieces is this many times the error that is left at most: it falls with
/// the fourth power of their length. Where two changes show less, fewer times; before there are
/// two, as of the second power.
constexpr double kFourthOrder = 15, kUnproven = 3;
constexpr double kEnough = 0.3 * kReliable;
/// Forces below this part of those that would hold the strained members are their rounding.
constexpr double kStrainOnly = 1e-4;
/// States along the path are kept up to so many motions in all.
constexpr std::size_t kMostKept = 4'000'000;

}  // namespace

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

void PathTrials::solve(int pieces, bool with_events, const Progress& progress,
                       std::vector<Step>& steps) {
  const bool bends = std::any_of(model_.members.begin(), model_.members.end(),
                                 [](const Member& m) { return m.kind == MemberKind::frame; });
  const bool refines = pieces == 0 && bends;
  // What happens on the way is located on the last path alone, but for breaks.
  const auto trial = [&](int n, bool last) {
    return follow(n, last && with_events, steps, progress);
  };
  Trial best = trial(pieces > 0 ? pieces : kFirstPieces, !refines);
  double error = 0;
  if (refines) {
    error = 1;
    double before = 0;
    while (2 * best.pieces <= kMostPieces) {
      const bool last = before > 0 && before / (kFourthOrder + 1) / kFourthOrder <= kEnough;
      Trial finer = trial(2 * best.pieces, last);
      const double changed = change(best, finer);
      const double shown = before > 0 && changed > 0 ? before / changed - 1 : kUnproven;
      error = changed / std::clamp(shown, 1.0, kFourthOrder);
      before = changed;
      best = std::move(finer);
      if (error <= kEnough) break;
    }
    if (!best.with_events && with_events) best = trial(best.pieces, true);
  }
  for (std::size_t k = 0; k < steps.size(); ++k) {
    if (k >= best.parts.size()) {
      const LoadSet& last = steps[best.parts.size() - 1].loads;
      steps[k].outcome = {Verdict::iteration_limit,
                          fmt::format("not reached: the path ends in {}", last.name),
                          {},
                          0,
                          0};
      continue;
    }
    take(best, k, steps[k]);
    judge(best, k, error, steps[k]);
  }
}

PathTrials::Trial PathTrials::follow(int pieces, bool with_events, const std::vector<Step>& steps,
                                     const Progress& progress) {
  Trial trial;
  trial.with_events = with_events;
  trial.pieces = pieces;
  for (std::size_t k = 0; k < steps.size() && (k == 0 || trial.arrives()); ++k) {
    Part part;
    part.leg = begin(k, pieces, k > 0 ? trial.parts.back().leg.frame.get() : nullptr);
    PiecewiseFrame& frame = *part.leg.frame;
    if (with_events) frame.look_for_events();
    part.path = follow_path(frame, part.leg.options, [&](double done) {
      if (progress) progress(steps[k].analysis, (double(k) + done) / double(steps.size()));
    });
    if (!part.path.states.empty()) frame.restore(part.path.states.back().state);
    trial.parts.push_back(std::move(part));
  }
  return trial;
}

/// How much the ends of two trials differ, of the largest motion and the largest force.
double PathTrials::change(const Trial& coarse, const Trial& fine) const {
  if (coarse.parts.size() != fine.parts.size()) return 1;
  Change change;
  change.force = kStrainOnly * held_;
  double ends = 0;
  for (std::size_t k = 0; k < fine.parts.size(); ++k) {
    const Part &a = coarse.parts[k], &b = fine.parts[k];
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
  const double size = std::max(model_.size(), 1e-9);
  const double turn = std::max(change.turn, change.shift / size);
  const auto part = [](double changed, double of) { return of > 0 ? changed / of : 0; };
  return std::max({ends, part(change.of_shift, change.shift), part(change.of_turn, turn),
                   part(change.of_force, change.force)});
}

void PathTrials::compare(const Part& coarse, const Part& fine, Change& change) const {
  const State a = coarse.leg.frame->node_state(), b = fine.leg.frame->node_state();
  const auto ra = coarse.leg.frame->reactions(), rb = fine.leg.frame->reactions();
  const double size = std::max(model_.size(), 1e-9);
  const auto largest = [](double& value, const Vector3d& v) {
    value = std::max(value, v.cwiseAbs().maxCoeff());
  };
  const auto force = [&](double& value, const Vector6d& v) {
    largest(value, v.head<3>());
    largest(value, v.tail<3>() / size);
  };
  for (const NodeId n : model_.nodes.ids()) {
    const NodeMotion &na = a.nodes[n], &nb = b.nodes[n];
    largest(change.shift, nb.translation);
    largest(change.of_shift, na.translation - nb.translation);
    largest(change.turn, nb.rotation);
    largest(change.of_turn, na.rotation - nb.rotation);
    force(change.force, rb[n]);
    force(change.of_force, ra[n] - rb[n]);
  }
  for (const MemberId id : model_.members.ids()) {
    if (b.poses[id].x.empty()) continue;
    // The largest displacement inside is told by the poses that both have.
    const auto &ca = a.poses[id].poses, &cb = b.poses[id].poses;
    if (2 * (ca.size() - 1) != cb.size() - 1 || (ca.size() - 1) % 2 != 0) continue;
    const Vector3d &ma = ca[ca.size() / 2].displacement, &mb = cb[cb.size() / 2].displacement;
    largest(change.shift, mb);
    largest(change.of_shift, ma - mb);
  }
}

void PathTrials::take(const Trial& trial, std::size_t k, Step& step) const {
  const Part& part = trial.parts[k];
  tell_path(part, trial.pieces, parts_count(k), step);
  if (part.path.states.empty()) return;
  if (part.path.end != PathEnd::reached && !parts_count(k)) return;
  const PathState& last = part.path.states.back();
  part.leg.frame->restore(last.state);
  step.state = part.leg.frame->node_state();
  step.frame = frame_in(part.leg.system, step.state);
  step.has_state = true;
  step.pieces = trial.pieces;
  step.applied =
      std::make_shared<AppliedLoads>(step.frame->situation(), acting(k, step.loads, last.factor));
  step.reactions = part.leg.frame->reactions();
  step.equilibrium.nodes = part.leg.frame->unbalanced();
  // What is taken off again leaves its rounding.
  const double force =
      std::max(step.applied->total_force().cwiseAbs().maxCoeff(), standing_force(k));
  compare_reactions(model_, force, step);
}

void PathTrials::tell_path(const Part& part, int pieces, bool keeps, Step& step) const {
  const auto motions = static_cast<std::size_t>(model_.nodes.size()) +
                       static_cast<std::size_t>(model_.members.size() * pieces);
  const bool keep = keeps && motions * part.path.states.size() <= kMostKept;
  for (const PathState& s : part.path.states) {
    PathPoint point;
    static_cast<PathEquilibrium&>(point) = s;
    if (s.event == PathEventKind::crossing) {
      auto [item, change] = part.leg.frame->meaning(s.condition);
      if (!s.loses && change == ItemChange::idle) change = ItemChange::carries;
      // That a member comes back below fy says nothing.
      const bool says = s.loses || change == ItemChange::carries;
      if (says) point.item = ItemEvent{s.factor, item.member, item.node, item.direction, change};
    }
    if (s.mode.size() > 0) tell_place(*part.leg.frame, s.mode, point);
    if (keep) {
      part.leg.frame->restore(s.state);
      point.state = part.leg.frame->node_state();
      point.reactions = part.leg.frame->reactions();
    }
    step.path.push_back(std::move(point));
  }
  if (!part.path.states.empty()) part.leg.frame->restore(part.path.states.back().state);
}

void PathTrials::tell_place(const PiecewiseFrame& frame, const VectorXd& mode,
                            PathPoint& point) const {
  const auto motion = frame.motion_of(mode);
  double most = -1, turn = 0, shift = 0;
  for (const NodeMotion& n : motion) {
    shift = std::max(shift, n.translation.cwiseAbs().maxCoeff());
    turn = std::max(turn, n.rotation.cwiseAbs().maxCoeff());
  }
  // A displacement says more than a rotation, unless no node is displaced.
  const bool displaces = shift > 1e-6 * turn * model_.size();
  for (const NodeId n : model_.nodes.ids()) {
    for (int d = displaces ? 0 : 3; d < (displaces ? 3 : 6); ++d) {
      const double u = std::abs(motion[n].vector()[d]);
      if (u <= most * (1 + 1e-9)) continue;
      most = u;
      point.most = n;
      point.direction = d;
    }
  }
}

void PathTrials::judge(const Trial& trial, std::size_t k, double error, Step& step) const {
  const Part& part = trial.parts[k];
  Outcome& outcome = step.outcome;
  std::string events;
  for (const PathPoint& p : step.path) {
    const bool grave =
        p.item && (p.item->change == ItemChange::breaks || p.item->change == ItemChange::yields);
    const bool singular =
        p.event == PathEventKind::limit_point || p.event == PathEventKind::branch_point;
    if (!grave && !singular) continue;
    if (!events.empty()) events += "; ";
    events +=
        fmt::format("{} at {:.6g} of {}", event_words(model_, p), p.factor, whole(k, step.loads));
  }
  const double last = part.last_factor();
  outcome.stands_at = last;
  switch (part.path.end) {
    case PathEnd::reached:
      outcome.reason = events.empty() ? "" : "on the way: " + events;
      if (!step.path.empty()) outcome.negative_pivots = step.path.back().negative_pivots;
      if (outcome.negative_pivots.value_or(0) > 0) {
        outcome.verdict = Verdict::unstable;
        outcome.reason = fmt::format("the equilibrium has {} negative pivots{}{}",
                                     *outcome.negative_pivots, events.empty() ? "" : ": ", events);
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
      outcome.reason = fmt::format("not converged: the last equilibrium is at {:.6g} of {}; {}{}{}",
                                   last, whole(k, step.loads), part.path.tried,
                                   events.empty() ? "" : "; on the way: ", events);
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

void PathTrials::note_strains(const FrameSystem& system, const AppliedLoads& loads) {
  for (const MemberId id : model_.members.ids()) {
    const ElementProperties p = system.properties(id);
    const MemberLoading& l = loads.on_member(id);
    held_ = std::max({held_, std::abs(p.EA * l.strain), std::abs(p.EIy * l.curvature[0]) / p.length,
                      std::abs(p.EIz * l.curvature[1]) / p.length});
  }
}

}  // namespace ulterix
