#pragma once

#include <string>

#include "core/analysis/run.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// The short table on the terminal, about a screen: does it stand, how far from first-order, where,
/// what is odd. `full`: every load, mode and storey.
std::string run_digest(const RunResult& result, const UnitSystem& units, int width, bool full);

}  // namespace ulterix
