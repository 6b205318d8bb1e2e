#pragma once

#include <array>

#include "core/modes/frame_mass.hpp"
#include "core/modes/mode_problem.hpp"

namespace ulterix {

/// Mass that rigid motions of the whole structure excite; SI, global axes, rotations about the
/// origin.
struct MassTotals {
  std::array<double, 6> all = {};      ///< kg, kg·m²: rᵀ·M·r, what supports hold in
  std::array<double, 3> movable = {};  ///< kg that modes can reach: what supports hold is left out
};

/// Totals of a problem that is driven by mass.
MassTotals mass_totals(const ModeProblem& problem, const FrameMass& mass);

/// M·r of the six rigid motions r, on the unknowns of the problem as it is built now.
using Excitations = std::array<VectorXd, 6>;
Excitations excitations(const ModeProblem& problem, const FrameMass& mass);

}  // namespace ulterix
