// Reference problems F1 to F3: closed forms of linear beam theory.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "support/frame_builder.hpp"

namespace ulterix::testing::first_order_test {
namespace {

constexpr double kE = 210e9, kG = 81e9;

SectionProperties section_with_shear(bool shear) {
  SectionProperties p;
  p.A = 5e-3;
  p.Iy = 6e-5;
  p.Iz = 9e-6;
  p.J = 2e-7;
  if (shear) {
    p.Avy = 2.1e-3;
    p.Avz = 1.7e-3;
  }
  return p;
}

struct BeamCase {
  bool shear;
  int axis;  // 2: load along z, bends about y (major); 1: load along y, about z
};

class Beam : public ::testing::TestWithParam<BeamCase> {
 protected:
  static constexpr double L = 5.0;
  FrameBuilder b{Plane::space};
  SectionProperties s = section_with_shear(GetParam().shear);
  NodeId A = b.node("A", 0, 0, 0), B = b.node("B", L, 0, 0);
  MemberId m = b.member("m", A, B, b.section(s), b.material(kE, kG));
  int axis = GetParam().axis;
  InternalForce moment = axis == 2 ? kMy : kMz;
  InternalForce shear_force = axis == 2 ? kVz : kVy;
  double EI = kE * (axis == 2 ? s.Iy : s.Iz);
  double flexibility = GetParam().shear ? 1 / (kG * (axis == 2 ? s.Avz : s.Avy)) : 0;

