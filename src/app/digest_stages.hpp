#pragma once

#include <string>

#include "core/analysis/run.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// Staged analyses, a line a stage with the watched places, and where the last stage differs most
/// from the same loads at once; "" without any.
std::string stages_digest(const RunResult& result, const UnitSystem& units, int width, bool full);

}  // namespace ulterix
