#include "core/element/member_line.hpp"

#include <algorithm>
#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>

namespace ulterix {

namespace {

constexpr int kSamples = 8;          // a segment is short: its rates change sign few times
constexpr double kSamePlace = 1e-9;  // of the member's length

double polynomial(const std::array<double, 3>& c, double xi) {
  return c[0] + xi * (c[1] + xi * c[2]);
}

template <class Rate>
void add_roots(const Rate& rate, std::vector<double>& roots) {
  double a = 0, fa = rate(0.0);
  for (int i = 1; i <= kSamples; ++i) {
    const double b = double(i) / kSamples, fb = rate(b);
    if (fb == 0 && i < kSamples) {
      roots.push_back(b);
    } else if (fa * fb < 0) {
      std::uintmax_t iterations = 60;
      const auto bracket = boost::math::tools::toms748_solve(
          rate, a, b, fa, fb, boost::math::tools::eps_tolerance<double>(50), iterations);
      roots.push_back((bracket.first + bracket.second) / 2);
    }
    a = b;
    fa = fb;
  }
}

void add_vertex(const std::array<double, 3>& c, std::vector<double>& roots) {
  if (c[2] == 0) return;
  const double xi = -c[1] / (2 * c[2]);
  if (xi > 0 && xi < 1) roots.push_back(xi);
}

}  // namespace

LinePoint MemberLine::Span::at(double xi) const {
  LinePoint p;
  p.x = from + xi * (to - from);
  const BendingState bz = z.at(xi), by = y.at(xi);
  p.forces << polynomial(N, xi), y.shear(xi), z.shear(xi), polynomial(T, xi), bz.M, by.M;
  const double stretch = xi * (N[0] + xi * (N[1] / 2 + xi * N[2] / 3)) * (to - from);
  p.displacement << u_start + axial_flexibility * stretch, by.w, bz.w;
  return p;
}

LinePoint MemberLine::at(double x) const {
  for (const Span& span : spans_) {
    if (x < span.to) return span.at(std::max(0.0, (x - span.from) / (span.to - span.from)));
  }
  return spans_.back().at(1);
}

std::vector<double> MemberLine::stationary_places(const Span& span) const {
  std::vector<double> roots;
  for (const BendingCurve* curve : {&span.z, &span.y}) {
    if (!curve->may_have_inner_extremes()) continue;
    add_roots([curve](double xi) { return curve->moment_rate(xi); }, roots);
    add_roots([curve](double xi) { return curve->shear_rate(xi); }, roots);
  }
  add_vertex(span.N, roots);
  add_vertex(span.T, roots);
  return roots;
}

std::vector<LinePoint> MemberLine::stations(int count) const {
  std::vector<LinePoint> points;
  const double L = length();
  for (const Span& span : spans_) {
    std::vector<double> xis = {0, 1};
    for (int i = 1; i < count - 1; ++i) {
      const double xi = (L * i / (count - 1) - span.from) / (span.to - span.from);
      if (xi > 0 && xi < 1) xis.push_back(xi);
    }
    const std::vector<double> inner = stationary_places(span);
    xis.insert(xis.end(), inner.begin(), inner.end());
    std::sort(xis.begin(), xis.end());
    const double same = kSamePlace * L / (span.to - span.from);
    double last = -1;
    for (const double xi : xis) {
      if (xi - last < same || (xi != 1 && 1 - xi < same)) continue;
      last = xi;
      LinePoint p = span.at(xi);
      const bool repeats = !points.empty() && xi == 0 &&
                           (p.forces - points.back().forces).cwiseAbs().maxCoeff() <=
                               1e-12 * points.back().forces.cwiseAbs().maxCoeff();
      if (!repeats) points.push_back(p);
    }
  }
  return points;
}

std::array<Extreme, 6> MemberLine::extremes() const {
  std::array<Extreme, 6> result;
  bool first = true;
  const auto take = [&](const LinePoint& p) {
    for (int i = 0; i < 6; ++i) {
      Extreme& e = result[i];
      if (first || p.forces[i] < e.min) e.min = p.forces[i], e.x_min = p.x;
      if (first || p.forces[i] > e.max) e.max = p.forces[i], e.x_max = p.x;
    }
    first = false;
  };
  for (const Span& span : spans_) {
    take(span.at(0));
    for (const double xi : stationary_places(span)) take(span.at(xi));
    take(span.at(1));
  }
  return result;
}

}  // namespace ulterix
