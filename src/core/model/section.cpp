#include "core/model/section.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ulterix {

namespace {

using std::numbers::pi;

double cube(double x) {
  return x * x * x;
}

double fourth(double x) {
  return x * x * x * x;
}

SectionProperties rectangle(const Dimensions& d) {
  SectionProperties p;
  p.A = d.b * d.h;
  p.Iy = d.b * cube(d.h) / 12;
  p.Iz = d.h * cube(d.b) / 12;
  p.J = rectangle_torsion_constant(d.h, d.b);
  p.Avy = p.Avz = p.A * 5 / 6;
  p.Wely = d.b * d.h * d.h / 6;
  p.Welz = d.h * d.b * d.b / 6;
  p.Wply = d.b * d.h * d.h / 4;
  p.Wplz = d.h * d.b * d.b / 4;
  return p;
}

/// One root fillet: a square of side r less a quarter circle. Centroid from the corner, second
/// moment about its own centroidal axis.
struct Fillet {
  double area, centroid, I;
  explicit Fillet(double r)
      : area((1 - pi / 4) * r * r),
        centroid(r * (10 - 3 * pi) / (12 - 3 * pi)),
        I((1.0 / 3 - pi / 16 - 1 / (9 * (4 - pi))) * fourth(r)) {}
};

/// J with root fillets after El Darwish & Johnston (1965).
double i_torsion_constant(const Dimensions& d) {
  const double open = 2.0 / 3 * d.b * cube(d.tf) + (d.h - 2 * d.tf) * cube(d.tw) / 3;
  const double w = d.tw / d.tf, r = d.r / d.tf;
  const double alpha = -0.042 + 0.2204 * w + 0.1355 * r - 0.0865 * w * r - 0.0725 * w * w;
  const double D = ((d.tf + d.r) * (d.tf + d.r) + d.tw * (d.r + d.tw / 4)) / (2 * d.r + d.tf);
  return open + 2 * alpha * fourth(D) - 0.420 * fourth(d.tf);
}

SectionProperties i_section(const Dimensions& d) {
  const Fillet f(d.r);
  const double hw = d.h - 2 * d.tf;
  const double zf = hw / 2 - f.centroid;    // fillet centroid above mid-height
  const double yf = d.tw / 2 + f.centroid;  // and beside the web's middle
  SectionProperties p;
  p.A = 2 * d.b * d.tf + hw * d.tw + 4 * f.area;
  p.Iy = (d.b * cube(d.h) - (d.b - d.tw) * cube(hw)) / 12 + 4 * (f.I + f.area * zf * zf);
  p.Iz = (2 * d.tf * cube(d.b) + hw * cube(d.tw)) / 12 + 4 * (f.I + f.area * yf * yf);
  p.J = i_torsion_constant(d);
  p.Avz = d.h * d.tw;
  p.Avy = 5.0 / 6 * 2 * d.b * d.tf;
  p.Iw = d.tf * cube(d.b) * (d.h - d.tf) * (d.h - d.tf) / 24;  // of the flanges
  p.Wely = p.Iy / (d.h / 2);
  p.Welz = p.Iz / (d.b / 2);
  p.Wply = d.b * d.tf * (d.h - d.tf) + d.tw * hw * hw / 4 + 4 * f.area * zf;
  p.Wplz = d.tf * d.b * d.b / 2 + hw * d.tw * d.tw / 4 + 4 * f.area * yf;
  return p;
}

/// Square-cornered hollow section; J after Bredt on the mean line.
SectionProperties box(const Dimensions& d) {
  const double hi = d.h - 2 * d.tf, bi = d.b - 2 * d.tw;
  const double hm = d.h - d.tf, bm = d.b - d.tw;
  SectionProperties p;
  p.A = d.b * d.h - bi * hi;
  p.Iy = (d.b * cube(d.h) - bi * cube(hi)) / 12;
  p.Iz = (d.h * cube(d.b) - hi * cube(bi)) / 12;
  p.J = 4 * hm * hm * bm * bm / (2 * bm / d.tf + 2 * hm / d.tw);
  p.Avz = 2 * (d.h - d.tf) * d.tw;
  p.Avy = 2 * (d.b - d.tw) * d.tf;
  p.Wely = p.Iy / (d.h / 2);
  p.Welz = p.Iz / (d.b / 2);
  p.Wply = (d.b * d.h * d.h - bi * hi * hi) / 4;
  p.Wplz = (d.h * d.b * d.b - hi * bi * bi) / 4;
  return p;
}

SectionProperties ring(double d, double di, double shear_share) {
  SectionProperties p;
  p.A = pi / 4 * (d * d - di * di);
  p.Iy = p.Iz = pi / 64 * (fourth(d) - fourth(di));
  p.J = 2 * p.Iy;
  p.Avy = p.Avz = shear_share * p.A;
  p.Wely = p.Welz = p.Iy / (d / 2);
  p.Wply = p.Wplz = (cube(d) - cube(di)) / 6;
  return p;
}

}  // namespace

double rectangle_torsion_constant(double h, double b) {
  if (b > h) std::swap(h, b);
  double sum = 0;
  for (int n = 1; n < 200; n += 2) {
    const double term = std::tanh(n * pi * h / (2 * b)) / std::pow(n, 5);
    sum += term;
    if (term < 1e-18) break;
  }
  return cube(b) * h / 3 * (1 - 192 * b / (std::pow(pi, 5) * h) * sum);
}

SectionProperties section_properties(Shape shape, const Dimensions& d) {
  switch (shape) {
    case Shape::rectangle:
      return rectangle(d);
    case Shape::i_section:
      return i_section(d);
    case Shape::box:
      return box(d);
    case Shape::pipe:
      return ring(d.d, d.d - 2 * d.t, 0.5);
    case Shape::circle:
      return ring(d.d, 0, 0.9);
    case Shape::numbers:
      break;
  }
  return {};
}

double outer_perimeter(Shape shape, const Dimensions& d) {
  switch (shape) {
    case Shape::numbers:
      break;
    case Shape::circle:
    case Shape::pipe:
      return M_PI * d.d;
    case Shape::rectangle:
    case Shape::box:
      return 2 * (d.h + d.b);
    case Shape::i_section:
      return 2 * d.h + 4 * d.b - 2 * d.tw;
  }
  return 0;
}

std::string dimensions_complaint(Shape shape, const Dimensions& d) {
  switch (shape) {
    case Shape::i_section:
      if (2 * d.tf >= d.h) return "the two flanges are as thick as the section is high (2 tf >= h)";
      if (d.tw >= d.b) return "the web is as thick as the flange is wide (tw >= b)";
      if (2 * d.r > d.h - 2 * d.tf) return "the root fillets do not fit between the flanges";
      if (2 * d.r > d.b - d.tw) return "the root fillets do not fit beside the web";
      return {};
    case Shape::box:
      if (2 * d.tf >= d.h) return "the walls fill the height (2 tf >= h)";
      if (2 * d.tw >= d.b) return "the walls fill the width (2 tw >= b)";
      return {};
    case Shape::pipe:
      return 2 * d.t >= d.d ? "the wall fills the pipe (2 t >= d)" : "";
    default:
      return {};
  }
}

}  // namespace ulterix
