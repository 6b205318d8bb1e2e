#include "core/analysis/mode_precision.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/dense/symmetric_eigen.hpp"
#include "core/parallel.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

namespace {

/// An energy that is off by less is rounding of regular frames.
constexpr double kGood = 1e-9;
constexpr int kMostSteps = 5;

/// K·X on the frame's unknowns, from deformations of columns q + rest.
Eigen::MatrixXd resistance(const FrameSystem& system, const Eigen::MatrixXd& q,
                           const Eigen::MatrixXd& rest) {
  const AppliedLoads nothing(system.situation(), LoadSet{});
  const State unloaded(system.model());
  std::vector<State> states(static_cast<std::size_t>(q.cols()), unloaded);
  for (std::size_t k = 0; k < states.size(); ++k) {
    const auto column = static_cast<Eigen::Index>(k);
    system.set_increment(q.col(column), states[k]);
    State low = unloaded;
    system.set_increment(rest.col(column), low);
    for (const NodeId n : system.model().nodes.ids()) {
      states[k].nodes[n].rest += low.nodes[n].vector();
    }
  }
  return system.resistance(nothing, unloaded, states).at_unknowns;
}

/// How far φᵀKφ by deformations is from that of the matrix, of φᵀK̃φ = 1.
double energy_error(const ModeProblem& problem, const std::vector<double>& stiffness,
                    const Eigen::MatrixXd& X) {
  const FrameSystem& system = problem.frame();
  const auto modes = static_cast<int>(X.cols());
  std::vector<State> states(static_cast<std::size_t>(modes), State(system.model()));
  VectorXd energy(modes);
  for_each_long(modes, [&](int k) {
    State& state = states[static_cast<std::size_t>(k)];
    system.set_increment(X.col(k), state);
    energy[k] = 0;
    for (const NodeId n : system.model().nodes.ids()) {
      energy[k] += system.springs(n).dot(state.nodes[n].vector().cwiseAbs2());
    }
  });
  const State unloaded(system.model());
  const auto of_member = [&](int i) {
    const MemberId id(i);
    VectorXd own = VectorXd::Zero(modes);
    if (!system.situation().present[id]) return own;
    const double length = problem.member(id).properties.length;
    const Element element = system.element(id, MemberLoading::none(length), unloaded);
    for (int k = 0; k < modes; ++k) {
      const EndMotion motion =
          system.end_motion_since_drawn(id, states[static_cast<std::size_t>(k)]);
      // Of all motions: what is tensioned resists a turn as a rigid body, too.
      own[k] = motion.nodes.dot(element.resistance(motion));
    }
    return own;
  };
  make_and_take(system.model().members.size(), of_member,
                [&energy](int, const VectorXd& own) { energy += own; });
  const Eigen::MatrixXd assembled = multiply_block(system.pattern(), stiffness, X);
  return (energy.transpose() - X.cwiseProduct(assembled).colwise().sum()).cwiseAbs().maxCoeff();
}

}  // namespace

double refine_by_deformations(const ElasticFrame& frame, const ModeProblem& problem,
                              FoundModes& found) {
  const FrameSystem& system = *frame.system;
  const InnerUnknowns& u = problem.unknowns();
  if (found.count() == 0 || u.frame_size() == 0) return 0;
  const double error =
      energy_error(problem, frame.stiffness, found.vectors.topRows(u.frame_size()));
  if (error <= kGood || problem.has_state() || problem.shift() != 0) return error;
  double change = error;
  for (int step = 0; step < kMostSteps && change > kGood; ++step) {
    Eigen::MatrixXd X = problem.B().multiply(u, found.vectors);
    X *= found.values.asDiagonal();
    const AppliedLoads nothing(system.situation(), LoadSet{});
    const State unloaded(system.model());
    const Eigen::MatrixXd loads = X.topRows(u.frame_size());
    const RefinedSolution solved =
        solve_refined({system, nothing, unloaded}, *frame.factor, loads, loads,
                      ColumnLoads(static_cast<std::size_t>(loads.cols()), &nothing));
    X.topRows(u.frame_size()) = solved.q;
    Eigen::MatrixXd KX = X;
    KX.topRows(u.frame_size()) = resistance(system, solved.q, solved.rest);
    const Eigen::MatrixXd G = X.transpose() * KX, H = X.transpose() * problem.B().multiply(u, X);
    const auto eigen = generalized_eigen((H + H.transpose()) / 2, (G + G.transpose()) / 2);
    if (!eigen) return 1;
    const VectorXd values = eigen->values.reverse().cwiseInverse();
    if (!values.allFinite()) return 1;
    change = (values.cwiseQuotient(found.values).array() - 1).abs().maxCoeff();
    found.values = values;
    found.vectors = X * eigen->vectors.rowwise().reverse();
  }
  return change;
}

void remark_on_search(const FoundModes& found, std::vector<std::string>& remarks) {
  if (!found.converged) remarks.emplace_back(kNotConverged);
  if (found.fine) return;
  remarks.push_back(fmt::format(
      "the modes asked for need more than {} functions on a member: their discretisation error is "
      "up to {:.2g} %; ask for fewer modes, or cut long members",
      kMostFunctions, 100 * *std::max_element(found.errors.begin(), found.errors.end())));
}

}  // namespace ulterix
