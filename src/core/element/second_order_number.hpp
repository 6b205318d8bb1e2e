#pragma once

#include <Eigen/Core>
#include <cmath>

namespace ulterix {

/// A number with its first and second derivatives by N variables (forward differentiation): a
/// function written once on such numbers gives its gradient and Hessian exactly.
template <int N>
struct SecondOrder {
  using Gradient = Eigen::Matrix<double, N, 1>;
  /// The lower triangle of the Hessian, row by row.
  using Packed = Eigen::Matrix<double, N*(N + 1) / 2, 1>;

  double value;
  Gradient gradient;
  Packed packed;

  SecondOrder() : SecondOrder(0.0) {}
  // NOLINTNEXTLINE: constants mix with numbers in formulas
  SecondOrder(double v) : value(v), gradient(Gradient::Zero()), packed(Packed::Zero()) {}
  static SecondOrder variable(double v, int index) {
    SecondOrder x(v);
    x.gradient[index] = 1;
    return x;
  }

  /// The second derivatives as a matrix.
  Eigen::Matrix<double, N, N> hessian() const {
    Eigen::Matrix<double, N, N> full;
    for (int i = 0, k = 0; i < N; ++i) {
      for (int j = 0; j <= i; ++j, ++k) full(i, j) = full(j, i) = packed[k];
    }
    return full;
  }

  /// f(this) from the value and the two derivatives of f here.
  SecondOrder apply(double f, double f1, double f2) const {
    SecondOrder r(f, f1 * gradient);
    const double *g = gradient.data(), *h = packed.data();
    double* second = r.packed.data();
    for (int i = 0, k = 0; i < N; ++i) {
      const double own = f2 * g[i];
      for (int j = 0; j <= i; ++j, ++k) second[k] = f1 * h[k] + own * g[j];
    }
    return r;
  }

  SecondOrder& operator+=(const SecondOrder& b) {
    value += b.value;
    gradient += b.gradient;
    packed += b.packed;
    return *this;
  }

  /// Its second derivatives are still to be set.
  SecondOrder(double v, const Gradient& g) : value(v), gradient(g) {}
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
  a.packed -= b.packed;
  return a;
}
template <int N>
SecondOrder<N> operator*(double s, SecondOrder<N> a) {
  a.value *= s;
  a.gradient *= s;
  a.packed *= s;
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
  SecondOrder<N> r(a.value * b.value, a.value * b.gradient + b.value * a.gradient);
  const double *g = a.gradient.data(), *h = b.gradient.data();
  const double *of_a = a.packed.data(), *of_b = b.packed.data();
  double* second = r.packed.data();
  for (int i = 0, k = 0; i < N; ++i) {
    for (int j = 0; j <= i; ++j, ++k) {
      second[k] = a.value * of_b[k] + b.value * of_a[k] + g[i] * h[j] + h[i] * g[j];
    }
  }
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
