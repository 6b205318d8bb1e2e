#pragma once

#include <array>
#include <string>

#include "core/model/vocabulary.hpp"

namespace ulterix {

enum class Shape { numbers, rectangle, i_section, box, pipe, circle };
inline constexpr std::array<Word<Shape>, 6> kShapes = {{{Shape::numbers, "numbers"},
                                                        {Shape::rectangle, "rectangle"},
                                                        {Shape::i_section, "I"},
                                                        {Shape::box, "box"},
                                                        {Shape::pipe, "pipe"},
                                                        {Shape::circle, "circle"}}};

/// Outer dimensions in m; those that a shape does not have are 0. `h` lies along local z (the web),
/// `b` along local y; `d`, `t` belong to circle and pipe.
struct Dimensions {
  double h = 0, b = 0, tw = 0, tf = 0, r = 0, d = 0, t = 0;
};

/// Cross-section properties in SI (m², m⁴, m³); y is the major axis (bending about y, web along z).
/// A shear area of 0 means: no shear flexibility in that direction. Moduli of 0 are unknown.
struct SectionProperties {
  double A = 0, Iy = 0, Iz = 0, J = 0;
  double Avy = 0, Avz = 0;
  double Wely = 0, Welz = 0, Wply = 0, Wplz = 0;
  double Iw = 0;  ///< warping constant, m⁶; 0: none, or not known

  /// Polar radius of gyration squared (Iy + Iz)/A, m².
  double r2() const { return A > 0 ? (Iy + Iz) / A : 0; }
};

/// Factors on the elastic stiffness of a section (cracked concrete, reduced stiffness).
struct StiffnessFactors {
  double A = 1, Iy = 1, Iz = 1, J = 1, Av = 1;
};

struct Section {
  std::string name;
  Shape shape = Shape::numbers;
  std::string designation;  ///< what the engineer calls it: "HEB 240", "I 400 x 180", "numbers"
  Dimensions dimensions;
  SectionProperties properties;
  StiffnessFactors stiffness;
  int line = 0;
};

/// Properties of a shape from its dimensions (m). Sources of each formula: docs/sections.md.
/// Precondition: dimensions_complaint(shape, d) is empty.
SectionProperties section_properties(Shape shape, const Dimensions& d);

/// The outer perimeter, through which a solid section dries, m; 0: not known.
double outer_perimeter(Shape shape, const Dimensions& d);

/// Empty if the dimensions make a possible section, else the reason in words.
std::string dimensions_complaint(Shape shape, const Dimensions& d);

/// Torsion constant of a solid rectangle by the exact series (Timoshenko & Goodier 1970, art. 109):
/// J = b³h/3·(1 − 192 b/(π⁵h)·Σ_{n odd} tanh(nπh/2b)/n⁵), b ≤ h.
double rectangle_torsion_constant(double h, double b);

}  // namespace ulterix
