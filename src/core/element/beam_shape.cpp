#include "core/element/beam_shape.hpp"

namespace ulterix {

BeamShape beam_shape(double xi, double L, double phi) {
  const double x2 = xi * xi, x3 = x2 * xi, c = 1 / (1 + phi);
  BeamShape s;
  s.w << c * (1 - 3 * x2 + 2 * x3 + phi * (1 - xi)),
      c * L * (xi - 2 * x2 + x3 + phi / 2 * (xi - x2)), c * (3 * x2 - 2 * x3 + phi * xi),
      c * L * (-x2 + x3 + phi / 2 * (x2 - xi));
  s.slope << c / L * (-6 * xi + 6 * x2 - phi), c * (1 - 4 * xi + 3 * x2 + phi / 2 * (1 - 2 * xi)),
      c / L * (6 * xi - 6 * x2 + phi), c * (-2 * xi + 3 * x2 + phi / 2 * (2 * xi - 1));
  s.psi << 6 * c / L * (x2 - xi), c * (1 - 4 * xi + 3 * x2 + phi * (1 - xi)),
      -6 * c / L * (x2 - xi), c * (3 * x2 - 2 * xi + phi * xi);
  return s;
}

Matrix12d end_motion(const Element& unloaded) {
  Matrix12d T;
  for (int i = 0; i < 12; ++i) {
    T.col(i) = Vector12d::Unit(i) + unloaded.joint_motion(Vector12d::Unit(i));
  }
  return T;
}

}  // namespace ulterix
