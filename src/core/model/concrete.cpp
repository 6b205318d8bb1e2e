#include "core/model/concrete.hpp"

#include <algorithm>
#include <cmath>

namespace ulterix {

namespace {

constexpr double kMPa = 1e6;

double mean_strength(const ConcreteAgeing& c) {
  return c.fck / kMPa + 8;
}

/// 3.1.4 (6), table 3.3, with the notional size in mm.
double size_factor(double h0) {
  constexpr std::array<std::pair<double, double>, 4> kTable = {
      {{100, 1.0}, {200, 0.85}, {300, 0.75}, {500, 0.70}}};
  if (h0 <= kTable.front().first) return kTable.front().second;
  for (std::size_t i = 0; i + 1 < kTable.size(); ++i) {
    const auto& [from, a] = kTable[i];
    const auto& [to, b] = kTable[i + 1];
    if (h0 <= to) return a + (b - a) * (h0 - from) / (to - from);
  }
  return kTable.back().second;
}

}  // namespace

double creep_coefficient(const ConcreteAgeing& c, double t, double t0) {
  if (t <= t0) return 0;
  const double fcm = mean_strength(c), h0 = 1e3 * c.notional, dry = 1 - c.humidity;
  const bool strong = fcm > 35;
  const double a1 = strong ? std::pow(35 / fcm, 0.7) : 1;
  const double a2 = strong ? std::pow(35 / fcm, 0.2) : 1;
  const double a3 = strong ? std::sqrt(35 / fcm) : 1;
  const double by_humidity = (1 + dry / (0.1 * std::cbrt(h0)) * a1) * a2;
  const double by_strength = 16.8 / std::sqrt(fcm);
  // The age at loading, as of cement of class N (B.9).
  const double power = c.cement == CementClass::S ? -1 : c.cement == CementClass::N ? 0 : 1;
  const double loaded = std::max(t0 * std::pow(9 / (2 + std::pow(t0, 1.2)) + 1, power), 0.5);
  const double by_age = 1 / (0.1 + std::pow(loaded, 0.2));
  const double slow =
      std::min(1.5 * (1 + std::pow(0.012 * 100 * c.humidity, 18)) * h0 + 250 * a3, 1500 * a3);
  const double days = t - t0;
  return by_humidity * by_strength * by_age * std::pow(days / (slow + days), 0.3);
}

double shrinkage_strain(const ConcreteAgeing& c, double t, double ts) {
  const double fcm = mean_strength(c), h0 = 1e3 * c.notional;
  const auto kind = static_cast<std::size_t>(c.cement);
  constexpr std::array<double, 3> kDs1 = {3, 4, 6}, kDs2 = {0.13, 0.12, 0.11};
  const double by_humidity = 1.55 * (1 - std::pow(c.humidity, 3));
  const double basic =
      0.85 * (220 + 110 * kDs1[kind]) * std::exp(-kDs2[kind] * fcm / 10) * 1e-6 * by_humidity;
  const double days = std::max(t - ts, 0.0);
  const double drying = days / (days + 0.04 * std::sqrt(h0 * h0 * h0)) * size_factor(h0) * basic;
  const double autogenous = 2.5 * std::max(c.fck / kMPa - 10, 0.0) * 1e-6 *
                            (1 - std::exp(-0.2 * std::sqrt(std::max(t, 0.0))));
  return drying + autogenous;
}

}  // namespace ulterix
