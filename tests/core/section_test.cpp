#include "core/model/section.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "support/frame_builder.hpp"

namespace ulterix::testing::section_test {
namespace {

using std::numbers::pi;

TEST(Section, RectangleTorsionSeries) {
  // Timoshenko & Goodier, table 7: J = k1·h·b³; k1 = 0.1406 (square), 0.196 (1.5), 0.229 (2), 1/3
  // (∞).
  EXPECT_NEAR(rectangle_torsion_constant(1, 1), 0.1406, 5e-5);
  EXPECT_NEAR(rectangle_torsion_constant(1.5, 1), 1.5 * 0.196, 1e-3);
  EXPECT_NEAR(rectangle_torsion_constant(2, 1), 2 * 0.229, 1e-3);
  EXPECT_NEAR(rectangle_torsion_constant(1e4, 1) / 1e4, 1.0 / 3, 1e-4);
  EXPECT_DOUBLE_EQ(rectangle_torsion_constant(2, 3), rectangle_torsion_constant(3, 2));
  // The unit square of the 45° bend problem of the reference list.
  EXPECT_NEAR(rectangle_torsion_constant(1, 1), 0.140577, 5e-7);
}

TEST(Section, RectangleMatchesItself) {
  Dimensions d;
  d.h = 0.5;
  d.b = 0.35;
  const SectionProperties p = section_properties(Shape::rectangle, d);
  EXPECT_DOUBLE_EQ(p.Iy, 0.35 * 0.125 / 12);
  EXPECT_DOUBLE_EQ(p.Wply / p.Wely, 1.5);
  EXPECT_DOUBLE_EQ(p.Avz, p.A * 5 / 6);
}

TEST(Section, PipeBecomesACircleWhenTheHoleVanishes) {
  Dimensions pipe;
  pipe.d = 0.2;
  pipe.t = 0.1 - 1e-9;
  Dimensions circle;
  circle.d = 0.2;
  const SectionProperties a = section_properties(Shape::pipe, pipe);
  const SectionProperties b = section_properties(Shape::circle, circle);
  EXPECT_NEAR(a.A, b.A, 1e-12);
  EXPECT_NEAR(a.Iy, b.Iy, 1e-12);
  EXPECT_NEAR(b.J, pi / 2 * std::pow(0.1, 4), 1e-15);
  EXPECT_NEAR(b.Wply, std::pow(0.2, 3) / 6, 1e-15);
}

TEST(Section, BoxTorsionOfAThinSquareTube) {
  Dimensions d;
  d.h = d.b = 0.2;
  d.tw = d.tf = 0.002;
  const SectionProperties p = section_properties(Shape::box, d);
  EXPECT_RELATIVE(p.J, std::pow(0.198, 3) * 0.002, kExact);  // bm³·t for a square
  EXPECT_RELATIVE(p.Iy, p.Iz, kExact);
}

TEST(Section, IWithoutFilletsIsThreeRectangles) {
  Dimensions d;
  d.h = 0.4;
  d.b = 0.2;
  d.tw = 0.01;
  d.tf = 0.02;
  const SectionProperties p = section_properties(Shape::i_section, d);
  const double flange = 0.2 * 0.02, arm = 0.19;
  EXPECT_RELATIVE(p.A, 2 * flange + 0.36 * 0.01, kExact);
  EXPECT_RELATIVE(
      p.Iy, 2 * (0.2 * std::pow(0.02, 3) / 12 + flange * arm * arm) + 0.01 * std::pow(0.36, 3) / 12,
      kExact);
  EXPECT_RELATIVE(p.Wply, 2 * flange * arm + 0.01 * 0.36 * 0.36 / 4, kExact);
}

TEST(Section, ImpossibleDimensionsAreTold) {
  Dimensions d;
  d.h = 0.1;
  d.b = 0.1;
  d.tw = 0.005;
  d.tf = 0.05;
  EXPECT_FALSE(dimensions_complaint(Shape::i_section, d).empty());
  EXPECT_FALSE(dimensions_complaint(Shape::box, d).empty());
  d.tf = 0.01;
  EXPECT_TRUE(dimensions_complaint(Shape::i_section, d).empty());
  d.r = 0.05;
  EXPECT_FALSE(dimensions_complaint(Shape::i_section, d).empty());
}

}  // namespace
}  // namespace ulterix::testing::section_test
