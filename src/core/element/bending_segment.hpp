#pragma once

#include <Eigen/Core>
#include <array>

namespace ulterix {

/// State of one plane of bending at x: deflection w (m), rotation psi of the section (rad, w' for a
/// shear-stiff member), moment M (N·m, EI·psi'), and the force Q (N) in the direction of w on the
/// face that looks along +x. The shear normal to the bent axis is V = N·w' − Q.
struct BendingState {
  double w = 0, psi = 0, M = 0, Q = 0;
};

/// A prismatic stretch under a linear load and a quadratic axial force; with ξ = x/length:
///   M' = N·(w' + s) − Q − m,   psi' = M/EI + curvature,   Q' = −q,
///   w' = psi + (Q − N·(w' + s))/GAv.
/// This is the beam-column with Engesser shear, N acting on the bent axis, which has the slope s
/// without any load.
struct BendingSegment {
  double length = 0;                     ///< m
  double EI = 0;                         ///< N·m²
  double shear_flexibility = 0;          ///< 1/(G·Av), 1/N; 0: stiff in shear
  std::array<double, 3> N = {0, 0, 0};   ///< N(ξ) = N[0] + N[1]ξ + N[2]ξ², tension positive
  std::array<double, 2> q = {0, 0};      ///< N/m at the two ends, along w
  std::array<double, 2> m = {0, 0};      ///< N·m/m, working on psi
  std::array<double, 2> slope = {0, 0};  ///< s at the two ends, –
  double curvature = 0;                  ///< psi' without moment, 1/m

  bool has_axial_force() const { return N[0] != 0 || N[1] != 0 || N[2] != 0; }
};

/// The exact solution of one segment from the state at its start, as a power series in ξ.
/// Converges to rounding for |N|·length²/(EI·(1 + N/GAv)) <= kSeriesReach.
class BendingCurve {
 public:
  static constexpr double kSeriesReach = 4;

  BendingCurve(const BendingSegment& segment, const BendingState& start);

  /// A straight line, for members that carry no bending.
  static BendingCurve straight(double length, double w, double slope);

  /// The forces of this curve in the shape of another one of the same length.
  BendingCurve in_shape_of(const BendingCurve& other) const;

  BendingState at(double xi) const;
  double shear(double xi) const;  ///< V = N·(w' + s) − Q, N
  double slope(double xi) const;  ///< w', –
  /// d/dξ of M and of V, whose roots are the true extremes inside the segment.
  double moment_rate(double xi) const;
  double shear_rate(double xi) const;
  /// False where M and V are monotonic: no load and no axial force.
  bool may_have_inner_extremes() const;
  double length() const { return segment_.length; }

 private:
  static constexpr int kMostTerms = 32;
  using Coefficients = std::array<double, kMostTerms>;

  BendingCurve() = default;
  int terms_needed() const;
  void expand();
  double evaluate(const Coefficients& c, double xi) const;
  double derivative(const Coefficients& c, double xi) const;
  double force(double xi) const;
  double axial(double xi) const;
  double slope_of_axis(double xi) const;  // w' + s

  BendingSegment segment_;
  BendingState start_;
  int terms_ = 1;
  // The first terms_ of each are set.
  Coefficients slope_, psi_, moment_, deflection_;
};

}  // namespace ulterix
