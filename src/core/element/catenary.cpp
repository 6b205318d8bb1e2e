#include "core/element/catenary.hpp"

#include <Eigen/Cholesky>
#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>

namespace ulterix {

namespace {

/// A load that makes less than this part of EA is none.
constexpr double kNoLoad = 1e-15;
/// Nearer to a cable that turns back on itself the flexibility has no end.
constexpr double kTurn = 1e-14;

/// atanh(x)/x.
double atanh_ratio(double x) {
  return x < 1e-4 ? 1 + x * x / 3 + x * x * x * x / 5 : std::atanh(x) / x;
}

}  // namespace

Catenary::Catenary(double length, double EA, const Vector3d& load, const Vector3d& chord)
    : length_(length), EA_(EA), load_(load), chord_(chord) {
  if (load_.norm() * length_ <= kNoLoad * EA_) {
    load_.setZero();
    straight();
  } else {
    hang();
  }
}

/// Without load: straight where it is pulled, without force where it is not.
void Catenary::straight() {
  const double span = chord_.norm();
  if (!(span > length_)) return;
  const Vector3d t = chord_ / span;
  const double T = EA_ * (span - length_) / length_;
  start_ = T * t;
  stiffness_ =
      EA_ / length_ * t * t.transpose() + T / span * (Matrix3d::Identity() - t * t.transpose());
}

/// Where the particle s lies for a tension at the start, and how that changes with it.
Catenary::Reach Catenary::reach(const Vector3d& start, double s) const {
  Reach r;
  const Vector3d end = start - s * load_;
  const double q = load_.norm(), Ta = start.norm(), Tb = end.norm(), sum = Ta + Tb;
  if (s == 0) return r;
  const Vector3d along = load_ / q;
  // ∫ ds/|T| is the potential of a uniform line at the point that T is measured from.
  const double x = std::min(q * s / sum, 1 - kTurn);
  const double I = 2 * s / sum * atanh_ratio(x);
  const Vector3d across = start - along * along.dot(start);
  const double a = along.dot(start), b = along.dot(end);
  r.chord =
      start * (s / EA_) - load_ * (s * s / (2 * EA_)) + across * I + along * (s * (a + b) / sum);
  Vector3d turn = Vector3d::Zero();
  if (Ta > 0) turn += start / Ta;
  if (Tb > 0) turn += end / Tb;
  const double apart = std::max(sum * sum * (1 - x * x), 1e-300);
  Matrix3d F =
      s / EA_ * Matrix3d::Identity() + I * (Matrix3d::Identity() - along * along.transpose());
  F -= 2 * s / apart * across * turn.transpose();
  F += along * (2 * s / sum * along - s * (a + b) / (sum * sum) * turn).transpose();
  r.flexibility = (F + F.transpose()) / 2;
  return r;
}

/// The parabola's thrust H, H²·(H/EA + spare) = W²/24, by the larger of its two terms.
Vector3d Catenary::first_guess() const {
  const double span = std::max(chord_.norm(), 1e-6 * length_);
  const Vector3d t =
      chord_.isZero(0) ? Vector3d(load_.unitOrthogonal()) : Vector3d(chord_.normalized());
  const double across = (load_ - t * t.dot(load_)).norm() * length_;
  const double spare = (length_ - span) / length_,
               stretched = std::cbrt(across * across * EA_ / 24);
  double H = spare > 0 ? std::min(stretched, across / std::sqrt(24 * spare))
                       : std::max(stretched, -spare * EA_);
  H = std::max(H, 1e-3 * load_.norm() * length_);
  return H * t + load_ * (length_ / 2);
}

void Catenary::hang() {
  constexpr int kMostSteps = 200, kHalvings = 60;
  Vector3d T = first_guess();
  Reach now = reach(T, length_);
  Vector3d rest = chord_ - now.chord;
  const double size = std::max(chord_.norm(), length_);
  for (int k = 0; k < kMostSteps; ++k) {
    const Vector3d step = now.flexibility.ldlt().solve(rest);
    if (!step.allFinite()) {
      found_ = false;
      return;
    }
    // The energy is convex along the step: between a place where it still falls as steeply and one
    // where it rises as steeply there is a better one.
    const double slope = rest.dot(step);
    double part = 1, low = 0, high = 1;
    Reach next;
    Vector3d left;
    for (int i = 0; i < kHalvings; ++i) {
      next = reach(T + part * step, length_);
      left = chord_ - next.chord;
      const double falls = left.dot(step);
      if (std::abs(falls) <= 0.9 * slope || left.norm() <= 4e-16 * size) break;
      if (falls > 0 && high == 1 && part == 1) break;
      (falls > 0 ? low : high) = part;
      part = (low + high) / 2;
    }
    T += part * step;
    const bool settled = part * step.norm() <= 1e-15 * T.norm() || left.norm() <= 1e-16 * size ||
                         (k > 3 && left.norm() <= 1e-14 * size && left.norm() >= rest.norm());
    now = next;
    rest = left;
    if (settled) break;
  }
  if (!(rest.norm() <= 1e-10 * size)) found_ = false;
  start_ = T;
  stiffness_ = now.flexibility.inverse();
  stiffness_ = (stiffness_ + stiffness_.transpose()).eval() / 2;
  if (!stiffness_.allFinite()) found_ = false;
}

Vector3d Catenary::position(double s) const {
  if (load_.isZero(0)) return chord_ * (s / length_);
  return reach(start_, s).chord;
}

double Catenary::stretched_length() const {
  // ∫ (1 + |T|/EA) ds by Gauss's five points on equal parts.
  constexpr int kParts = 16;
  constexpr std::array<double, 5> kAt = {-0.9061798459386640, -0.5384693101056831, 0,
                                         0.5384693101056831, 0.9061798459386640};
  constexpr std::array<double, 5> kWeight = {0.2369268850561891, 0.4786286704993665,
                                             0.5688888888888889, 0.4786286704993665,
                                             0.2369268850561891};
  double sum = 0;
  for (int i = 0; i < kParts; ++i) {
    const double half = length_ / kParts / 2, middle = (2 * i + 1) * half;
    for (std::size_t k = 0; k < kAt.size(); ++k) {
      sum += half * kWeight[k] * tension(middle + half * kAt[k]).norm();
    }
  }
  return length_ + sum / EA_;
}

double Catenary::chord_force() const {
  const double span = chord_.norm();
  return span > 0 ? (start_ + end_tension()).dot(chord_) / (2 * span) : 0;
}

Catenary::Sag Catenary::sag() const {
  Sag deepest;
  const double span = chord_.norm();
  if (span == 0 || load_.isZero(0)) return deepest;
  const Vector3d t = chord_ / span;
  // The tangent is parallel to the chord where the distance from it is largest, in the plane of
  // load and chord: there T has no part across.
  const Vector3d across = load_ - t * t.dot(load_);
  if (across.isZero(0)) return deepest;
  const double s = std::clamp(start_.dot(across) / load_.dot(across), 0.0, length_);
  const Vector3d r = position(s);
  deepest.depth = (r - t * t.dot(r)).norm();
  deepest.s = s;
  return deepest;
}

Catenary Catenary::lengthened(double limit) const {
  if (largest_tension() <= limit) return *this;
  const auto of_length = [this](double length) {
    return Catenary(length, EA_, load_ * (length_ / length), chord_);
  };
  const auto beyond = [&](double length) { return of_length(length).largest_tension() - limit; };
  double low = length_, high = length_, at_low = beyond(low), at_high = at_low;
  for (double more = 1e-6; at_high > 0; more *= 2) {
    if (more > 0.2) return of_length(high);  // its load alone is more than that
    low = high;
    at_low = at_high;
    high = length_ * (1 + more);
    at_high = beyond(high);
  }
  std::uintmax_t most = 200;
  const auto bracket = boost::math::tools::toms748_solve(
      beyond, low, high, at_low, at_high, boost::math::tools::eps_tolerance<double>(52), most);
  return of_length((bracket.first + bracket.second) / 2);
}

Catenary Catenary::yielding(double limit) const {
  if (largest_tension() <= limit) return *this;
  Catenary longer = lengthened(limit);
  const double h = 1e-6 * chord_.norm();
  for (int d = 0; d < 3; ++d) {
    const auto start_at = [&](double step) {
      return Catenary(length_, EA_, load_, chord_ + step * Vector3d::Unit(d))
          .lengthened(limit)
          .start_tension();
    };
    longer.stiffness_.col(d) = (start_at(h) - start_at(-h)) / (2 * h);
  }
  longer.stiffness_ = (longer.stiffness_ + longer.stiffness_.transpose()).eval() / 2;
  return longer;
}

std::optional<double> length_for_force(double force, double EA, const Vector3d& load,
                                       const Vector3d& chord) {
  const double span = chord.norm();
  const auto beyond = [&](double length) {
    return Catenary(length, EA, load, chord).chord_force() - force;
  };
  if (load.norm() * span <= kNoLoad * EA) return span / (1 + force / EA);
  // The straight cable under the force and all of the weight is surely shorter.
  double low = span / (1 + (force + 2 * load.norm() * span) / EA), high = low;
  double at_low = beyond(low), at_high = at_low;
  if (!(at_low > 0)) return std::nullopt;
  for (double more = 1e-9; at_high > 0; more *= 4) {
    if (more > 10) return std::nullopt;
    low = high;
    at_low = at_high;
    high = span * (1 + more);
    if (high <= low) {
      high = low;
      continue;
    }
    at_high = beyond(high);
  }
  std::uintmax_t most = 200;
  const auto bracket = boost::math::tools::toms748_solve(
      beyond, low, high, at_low, at_high, boost::math::tools::eps_tolerance<double>(52), most);
  return (bracket.first + bracket.second) / 2;
}

}  // namespace ulterix