  void simply_supported() {
    b.fix(A, {0, 1, 2, 3});
    b.fix(B, {1, 2});
  }
};

TEST_P(Beam, CantileverWithTipLoad) {
  b.fix_all(A);
  const double P = 12e3;
  b.nodal_load(B, axis, -P);
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  EXPECT_RELATIVE(first.u(B, axis), -(P * L * L * L / (3 * EI) + P * L * flexibility), kExact);
  // A downward tip load bends the cantilever with tension above: hogging, negative.
  EXPECT_RELATIVE(first.force(m, moment, 0), -P * L, kExact);
  EXPECT_RELATIVE(first.force(m, shear_force, 1), P, kExact);
  EXPECT_RELATIVE(first.reaction(A, axis), P, kExact);
}

TEST_P(Beam, SimplySupportedWithUniformLoad) {
  simply_supported();
  const double w = 8e3;
  b.uniform(m, axis, -w);
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  const Extreme M = first.extreme(m, moment);
  EXPECT_RELATIVE(M.max, w * L * L / 8, kExact);
  EXPECT_RELATIVE(M.x_max, L / 2, kExact);
  EXPECT_RELATIVE(first.force(m, shear_force, 0), w * L / 2, kExact);
  const double sag = 5 * w * std::pow(L, 4) / (384 * EI) + w * L * L / 8 * flexibility;
  EXPECT_RELATIVE(first.line(m).at(L / 2).displacement[axis], -sag, kExact);
}

TEST_P(Beam, SimplySupportedWithPartialTrapezoid) {
  simply_supported();
  const double a = 1.0, c = 3.5, qa = 4e3, qc = 10e3;
  Vector6d from = Vector6d::Zero(), to = Vector6d::Zero();
  from[axis] = -qa;
  to[axis] = -qc;
  b.distributed(m, from, to, a, c);
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  const double l = c - a, W = (qa + qc) / 2 * l;
  const double centroid = a + l / 3 * (qa + 2 * qc) / (qa + qc);
  const double RA = W * (L - centroid) / L;
  EXPECT_RELATIVE(first.reaction(A, axis), RA, kExact);
  EXPECT_RELATIVE(first.reaction(B, axis), W - RA, kExact);
  // Moment at x = 2.5 m from the left part alone.
  const double x = 2.5, t = x - a, qx = qa + (qc - qa) * t / l;
  const double M = RA * x - (qa * t * t / 2 + (qx - qa) * t * t / 6);
  EXPECT_RELATIVE(first.force(m, moment, x), M, kExact);
  // The largest moment stands where the shear vanishes.
  const double k = (qc - qa) / l, x0 = a + (-qa + std::sqrt(qa * qa + 2 * k * RA)) / k;
  EXPECT_RELATIVE(first.extreme(m, moment).x_max, x0, kExact);
}

TEST_P(Beam, PointLoadJumpsInShear) {
  simply_supported();
  const double P = 20e3, a = 1.5;
  b.point(m, a, Vector6d(Vector6d::Unit(axis) * -P));
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  const double bb = L - a;
  EXPECT_RELATIVE(first.extreme(m, moment).max, P * a * bb / L, kExact);
  EXPECT_RELATIVE(first.extreme(m, shear_force).max, P * bb / L, kExact);
  EXPECT_RELATIVE(first.extreme(m, shear_force).min, -P * a / L, kExact);
  const double u = P * a * a * bb * bb / (3 * EI * L) + P * a * bb / L * flexibility;
  EXPECT_RELATIVE(first.line(m).at(a).displacement[axis], -u, kExact);
  int rows_at_load = 0;
  for (const LinePoint& p : first.line(m).stations()) rows_at_load += std::abs(p.x - a) < 1e-12;
  EXPECT_EQ(rows_at_load, 2);
}

INSTANTIATE_TEST_SUITE_P(F1, Beam,
                         ::testing::Values(BeamCase{false, 2}, BeamCase{true, 2},
                                           BeamCase{false, 1}, BeamCase{true, 1}));

TEST(F1, RolledCantileverBendsAboutBothPrincipalAxes) {
  const double L = 4, P = 5e3, roll = std::numbers::pi / 6;
  FrameBuilder b(Plane::space);
  const SectionProperties s = section_with_shear(false);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", L, 0, 0);
  const MemberId m = b.member("m", A, B, b.section(s), b.material(kE, kG), roll);
  b.fix_all(A);
  b.nodal_load(B, 2, -P);
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  // Local z = (0, −sin, cos): the load has −P·cos along z and −P·sin along y.
  const double c = std::cos(roll), sn = std::sin(roll), k = P * L * L * L / 3;
  const double w = -k * c / (kE * s.Iy), v = -k * sn / (kE * s.Iz);
  EXPECT_RELATIVE(first.u(B, 2), v * sn + w * c, kExact);
  EXPECT_RELATIVE(first.u(B, 1), v * c - w * sn, kExact);
  EXPECT_RELATIVE(first.force(m, kMy, 0), -P * c * L, kExact);
  EXPECT_RELATIVE(first.force(m, kMz, 0), -P * sn * L, kExact);
}

// F2: two equal spans, second twice as stiff, middle support settles. Slope-deflection: with
// M_B the moment over the middle support and far ends hinged,
// M_B·(L/3EI1 + L/3EI2) = −w·L³/24·(1/EI1 + 1/EI2) + s·(1/L + 1/L), s: settlement downwards.
TEST(F2, TwoSpansWithStepAndSettlement) {
  const double L = 6, w = 15e3, settle = 0.012, E = kE, I1 = 4e-5, I2 = 8e-5;
  FrameBuilder b(Plane::xz);
  const MaterialId mat = b.material(E, kG);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", L, 0, 0), C = b.node("C", 2 * L, 0, 0);
  const MemberId m1 = b.member("m1", A, B, b.section(bending_only(I1, 5e-3)), mat);
  const MemberId m2 = b.member("m2", B, C, b.section(bending_only(I2, 5e-3)), mat);
  b.fix(A, {0, 2});
  b.fix(B, {2});
  b.fix(C, {2});
  b.model.supports[1].directions[2].settle = -settle;
  b.uniform(m1, 2, -w);
  b.uniform(m2, 2, -w);
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  const double f = 1 / (E * I1) + 1 / (E * I2);
  const double MB = (-w * std::pow(L, 3) / 24 * f + settle * 2 / L) / (L / 3 * f);
  EXPECT_RELATIVE(first.force(m1, kMy, L), MB, kExact);
  EXPECT_RELATIVE(first.force(m2, kMy, 0), MB, kExact);
  EXPECT_RELATIVE(first.reaction(A, 2), w * L / 2 + MB / L, kExact);
  EXPECT_RELATIVE(first.u(B, 2), -settle, kExact);
}

// F3: beam fixed at A, hinge at mid-span, simply supported at B: the right half is a simple beam.
TEST(F3, BeamWithHinge) {
  const double L = 4, w = 10e3, EI = kE * 5e-5;
  FrameBuilder b(Plane::xz);
  const MaterialId mat = b.material(kE, kG);
  const SectionId s = b.section(bending_only(5e-5, 5e-3));
  const NodeId A = b.node("A", 0, 0, 0), H = b.node("H", L, 0, 0), B = b.node("B", 2 * L, 0, 0);
  const MemberId m1 = b.member("m1", A, H, s, mat), m2 = b.member("m2", H, B, s, mat);
  b.model.members[m2].joints[0][4] = 0;
  b.fix(A, {0, 2, 4});
  b.fix(B, {2});
  b.uniform(m1, 2, -w);
  b.uniform(m2, 2, -w);
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  EXPECT_RELATIVE(first.reaction(B, 2), w * L / 2, kExact);
  EXPECT_RELATIVE(first.force(m1, kMy, 0), -(w * L / 2 * L + w * L * L / 2), kExact);
  const double uH = -(w * L / 2 * std::pow(L, 3) / (3 * EI) + w * std::pow(L, 4) / (8 * EI));
  EXPECT_RELATIVE(first.u(H, 2), uH, kExact);
  EXPECT_NEAR(first.force(m2, kMy, 0), 0, 1e-9 * w * L * L);
}

// Fixed beam with equal rotational springs k at its ends under w: M_end = −wL²/12 / (1 + 2EI/kL).
TEST(F3, BeamWithSpringJoints) {
  const double L = 7, w = 9e3, EI = kE * 5e-5, k = 6e6;
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", L, 0, 0);
  const MemberId m = b.member("m", A, B, b.section(bending_only(5e-5, 5e-3)), b.material(kE, kG));
  b.model.members[m].joints[0][4] = k;
  b.model.members[m].joints[1][4] = k;
  b.fix(A, {0, 2, 4});
  b.fix(B, {0, 2, 4});
  b.uniform(m, 2, -w);
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  const double M = -w * L * L / 12 / (1 + 2 * EI / (k * L));
  EXPECT_RELATIVE(first.force(m, kMy, 0), M, kExact);
  EXPECT_RELATIVE(first.force(m, kMy, L), M, kExact);
  EXPECT_RELATIVE(first.extreme(m, kMy).max, M + w * L * L / 8, kExact);
}

// Warren truss of 7 panels, span 7a, height h, load P at each inner bottom joint. Chord forces by
// the method of sections: N_top = −M/h at the bottom joints, N_bottom = M/h at the top joints.
TEST(F3, WarrenTruss) {
  const int panels = 7;
  const double a = 3, h = 2.5, P = 30e3;
  FrameBuilder b(Plane::xz);
  const MaterialId mat = b.material(kE, kG);
  SectionProperties p;
  p.A = 2e-3;
  const SectionId s = b.section(p);
  std::vector<NodeId> bottom, top;
  std::vector<MemberId> lower, upper;
  for (int i = 0; i <= panels; ++i) bottom.push_back(b.node("b", i * a, 0, 0));
  for (int i = 0; i < panels; ++i) top.push_back(b.node("t", (i + 0.5) * a, 0, h));
  for (int i = 0; i < panels; ++i) lower.push_back(b.member("l", bottom[i], bottom[i + 1], s, mat));
  for (int i = 0; i + 1 < panels; ++i) upper.push_back(b.member("u", top[i], top[i + 1], s, mat));
  MemberId first_diagonal;
  for (int i = 0; i < panels; ++i) {
    const MemberId d = b.member("d", bottom[i], top[i], s, mat);
    if (i == 0) first_diagonal = d;
    b.member("d", top[i], bottom[i + 1], s, mat);
  }
  for (Member& m : b.model.members) m.kind = MemberKind::axial;
  b.fix(bottom[0], {0, 2});
  b.fix(bottom[panels], {2});
  for (int i = 1; i < panels; ++i) b.nodal_load(bottom[i], 2, -P);
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  const double R = (panels - 1) * P / 2;
  const auto moment = [&](double x) {
    double M = R * x;
    for (int i = 1; i < panels && i * a < x; ++i) M -= P * (x - i * a);
    return M;
  };
  for (int i = 0; i < panels; ++i) {
    EXPECT_RELATIVE(first.force(lower[i], kN, 0), moment((i + 0.5) * a) / h, kExact);
  }
  for (int i = 0; i + 1 < panels; ++i) {
    EXPECT_RELATIVE(first.force(upper[i], kN, 0), -moment((i + 1) * a) / h, kExact);
  }
  EXPECT_RELATIVE(first.force(first_diagonal, kN, 0), -R * std::hypot(a / 2, h) / h, kExact);
  EXPECT_LT(first.step().equilibrium.nodes, 1e-12);
}

TEST(FirstOrder, AxialKindHandsCrossLoadsToItsEnds) {
  FrameBuilder b(Plane::xz);
  SectionProperties p;
  p.A = 1e-3;
  const SectionId s = b.section(p);
  const MaterialId mat = b.material(kE, kG);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 4, 0, 0), C = b.node("C", 4, 0, 3);
  const MemberId m = b.member("m", A, B, s, mat), n = b.member("n", A, C, s, mat);
  for (Member& member : b.model.members) member.kind = MemberKind::axial;
  b.fix(A, {0, 2});
  b.fix(B, {0, 2});
  b.fix(C, {0, 2});
  b.distributed(m, force6(0, 0, -2e3), force6(0, 0, -6e3), 0, 4);
  b.uniform(n, 0, 1e3);
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  EXPECT_RELATIVE(first.reaction(B, 2), 16e3 * (4.0 / 3 * (2 + 2 * 6) / 8) / 4, kExact);
  EXPECT_EQ(first.force(m, kMy, 2), 0);
  // Load along the slope changes N by q·cos·L between the ends.
  EXPECT_RELATIVE(first.force(n, kN, 0) - first.force(n, kN, 5), 1e3 * 0.8 * 5, kExact);
}

TEST(FirstOrder, ProjectedLoadCountsTheProjection) {
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 4, 0, 3);
  const MemberId m = b.member("m", A, B, b.section(bending_only(1e-4, 1e-2)), b.material(kE, kG));
  b.fix(A, {0, 2, 4});
  b.uniform(m, 2, -1e3, LoadAxes::projected);
  b.uniform(m, 0, 2e3, LoadAxes::projected);
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  EXPECT_RELATIVE(first.reaction(A, 2), 1e3 * 4, kExact);
  EXPECT_RELATIVE(first.reaction(A, 0), -2e3 * 3, kExact);
}

TEST(FirstOrder, ShortSpanOfLoadKeepsItsDigits) {
  const double L = 10, w = 1e5;
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", L, 0, 0);
  const MemberId m = b.member("m", A, B, b.section(bending_only(1e-4, 1e-2)), b.material(kE, kG));
  b.fix(A, {0, 2});
  b.fix(B, {2});
  const double l = 1e-4;
  b.distributed(m, force6(0, 0, -w), force6(0, 0, -w), 0, l);
  const RunResult r = b.run();
  const Reader first(r, "first-order");
  EXPECT_RELATIVE(first.reaction(B, 2), w * l * l / 2 / L, kExact);
}

}  // namespace
}  // namespace ulterix::testing::first_order_test
