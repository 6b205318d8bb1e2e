#include "units/for_people.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace ulterix {

std::string significant(double value, int digits) {
  if (value == 0) return "0";
  const double size = std::abs(value);
  if (size < 1e-3 || size >= 1e7) return fmt::format("{:.{}g}", value, digits);
  const int whole = static_cast<int>(std::floor(std::log10(size))) + 1;
  return fmt::format("{:.{}f}", value, std::clamp(digits - whole, 0, 6));
}

std::string in_units(const UnitSystem& units, Quantity q, double si) {
  return significant(units.from_si(q, si));
}

}  // namespace ulterix
