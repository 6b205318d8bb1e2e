#pragma once

#include <algorithm>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/model/state.hpp"
#include "core/nonlinear/path_follower.hpp"
#include "core/results/kept_lines.hpp"
#include "core/system/mechanism.hpp"
#include "core/system/refinement.hpp"

namespace ulterix {

/// How an analysis of one set of loads ended.
enum class Verdict {
  stands,
  mechanism,             ///< is a mechanism: a motion without stiffness
  above_critical_load,   ///< the tangent has negative pivots at the full load
  iteration_limit,       ///< no convergence within the rounds allowed
  loaded_free_rotation,  ///< a moment acts on a rotation that nothing holds
  not_solvable,          ///< the numbers overflow or cancel
  buckles_below_load,    ///< the lowest buckling factor lies between 0 and 1
  no_mass,               ///< nothing vibrates
  unreliable,            ///< solved, but not sure to kReliable
  limit_point,           ///< the load reaches a largest value below the full load
  branch_point,          ///< the path loses stability where a second one leaves it
  unstable               ///< equilibrium at the full load with negative pivots
};
inline constexpr std::array<Word<Verdict>, 12> kVerdicts = {
    {{Verdict::stands, "stands"},
     {Verdict::mechanism, "mechanism"},
     {Verdict::above_critical_load, "above critical load"},
     {Verdict::iteration_limit, "not converged"},
     {Verdict::loaded_free_rotation, "loaded free rotation"},
     {Verdict::not_solvable, "not solvable"},
     {Verdict::buckles_below_load, "buckles below the load"},
     {Verdict::no_mass, "no mass"},
     {Verdict::unreliable, "unreliable"},
     {Verdict::limit_point, "limit point"},
     {Verdict::branch_point, "branch point"},
     {Verdict::unstable, "unstable"}}};

struct Outcome {
  Verdict verdict = Verdict::stands;
  std::string reason;  ///< in words; empty where it stands without remark
  std::optional<int> negative_pivots;
  /// Bounds of the factor on the loads at which the frame gives way, where it was looked for.
  double stands_at = 0, fails_at = 0;

  bool stands() const { return verdict == Verdict::stands; }
};

/// One round of the iteration on axial forces.
struct ConvergenceRound {
  double change_u = 0;  ///< of the largest displacement, relative
  double change_n = 0;  ///< of the largest axial force, relative
  double residual = 0;  ///< largest unbalanced nodal force over the largest force
};

/// Balance of the result, each relative to the largest force that takes part.
struct EquilibriumCheck {
  double nodes = 0;      ///< largest unbalanced force at a free direction
  double reactions = 0;  ///< sum of reactions against sum of loads
  Vector3d loads = Vector3d::Zero(), reaction_sum = Vector3d::Zero();  ///< N
};

/// What becomes of a member or support as the load grows.
struct ItemEvent {
  double factor = 0;  ///< on the loads, between the last state before and the first after
  MemberId member;    ///< or
  NodeId node;        ///< with the direction of its support
  int direction = 0;
  ItemChange change = ItemChange::carries;
};

/// One equilibrium on the way to the full load.
struct PathPoint : PathEquilibrium {
  NodeId most;        ///< at an event: the node that moves most in the motion without stiffness,
  int direction = 0;  ///< in this direction
  std::optional<ItemEvent> item;  ///< at a crossing
  State state;                    ///< empty where the path is too long to keep them all
  IndexedVector<NodeId, Vector6d> reactions;
};

struct BucklingResult;
struct ModalResult;

struct Step {
  std::string analysis;
  AnalysisKind kind = AnalysisKind::first_order;
  LoadSet loads;
  int number = 1;
  std::string label;
  int split = 0;
  Outcome outcome;
  State state;  ///< of the full load; where it fails, the last good one (state.lambda < 1)
  bool has_state = false;
  std::shared_ptr<const MemberFrame> frame;     ///< what stood, and how stiff
  std::shared_ptr<const AppliedLoads> applied;  ///< the loads of that state, on that frame
  std::vector<ConvergenceRound> rounds;
  IndexedVector<NodeId, Vector6d> reactions;  ///< of the ground on the structure, N and N·m
  EquilibriumCheck equilibrium;
  SolveError solve_error;
  /// P-Delta: the lowest factor at which its axial forces would buckle the frame, where it was
  /// looked for and something is compressed.
  std::optional<double> reserve;
  bool at_once = false;  ///< staged: what the stages are set beside, as if there had been none
  std::optional<double> lowest_omega;  ///< staged: of the stage about its state, rad/s
  std::vector<PathPoint> path;         ///< large displacement: every equilibrium found, in order
  int pieces = 0;                      ///< large displacement: of a member that bends
  std::vector<ItemEvent> events;       ///< of one-way items and breaks on the way to the full load
  std::shared_ptr<const BucklingResult> buckling;  ///< of a buckling analysis
  std::shared_ptr<const ModalResult> modal;        ///< of a modal analysis
  mutable KeptLines lines;  ///< of what Recovery was asked for; `complete` begins them anew
};

/// What stands in a step; all of the model where its frame is not known.
inline bool stands_in(const Step& step, MemberId id) {
  return !step.frame || step.frame->situation().present[id] != 0;
}
inline bool stands_in(const Step& step, NodeId id) {
  return !step.frame || step.frame->situation().standing[id] != 0;
}

/// Names of the analyses of steps, in order, each once.
inline std::vector<std::string> analyses_of(const std::vector<Step>& steps) {
  std::vector<std::string> names;
  for (const Step& step : steps) {
    if (std::find(names.begin(), names.end(), step.analysis) == names.end()) {
      names.push_back(step.analysis);
    }
  }
  return names;
}

}  // namespace ulterix
