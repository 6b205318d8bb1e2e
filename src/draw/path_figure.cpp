#include "draw/path_figure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "draw/page.hpp"

namespace ulterix {

namespace {

constexpr double kLeft = 110, kRight = Canvas::kWidth - 60, kTop = 100,
                 kBottom = Canvas::kHeight - 110;
/// The chart reaches so far beyond the full load and the path to show a buckling factor.
constexpr double kMostAbove = 3;

const std::array<Stroke, 4> kStrokes = {{{palette::kSecondOrder, 2.4, {}},
                                         {palette::kInk, 2.0, {9, 4}},
                                         {palette::kSupport, 2.0, {3, 3}},
                                         {palette::kLoad, 2.0, {12, 3, 2, 3}}}};

/// What one axis shows, and where its grid lines are.
struct Axis {
  double low = 0, high = 0, step = 1;

  void take(double value) {
    low = std::min(low, value);
    high = std::max(high, value);
  }
  void settle() {
    if (!(high > low)) high = low + 1;
    step = round_scale((high - low) / 5);
    low = step * std::floor(low / step + 1e-9);
    high = step * std::ceil(high / step - 1e-9);
  }
};

class Chart {
 public:
  Chart(Canvas& canvas, const PathChart& chart) : canvas_(canvas), chart_(chart) {
    y_.take(1);
    for (const PathCurve& c : chart.curves) {
      for (const Vector2d& p : c.points) x_.take(p[0]), y_.take(p[1]);
    }
    if (chart.first_order) x_.take(*chart.first_order);
    if (chart.p_delta) x_.take((*chart.p_delta)[0]), y_.take((*chart.p_delta)[1]);
    if (chart.buckling && *chart.buckling <= kMostAbove * y_.high) y_.take(*chart.buckling);
    x_.settle();
    y_.settle();
  }

  void draw() {
    draw_grid();
    draw_lines();
    std::vector<LegendEntry> legend;
    for (std::size_t i = 0; i < chart_.curves.size(); ++i) {
      const Stroke& stroke = kStrokes[i % kStrokes.size()];
      draw_curve(chart_.curves[i], stroke);
      legend.push_back({stroke, chart_.curves[i].name});
    }
    if (chart_.first_order) legend.push_back({first_order_, "first-order"});
    if (chart_.p_delta) legend.push_back({{palette::kFirstOrder, 6, {}}, "end of P-Delta"});
    draw_legend(canvas_, legend);
  }

 private:
  Vector2d at(const Vector2d& p) const {
    return {kLeft + (p[0] - x_.low) / (x_.high - x_.low) * (kRight - kLeft),
            kBottom - (p[1] - y_.low) / (y_.high - y_.low) * (kBottom - kTop)};
  }

  void draw_grid() {
    const TextStyle small{13, false, palette::kSupport};
    const auto number = [](double v, double step) {
      return fmt::format("{:g}", std::abs(v) < 1e-9 * step ? 0 : v);
    };
    for (double x = x_.low; x <= x_.high + 1e-9 * x_.step; x += x_.step) {
      const Vector2d a = at({x, y_.low}), b = at({x, y_.high});
      canvas_.line({a, b}, {palette::kFaint, 1, {}});
      const std::string text = number(x, x_.step);
      canvas_.text({a[0] - canvas_.measure(text, small)[0] / 2, a[1] + 20}, text, small);
    }
    for (double y = y_.low; y <= y_.high + 1e-9 * y_.step; y += y_.step) {
      const Vector2d a = at({x_.low, y}), b = at({x_.high, y});
      canvas_.line({a, b}, {palette::kFaint, 1, {}});
      const std::string text = number(y, y_.step);
      canvas_.text({a[0] - canvas_.measure(text, small)[0] - 8, a[1] + 4}, text, small);
    }
    canvas_.line({at({x_.low, 0}), at({x_.high, 0})}, {palette::kUndeformed, 1.4, {}});
    canvas_.line({at({0, y_.low}), at({0, y_.high})}, {palette::kUndeformed, 1.4, {}});
    const std::string along = chart_.place + ", " + chart_.unit;
    const TextStyle label{14, true, palette::kInk};
    canvas_.text({kRight - canvas_.measure(along, label)[0], kBottom + 44}, along, label);
    canvas_.text({kLeft - 70, kTop - 14}, "factor on " + chart_.loads, label);
  }

