#include "core/analysis/large_displacement.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

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

/// A frame with what has broken or yields in a state.
std::shared_ptr<const MemberFrame> frame_in(std::shared_ptr<const MemberFrame> frame,
                                            const State& state) {
  const Situation& known = frame->situation();
  const auto differs = [&](MemberId id) {
    const Activity now = state.members[id].activity;
    const bool failed = now == Activity::broken || now == Activity::yields;
    return known.failed_as(id) != (failed ? now : Activity::active);
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
    if (now == Activity::broken || now == Activity::yields) situation.fail(id, now);
  }
  return std::make_shared<const MemberFrame>(situation);
}

/// One path with so many pieces to a member.
struct Trial {
  int pieces = 0;
  bool with_events = false;
  std::unique_ptr<PiecewiseFrame> frame;
  PathResult path;

  double last_factor() const { return path.states.empty() ? 0 : path.states.back().factor; }
};

class LargeDisplacement {
 public:
  LargeDisplacement(std::shared_ptr<const FrameSystem> system, const AnalysisSpec& spec,
                    const LoadSet& loads, const Progress& progress)
      : system_(std::move(system)),
        spec_(spec),
        keys_(spec.large_displacement()),
        loads_(loads),
        progress_(progress),
        applied_(system_->situation(), loads) {
    if (keys_.constant) constant_.emplace(system_->situation(), *keys_.constant);
    for (const MemberId id : system_->model().members.ids()) {
      const ElementProperties p = system_->properties(id);
      const MemberLoading& l = applied_.on_member(id);
      held_ =
          std::max({held_, std::abs(p.EA * l.strain), std::abs(p.EIy * l.curvature[0]) / p.length,
                    std::abs(p.EIz * l.curvature[1]) / p.length});
    }
  }

  void solve(Step& step) {
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
    take(best, step);
    judge(best, error, step);
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
    trial.frame = std::make_unique<PiecewiseFrame>(*system_, applied_,
                                                   constant_ ? &*constant_ : nullptr, pieces);
    if (trial.with_events) trial.frame->look_for_events();
    PathOptions options;
    options.lead = lead_of(keys_.control);
    options.steps = keys_.steps;
    if (keys_.most_steps > 0) options.most_steps = keys_.most_steps;
    options.follow_branch = keys_.follow_branch;
    options.stop_at_limit = keys_.stop_at_limit;
    options.stop_at_factor = keys_.stop_at_factor;
    if (keys_.control == PathControl::displacement) {
      options.watched = trial.frame->unknown_of(keys_.lead.node, keys_.lead.component);
      options.watched_end = keys_.lead_to;
    }
    trial.path = follow_path(*trial.frame, options, [this](double done) {
      if (progress_) progress_(spec_.name, done);
    });
    return trial;
  }

  /// How much two ends differ, of the largest motion and the largest force; at a limit point, of
  /// the factor.
  double change(const Trial& coarse, const Trial& fine) const {
    if (coarse.path.end != fine.path.end) return 1;
    if (coarse.path.end != PathEnd::reached) {
      const double a = coarse.last_factor(), b = fine.last_factor();
      return std::abs(a - b) / std::max(std::abs(b), 1e-300);
    }
    const State a = coarse.frame->node_state(), b = fine.frame->node_state();
    const auto ra = coarse.frame->reactions(), rb = fine.frame->reactions();
    double u = 0, du = 0, r = 0, dr = 0, f = 0, df = 0;
    const double size = std::max(system_->model().size(), 1e-9);
    for (const NodeId n : system_->model().nodes.ids()) {
      const Vector6d va = a.nodes[n].vector(), vb = b.nodes[n].vector();
      u = std::max(u, vb.head<3>().cwiseAbs().maxCoeff());
      du = std::max(du, (va - vb).head<3>().cwiseAbs().maxCoeff());
      r = std::max(r, vb.tail<3>().cwiseAbs().maxCoeff());
      dr = std::max(dr, (va - vb).tail<3>().cwiseAbs().maxCoeff());
      const auto force = [size](const Vector6d& v) {
        return std::max(v.head<3>().cwiseAbs().maxCoeff(),
                        v.tail<3>().cwiseAbs().maxCoeff() / size);
      };
      f = std::max(f, force(rb[n]));
      df = std::max(df, force(ra[n] - rb[n]));
    }
    for (const MemberId id : system_->model().members.ids()) {
      if (b.poses[id].x.empty()) continue;
      // The largest displacement inside is told by the poses that both have.
      const auto &ca = a.poses[id].poses, &cb = b.poses[id].poses;
      const Vector3d ma = ca[ca.size() / 2].displacement, mb = cb[cb.size() / 2].displacement;
      if (2 * (ca.size() - 1) == cb.size() - 1 && (ca.size() - 1) % 2 == 0) {
        u = std::max(u, mb.cwiseAbs().maxCoeff());
        du = std::max(du, (ma - mb).cwiseAbs().maxCoeff());
      }
    }
    f = std::max(f, kStrainOnly * held_);
    // A rotation has the frame for a lever, and the reverse: without the one, it is only rounding.
    r = std::max(r, u / size);
    return std::max({u > 0 ? du / u : 0, r > 0 ? dr / r : 0, f > 0 ? df / f : 0});
  }

