#pragma once

#include <string>

#include "core/analysis/run.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// "Closest to buckling: U1, factor 2.31: the loads may grow by 131 % ...", from the buckling
/// analyses, else from what P-Delta results have in reserve; "" without either.
std::string closest_to_buckling(const RunResult& result);

/// The lowest factors of every buckling analysis, and the modes of the load nearest to buckling.
std::string buckling_digest(const RunResult& result, int width);

/// Periods and participation of every modal analysis, what is short, and the certificate.
std::string modal_digest(const RunResult& result, const UnitSystem& units, int width);

}  // namespace ulterix
