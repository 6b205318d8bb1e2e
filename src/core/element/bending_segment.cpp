#include "core/element/bending_segment.hpp"

#include <cmath>

namespace ulterix {

BendingCurve::BendingCurve(const BendingSegment& segment, const BendingState& start)
    : segment_(segment), start_(start) {
  expand();
}

BendingCurve BendingCurve::straight(double length, double w, double slope) {
  BendingCurve curve;
  curve.segment_.length = length;
  curve.start_.w = w;
  curve.terms_ = 2;
  curve.slope_ = curve.psi_ = curve.moment_ = curve.deflection_ = {};
  curve.slope_[0] = slope;
  curve.deflection_[0] = w;
  curve.deflection_[1] = slope * length;
  return curve;
}

/// Terms fall off like κ^j/(2j)! with κ = |N|·l²/(EI·s); the count makes the rest vanish in
/// rounding.
int BendingCurve::terms_needed() const {
  const BendingSegment& s = segment_;
  if (!s.has_axial_force()) return 6;
  const double largest = std::abs(s.N[0]) + std::abs(s.N[1]) + std::abs(s.N[2]);
  const double softening = s.shear_flexibility * largest;
  // A shear softness that varies along the segment has its own, slower series.
  if (s.shear_flexibility * (std::abs(s.N[1]) + std::abs(s.N[2])) > 1e-3 || softening > 0.5) {
    return kMostTerms;
  }
  const double kappa = largest * s.length * s.length / s.EI / (1 - softening);
  double term = 1;
  int j = 1;
  for (; 2 * j + 8 < kMostTerms && term > 1e-18; ++j) term *= kappa / (2 * j * (2 * j - 1));
  return 2 * j + 8;
}

/// Coefficients of ξ^k follow one from the other; without N the series ends by itself.
void BendingCurve::expand() {
  const BendingSegment& s = segment_;
  const double l = s.length;
  const double phi = s.shear_flexibility;
  terms_ = terms_needed();
  const std::array<double, 3> force = {start_.Q, -l * s.q[0], -l * (s.q[1] - s.q[0]) / 2};
  const std::array<double, 2> moment_load = {s.m[0], s.m[1] - s.m[0]};
  const double bow = s.slope[0], bowed = s.slope[1] - s.slope[0];
  // N·s as a polynomial.
  const std::array<double, 4> push = {s.N[0] * bow, s.N[1] * bow + s.N[0] * bowed,
                                      s.N[2] * bow + s.N[1] * bowed, s.N[2] * bowed};
  const double s0 = 1 + phi * s.N[0];
  psi_[0] = start_.psi;
  moment_[0] = start_.M;
  deflection_[0] = start_.w;
  for (int k = 0; k < terms_; ++k) {
    const double Q = k < 3 ? force[k] : 0;
    const double pushed = k < 4 ? push[static_cast<std::size_t>(k)] : 0;
    double p = psi_[k] + phi * (Q - pushed);
    if (k >= 1) p -= phi * s.N[1] * slope_[k - 1];
    if (k >= 2) p -= phi * s.N[2] * slope_[k - 2];
    slope_[k] = p / s0;
    if (k + 1 == terms_) break;
    double dM = s.N[0] * slope_[k] + pushed - Q - (k < 2 ? moment_load[k] : 0);
    if (k >= 1) dM += s.N[1] * slope_[k - 1];
    if (k >= 2) dM += s.N[2] * slope_[k - 2];
    moment_[k + 1] = l / (k + 1) * dM;
    psi_[k + 1] = l / (k + 1) * moment_[k] / s.EI + (k == 0 ? l * s.curvature : 0);
    deflection_[k + 1] = l / (k + 1) * slope_[k];
  }
}

double BendingCurve::evaluate(const Coefficients& c, double xi) const {
  double sum = 0;
  for (int k = terms_ - 1; k >= 0; --k) sum = sum * xi + c[k];
  return sum;
}

double BendingCurve::derivative(const Coefficients& c, double xi) const {
  double sum = 0;
  for (int k = terms_ - 1; k >= 1; --k) sum = sum * xi + k * c[k];
  return sum;
}

double BendingCurve::force(double xi) const {
  const double l = segment_.length;
  return start_.Q - l * xi * (segment_.q[0] + (segment_.q[1] - segment_.q[0]) * xi / 2);
}

double BendingCurve::axial(double xi) const {
  return segment_.N[0] + xi * (segment_.N[1] + xi * segment_.N[2]);
}

BendingCurve BendingCurve::in_shape_of(const BendingCurve& other) const {
  BendingCurve curve = *this;
  curve.terms_ = std::max(terms_, other.terms_);
  const auto take = [&](Coefficients& own, const Coefficients& from, int terms) {
    for (int i = 0; i < curve.terms_; ++i) {
      const auto k = static_cast<std::size_t>(i);
      own[k] = i < terms ? from[k] : 0;
    }
  };
  take(curve.moment_, moment_, terms_);
  take(curve.slope_, other.slope_, other.terms_);
  take(curve.psi_, other.psi_, other.terms_);
  take(curve.deflection_, other.deflection_, other.terms_);
  return curve;
}

BendingState BendingCurve::at(double xi) const {
  return {evaluate(deflection_, xi), evaluate(psi_, xi), evaluate(moment_, xi), force(xi)};
}

double BendingCurve::slope(double xi) const {
  return evaluate(slope_, xi);
}

double BendingCurve::slope_of_axis(double xi) const {
  return slope(xi) + segment_.slope[0] + (segment_.slope[1] - segment_.slope[0]) * xi;
}

double BendingCurve::shear(double xi) const {
  return axial(xi) * slope_of_axis(xi) - force(xi);
}

double BendingCurve::moment_rate(double xi) const {
  return derivative(moment_, xi);
}

double BendingCurve::shear_rate(double xi) const {
  const BendingSegment& s = segment_;
  const double load = s.length * (s.q[0] + (s.q[1] - s.q[0]) * xi);
  return (s.N[1] + 2 * s.N[2] * xi) * slope_of_axis(xi) +
         axial(xi) * (derivative(slope_, xi) + s.slope[1] - s.slope[0]) + load;
}

bool BendingCurve::may_have_inner_extremes() const {
  const BendingSegment& s = segment_;
  return s.has_axial_force() || s.q[0] != 0 || s.q[1] != 0 || s.m[0] != 0 || s.m[1] != 0;
}

}  // namespace ulterix
