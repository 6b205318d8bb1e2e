#pragma once

#include "core/modes/mode_problem.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

/// The shape of a vector of a problem's unknowns, normalised; `scale` is what it was multiplied by.
ModeShape mode_shape(const ModeProblem& problem, const VectorXd& phi, double* scale = nullptr);

/// Displacements (global, times `scale`) along a member at the stations of the shape's axes.
std::vector<Vector3d> axis_of_member(const ModeProblem& problem, MemberId id, const VectorXd& phi,
                                     double scale);

/// Strain energies of the members in a vector, sums with springs to 1, and φᵀKφ of the unloaded
/// frame, J, made from deformations.
struct ModeEnergy {
  IndexedVector<MemberId, MemberShare> shares;
  double elastic = 0;
};
ModeEnergy mode_energy(const ModeProblem& problem, const VectorXd& phi);

}  // namespace ulterix
