#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "units/quantity.hpp"

namespace ulterix {

/// A unit written out: SI value of one of it, and its dimension.
struct Unit {
  double factor = 1;
  Dimension dimension;
};

/// Reads "kN", "kN.m/rad", "kip/in", "mm^2", "in4", "lb/ft^3", "1/K". First by a built-in table of
/// the trade's units, then by UDUNITS-2 (opened only then). Empty if unknown; units with an offset
/// (degrees Celsius) are refused the same way.
std::optional<Unit> parse_unit(std::string_view text);

struct NumberAndUnit {
  double number = 0;
  std::string unit;  ///< "" if none was written
};

/// "250 mm" → 250 and "mm". Empty if there is no whole, finite number in front.
std::optional<NumberAndUnit> split_number(std::string_view text);

}  // namespace ulterix
