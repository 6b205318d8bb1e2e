#pragma once

#include <cmath>

namespace ulterix {

/// An unevaluated sum of two doubles with about 32 digits (Dekker 1971; Knuth 1997, 4.2.2): for
/// differences of displacements that are nearly equal.
struct TwoDouble {
  double high = 0, low = 0;

  double value() const { return high + low; }
};

/// a + b without error.
inline TwoDouble exact_sum(double a, double b) {
  const double sum = a + b, part = sum - a;
  return {sum, (a - (sum - part)) + (b - part)};
}

inline TwoDouble operator+(const TwoDouble& a, const TwoDouble& b) {
  const TwoDouble sum = exact_sum(a.high, b.high);
  return exact_sum(sum.high, sum.low + a.low + b.low);
}

inline TwoDouble operator-(const TwoDouble& a) {
  return {-a.high, -a.low};
}

inline TwoDouble operator-(const TwoDouble& a, const TwoDouble& b) {
  return a + -b;
}

inline TwoDouble operator*(double factor, const TwoDouble& a) {
  const double product = factor * a.high;
  return exact_sum(product, std::fma(factor, a.high, -product) + factor * a.low);
}

inline TwoDouble operator/(const TwoDouble& a, double divisor) {
  const double quotient = a.high / divisor;
  return exact_sum(quotient, (std::fma(-quotient, divisor, a.high) + a.low) / divisor);
}

}  // namespace ulterix
