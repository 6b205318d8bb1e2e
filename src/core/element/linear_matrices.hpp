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
  double at(double xi) const { return start + (end - start) * xi; }
  double mean() const { return (start + end) / 2; }
};

/// Which motions an axial force acts on: those of the model's plane.
struct ActiveMotions {
  bool bends_in_z = true, bends_in_y = true, twists = true;
};

/// Geometric stiffness (12 x 12, local axes) for the axial force N (N, tension positive):
/// ∫N·w'² with the shapes above, N·r² on twist, N/L across axial kinds.
Matrix12d geometric_stiffness(const ElementProperties& properties, const LinearAlong& N,
                              const ActiveMotions& motions);

/// Mass of a piece: kg/m of its own along all three axes, and that which moves along the global
/// axes given; kg·m of rotation about x; kg·m of bending rotation about y and z.
struct LineMass {
  LinearAlong translation;          ///< kg/m
  double about_x = 0;               ///< ρ(Iy + Iz), kg·m
  double about_y = 0, about_z = 0;  ///< ρIy, ρIz: rotary inertia, 0 without
};

/// Consistent mass (12 x 12, local axes) with the shapes above, or half at each end.
Matrix12d mass_matrix(const ElementProperties& properties, const LineMass& mass, bool lumped);

/// The member's end motion as it follows from its nodes when nothing loads it: ends = T·nodes; the
/// identity where nothing is hinged. Matrices of joined ends go to the nodes as Tᵀ·M·T.
Matrix12d end_motion(const Element& unloaded);

}  // namespace ulterix
