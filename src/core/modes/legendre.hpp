#pragma once

#include <array>
#include <cassert>
#include <vector>

namespace ulterix {

/// P_0 .. P_degree and their derivatives at s in [−1, 1], by recurrence.
struct Legendre {
  static constexpr int kMostDegree = 160;

  Legendre(int degree, double s) {
    assert(degree <= kMostDegree);
    value[0] = 1;
    slope[0] = 0;
    if (degree == 0) return;
    value[1] = s;
    slope[1] = 1;
    for (int j = 1; j < degree; ++j) {
      value[j + 1] = ((2 * j + 1) * s * value[j] - j * value[j - 1]) / (j + 1);
      slope[j + 1] = slope[j - 1] + (2 * j + 1) * value[j];
    }
  }

  std::array<double, kMostDegree + 1> value, slope;  // set up to the degree
};

/// Gauss–Legendre points and weights on [−1, 1], exact to degree 2·count − 1.
struct GaussRule {
  std::vector<double> points, weights;
};

/// 1 <= count <= kMostGaussPoints.
inline constexpr int kMostGaussPoints = 160;
const GaussRule& gauss_rule(int count);

}  // namespace ulterix
