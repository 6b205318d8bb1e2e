#pragma once

#include <string>

#include "core/analysis/run.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// The storeys of the second-order step with the largest drift for its height, from above, and what
/// the standards say of the one nearest to trouble; "" without any.
std::string storeys_digest(const RunResult& result, const UnitSystem& units, int width);

/// The same in a line each.
std::string worst_storey_digest(const RunResult& result, const UnitSystem& units, int width);

}  // namespace ulterix
