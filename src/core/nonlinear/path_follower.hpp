#pragma once

#include <Eigen/Core>
#include <array>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/sparse/factorisation.hpp"

namespace ulterix {

using Eigen::VectorXd;

/// What a tangent has beside its symmetric part, at a few unknowns.
struct SkewBlock {
  std::array<int, 3> unknowns;
  Eigen::Matrix3d values;
};

/// What a structure puts against its state, at a load factor.
struct Balance {
  VectorXd rest;               ///< unbalanced forces: resistance less loads
  VectorXd load;               ///< what one unit of the load factor adds to the loads
  std::vector<double> values;  ///< the symmetric tangent on the problem's pattern
  std::vector<SkewBlock> skew;
  double unbalanced = 0;  ///< the largest, over the largest force (or moment) that takes part
  int inner_negative_pivots = 0;
};

/// A structure whose state moves with the load factor; it keeps its own state.
class PathProblem {
 public:
  virtual ~PathProblem() = default;
  virtual const SymmetricPattern& pattern() const = 0;
  virtual Balance balance() const = 0;
  /// Moves the unknowns by a step and the load factor to `factor`.
  virtual void move(const VectorXd& step, double factor) = 0;
  virtual double factor() const = 0;
  /// The state, to come back to.
  virtual std::shared_ptr<const void> state() const = 0;
  virtual void restore(const std::shared_ptr<const void>& state) = 0;
  /// Lengths (m, rad) that steps of the unknowns are measured by: a step that moves an unknown by
  /// its scale is large.
  virtual const VectorXd& scale() const = 0;
  /// The largest motion so far, of its scale.
  virtual double motion() const = 0;
  /// Forces change so sharply with the unknowns that steps of Newton's may go too far.
  virtual bool has_sharp_bends() const { return false; }
  /// Values whose change of sign is an event, always as many; none: nothing is looked for.
  virtual std::vector<double> conditions() const { return {}; }
  /// What a condition that has lost its sign makes of the structure. True if equilibrium has to be
  /// found anew.
  virtual bool change_by(int) { return false; }
  /// The present state is one that the structure comes through: what depends on the way so far
  /// takes note of it.
  virtual void come_through() {}
  /// Something carries one way.
  virtual bool has_one_way() const { return false; }
  /// Takes over the force of parts that gave way, in equilibrium, where they should not. False:
  /// there is nothing to take over.
  virtual bool take_over() { return false; }
  /// Something that carries one way just touches: a trace of load decides whether it carries.
  virtual bool is_undecided() const { return false; }
  /// In the present state some part has no shape of its own: it needs a load.
  virtual bool is_loose() const { return false; }
};

/// `automatic`: load steps, arc length where they fail or the tangent is not definite.
enum class PathLead { automatic, load, arc_length, displacement };

struct PathOptions {
  PathLead lead = PathLead::automatic;
  int steps = 10;         ///< of equal load factor, to begin with
  int most_steps = 2000;  ///< in all
  /// A factorisation of so many operations serves the iterations of a load step until the last.
  double flops_kept = 1e9;
  double from = 0, to = 1;  ///< load factors
  bool follow_branch = false;
  bool stop_at_limit = false;
  double stop_at_factor = 0;  ///< 0: at `to`
  int watched = -1;           ///< unknown that displacement control leads, and
  double watched_end = 0;     ///< the change of it at which the path ends
};

enum class PathEventKind { none, limit_point, branch_point, crossing };

/// One equilibrium on the path, in numbers.
struct PathEquilibrium {
  double factor = 0;
  int iterations = 0;
  double residual = 0;  ///< largest unbalanced force over the largest force
  std::optional<int> negative_pivots;
  PathEventKind event = PathEventKind::none;
  int condition = -1;  ///< at a crossing
  bool loses = false;  ///< its positive sign, or else gains it
};

/// The same as the follower found it.
struct PathState : PathEquilibrium {
  std::shared_ptr<const void> state;
  VectorXd mode;  ///< at an event: the motion without stiffness
};

enum class PathEnd { reached, limit_point, branch_point, no_convergence, too_many_steps };

struct PathResult {
  PathEnd end = PathEnd::reached;
  std::vector<PathState> states;  ///< equilibria in order
  std::string tried;              ///< without convergence: what was done, in words
};

/// Follows equilibrium from `from` to `to` (Riks 1979; Crisfield 1981): load steps that shrink and
/// grow by themselves; where the tangent loses definiteness or the load will not grow, arc length.
/// Singular points are located by bisection to 1e-6 of the factor.
PathResult follow_path(PathProblem& problem, const PathOptions& options,
                       const std::function<void(double)>& progress = {});

}  // namespace ulterix
