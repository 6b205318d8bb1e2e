#pragma once

#include <Eigen/Core>
#include <cmath>

namespace ulterix {

/// A number with its first and second derivatives by N variables (forward differentiation): a
/// function written once on such numbers gives its gradient and Hessian exactly.
template <int N>
struct SecondOrder {
  using Gradient = Eigen::Matrix<double, N, 1>;
  /// The lower triangle of the Hessian, diagonal by diagonal: products of gradients fill each with
  /// vector operations.
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
    for (int d = 0, k = 0; d < N; ++d) {
      for (int i = d; i < N; ++i, ++k) full(i, i - d) = full(i - d, i) = packed[k];
    }
    return full;
  }

  /// f(this) from the value and the two derivatives of f here.
  SecondOrder apply(double f, double f1, double f2) const {
    SecondOrder r(f, f1 * gradient);
    r.packed = f1 * packed;
    const Gradient own = f2 * gradient;
    r.each_diagonal([&](auto diagonal, auto first, auto last) {
      diagonal += first(own).cwiseProduct(last(gradient));
    });
    return r;
  }

  SecondOrder& operator+=(const SecondOrder& b) {
    value += b.value;
    gradient += b.gradient;
    packed += b.packed;
    return *this;
  }

  /// Calls act(diagonal of the second derivatives, its columns and its rows of a gradient).
  template <class Act, int D = 0>
  void each_diagonal(const Act& act) {
    constexpr int kLength = N - D, kStart = D * N - D * (D - 1) / 2;
    act(
        packed.template segment<kLength>(kStart),
        [](const Gradient& g) { return g.template head<kLength>(); },
        [](const Gradient& g) { return g.template tail<kLength>(); });
    if constexpr (D + 1 < N) each_diagonal<Act, D + 1>(act);
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
  r.packed = a.value * b.packed + b.value * a.packed;
  r.each_diagonal([&](auto diagonal, auto first, auto last) {
    diagonal += first(a.gradient).cwiseProduct(last(b.gradient)) +
                first(b.gradient).cwiseProduct(last(a.gradient));
  });
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
