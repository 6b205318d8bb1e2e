#include "core/element/element.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "core/dense/symmetric_eigen.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::element_test {
namespace {

ElementProperties sample(bool shear = true) {
  ElementProperties p;
  p.length = 4;
  p.EA = 1e9;
  p.EIy = 2e7;
  p.EIz = 4e6;
  p.GJ = 1e5;
  if (shear) p.shear_flexibility_y = 1e-8, p.shear_flexibility_z = 2e-8;
  p.r2 = 0.02;
  return p;
}

TEST(Element, FirstOrderStiffnessIsSymmetricWithSixRigidMotions) {
  const ElementProperties p = sample();
  const Element e(p, MemberLoading::none(p.length), {});
  const Matrix12d K = e.stiffness();
  EXPECT_EQ((K - K.transpose()).cwiseAbs().maxCoeff(), 0);
  // Rigid motions: three translations, three rotations about the start.
  for (int d = 0; d < 6; ++d) {
    Vector12d rigid = Vector12d::Zero();
    rigid[d] = rigid[d + 6] = 1;
    if (d == 4) rigid[8] = -p.length;
    if (d == 5) rigid[7] = p.length;
    EXPECT_LT((K * rigid).cwiseAbs().maxCoeff(), 1e-9 * K.cwiseAbs().maxCoeff()) << d;
  }
  EXPECT_EQ((symmetric_eigenvalues(K).array() > 1e-6 * p.GJ).count(), 6);
}

/// The series against the closed form by stability functions for constant compression, no shear:
/// k_near = EI/L·u(sin u − u cos u)/(2 − 2cos u − u sin u), u = L·√(P/EI).
TEST(Element, ConstantCompressionMatchesStabilityFunctions) {
  const ElementProperties p = sample(false);
  GeometricEffect g;
  g.acts = true;
  for (const double u : {0.1, 1.0, 2.5, 4.0, 6.0}) {
    g.axial_start = -u * u * p.EIy / (p.length * p.length);
    ElementProperties stiff_twist = p;
    stiff_twist.r2 = 0;
    stiff_twist.EIz = p.EIy;
    const Element e(stiff_twist, MemberLoading::none(p.length), g);
    const double den = 2 - 2 * std::cos(u) - u * std::sin(u);
    const double near = p.EIy / p.length * u * (std::sin(u) - u * std::cos(u)) / den;
    const double far = p.EIy / p.length * u * (u - std::sin(u)) / den;
    EXPECT_RELATIVE(e.stiffness()(4, 4), near, kExact) << u;
    EXPECT_RELATIVE(e.stiffness()(4, 10), far, kExact) << u;
    EXPECT_RELATIVE(e.stiffness()(2, 2),
                    (2 * (near + far) - u * u * p.EIy / p.length) / (p.length * p.length), 1e-8)
        << u;
  }
}

TEST(Element, SplittingChangesNothing) {
  const ElementProperties p = sample();
  GeometricEffect g;
  g.acts = true;
  g.axial_start = -0.6e7;
  MemberLoadingBuilder loads(p.length);
  loads.add_distributed(0.5, 3.1, force6(-1e5, 2e3, -3e4), force6(2e5, -1e3, -1e4));
  loads.add_point(1.7, force6(3e4, 1e3, -5e4, 20, 300, -200));
  const Element one(p, loads.build(), g, 1), seven(p, loads.build(), g, 7);
  const double scale = one.stiffness().cwiseAbs().maxCoeff();
  EXPECT_LT((one.stiffness() - seven.stiffness()).cwiseAbs().maxCoeff(), 1e-10 * scale);
  EXPECT_LT((one.fixed_end_forces() - seven.fixed_end_forces()).cwiseAbs().maxCoeff(),
            1e-9 * one.fixed_end_forces().cwiseAbs().maxCoeff());
  const Vector12d ends = Vector12d::LinSpaced(12, -0.01, 0.01);
  for (const double x : {0.0, 1.0, 1.7, 2.9, 4.0}) {
    const LinePoint a = one.line(ends).at(x), b = seven.line(ends).at(x);
    EXPECT_LT((a.forces - b.forces).cwiseAbs().maxCoeff(), 1e-9 * a.forces.cwiseAbs().maxCoeff());
    EXPECT_LT((a.displacement - b.displacement).norm(), 1e-12);
  }
}

/// The end forces are the forces on the faces: p = K·d + f against the line at both ends.
TEST(Element, EndForcesAndLineAgree) {
  ElementProperties p = sample();
  p.joints[0][4] = 3e6;
  p.joints[1][5] = 0;
  GeometricEffect g;
  g.acts = true;
  g.axial_start = 2e6;
  MemberLoadingBuilder loads(p.length);
  loads.add_distributed(0, 4, force6(1e4, 2e3, -3e4, 10, 20, 30),
                        force6(1e4, -1e3, -1e4, 20, 0, 10));
  loads.add_point(2.2, force6(0, 1e3, -5e4, 20, 300, -200));
  const Element e(p, loads.build(), g);
  const Vector12d d = 0.01 * Vector12d::Random();
  const Vector12d forces = e.stiffness() * d + e.fixed_end_forces();
  const MemberLine line = e.line(d);
  const LinePoint a = line.at(0), b = line.at(p.length);
  EXPECT_RELATIVE(-a.forces[kN], forces[0], kExact);
  EXPECT_RELATIVE(b.forces[kN], forces[6], kExact);
  EXPECT_RELATIVE(a.forces[kMy], forces[4], 1e-7);  // left-handed on the +x face
  EXPECT_RELATIVE(-b.forces[kMy], forces[10], 1e-7);
  EXPECT_RELATIVE(-a.forces[kMx], forces[3], kExact);
  EXPECT_NEAR(b.forces[kMz], 0, 1e-6);  // hinged
}

/// dM/dx = V + the distributed moment's share, dV/dx = q + (N·w')': by central differences.
TEST(Element, ForcesObeyTheirDifferentialEquations) {
  const ElementProperties p = sample();
  GeometricEffect g;
  g.acts = true;
  g.axial_start = -3e6;
  MemberLoadingBuilder loads(p.length);
  loads.add_distributed(0, 4, force6(3e5, 2e3, -3e4), force6(-1e5, -4e3, -6e4));
  const MemberLoading loading = loads.build();
  const Element e(p, loading, g);
  const MemberLine line = e.line(0.01 * Vector12d::Random());
  const double h = 1e-4;
  for (const double x : {0.8, 2.0, 3.3}) {
    const auto at = [&](double s) { return line.at(s); };
    const Vector6d rate = (at(x + h).forces - at(x - h).forces) / (2 * h);
    const Vector6d q = loading.spans[0].at(x);
    EXPECT_RELATIVE(rate[kMy], at(x).forces[kVz], 1e-6);
    EXPECT_RELATIVE(rate[kMz], at(x).forces[kVy], 1e-6);
    EXPECT_RELATIVE(rate[kN], -q[0], 1e-6);
    const auto pull = [&](double s, int axis) {
      const double slope = (at(s + h).displacement[axis] - at(s - h).displacement[axis]) / (2 * h);
      return (g.axial_start + at(s).forces[kN] - line.at(0).forces[kN]) * slope;
    };
    const double Nw = (pull(x + 5 * h, 2) - pull(x - 5 * h, 2)) / (10 * h);
    EXPECT_NEAR(rate[kVz], q[2] + Nw, 1e-4 * std::abs(q[2]));
  }
}

TEST(Element, CompressionThatEatsTheShearStiffnessIsSeen) {
  ElementProperties p = sample();
  GeometricEffect g;
  g.acts = true;
  g.axial_start = -1.01 / p.shear_flexibility_z;
  EXPECT_TRUE(Element(p, MemberLoading::none(p.length), g).section_unstable());
  g.axial_start = -0.5 / p.shear_flexibility_z;
  g.twists = false;
  EXPECT_FALSE(Element(p, MemberLoading::none(p.length), g).section_unstable());
}

TEST(Element, TorsionLosesStiffnessUnderCompression) {
  const ElementProperties p = sample();
  GeometricEffect g;
  g.acts = true;
  g.axial_start = -0.5 * p.GJ / p.r2;
  const Element e(p, MemberLoading::none(p.length), g);
  EXPECT_RELATIVE(e.stiffness()(3, 3), 0.5 * p.GJ / p.length, kExact);
  g.axial_start = -1.001 * p.GJ / p.r2;
  EXPECT_TRUE(Element(p, MemberLoading::none(p.length), g).section_unstable());
}

TEST(Element, ALoadOnAMotionThatHingesLeaveFreeIsSeen) {
  ElementProperties p = sample();
  p.joints[0][3] = p.joints[1][3] = 0;  // free to spin inside its hinges
  EXPECT_EQ(Element(p, MemberLoading::none(p.length), {}).loaded_free_motion(), -1);
  MemberLoadingBuilder loads(p.length);
  loads.add_point(2, force6(0, 0, 0, 100));
  EXPECT_EQ(Element(p, loads.build(), {}).loaded_free_motion(), 3);
}

TEST(MemberLoading, ResultantOfTrapezoidAndPoint) {
  MemberLoadingBuilder b(6);
  b.add_distributed(1, 4, force6(0, 0, -2), force6(0, 0, -8));
  b.add_point(5, force6(0, 3, 0, 0, 7, 0));
  const Vector6d sum = b.build().resultant();
  EXPECT_NEAR(sum[2], -15, 1e-12);
  EXPECT_NEAR(sum[4], 15 * (1 + 3 * (2 + 16) / (3.0 * 10)) + 7, 1e-12);  // −x·Fz
  EXPECT_NEAR(sum[5], 15, 1e-12);
  EXPECT_EQ(b.build().spans.size(), 4u);
}

}  // namespace
}  // namespace ulterix::testing::element_test
