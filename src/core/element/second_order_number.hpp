#pragma once

#include <Eigen/Core>
#include <cmath>

namespace ulterix {

/// A number with its first and second derivatives by N variables (forward differentiation): a
/// function written once on such numbers gives its gradient and Hessian exactly.
template <int N>
struct SecondOrder {
  using Gradient = Eigen::Matrix<double, N, 1>;
  using Hessian = Eigen::Matrix<double, N, N>;

  double value = 0;
  Gradient gradient = Gradient::Zero();
  Hessian hessian = Hessian::Zero();

  SecondOrder() = default;
  SecondOrder(double v) : value(v) {}  // NOLINT: constants mix with numbers in formulas
  static SecondOrder variable(double v, int index) {
    SecondOrder x(v);
    x.gradient[index] = 1;
    return x;
  }

  /// f(this) from the value and the two derivatives of f here.
  SecondOrder apply(double f, double f1, double f2) const {
    SecondOrder r;
    r.value = f;
    r.gradient = f1 * gradient;
    r.hessian.noalias() = f1 * hessian + (f2 * gradient) * gradient.transpose();
    return r;
  }

  SecondOrder& operator+=(const SecondOrder& b) {
    value += b.value;
    gradient += b.gradient;
    hessian += b.hessian;
    return *this;
  }
};

template <int N>
SecondOrder<N> operator+(SecondOrder<N> a, const SecondOrder<N>& b) {
  a += b;
  return a;
}
template <int N>
SecondOrder<N> operator-(SecondOrder<N> a, const SecondOrder<N>& b) {
  a.value -= b.value;
  a.gradient -= b.gradient;
  a.hessian -= b.hessian;
  return a;
}
template <int N>
SecondOrder<N> operator*(double s, SecondOrder<N> a) {
  a.value *= s;
  a.gradient *= s;
  a.hessian *= s;
  return a;
}
template <int N>
SecondOrder<N> operator-(const SecondOrder<N>& a) {
  return -1.0 * a;
}
template <int N>
SecondOrder<N> operator+(SecondOrder<N> a, double s) {
  a.value += s;
  return a;
}
template <int N>
SecondOrder<N> operator*(const SecondOrder<N>& a, const SecondOrder<N>& b) {
  SecondOrder<N> r;
  r.value = a.value * b.value;
  r.gradient = a.value * b.gradient + b.value * a.gradient;
  r.hessian.noalias() = a.value * b.hessian + b.value * a.hessian;
  r.hessian.noalias() += a.gradient * b.gradient.transpose();
  r.hessian.noalias() += b.gradient * a.gradient.transpose();
  return r;
}
template <int N>
SecondOrder<N> square(const SecondOrder<N>& a) {
  return a.apply(a.value * a.value, 2 * a.value, 2);
}
template <int N>
SecondOrder<N> sqrt(const SecondOrder<N>& a) {
  const double root = std::sqrt(a.value);
  return a.apply(root, 0.5 / root, -0.25 / (root * a.value));
}
template <int N>
SecondOrder<N> reciprocal(const SecondOrder<N>& a) {
  const double v = 1 / a.value;
  return a.apply(v, -v * v, 2 * v * v * v);
}

}  // namespace ulterix
