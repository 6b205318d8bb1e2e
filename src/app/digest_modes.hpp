#pragma once

#include <string>

#include "core/analysis/run.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// "Lowest buckling factor 2.31 (U1, sway along x, most at B1); ...", from the buckling analyses,
/// else from what P-Delta results have in reserve; "" without either.
std::string closest_to_buckling(const RunResult& result);

/// The lowest factors of every buckling analysis, the modes of the load nearest to buckling, and
/// the effective lengths. `full`: of every load, mode and member.
std::string buckling_digest(const RunResult& result, const UnitSystem& units, int width, bool full);

/// Periods and participation of every modal analysis, what is short, and the certificate.
std::string modal_digest(const RunResult& result, const UnitSystem& units, int width, bool full);

}  // namespace ulterix
