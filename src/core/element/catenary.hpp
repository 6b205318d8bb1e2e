#pragma once

#include <Eigen/Core>
#include <algorithm>
#include <optional>

namespace ulterix {

using Eigen::Matrix3d;
using Eigen::Vector3d;

/// A cable without bending stiffness under a uniform dead load, exact for any sag, slope and
/// direction: T(s) = T(0) − q·s with s per length without force, and
/// r(L0) = ∫ (T/EA + T/|T|) ds, whose integrals are closed (Irvine 1981, ch. 1, written for any
/// direction of the load). T(0) is where the convex complementary energy
/// ∫ (|T|²/2EA + |T|) ds − T(0)·chord is least, so that Newton with a line search always finds it.
/// A value; all vectors in one set of axes.
class Catenary {
 public:
  /// `length`: without force, m; `EA` in N; `load` per length without force, N/m; `chord`: from the
  /// start to the end, m.
  Catenary(double length, double EA, const Vector3d& load, const Vector3d& chord);

  /// False where the numbers leave no solution (not finite).
  bool found() const { return found_; }
  /// Tension as the force that the rest of the cable pulls the start with, N.
  const Vector3d& start_tension() const { return start_; }
  Vector3d tension(double s) const { return start_ - s * load_; }
  Vector3d end_tension() const { return tension(length_); }
  /// Place of a particle from the start, m; s in m without force.
  Vector3d position(double s) const;
  /// Length under force, m.
  double stretched_length() const;
  /// d T(0)/d chord, N/m: symmetric, positive semi-definite.
  const Matrix3d& stiffness() const { return stiffness_; }
  /// The component of the tension along the chord, the mean of its two ends, N.
  double chord_force() const;
  /// The largest distance of the cable from its chord, m, and where it is (m without force).
  struct Sag {
    double depth = 0, s = 0;
  };
  Sag sag() const;
  double largest_tension() const { return std::max(start_.norm(), end_tension().norm()); }
  /// The same cable, lengthened where it has to be for no tension to be above `limit` (N); it keeps
  /// its load in all. Its stiffness is that of going on so (by differences).
  Catenary yielding(double limit) const;
  double length() const { return length_; }
  const Vector3d& chord() const { return chord_; }
  const Vector3d& load() const { return load_; }
  double EA() const { return EA_; }

 private:
  struct Reach {
    Vector3d chord = Vector3d::Zero();
    Matrix3d flexibility = Matrix3d::Zero();
  };
  Reach reach(const Vector3d& start, double s) const;
  Catenary lengthened(double limit) const;
  void straight();
  void hang();
  Vector3d first_guess() const;

  double length_, EA_;
  Vector3d load_, chord_;
  Vector3d start_ = Vector3d::Zero();
  Matrix3d stiffness_ = Matrix3d::Zero();
  bool found_ = true;
};

/// The length without force at which a cable that spans the chord under the load has this chord
/// force (N); nothing where its own weight makes more at any length.
std::optional<double> length_for_force(double force, double EA, const Vector3d& load,
                                       const Vector3d& chord);

}  // namespace ulterix