  /// All loads at a factor, as one set.
  LoadSet acting(double factor) const { return loads_at(spec_, loads_, factor); }

  void take(const Trial& trial, Step& step) {
    if (trial.path.states.empty()) return;
    const PathState& last = trial.path.states.back();
    trial.frame->restore(last.state);
    step.state = trial.frame->node_state();
    step.frame = frame_in(system_, step.state);
    step.has_state = true;
    step.pieces = trial.pieces;
    step.applied = std::make_shared<AppliedLoads>(step.frame->situation(), acting(last.factor));
    step.reactions = trial.frame->reactions();
    step.equilibrium.nodes = trial.frame->unbalanced();
    compare_reactions(system_->model(), step.applied->total_force().cwiseAbs().maxCoeff(), step);
    const auto motions = static_cast<std::size_t>(system_->model().nodes.size()) +
                         static_cast<std::size_t>(system_->model().members.size() * trial.pieces);
    const bool keep = motions * trial.path.states.size() <= kMostKept;
    for (const PathState& s : trial.path.states) {
      PathPoint point;
      static_cast<PathEquilibrium&>(point) = s;
      if (s.event == PathEventKind::crossing) {
        auto [member, change] = trial.frame->meaning(s.condition);
        if (!s.loses && change == ItemChange::idle) change = ItemChange::carries;
        // That a member comes back below fy says nothing.
        const bool says = s.loses || change == ItemChange::carries;
        if (says) point.item = ItemEvent{s.factor, member, {}, 0, change};
      }
      if (s.mode.size() > 0) tell_place(*trial.frame, s.mode, point);
      if (keep) {
        trial.frame->restore(s.state);
        point.state = trial.frame->node_state();
        point.reactions = trial.frame->reactions();
      }
      step.path.push_back(std::move(point));
    }
    trial.frame->restore(last.state);
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

  void judge(const Trial& trial, double error, Step& step) const {
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
                            loads_.name);
    }
    const double last = trial.last_factor();
    outcome.stands_at = last;
    switch (trial.path.end) {
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
        if (!trial.path.tried.empty()) outcome.reason += "; " + trial.path.tried;
        break;
      case PathEnd::no_convergence:
      case PathEnd::too_many_steps:
        outcome.verdict = Verdict::iteration_limit;
        outcome.reason = fmt::format(
            "not converged: the last equilibrium is at {:.6g} of {}; {}{}{}", last, loads_.name,
            trial.path.tried, events.empty() ? "" : "; on the way: ", events);
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
  const LoadSet& loads_;
  const Progress& progress_;
  AppliedLoads applied_;
  std::optional<AppliedLoads> constant_;
  double held_ = 0;  // the largest force that would hold a strained member, N
};

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
  if (keys == nullptr || !keys->constant) return acting;
  const auto& more = keys->constant->terms;
  acting.terms.insert(acting.terms.end(), more.begin(), more.end());
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
    Step& step = steps[i] = begin_step(spec, spec.loads[i]);
    if (baseline[i].outcome.verdict == Verdict::loaded_free_rotation ||
        baseline[i].outcome.verdict == Verdict::not_solvable) {
      step.outcome = baseline[i].outcome;
      continue;
    }
    LargeDisplacement(system, spec, step.loads, progress).solve(step);
    // Without a single equilibrium the frame is what first-order found.
    if (!step.has_state && !baseline[i].outcome.stands()) step.outcome = baseline[i].outcome;
  }
  return steps;
}

}  // namespace ulterix
