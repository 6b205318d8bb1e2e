// Critical loads of the reference list, bounded by the inertia of the exact tangent: twice the
// critical load is applied, and the bounds found must hold one half between them.
#include <gtest/gtest.h>

#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>
#include <functional>
#include <numbers>

#include "support/frame_builder.hpp"

namespace ulterix::testing::critical_load_test {
namespace {

using std::numbers::pi;

/// Bisection of twelve halvings.
constexpr double kWidth = 1.0 / 4096;

void expect_half(FrameBuilder& b) {
  const RunResult r = b.run();
  const Outcome& outcome = r.find("p-delta", "G")->outcome;
  ASSERT_EQ(outcome.verdict, Verdict::above_critical_load) << outcome.reason;
  EXPECT_LE(outcome.stands_at, 0.5 * (1 + 1e-6));
  EXPECT_GE(outcome.fails_at, 0.5 * (1 - 1e-6));
  EXPECT_LE(outcome.fails_at - outcome.stands_at, 1.001 * kWidth);
}

double root(const std::function<double(double)>& f, double low, double high) {
  std::uintmax_t iterations = 100;
  const auto r = boost::math::tools::toms748_solve(
      f, low, high, boost::math::tools::eps_tolerance<double>(50), iterations);
  return (r.first + r.second) / 2;
}

/// A column from A (foot) to B (head), EI = L = 1, axially stiff, under P at its head.
struct Column {
  FrameBuilder b{Plane::xz};
  NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 1);
  SectionProperties section = bending_only(1, 1e6);

  void build(double P) {
    // A whisper of sideways load, so that first-order is not all zero.
    b.member("m", A, B, b.section(section), b.material(1, 1));
    b.nodal_load(B, force6(1e-9, 0, -2 * P));
  }
};

TEST(B1, EulerColumns) {
  struct Case {
    std::vector<int> foot, head;
    double P;
  };
  // tan u = u for the fixed-pinned one.
  const double u = root([](double x) { return std::sin(x) - x * std::cos(x); }, 4.3, 4.6);
  EXPECT_NEAR(u * u, 20.1907, 5e-5);
  for (const Case& c :
       {Case{{0, 2}, {0}, pi * pi}, Case{{0, 2, 4}, {}, pi * pi / 4}, Case{{0, 2, 4}, {0}, u * u},
        Case{{0, 2, 4}, {0, 4}, 4 * pi * pi}, Case{{0, 2, 4}, {4}, pi * pi}}) {
    Column column;
    column.b.fix(column.A, c.foot);
    column.b.fix(column.B, c.head);
    column.build(c.P);
    expect_half(column.b);
  }
}

TEST(B1, SpaceColumnBucklesAboutItsWeakAxis) {
  FrameBuilder b(Plane::space);
  SectionProperties s = bending_only(4, 1e6);
  s.Iz = 1;
  s.J = 1e3;
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0.6, 0.8, 0);
  b.member("m", A, B, b.section(s), b.material(1, 1), 0.4);
  b.fix(A, {0, 1, 2, 3, 4, 5});
  b.nodal_load(B, force6(-2 * 0.6 * pi * pi / 4, -2 * 0.8 * pi * pi / 4, 0));
  expect_half(b);
}

TEST(B2, Portals) {
  // ψ = I_b·h/(I_c·b) = 1: kh of the sway modes, pinned and fixed bases.
  for (const auto& [fixed, kh] : {std::pair(false, 1.3495528), std::pair(true, 2.7164597)}) {
    const double check = fixed ? kh / std::tan(kh) + 6 : kh * std::tan(kh) - 6;
    EXPECT_NEAR(check, 0, 1e-5);
    FrameBuilder b(Plane::xz);
    const SectionId s = b.section(bending_only(1, 1e7));
    const MaterialId m = b.material(1, 1);
    const auto [A, B, C, D] = b.portal(1, 1, s, s, m);
    for (const NodeId foot : {A, D})
      b.fix(foot, fixed ? std::vector<int>{0, 2, 4} : std::vector<int>{0, 2});
    for (const NodeId head : {B, C}) b.nodal_load(head, force6(0, 0, -2 * kh * kh));
    expect_half(b);
  }
}

TEST(B3, ColumnOnAMidSpringChangesItsMode) {
  // Pinned column, spring k at mid-height: two half waves at 4π² from k = 16π² on; below it
  // k/4·(tan v − v) = −v³·16... solved here from the antisymmetric bound and the closed form for
  // small k.
  for (const double k : {15.9 * pi * pi, 16.1 * pi * pi}) {
    FrameBuilder b(Plane::xz);
    const SectionId s = b.section(bending_only(1, 1e7));
    const MaterialId m = b.material(1, 1);
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 0.5), C = b.node("C", 0, 0, 1);
    b.member("AB", A, B, s, m);
    b.member("BC", B, C, s, m);
    b.fix(A, {0, 2});
    b.fix(C, {0});
    b.spring(B, 0, k);
    b.nodal_load(C, 2, -2 * 4 * pi * pi);
    const RunResult r = b.run();
    const Outcome& outcome = r.find("p-delta", "G")->outcome;
    ASSERT_EQ(outcome.verdict, Verdict::above_critical_load);
    // Just below the ideal stiffness one half wave comes first, a little under 4π².
    if (k < 16 * pi * pi) {
      EXPECT_LT(outcome.stands_at, 0.5);
      EXPECT_GT(outcome.fails_at, 0.49);
    } else {
      EXPECT_LE(outcome.stands_at, 0.5 * (1 + 1e-6));
      EXPECT_GE(outcome.fails_at, 0.5 * (1 - 1e-6));
    }
  }
}

