#pragma once

#include "core/analysis/elastic_frame.hpp"
#include "core/modes/frame_mass.hpp"
#include "core/modes/mode_problem.hpp"
#include "core/results/recovery.hpp"

namespace ulterix {

/// N along every member, cut only where it jumps or kinks.
struct AxialPiece {
  double from = 0, to = 0;              ///< m
  std::array<double, 3> N = {0, 0, 0};  ///< c0 + c1·ξ + c2·ξ²
};
using AxialForces = IndexedVector<MemberId, std::vector<AxialPiece>>;

/// The axial forces that act in a state.
AxialForces axial_forces_along(const Recovery& state);
/// The same, turned round.
AxialForces reversed(AxialForces forces);
/// The mean over a member, N.
double mean_axial_force(const std::vector<AxialPiece>& pieces);

/// (K + Kg(stays))·φ = λ·(−Kg(grows))·φ. `stays` may be null.
ModeProblem::Input buckling_input(const ElasticFrame& frame, const AxialForces* stays,
                                  const AxialForces& grows);
/// (K + Kg(state))·φ = ω²·M·φ. `state` may be null.
ModeProblem::Input vibration_input(const ElasticFrame& frame, const AxialForces* state,
                                   const FrameMass& mass, bool strings = true);

/// Functions of each of `planes` members' planes such that a frame of so many unknowns has twice as
/// many as modes asked for; `asked` at the least.
int least_functions(int frame_size, int planes, int modes, int asked);

/// Functions to begin with: one for each member and plane of bending where something acts between
/// the nodes, at the least `least`.
ModeProblem::Counts first_counts(const ModeProblem::Input& input, int least);

}  // namespace ulterix
