#pragma once

#include "core/modes/mode_problem.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

/// What a mode does to the members: its shape, normalised, with the scale that the vector was
/// multiplied by, their strain energies, sums with springs to 1, and φᵀKφ of the unloaded frame, J,
/// made from deformations.
struct RecoveredMode {
  ModeShape shape;
  double scale = 1;
  IndexedVector<MemberId, MemberShare> shares;
  double elastic = 0;
  MemberId main;                       ///< has the largest share; of equal ones the first
  std::vector<Vector3d> axis_of_main;  ///< its displacements along it, as in the shape's axes
};

/// Of every column of `vectors`.
std::vector<RecoveredMode> recover_modes(const ModeProblem& problem,
                                         const Eigen::MatrixXd& vectors);

}  // namespace ulterix