TEST(B4, ColumnUnderItsOwnWeight) {
  // Greenhill: qL = 7.8373 EI/L².
  Column c;
  c.b.fix(c.A, {0, 2, 4});
  const MemberId m = c.b.member("m", c.A, c.B, c.b.section(c.section), c.b.material(1, 1));
  c.b.uniform(m, 2, -2 * 7.8373474);
  expect_half(c.b);
}

TEST(B5, TorsionalBucklingWithoutWarping) {
  // P = GJ·A/(Iy + Iz), long before Euler: the twist of the cruciform gives way in the section
  // itself.
  FrameBuilder b(Plane::space);
  SectionProperties s = bending_only(1e-5, 1e-2);
  s.J = 1e-8;
  const double G = 80e9, P = G * s.J / s.r2();
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 1);
  b.member("m", A, B, b.section(s), b.material(210e9, G));
  b.fix_all(A);
  b.fix(B, {0, 1, 5});
  b.nodal_load(B, 2, -2 * P);
  const RunResult r = b.run();
  const Outcome& outcome = r.find("p-delta", "G")->outcome;
  ASSERT_EQ(outcome.verdict, Verdict::above_critical_load);
  EXPECT_LE(outcome.stands_at, 0.5 * (1 + 1e-6));
  EXPECT_GE(outcome.fails_at, 0.5 * (1 - 1e-6));
  EXPECT_NE(outcome.reason.find("torsional buckling load of the section"), std::string::npos);
}

TEST(B9, ColumnsOnSprings) {
  Column soft;  // base spring 1, free top: u·tan u = 1
  soft.b.fix(soft.A, {0, 2});
  soft.b.spring(soft.A, 4, 1);
  const double u = root([](double x) { return x * std::tan(x) - 1; }, 0.5, 1.2);
  EXPECT_NEAR(u * u, 0.740173884, 1e-9);
  soft.build(u * u);
  expect_half(soft.b);
  Column both;  // base 2 and top lateral 5
  both.b.fix(both.A, {0, 2});
  both.b.spring(both.A, 4, 2);
  both.b.spring(both.B, 0, 5);
  both.build(5.875077640);
  expect_half(both.b);
}

TEST(B11, ShearSoftColumns) {
  Column pinned;  // GAv = PE: half of Euler's load
  pinned.section.Avz = pi * pi;
  pinned.b.fix(pinned.A, {0, 2});
  pinned.b.fix(pinned.B, {0});
  pinned.build(0.5 * pi * pi);
  expect_half(pinned.b);
  for (const auto& [GAv, P] : {std::pair(100.0, 16.52545), std::pair(20.0, 9.58802)}) {
    // kL(1 − P/GAv) = tan kL, k² = P/(1 − P/GAv)
    const double s = 1 - P / GAv, k = std::sqrt(P / s);
    EXPECT_NEAR(k * s, std::tan(k), 2e-4 * k);
    Column c;
    c.section.Avz = GAv;
    c.b.fix(c.A, {0, 2, 4});
    c.b.fix(c.B, {0});
    c.build(P);
    expect_half(c.b);
  }
}

/// A tie in tension raises nothing: no load of that sign buckles it.
TEST(CriticalLoad, TensionNeverBuckles) {
  Column c;
  c.b.fix(c.A, {0, 2, 4});
  c.build(-1e4);
  EXPECT_TRUE(c.b.run().find("p-delta", "G")->outcome.stands());
}

/// Amplification just below the critical load against the hand formula 1/(1 − P/Pcr).
TEST(CriticalLoad, CloseToItTheProgramSaysSo) {
  Column c;
  c.b.fix(c.A, {0, 2, 4});
  c.b.member("m", c.A, c.B, c.b.section(c.section), c.b.material(1, 1));
  c.b.nodal_load(c.B, force6(1e-6, 0, -0.95 * pi * pi / 4));
  const RunResult r = c.b.run();
  const Step& step = *r.find("p-delta", "G");
  ASSERT_TRUE(step.outcome.stands());
  EXPECT_NE(step.outcome.reason.find("close to the critical load"), std::string::npos);
  const double ratio = step.state.nodes[c.B].translation[0] /
                       r.find("first-order", "G")->state.nodes[c.B].translation[0];
  EXPECT_RELATIVE(ratio, 1 / (1 - 0.95), 0.02);
}

}  // namespace
}  // namespace ulterix::testing::critical_load_test
