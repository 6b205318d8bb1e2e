#pragma once

#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>

#include "core/element/second_order_number.hpp"

/// Vectors, quaternions and rotation vectors of plain numbers or of numbers with derivatives.
namespace ulterix::finite_rotation {

using Eigen::Quaterniond;

template <class T>
using Triple = std::array<T, 3>;
/// Scalar part last, as the vector part is what is read most.
template <class T>
using Quad = std::array<T, 4>;

// Plain doubles and SecondOrder share the formulas below.
inline double square(double a) {
  return a * a;
}
inline double reciprocal(double a) {
  return 1 / a;
}
inline double number(double a) {
  return a;
}
template <int N>
double number(const SecondOrder<N>& a) {
  return a.value;
}
inline double apply(double, double f, double, double) {
  return f;
}
template <int N>
SecondOrder<N> apply(const SecondOrder<N>& a, double f, double f1, double f2) {
  return a.apply(f, f1, f2);
}

template <class T>
T dot(const Triple<T>& a, const Triple<T>& b) {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}
template <class T>
Triple<T> cross(const Triple<T>& a, const Triple<T>& b) {
  return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}
template <class T>
Quad<T> product(const Quad<T>& a, const Quad<T>& b) {
  return {a[3] * b[0] + a[0] * b[3] + a[1] * b[2] - a[2] * b[1],
          a[3] * b[1] - a[0] * b[2] + a[1] * b[3] + a[2] * b[0],
          a[3] * b[2] + a[0] * b[1] - a[1] * b[0] + a[2] * b[3],
          a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2]};
}
/// With a constant on the right.
template <class T>
Quad<T> product(const Quad<T>& a, const Quaterniond& b) {
  return {b.x() * a[3] + b.w() * a[0] + b.z() * a[1] + -b.y() * a[2],
          b.y() * a[3] + -b.z() * a[0] + b.w() * a[1] + b.x() * a[2],
          b.z() * a[3] + b.y() * a[0] + -b.x() * a[1] + b.w() * a[2],
          b.w() * a[3] + -b.x() * a[0] + -b.y() * a[1] + -b.z() * a[2]};
}
template <class T>
Quad<T> conjugate(const Quad<T>& a) {
  return {-a[0], -a[1], -a[2], a[3]};
}

/// sin(√x/2)/√x and its first two derivatives by x.
inline std::array<double, 3> half_sine(double x) {
  if (x < 1) {
    std::array<double, 3> f = {0, 0, 0};
    double c = 0.5;  // coefficient of x^k
    double p2 = 0, p1 = 0, p0 = 1;
    for (int k = 0; k < 12; ++k) {
      f[0] += c * p0;
      f[1] += c * k * p1;
      f[2] += c * k * (k - 1) * p2;
      p2 = p1;
      p1 = p0;
      p0 *= x;
      c *= -1.0 / (4 * (2 * k + 2) * (2 * k + 3));
    }
    return f;
  }
  const double t = std::sqrt(x), s = std::sin(t / 2), c = std::cos(t / 2);
  const double f = s / t, f1 = (c / 2 - f) / (2 * x);
  const double f2 = (-f / 8 - f1) / (2 * x) - (c / 2 - f) / (2 * x * x);
  return {f, f1, f2};
}

/// 2·asin(√y)/√y and its first two derivatives by y.
inline std::array<double, 3> twice_arc_sine(double y) {
  if (y < 0.25) {
    std::array<double, 3> f = {0, 0, 0};
    double c = 2, p2 = 0, p1 = 0, p0 = 1;
    for (int k = 0; k < 60; ++k) {
      f[0] += c * p0;
      f[1] += c * k * p1;
      f[2] += c * k * (k - 1) * p2;
      if (k > 3 && p2 < 1e-18) break;
      p2 = p1;
      p1 = p0;
      p0 *= y;
      const double odd = 2 * k + 1;
      c *= odd * odd / ((2.0 * k + 2) * (2.0 * k + 3));
    }
    return f;
  }
  const double s = std::sqrt(y), g = 1 / std::sqrt(1 - y);
  const double f = std::asin(s) / s, f1 = (g - f) / (2 * y);
  const double f2 = (g * g * g / 2 - 3 * f1) / (2 * y);
  return {2 * f, 2 * f1, 2 * f2};
}

/// exp of a rotation vector.
template <class T>
Quad<T> exponential(const Triple<T>& v) {
  const T x = dot(v, v);
  const auto f = half_sine(number(x));
  const T sine = apply(x, f[0], f[1], f[2]);
  // cos(√x/2): its derivative is -sin(√x/2)/(4√x).
  const double c = std::cos(std::sqrt(number(x)) / 2);
  const T cosine = apply(x, c, -f[0] / 4, -f[1] / 4);
  return {sine * v[0], sine * v[1], sine * v[2], cosine};
}

/// Rotation vector of a turn by less than half a circle.
template <class T>
Triple<T> logarithm(const Quad<T>& q) {
  const double sign = number(q[3]) < 0 ? -1 : 1;
  const T y = square(q[0]) + square(q[1]) + square(q[2]);
  const auto f = twice_arc_sine(std::min(number(y), 1 - 1e-12));
  const T factor = sign * apply(y, f[0], f[1], f[2]);
  return {factor * q[0], factor * q[1], factor * q[2]};
}

}  // namespace ulterix::finite_rotation
