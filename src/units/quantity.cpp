#include "units/quantity.hpp"

namespace ulterix {

namespace {

struct Row {
  Dimension dimension;
  std::string_view words;
};

// In the order of Quantity.
constexpr std::array<Row, kQuantities> kRows = {{
    {{0, 0, 0, 0}, "a plain number"},
    {{1, 0, 0, 0}, "a length"},
    {{1, 0, 0, 0}, "a length"},
    {{2, 0, 0, 0}, "an area"},
    {{4, 0, 0, 0}, "a second moment of area"},
    {{3, 0, 0, 0}, "a section modulus"},
    {{1, 1, -2, 0}, "a force"},
    {{2, 1, -2, 0}, "a moment"},
    {{-1, 1, -2, 0}, "a stress"},
    {{0, 1, 0, 0}, "a mass"},
    {{-3, 1, 0, 0}, "a density (mass per volume)"},
    {{1, 0, 0, 0}, "a displacement"},
    {{0, 0, 0, 0}, "a rotation"},
    {{-1, 1, -2, 0}, "a force per area"},
    {{-2, 1, -2, 0}, "a weight per volume"},
    {{0, 1, -2, 0}, "a force per length"},
    {{1, 1, -2, 0}, "a moment per length"},
    {{0, 1, -2, 0}, "a spring (force per length)"},
    {{2, 1, -2, 0}, "a rotational spring (moment per angle)"},
    {{0, 0, 0, 0}, "an angle"},
    {{0, 0, 0, 1}, "a temperature change"},
    {{0, 0, 0, -1}, "an expansion coefficient (1/K)"},
    {{1, 0, -2, 0}, "an acceleration"},
    {{6, 0, 0, 0}, "a warping constant"},
    {{-1, 0, 0, 0}, "a rotation per displacement"},
}};

}  // namespace

Dimension dimension_of(Quantity quantity) {
  return kRows[static_cast<std::size_t>(quantity)].dimension;
}

std::string_view words_of(Quantity quantity) {
  return kRows[static_cast<std::size_t>(quantity)].words;
}

}  // namespace ulterix
