#pragma once

#include "core/sparse/factorisation.hpp"
#include "core/system/frame_system.hpp"

namespace ulterix {

/// How sure a solution of K·u = f is, each over the largest of its kind (translation, rotation;
/// force, moment).
struct SolveError {
  double displacement = 0;  ///< the last correction of refinement
  double end_forces = 0;    ///< the change of members' end forces in it
  double unbalanced = 0;    ///< what is left at a node
  int corrections = 0;
  double first_correction = 0;  ///< what the factor alone was off, of the displacements

  double largest() const { return std::max({displacement, end_forces, unbalanced}); }
};

/// A solution with a larger error than this is not handed out as one.
inline constexpr double kReliable = 1e-6;

/// Unknowns as sums of two doubles, columns as the right sides.
struct RefinedSolution {
  Eigen::MatrixXd q, rest;
  std::vector<SolveError> errors;
};

/// The stiffness of a state: what members resist with in `acting` under the axial forces of
/// `loads`.
struct TangentAt {
  const FrameSystem& system;
  const AppliedLoads& loads;
  const State& acting;
  int split = 0;
};

/// The loads of each column of a right side.
using ColumnLoads = std::vector<const AppliedLoads*>;

/// Solves K·u = f by iterative refinement (Wilkinson 1963; Higham 2002, ch. 12) with residuals made
/// member by member from deformations, and where it contracts slower than 0.3, by conjugate
/// gradients with the same products. `factor`: of K, or of a matrix near it. `rhs` is K·q = rhs for
/// the first solution, `loads` the forces at the unknowns that balance is measured against,
/// `acting` what moves supports.
RefinedSolution solve_refined(const TangentAt& tangent, const Factorisation& factor,
                              const Eigen::MatrixXd& rhs, const Eigen::MatrixXd& loads,
                              ColumnLoads acting);

}  // namespace ulterix
