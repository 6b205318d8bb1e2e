#pragma once

#include <string>

#include "core/analysis/run.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// What one-way members and supports do: loads of the same state on one line, with the largest
/// force among them; "" without any.
std::string one_way_digest(const RunResult& result, const UnitSystem& units, int width, bool full);

/// Paths of large displacement: how many equilibria, pieces and what happened on the way.
std::string path_digest(const RunResult& result, const UnitSystem& units, int width, bool full);

/// First-order alone: what a cross-check reads, a line a load.
std::string first_order_digest(const RunResult& result, const UnitSystem& units, bool full);

}  // namespace ulterix
