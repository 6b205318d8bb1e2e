#include "core/modes/legendre.hpp"

#include <cassert>
#include <cmath>
#include <mutex>

namespace ulterix {

namespace {

GaussRule make_rule(int count) {
  GaussRule rule;
  for (int i = 0; i < count; ++i) {
    // Newton's method from Tricomi's approximation (Davis & Rabinowitz 1984, 2.7).
    double s = -std::cos(M_PI * (i + 0.75) / (count + 0.5)), slope = 1;
    for (int step = 0; step < 8; ++step) {
      const Legendre p(count, s);
      slope = p.slope[count];
      s -= p.value[count] / slope;
    }
    rule.points.push_back(s);
    rule.weights.push_back(2 / ((1 - s * s) * slope * slope));
  }
  return rule;
}

}  // namespace

const GaussRule& gauss_rule(int count) {
  assert(count >= 1 && count <= kMostGaussPoints);
  struct Kept {
    std::once_flag made;
    GaussRule rule;
  };
  static std::array<Kept, kMostGaussPoints + 1> rules;
  Kept& kept = rules[static_cast<std::size_t>(count)];
  std::call_once(kept.made, [&] { kept.rule = make_rule(count); });
  return kept.rule;
}

}  // namespace ulterix
