#pragma once

#include <array>
#include <string_view>

namespace ulterix {

/// Kinds of quantity in the model file and in the results; each has a dimension and, in a unit
/// system, a unit that a bare number means.
enum class Quantity {
  number,
  length,
  section,
  area,
  second_moment,
  modulus,
  force,
  moment,
  stress,
  mass,
  density,
  displacement,
  rotation,
  pressure,
  weight,
  force_per_length,
  moment_per_length,
  spring,
  rotational_spring,
  angle,
  temperature,
  expansion,
  acceleration,
  warping,                    ///< warping constant, length^6
  rotation_per_displacement,  ///< of mode shapes, whose largest displacement is 1
  temperature_gradient,
};
inline constexpr int kQuantities = static_cast<int>(Quantity::temperature_gradient) + 1;

/// Exponents of metre, kilogram, second, kelvin. Angles count as 1.
struct Dimension {
  int m = 0, kg = 0, s = 0, K = 0;
  bool operator==(const Dimension&) const = default;
  Dimension power(int n) const { return {m * n, kg * n, s * n, K * n}; }
  Dimension operator+(const Dimension& o) const { return {m + o.m, kg + o.kg, s + o.s, K + o.K}; }
};

Dimension dimension_of(Quantity quantity);

/// The largest magnitude that a model may give, SI: far beyond any frame, and small enough that
/// products of what a model holds stay finite.
double largest_of(Quantity quantity);

/// "a force", "a length", for complaints.
std::string_view words_of(Quantity quantity);

}  // namespace ulterix
