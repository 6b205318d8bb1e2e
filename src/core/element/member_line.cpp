#include "core/element/member_line.hpp"

#include <algorithm>
#include <boost/math/tools/minima.hpp>
#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>

namespace ulterix {

namespace {

constexpr int kSamples = 8;               // a segment is short: its rates change sign few times
constexpr double kSamePlaceAlong = 1e-9;  // of the member's length

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

namespace {

/// Values at ξ of the five polynomials that are 1 at one of five equal places and 0 at the others.
std::array<double, 5> weights_at(double xi) {
  std::array<double, 5> w;
  for (std::size_t i = 0; i < 5; ++i) {
    w[i] = 1;
    for (std::size_t j = 0; j < 5; ++j) {
      if (j != i) w[i] *= (4 * xi - double(j)) / (double(i) - double(j));
    }
  }
  return w;
}

/// Their derivatives by ξ.
std::array<double, 5> rates_at(double xi) {
  std::array<double, 5> r{};
  for (std::size_t i = 0; i < 5; ++i) {
    for (std::size_t k = 0; k < 5; ++k) {
      if (k == i) continue;
      double product = 4 / (double(i) - double(k));
      for (std::size_t j = 0; j < 5; ++j) {
        if (j != i && j != k) product *= (4 * xi - double(j)) / (double(i) - double(j));
      }
      r[i] += product;
    }
  }
  return r;
}

}  // namespace

MemberLine::Span MemberLine::Span::through(const std::array<LinePoint, 5>& points) {
  const double from = points.front().x, to = points.back().x;
  Span span{from, to, BendingCurve::straight(to - from, 0, 0),
            BendingCurve::straight(to - from, 0, 0)};
  span.sampled = std::make_shared<const std::array<LinePoint, 5>>(points);
  const double a = points[0].forces[0], b = points[2].forces[0], c = points[4].forces[0];
  span.N = {a, 4 * b - 3 * a - c, 2 * a + 2 * c - 4 * b};
  return span;
}

LinePoint MemberLine::Span::at(double xi) const {
  LinePoint p;
  p.x = from + xi * (to - from);
  if (sampled) {
    const auto w = weights_at(xi);
    for (std::size_t i = 0; i < 5; ++i) {
      p.forces += w[i] * (*sampled)[i].forces;
      p.displacement += w[i] * (*sampled)[i].displacement;
    }
    return p;
  }
  const BendingState bz = z.at(xi), by = y.at(xi);
  p.forces << polynomial(N, xi), y.shear(xi), z.shear(xi), polynomial(T, xi), bz.M, by.M;
  const double stretch = xi * (N[0] + xi * (N[1] / 2 + xi * N[2] / 3)) * (to - from);
  p.displacement << u_start + strain * xi * (to - from) + axial_flexibility * stretch, by.w, bz.w;
  return p;
}

MemberLine MemberLine::in_shape_of(const MemberLine& other) const {
  MemberLine line = *this;
  for (std::size_t i = 0; i < spans_.size(); ++i) {
    line.spans_[i].z = spans_[i].z.in_shape_of(other.spans_[i].z);
    line.spans_[i].y = spans_[i].y.in_shape_of(other.spans_[i].y);
  }
  return line;
}

LinePoint MemberLine::at(double x) const {
  for (const Span& span : spans_) {
    if (x < span.to) return span.at(std::max(0.0, (x - span.from) / (span.to - span.from)));
  }
  return spans_.back().at(1);
}

std::vector<double> MemberLine::stationary_places(const Span& span) const {
  std::vector<double> roots;
  if (span.sampled) {
    for (Eigen::Index q = 0; q < 6; ++q) {
      add_roots(
          [&span, q](double xi) {
            const auto r = rates_at(xi);
            double rate = 0;
            for (std::size_t i = 0; i < 5; ++i) rate += r[i] * (*span.sampled)[i].forces[q];
            return rate;
          },
          roots);
    }
    return roots;
  }
  for (const BendingCurve* curve : {&span.z, &span.y}) {
    if (!curve->may_have_inner_extremes()) continue;
    add_roots([curve](double xi) { return curve->moment_rate(xi); }, roots);
    add_roots([curve](double xi) { return curve->shear_rate(xi); }, roots);
  }
  add_vertex(span.N, roots);
  add_vertex(span.T, roots);
  return roots;
}

std::vector<LinePoint> MemberLine::sampled_stations(int count) const {
  constexpr double kJump = 1e-6;  // of the largest force; ends of pieces agree to the balance
  const double L = length();
  Vector6d largest = Vector6d::Zero();
  std::vector<double> xs;
  for (int i = 0; i < count; ++i) xs.push_back(L * i / (count - 1));
  const auto all = extremes();
  for (Eigen::Index q = 0; q < 6; ++q) {
    const Extreme& e = all[static_cast<std::size_t>(q)];
    largest[q] = std::max(std::abs(e.min), std::abs(e.max));
    if (e.max - e.min <= kJump * largest[q]) continue;
    xs.push_back(e.x_min);
    xs.push_back(e.x_max);
  }
  const double force = largest.head<3>().maxCoeff(), moment = largest.tail<3>().maxCoeff();
  std::vector<LinePoint> points;
  for (std::size_t i = 0; i + 1 < spans_.size(); ++i) {
    const LinePoint before = spans_[i].at(1), after = spans_[i + 1].at(0);
    const Vector6d jump = (after.forces - before.forces).cwiseAbs();
    const bool jumps =
        jump.head<3>().maxCoeff() > kJump * force || jump.tail<3>().maxCoeff() > kJump * moment;
    if (!jumps) continue;
    points.push_back(before);
    points.push_back(after);
    std::erase_if(xs, [&](double x) { return std::abs(x - after.x) < kSamePlaceAlong * L; });
  }
  std::sort(xs.begin(), xs.end());
  double last = -1;
  for (const double x : xs) {
    if (x - last < kSamePlaceAlong * L) continue;
    last = x;
    points.push_back(at(x));
    points.back().x = x;
  }
  std::stable_sort(points.begin(), points.end(),
                   [](const LinePoint& a, const LinePoint& b) { return a.x < b.x; });
  return points;
}

std::vector<LinePoint> MemberLine::stations(int count) const {
  if (spans_.front().sampled) return sampled_stations(count);
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
    const double same = kSamePlaceAlong * L / (span.to - span.from);
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

Vector3d MemberLine::deflection_at(double x) const {
  const double t = x / length();
  return at(x).displacement - (1 - t) * spans_.front().at(0).displacement -
         t * spans_.back().at(1).displacement;
}

Extreme MemberLine::displacement_extremes(const Vector3d& direction, bool from_chord) const {
  const Vector3d start = spans_.front().at(0).displacement, end = spans_.back().at(1).displacement;
  const auto value = [&](double x) {
    Vector3d u = at(x).displacement;
    if (from_chord) u -= start + x / length() * (end - start);
    return direction.dot(u);
  };
  std::vector<double> xs, values;
  for (const Span& span : spans_) {
    for (int i = 0; i < kSamples; ++i) {
      xs.push_back(span.from + (span.to - span.from) * i / kSamples);
    }
  }
  xs.push_back(length());
  for (const double x : xs) values.push_back(value(x));
  // Both ends lie on the chord, without the rounding of taking it off.
  if (from_chord) values.front() = values.back() = 0;
  Extreme e{values[0], xs[0], values[0], xs[0]};
  const auto take = [&e](double x, double v) {
    if (v < e.min) e.min = v, e.x_min = x;
    if (v > e.max) e.max = v, e.x_max = x;
  };
  for (std::size_t i = 1; i < xs.size(); ++i) {
    take(xs[i], values[i]);
    if (i + 1 == xs.size()) break;
    // A turning point lies between the neighbours of a sample that is above or below both.
    const double before = values[i] - values[i - 1], after = values[i + 1] - values[i];
    if (before * after >= 0) continue;
    const double sign = before > 0 ? -1 : 1;
    std::uintmax_t iterations = 40;
    const auto [x, v] = boost::math::tools::brent_find_minima(
        [&](double at_x) { return sign * value(at_x); }, xs[i - 1], xs[i + 1], 30, iterations);
    take(x, sign * v);
  }
  return e;
}

}  // namespace ulterix