  void draw_lines() {
    const TextStyle small{13, false, palette::kSupport};
    canvas_.line({at({x_.low, 1}), at({x_.high, 1})}, {palette::kSupport, 1.2, {2, 3}});
    canvas_.text(at({x_.low, 1}) + Vector2d(8, 16), "full load", small);
    if (chart_.buckling) {
      const std::string words = fmt::format("linear buckling factor {:.4g}", *chart_.buckling);
      const bool seen = *chart_.buckling <= y_.high;
      const double y = seen ? *chart_.buckling : y_.high;
      const double width = canvas_.measure(words, small)[0];
      const Vector2d end = at({x_.high, y});
      if (seen) canvas_.line({at({x_.low, y}), end}, {palette::kSupport, 1.4, {8, 4}});
      // In the middle, where the lines from the origin seldom are.
      canvas_.text(Vector2d((kLeft + kRight - width) / 2, end[1] + (seen ? -6 : 18)),
                   seen ? words : words + ", above", small);
    }
    if (!chart_.first_order) return;
    // Straight through the full load, as far as the chart goes.
    const double value = *chart_.first_order;
    double far = y_.high;
    if (value > 0) far = std::min(far, x_.high / value);
    if (value < 0) far = std::min(far, x_.low / value);
    canvas_.line({at({0, 0}), at({far * value, far})}, first_order_);
  }

  void draw_curve(const PathCurve& curve, const Stroke& stroke) {
    std::vector<Vector2d> line;
    for (const Vector2d& p : curve.points) line.push_back(at(p));
    canvas_.line(line, stroke);
    const bool few = line.size() <= 200;
    bool yielded = false;
    for (std::size_t i = 0; i < line.size(); ++i) {
      const std::string& event = curve.events[i];
      const bool fy = event.ends_with("reaches fy");
      if (event.empty() || (fy && yielded)) {
        if (few) canvas_.circle(line[i], 2.2, stroke.colour, {stroke.colour, 1, {}});
        continue;
      }
      yielded = yielded || fy;
      canvas_.circle(line[i], 6, palette::kWhite, {stroke.colour, 2.4, {}});
      const TextStyle style{13, true, palette::kInk};
      const std::string words = fmt::format("{} at {:.4g}", event, curve.points[i][1]);
      const double width = canvas_.measure(words, style)[0];
      const bool left = line[i][0] + 11 + width > kRight;
      canvas_.text(
          line[i] + Vector2d(left ? -11 - width : 11, curve.points[i][1] >= 0 && !fy ? -11 : 21),
          words, style);
    }
    if (chart_.p_delta) {
      canvas_.circle(at(*chart_.p_delta), 5.5, palette::kFirstOrder, {palette::kWhite, 1.2, {}});
    }
  }

  const Stroke first_order_{palette::kFirstOrder, 1.8, {6, 4}};
  Canvas& canvas_;
  const PathChart& chart_;
  Axis x_, y_;
};

}  // namespace

namespace {

/// A path that begins with a value (a preload, constant loads): no straight line from nothing.
bool begins_with_a_value(const PathCurve& curve) {
  constexpr double kNothing = 1e-3;
  double most = 0;
  for (const Vector2d& p : curve.points) most = std::max(most, std::abs(p[0]));
  const Vector2d& first = curve.points.front();
  return std::abs(first[1]) < kNothing && std::abs(first[0]) > kNothing * most;
}

}  // namespace

void draw_path(Canvas& canvas, const PathChart& given) {
  PathChart chart = given;
  if (std::any_of(chart.curves.begin(), chart.curves.end(), begins_with_a_value)) {
    chart.first_order.reset();
  }
  draw_heading(canvas, chart.title,
               fmt::format("path of {}: load factor over {}", chart.loads, chart.place));
  Chart(canvas, chart).draw();
}

}  // namespace ulterix
