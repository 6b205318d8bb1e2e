#pragma once

#include <string>

#include "units/unit_system.hpp"

namespace ulterix {

/// A number for people: at most `digits` significant figures, no exponent between 1e-3 and 1e7.
std::string significant(double value, int digits = 4);

/// Value in the results' unit, for people.
std::string in_units(const UnitSystem& units, Quantity q, double si);

}  // namespace ulterix
