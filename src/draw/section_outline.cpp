#include "draw/section_outline.hpp"

#include <cmath>

namespace ulterix {

namespace {

std::vector<Vector2d> rectangle(double b, double h) {
  return {{-b / 2, -h / 2}, {b / 2, -h / 2}, {b / 2, h / 2}, {-b / 2, h / 2}, {-b / 2, -h / 2}};
}

std::vector<Vector2d> circle(double d) {
  constexpr int kCorners = 24;
  std::vector<Vector2d> points;
  for (int i = 0; i <= kCorners; ++i) {
    const double a = 2 * M_PI * i / kCorners;
    points.emplace_back(d / 2 * std::cos(a), d / 2 * std::sin(a));
  }
  return points;
}

std::vector<Vector2d> i_section(const Dimensions& d) {
  const double b = d.b / 2, h = d.h / 2, w = d.tw / 2, f = d.h / 2 - d.tf;
  return {{-b, -h}, {b, -h}, {b, -f}, {w, -f},  {w, f},   {b, f},  {b, h},
          {-b, h},  {-b, f}, {-w, f}, {-w, -f}, {-b, -f}, {-b, -h}};
}

}  // namespace

std::vector<std::vector<Vector2d>> section_outline(const Section& section) {
  const Dimensions& d = section.dimensions;
  switch (section.shape) {
    case Shape::rectangle:
      return {rectangle(d.b, d.h)};
    case Shape::i_section:
      return {i_section(d)};
    case Shape::box:
      return {rectangle(d.b, d.h), rectangle(d.b - 2 * d.tw, d.h - 2 * d.tf)};
    case Shape::circle:
      return {circle(d.d)};
    case Shape::pipe:
      return {circle(d.d), circle(d.d - 2 * d.t)};
    case Shape::numbers:
      break;
  }
  return {};
}

}  // namespace ulterix
