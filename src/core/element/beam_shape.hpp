#pragma once

#include "core/element/element.hpp"

namespace ulterix {

/// Shape functions of a shear-flexible beam (Friedman & Kosmatka 1993) at ξ, in one plane: w, its
/// slope w' (1/m) and the section's rotation psi per unit end motion (w1, psi1, w2, psi2).
struct BeamShape {
  Vector4d w, slope, psi;
};
/// `phi` = 12·EI/(G·Av·L²).
BeamShape beam_shape(double xi, double length, double phi);

/// What acts along a piece of a member, linear between its ends.
struct LinearAlong {
  double start = 0, end = 0;
  bool operator==(const LinearAlong& other) const = default;
  double at(double xi) const { return start + (end - start) * xi; }
  double mean() const { return (start + end) / 2; }
};

/// The member's end motion as it follows from its nodes when nothing loads it: ends = T·nodes; the
/// identity where nothing is hinged.
Matrix12d end_motion(const Element& unloaded);

}  // namespace ulterix
