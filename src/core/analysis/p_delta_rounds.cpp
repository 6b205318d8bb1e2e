#include "core/analysis/p_delta_rounds.hpp"

#include <algorithm>
#include <cmath>

#include "core/dense/orthogonal.hpp"
#include "core/results/recovery.hpp"
#include "core/sparse/conjugate_gradients.hpp"
#include "core/sparse/indefinite_factor.hpp"

namespace ulterix {

namespace {

/// Changes that no longer fall, and are at most this, are rounding between stiff and soft parts.
constexpr double kRoundingFloor = 1e-6;

}  // namespace

void PDeltaRounds::refine(const Assembly& assembly, State& now) {
  const State acting = now;
  const RefinedSolution solved = solve_refined({system_, *applied_, acting, keys_.split}, factor_,
                                               assembly.rhs, assembly.loads, {applied_.get()});
  system_.set_motion(*applied_, solved.q.col(0), solved.rest.col(0), now);
  solve_error_ = solved.errors.front();
}

void PDeltaRounds::follow_cables(const State& at, State& state) const {
  for (const MemberId id : cables_) {
    const double length = system_.properties(id).length;
    state.members[id].reach = reach_of(system_.end_motion_since_drawn(id, at), length);
  }
}

double PDeltaRounds::part_of_step(const Assembly& assembly, const VectorXd& from,
                                  const VectorXd& to, const State& acting) const {
  constexpr double kTiny = 1e-6;  // a step that only polishes; its slopes are rounding
  const VectorXd step = to - from;
  if (cables_.empty() || step.norm() <= kTiny * to.norm()) return 1;
  // The energy's slope along the step: all but the cables is linear, and at the start the cables
  // are as the round took them.
  const double steepest = step.dot(multiply(system_.pattern(), assembly.values, step));
  if (!(steepest > 0)) return 1;
  State there = acting;
  std::vector<Element> elements;
  for (const MemberId id : cables_) {
    elements.push_back(system_.element(id, applied_->on_member(id), acting));
  }
  const auto slope = [&](double part) {
    system_.set_motion(*applied_, from + part * step, there);
    double sum = (part - 1) * steepest;
    for (std::size_t i = 0; i < cables_.size(); ++i) {
      const MemberId id = cables_[i];
      const Element& e = elements[i];
      const EndMotion motion = system_.end_motion_since_drawn(id, there);
      const double length = system_.properties(id).length;
      const Vector3d moved = reach_of(motion, length) - *acting.members[id].reach;
      const Vector12d linear = e.resistance(motion) + e.fixed_end_forces();
      const Vector3d beyond = linear.head<3>() - e.end_forces(motion).head<3>();
      // Per unit of `part`: how fast the cable's ends move apart.
      if (part > 0) sum += beyond.dot(moved) / part;
    }
    return sum;
  };
  constexpr double kEnough = 0.8;
  constexpr int kMostHalvings = 60;
  constexpr double kFurthest = 1e3;
  double part = 1, low = 0, high = 1;
  for (int i = 0; i < kMostHalvings; ++i) {
    const double now = slope(part);
    if (std::abs(now) <= kEnough * steepest) return part;
    const bool further = now < 0 && part == high && high < kFurthest;
    (now < 0 ? low : high) = part;
    if (further) high *= 2;
    part = further ? high : (low + high) / 2;
  }
  return part;
}

void PDeltaRounds::give(Step& step) const {
  step.state = state_;
  step.rounds = rounds_;
  step.has_state = true;
  step.solve_error = solve_error_;
  complete(frame_.system, applied_, step);
}

void PDeltaRounds::accelerate(StartForces& forces, const StartForces& found) {
  constexpr std::size_t kDepth = 4;
  constexpr std::size_t kPlainRounds = 3;
  const Eigen::Index n = forces.size();
  Past now{VectorXd(n), VectorXd(n)};
  for (int i = 0; i < forces.size(); ++i) {
    now.forces[i] = forces[MemberId(i)];
    now.change[i] = found[MemberId(i)] - forces[MemberId(i)];
  }
  past_.push_back(now);
  VectorXd next = now.forces + now.change;
  if (past_.size() > kPlainRounds) {
    const std::size_t depth = std::min(kDepth, past_.size() - 1);
    Eigen::MatrixXd dF(n, static_cast<Eigen::Index>(depth)), dX = dF;
    for (std::size_t k = 0; k < depth; ++k) {
      const Past &a = past_[past_.size() - 2 - k], &b = past_[past_.size() - 1 - k];
      // Scaled to one length: the last changes are the smallest and tell the most.
      const double norm = (b.change - a.change).norm(), size = norm > 0 ? norm : 1;
      dF.col(static_cast<Eigen::Index>(k)) = (b.change - a.change) / size;
      dX.col(static_cast<Eigen::Index>(k)) = (b.forces - a.forces) / size;
    }
    next -= (dX + dF) * least_squares(dF, now.change, 1e-8);
  }
  for (int i = 0; i < forces.size(); ++i) forces[MemberId(i)] = next[i];
}

bool PDeltaRounds::definite(const Assembly& assembly) {
  unstable_ = assembly.unstable_members;
  const FactorStatus status = factor_.factorise(assembly.values);
  const int inner = assembly.inner_negative_pivots + static_cast<int>(unstable_.size());
  if (status == FactorStatus::positive_definite && inner == 0) return true;
  negative_pivots_ = status == FactorStatus::positive_definite
                         ? std::optional<int>(0)
                         : negative_eigenvalues(*system_.factor_structure(), assembly.values);
  if (negative_pivots_) *negative_pivots_ += inner;
  return false;
}

bool PDeltaRounds::solve(const Assembly& assembly, VectorXd& q, bool& proven) {
  const bool inner = assembly.inner_negative_pivots > 0 || !assembly.unstable_members.empty();
  if (!proven && !inner) {
    const CgEnd end = conjugate_gradients(system_.pattern(), assembly.values,
                                          inverse_of(*frame_.factor), assembly.rhs, q);
    if (end == CgEnd::converged) return true;
  }
  proven = true;
  if (!definite(assembly)) return false;
  Eigen::MatrixXd x = assembly.rhs;
  factor_.solve(x);
  q = x.col(0);
  return true;
}

ConvergenceRound PDeltaRounds::compare(const State& before, const State& after,
                                       const StartForces& old_forces,
                                       const StartForces& new_forces) const {
  double change_u = 0, u = 0, change_n = 0, n = 0;
  for (const NodeId id : system_.model().nodes.ids()) {
    const Vector3d& now = after.nodes[id].translation;
    change_u = std::max(change_u, (now - before.nodes[id].translation).cwiseAbs().maxCoeff());
    u = std::max(u, now.cwiseAbs().maxCoeff());
  }
  for (const MemberId id : system_.model().members.ids()) {
    change_n = std::max(change_n, std::abs(new_forces[id] - old_forces[id]));
    n = std::max(n, std::abs(new_forces[id]));
  }
  return {u > 0 ? change_u / u : 0, n > 0 ? change_n / n : 0, 0};
}

/// Three rounds without progress, all of them tiny.
bool PDeltaRounds::stagnates() const {
  constexpr std::size_t kRoundsBack = 3;
  if (rounds_.size() <= kRoundsBack + 2) return false;
  const auto change = [this](std::size_t back) {
    const ConvergenceRound& r = rounds_[rounds_.size() - 1 - back];
    return std::max(r.change_u, r.change_n);
  };
  return change(0) > keys_.tolerance && change(0) <= kRoundingFloor &&
         change(0) > 0.3 * change(kRoundsBack);
}

PDeltaRounds::End PDeltaRounds::run(double lambda, const StartForces& start) {
  rounds_.clear();
  past_.clear();
  negative_pivots_.reset();
  applied_ = std::make_shared<AppliedLoads>(system_.situation(), scaled(loads_, lambda));
  const AppliedLoads& applied = *applied_;
  StartForces forces = given_.value_or(start);
  State before(system_.model());
  VectorXd q = VectorXd::Zero(system_.dofs().size());
  system_.set_motion(applied, q, before);
  bool last = factor_.flops() < kIterativeFlops, refining = false;
  for (int round = 1; round <= keys_.iterations; ++round) {
    State now = state_at_rest(system_.situation());
    now.geometric = !linear_;
    follow_cables(before, now);
    now.between_nodes = keys_.between_nodes;
    now.lambda = lambda;
    now.axial_given = given_.has_value();
    for (const MemberId id : system_.model().members.ids())
      now.members[id].axial_start = forces[id];
    Assembly assembly = system_.assemble(applied, now, keys_.split);
    bool proven = last;
    const VectorXd old_q = q;
    if (!solve(assembly, q, proven)) {
      // A slack cable may be about to be taut: it leads the search, and does not prove anything.
      if (cables_.empty()) return End::not_definite;
      now.slack_resists = true;
      assembly = system_.assemble(applied, now, keys_.split);
      if (!solve(assembly, q, proven)) return End::not_definite;
    }
    if (!q.allFinite()) return End::not_finite;
    const double part = part_of_step(assembly, old_q, q, now);
    if (part != 1) q = old_q + part * (q - old_q);
    system_.set_motion(applied, q, now);
    if (refining && proven) refine(assembly, now);
    StartForces found = system_.axial_forces(applied, now);
    ConvergenceRound record = compare(before, now, forces, found);
    const VectorXd rest = assembly.rhs - multiply(system_.pattern(), assembly.values, q);
    const double load = assembly.rhs.lpNorm<Eigen::Infinity>();
    record.residual = load > 0 ? rest.lpNorm<Eigen::Infinity>() / load : 0;
    rounds_.push_back(record);
    stagnates_ = stagnates();
    const bool still = record.change_u <= keys_.tolerance && record.change_n <= keys_.tolerance;
    const bool small = (given_.has_value() && cables_.empty()) || (still && part == 1);
    if (small && now.slack_resists) return End::not_definite;
    if ((small || stagnates_) && proven) {
      bool settled = refining || given_.has_value();
      if (!refining) {
        const State rough = now;
        refine(assembly, now);
        const StartForces refined = system_.axial_forces(applied, now);
        const ConvergenceRound moved = compare(rough, now, found, refined);
        found = refined;
        settled = settled || std::max(moved.change_u, moved.change_n) <= keys_.tolerance;
      }
      if (settled) {
        follow_cables(now, now);
        for (const MemberId id : cables_) {
          const ElementProperties p = system_.properties(id);
          const Catenary cable = hanging(p, applied.on_member(id), *now.members[id].reach);
          if (cable.start_tension().isZero(0)) now.members[id].activity = Activity::idle;
        }
        state_ = now;
        forces_ = found;
        return End::converged;
      }
      refining = true;
    }
    if (small || stagnates_) last = true;
    before = now;
    if (linear_) {
      forces = found;
    } else if (!given_) {
      accelerate(forces, found);
    }
  }
  return End::limit;
}

}  // namespace ulterix
