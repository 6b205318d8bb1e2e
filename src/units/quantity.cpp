#include "units/quantity.hpp"

namespace ulterix {

namespace {

struct Row {
  Dimension dimension;
  std::string_view words;
  double largest;
};

// In the order of Quantity.
constexpr std::array<Row, kQuantities> kRows = {{
    {{0, 0, 0, 0}, "a plain number", 1e15},
    {{1, 0, 0, 0}, "a length", 1e6},
    {{1, 0, 0, 0}, "a length", 1e6},
    {{2, 0, 0, 0}, "an area", 1e12},
    {{4, 0, 0, 0}, "a second moment of area", 1e18},
    {{3, 0, 0, 0}, "a section modulus", 1e15},
    {{1, 1, -2, 0}, "a force", 1e15},
    {{2, 1, -2, 0}, "a moment", 1e18},
    {{-1, 1, -2, 0}, "a stress", 1e25},
    {{0, 1, 0, 0}, "a mass", 1e15},
    {{-3, 1, 0, 0}, "a density (mass per volume)", 1e15},
    {{1, 0, 0, 0}, "a displacement", 1e6},
    {{0, 0, 0, 0}, "a rotation", 1e6},
    {{-1, 1, -2, 0}, "a force per area", 1e15},
    {{-2, 1, -2, 0}, "a weight per volume", 1e15},
    {{0, 1, -2, 0}, "a force per length", 1e15},
    {{1, 1, -2, 0}, "a moment per length", 1e18},
    {{0, 1, -2, 0}, "a spring (force per length)", 1e25},
    {{2, 1, -2, 0}, "a rotational spring (moment per angle)", 1e25},
    {{0, 0, 0, 0}, "an angle", 1e6},
    {{0, 0, 0, 1}, "a temperature change", 1e9},
    {{0, 0, 0, -1}, "an expansion coefficient (1/K)", 1e6},
    {{1, 0, -2, 0}, "an acceleration", 1e9},
    {{6, 0, 0, 0}, "a warping constant", 1e24},
    {{-1, 0, 0, 0}, "a rotation per displacement", 1e15},
    {{-1, 0, 0, 1}, "a temperature gradient (temperature per length)", 1e12},
}};

}  // namespace

Dimension dimension_of(Quantity quantity) {
  return kRows[static_cast<std::size_t>(quantity)].dimension;
}

double largest_of(Quantity quantity) {
  return kRows[static_cast<std::size_t>(quantity)].largest;
}

std::string_view words_of(Quantity quantity) {
  return kRows[static_cast<std::size_t>(quantity)].words;
}

}  // namespace ulterix
