// Reference problems S1 to S7: beam-columns against the exact solutions of the differential
// equation.
#include <gtest/gtest.h>

#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>
#include <numbers>

#include "support/frame_builder.hpp"

namespace ulterix::testing::p_delta_test {
namespace {

using std::numbers::pi;

constexpr double kInch = 0.0254, kKip = 4448.2216152605, kKsi = 6894757.29316836;

/// W14x48 of the benchmark in AISC 360-16 commentary C2: I = 484 in⁴, Av = d·tw = 4.692 in².
SectionProperties w14x48(bool shear) {
  SectionProperties p;
  p.A = 14.1 * kInch * kInch;
  p.Iy = p.Iz = 484 * std::pow(kInch, 4);
  p.J = p.Iz;
  if (shear) p.Avy = p.Avz = 4.692 * kInch * kInch;
  return p;
}

struct Benchmark {
  double P;  // kip
  bool shear;
  double moment;      // kip·in
  double deflection;  // in
};

class S1Case : public ::testing::TestWithParam<Benchmark> {};

TEST_P(S1Case, SimplySupportedBeamColumn) {
  const Benchmark c = GetParam();
  const double L = 28 * 12 * kInch, w = 0.2 * kKip / (12 * kInch), P = c.P * kKip;
  const double E = 29000 * kKsi, G = 11200 * kKsi;
  FrameBuilder b(Plane::xz);
  const SectionProperties s = w14x48(c.shear);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", L, 0, 0);
  const MemberId m = b.member("m", A, B, b.section(s), b.material(E, G));
  b.fix(A, {0, 2});
  b.fix(B, {2});
  b.uniform(m, 2, -w);
  b.nodal_load(B, 0, -P);
  const RunResult r = b.run();
  const Reader second(r, "p-delta");
  ASSERT_TRUE(second.step().outcome.stands());
  const Extreme M = second.extreme(m, kMy);
  const double sag = -second.line(m).at(L / 2).displacement[2];
  // The published values carry three or four digits.
  EXPECT_RELATIVE(M.max, c.moment * kKip * kInch, 0.5e-2);
  if (c.deflection > 0) {
    EXPECT_RELATIVE(sag, c.deflection * kInch, 0.5e-2);
  }
  EXPECT_RELATIVE(M.x_max, L / 2, kIterated);
  if (P == 0) return;
  const double shear = c.shear ? 1 - P / (G * s.Avz) : 1;
  // With V' = q + (N·w')' and w'·s = psi + Q/GAv, s = 1 − P/GAv: M'' + P/(s·EI)·M = −w/s, so
  // M = (wL²/8)·2·(sec us − 1)/u², us² = u²/s, u² = PL²/4EI.
  const double u2 = P * L * L / (4 * E * s.Iy), us = std::sqrt(u2 / shear);
  const double exact = w * L * L / 8 * 2 * (1 / std::cos(us) - 1) / u2;
  EXPECT_RELATIVE(M.max, exact, kIterated);
  EXPECT_RELATIVE(sag, (exact - w * L * L / 8) / P, kIterated);
}

INSTANTIATE_TEST_SUITE_P(
    Published, S1Case,
    ::testing::Values(Benchmark{0, true, 235, 0.202}, Benchmark{150, true, 270, 0.230},
                      Benchmark{300, true, 316, 0.269}, Benchmark{450, true, 380, 0.322},
                      Benchmark{150, false, 268.890, 0}, Benchmark{300, false, 313.517, 0},
                      Benchmark{450, false, 375.414, 0}));

/// The same benchmark to six digits.
TEST(S1, WithShearToSixDigits) {
  for (const Benchmark& c :
       {Benchmark{0, true, 235.200, 0.201537}, Benchmark{150, true, 269.770, 0.230467},
        Benchmark{300, true, 315.917, 0.269056}, Benchmark{450, true, 380.597, 0.323105}}) {
    const double L = 336 * kInch;
    FrameBuilder b(Plane::xz);
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", L, 0, 0);
    const MemberId m =
        b.member("m", A, B, b.section(w14x48(true)), b.material(29000 * kKsi, 11200 * kKsi));
    b.fix(A, {0, 2});
    b.fix(B, {2});
    b.uniform(m, 2, -0.2 * kKip / (12 * kInch));
    b.nodal_load(B, 0, -c.P * kKip);
    const RunResult r = b.run();
    const Reader second(r, "p-delta");
    EXPECT_NEAR(second.extreme(m, kMy).max / (kKip * kInch), c.moment, 0.6e-3);
    EXPECT_NEAR(-second.line(m).at(L / 2).displacement[2] / kInch, c.deflection, 0.6e-6);
  }
}

class S2 : public ::testing::TestWithParam<Benchmark> {};

TEST_P(S2, CantileverColumn) {
  const Benchmark c = GetParam();
  const double L = 28 * 12 * kInch, H = kKip, P = c.P * kKip;
  const double E = 29000 * kKsi, G = 11200 * kKsi;
  FrameBuilder b(Plane::xz);
  const SectionProperties s = w14x48(c.shear);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, L);
  const MemberId m = b.member("m", A, B, b.section(s), b.material(E, G));
  b.fix(A, {0, 2, 4});
  b.nodal_load(B, force6(H, 0, -P));
  const RunResult r = b.run();
  const Reader second(r, "p-delta");
  ASSERT_TRUE(second.step().outcome.stands());
  const double M = std::abs(second.force(m, kMy, 0));
  if (c.shear) {
    EXPECT_RELATIVE(M, c.moment * kKip * kInch, 0.5e-2);
    EXPECT_RELATIVE(second.u(B, 0), c.deflection * kInch, 0.5e-2);
  }
  if (P == 0) return;
  const double shear = c.shear ? 1 - P / (G * s.Avz) : 1;
  const double k = std::sqrt(P / (E * s.Iy * shear));
  const double exact = H * L * std::tan(k * L) / (shear * k * L);
  EXPECT_RELATIVE(M, exact, kIterated);
  EXPECT_RELATIVE(second.u(B, 0), (exact - H * L) / P, kIterated);
  EXPECT_RELATIVE(std::abs(second.reaction(A, 4)), exact, kIterated);
  EXPECT_RELATIVE(second.reaction(A, 0), -H, kExact);
}

INSTANTIATE_TEST_SUITE_P(
    Published, S2,
    ::testing::Values(Benchmark{0, true, 336, 0.907}, Benchmark{100, true, 470, 1.34},
                      Benchmark{150, true, 601, 1.77}, Benchmark{200, true, 856, 2.60},
                      Benchmark{100, false, 0, 0}, Benchmark{200, false, 0, 0}));

/// Cantilever (P) with a leaning column (Q) tied to its top; EI = L = 1.
struct Leaning {
  FrameBuilder b{Plane::xz};
  NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 1);
  NodeId C = b.node("C", 1, 0, 0), D = b.node("D", 1, 0, 1);
  MemberId column;

  Leaning(double P, double Q, double H) {
    const MaterialId mat = b.material(1, 1);
    // No axial give worth mentioning: shortening would change the leaning column's geometry little
    // in this theory, and its force not at all.
    const SectionId s = b.section(bending_only(1, 1e9));
    column = b.member("c", A, B, s, mat);
    const MemberId lean = b.member("l", C, D, s, mat), tie = b.member("t", B, D, s, mat);
    b.model.members[lean].kind = b.model.members[tie].kind = MemberKind::axial;
    b.fix(A, {0, 2, 4});
    b.fix(C, {0, 2});
    b.nodal_load(B, force6(H, 0, -P));
    b.nodal_load(D, force6(0, 0, -Q));
  }
};

TEST(S3, LeaningColumnLoadsTheCantilever) {
  Leaning f(1, 1, 1e-3);
  const RunResult r = f.b.run();
  const Reader second(r, "p-delta");
  ASSERT_TRUE(second.step().outcome.stands());
  EXPECT_RELATIVE(-second.force(f.column, kMy, 0), 3.518831691e-3, kIterated);
  EXPECT_RELATIVE(second.u(f.B, 0), 3.778247536e-3 / 3, kIterated);
}

TEST(S3, LeaningColumnAboveTheCriticalLoad) {
  const double critical = 1.358532876;
  Leaning below(0.999 * critical, 0.999 * critical, 1e-3);
  EXPECT_TRUE(below.b.run().find("p-delta", "G")->outcome.stands());
  Leaning above(1.001 * critical, 1.001 * critical, 1e-3);
  const RunResult r = above.b.run();
  const Outcome& outcome = r.find("p-delta", "G")->outcome;
  EXPECT_EQ(outcome.verdict, Verdict::above_critical_load);
  EXPECT_LE(outcome.stands_at, 1 / 1.001);
  EXPECT_GE(outcome.fails_at, 1 / 1.001);
}

/// Fixed-base portal (EI, L of all members) with a leaning column, by stability functions: beam of
/// equal stiffness in antisymmetric bending gives each joint 6EI/L; the column's side-sway
/// stiffness follows from s·c of kL; the leaning load acts as a negative spring Q/L.
TEST(S3, PortalWithLeaningColumnByStabilityFunctions) {
  const double P = 2.0, Q = 1.5, H = 1e-3;
  FrameBuilder b(Plane::xz);
  const MaterialId mat = b.material(1, 1);
  const SectionId s = b.section(bending_only(1, 1e10));
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 1), C = b.node("C", 1, 0, 1),
               D = b.node("D", 1, 0, 0), E = b.node("E", 2, 0, 0), F = b.node("F", 2, 0, 1);
  const MemberId left = b.member("AB", A, B, s, mat);
  b.member("BC", B, C, s, mat);
  b.member("DC", D, C, s, mat);
  const MemberId lean = b.member("EF", E, F, s, mat), tie = b.member("CF", C, F, s, mat);
  b.model.members[lean].kind = b.model.members[tie].kind = MemberKind::axial;
  b.fix(A, {0, 2, 4});
  b.fix(D, {0, 2, 4});
  b.fix(E, {0, 2});
  b.nodal_load(B, force6(H / 2, 0, -P));
  b.nodal_load(C, force6(H / 2, 0, -P));
  b.nodal_load(F, force6(0, 0, -Q));
  const RunResult r = b.run();
  const Reader second(r, "p-delta");
  // The sway's couple changes the columns' axial forces by ±N; both signs enter the two columns, so
  // the comparison holds to first order in H: the mean of the two columns.
  const double k = std::sqrt(P);
  const double den = 2 - 2 * std::cos(k) - k * std::sin(k);
  const double sk = k * (std::sin(k) - k * std::cos(k)) / den;  // near end
  const double ck = k * (k - std::sin(k)) / den;                // far end
  // Unknown joint turn t and sway d of both columns: moments at the top (sk·t − (sk+ck)·d) etc.
  const double K11 = 2 * (sk + 6), K12 = -2 * (sk + ck);
  const double K22 = 2 * (2 * (sk + ck) - P) - Q;
  const double d = H / (K22 - K12 * K12 / K11);
  EXPECT_RELATIVE(second.u(B, 0), d, 1e-5);
  const double t = -K12 / K11 * d;
  EXPECT_RELATIVE(std::abs(second.force(left, kMy, 0)), std::abs(ck * t - (sk + ck) * d), 1e-2);
}

TEST(S4, AboveTheCriticalLoadThereIsNoResult) {
  const double L = 3, EI = 210e9 * 1e-5, Pe = pi * pi * EI / (4 * L * L);
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, L);
  b.member("m", A, B, b.section(bending_only(1e-5, 1e-2)), b.material(210e9, 81e9));
  b.fix(A, {0, 2, 4});
  b.nodal_load(B, force6(1e3, 0, -1.25 * Pe));
  const RunResult r = b.run();
  const Step& step = *r.find("p-delta", "G");
  EXPECT_EQ(step.outcome.verdict, Verdict::above_critical_load);
  EXPECT_EQ(step.outcome.negative_pivots, 1);
  EXPECT_LE(step.outcome.stands_at, 0.8);
  EXPECT_GE(step.outcome.fails_at, 0.8);
  EXPECT_LT(step.outcome.fails_at - step.outcome.stands_at, 1e-3);
  EXPECT_NE(step.outcome.reason.find("along x, most at B"), std::string::npos);
  // The last good state is kept, and says at which factor.
  EXPECT_TRUE(step.has_state);
  EXPECT_DOUBLE_EQ(step.state.lambda, step.outcome.stands_at);
  EXPECT_TRUE(r.find("first-order", "G")->outcome.stands());
}

/// A pinned column between its first and second critical load, and above the fixed-fixed load that
/// one member alone could hide: every negative pivot inside the member is counted.
TEST(S4, PivotsInsideAMemberAreCounted) {
  const double L = 4, EI = 210e9 * 1e-5, Pe = pi * pi * EI / (L * L);
  for (const auto& [factor, expected] : std::vector<std::pair<double, int>>{
           {1.5, 1}, {3.5, 1}, {4.5, 2}, {8.5, 2}, {9.5, 3}, {17, 4}, {26, 5}}) {
    FrameBuilder b(Plane::xz);
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, L);
    b.member("m", A, B, b.section(bending_only(1e-5, 1e-2)), b.material(210e9, 81e9));
    b.fix(A, {0, 2});
    b.fix(B, {0});
    b.nodal_load(B, force6(0, 0, -factor * Pe));
    EXPECT_EQ(b.run().find("p-delta", "G")->outcome.negative_pivots, expected) << factor;
  }
}

/// Symmetric frame under symmetric gravity: no sway ever shows, only the inertia tells.
TEST(S4, SymmetricFrameAboveItsSwayLoad) {
  FrameBuilder b(Plane::xz);
  const MaterialId mat = b.material(1, 1);
  const SectionId s = b.section(bending_only(1, 1e8));
  const auto [A, B, C, D] = b.portal(1, 1, s, s, mat);
  b.fix(A, {0, 2, 4});
  b.fix(D, {0, 2, 4});
  const double P = 1.8 * 2.7164597 * 2.7164597;  // B2: kh = 2.7164597 for the sway mode
  b.nodal_load(B, force6(0, 0, -P));
  b.nodal_load(C, force6(0, 0, -P));
  const Step step = *b.run().find("p-delta", "G");
  EXPECT_EQ(step.outcome.verdict, Verdict::above_critical_load);
  EXPECT_EQ(step.outcome.negative_pivots, 1);
  EXPECT_NEAR(step.outcome.stands_at, 1 / 1.8, 5e-4);
}

struct SelfLoaded {
  double q, moment, tip;
};
class S5 : public ::testing::TestWithParam<SelfLoaded> {};

/// Published to ten digits in the reference list; the axial force varies along the member.
TEST_P(S5, CantileverWithAxialLoadAlongIt) {
  const double H = 1e-3;
  for (const int split : {0, 5}) {
    FrameBuilder b(Plane::xz);
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 1);
    const MemberId m = b.member("m", A, B, b.section(bending_only(1, 1e9)), b.material(1, 1));
    b.fix(A, {0, 2, 4});
    b.uniform(m, 2, -GetParam().q);
    b.nodal_load(B, 0, H);
    AnalysisSpec options;
    options.become<PDeltaKeys>().split = split;
    const RunResult r = b.run(options);
    const Reader second(r, "p-delta");
    EXPECT_RELATIVE(-second.force(m, kMy, 0), GetParam().moment * H, kIterated);
    EXPECT_RELATIVE(second.u(B, 0), GetParam().tip * H / 3, kIterated);
  }
}

INSTANTIATE_TEST_SUITE_P(Greenhill, S5,
                         ::testing::Values(SelfLoaded{3, 1.609483794, 1.607159150},
                                           SelfLoaded{6, 4.221019430, 4.194697455}));

struct HingedFixed {
  double P, fixed_moment, hinge_reaction, span_moment;  // P in π²EI/L²
};
class S6 : public ::testing::TestWithParam<HingedFixed> {};

TEST_P(S6, HingedFixedBeamColumn) {
  const HingedFixed c = GetParam();
  const double w = 1e-3;
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 1, 0, 0);
  const MemberId m = b.member("m", A, B, b.section(bending_only(1, 1e9)), b.material(1, 1));
  b.fix(A, {0, 2});
  b.fix(B, {2, 4});
  b.uniform(m, 2, -w);
  b.nodal_load(B, 0, -c.P * pi * pi);
  const RunResult r = b.run();
  const Reader second(r, "p-delta");
  EXPECT_RELATIVE(second.force(m, kMy, 1), c.fixed_moment * w / 8, kIterated);
  EXPECT_RELATIVE(second.reaction(A, 2), c.hinge_reaction * w, kIterated);
  EXPECT_RELATIVE(second.extreme(m, kMy).max, c.span_moment * w, kIterated);
}

INSTANTIATE_TEST_SUITE_P(
    Exact, S6,
    ::testing::Values(HingedFixed{0.5, -1.214157511, 0.348230311, 0.0951348352},
                      HingedFixed{1.0, -1.621138938, 0.297357633, 0.144216774}));

/// P/Pe = 0.2 about y and 0.6 about z on one member, on a skew axis, rolled.
TEST(S7, SkewBeamColumnWithLoadAboutBothAxes) {
  const double L = 3.7, E = 200e9, w = 1e3, v = 2e3;
  SectionProperties s;
  s.A = 4e-3;
  s.Iy = 3e-5;
  s.Iz = s.Iy / 3;
  s.J = 1e-5;
  const double P = 0.2 * pi * pi * E * s.Iy / (L * L);
  FrameBuilder b(Plane::space);
  const Vector3d axis = Vector3d(1, 2, 1.5).normalized();
  const NodeId A = b.node("A", 0.3, -0.2, 0.1);
  const Vector3d end = b.model.nodes[A].position + L * axis;
  const NodeId B = b.node("B", end[0], end[1], end[2]);
  const MemberId m = b.member("m", A, B, b.section(s), b.material(E, 77e9), pi / 6);
  b.fix(A, {0, 1, 2});
  // Pinned ends, free to slide along the axis at B: hinges, with P on the member's own end.
  b.model.members[m].joints[1] = {0, kRigid, kRigid, kRigid, 0, 0};
  b.model.members[m].joints[0] = {kRigid, kRigid, kRigid, kRigid, 0, 0};
  b.fix(A, {3, 4, 5});
  b.fix_all(B);
  Vector6d across = Vector6d::Zero();
  across[2] = -w;
  across[1] = -v;
  b.distributed(m, across, across, 0, L, LoadAxes::local);
  b.point(m, L, force6(-P, 0, 0), LoadAxes::local);
  const RunResult r = b.run();
  const Reader first(r, "first-order"), second(r, "p-delta");
  ASSERT_TRUE(second.step().outcome.stands());
  EXPECT_RELATIVE(second.force(m, kN, L / 2), -P, kExact);
  EXPECT_RELATIVE(second.extreme(m, kMy).max, 1.257200398 * w * L * L / 8, kIterated);
  EXPECT_RELATIVE(second.extreme(m, kMz).max, 2.545516927 * v * L * L / 8, kIterated);
  const Vector3d d1 = first.line(m).at(L / 2).displacement,
                 d2 = second.line(m).at(L / 2).displacement;
  EXPECT_RELATIVE(d2[2] / d1[2], 1.250872739, kIterated);
  EXPECT_RELATIVE(d2[1] / d1[1], 2.505497670, kIterated);
}

TEST(PDelta, ChordOnlyLeavesOutTheBowOfTheMember) {
  // P-Δ alone amplifies sway by 1/(1 − P·L²/3EI) for the cantilever, a string on a beam.
  const double P = 0.9, H = 1e-3;
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 1);
  const MemberId m = b.member("m", A, B, b.section(bending_only(1, 1e9)), b.material(1, 1));
  b.fix(A, {0, 2, 4});
  b.nodal_load(B, force6(H, 0, -P));
  AnalysisSpec options;
  options.become<PDeltaKeys>().between_nodes = false;
  const RunResult r = b.run(options);
  const Reader second(r, "p-delta");
  const double tip = H / (3 - P);
  EXPECT_RELATIVE(second.u(B, 0), tip, kIterated);
  EXPECT_RELATIVE(-second.force(m, kMy, 0), H + P * tip, kIterated);
}

TEST(PDelta, TensionStiffensALongMemberWithoutLosingDigits) {
  // N·L²/EI = 4e4: u = 100, exp(2u) would swamp one piece. M_mid = w/k²·(1 − sech u).
  const double w = 1, N = 4e4;
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 1, 0, 0);
  const MemberId m = b.member("m", A, B, b.section(bending_only(1, 1e9)), b.material(1, 1));
  b.fix(A, {0, 2});
  b.fix(B, {2});
  b.uniform(m, 2, -w);
  b.nodal_load(B, 0, N);
  const RunResult r = b.run();
  const Reader second(r, "p-delta");
  const double k = std::sqrt(N);
  EXPECT_RELATIVE(second.force(m, kMy, 0.5), w / N * (1 - 1 / std::cosh(k / 2)), kIterated);
  EXPECT_RELATIVE(-second.line(m).at(0.5).displacement[2],
                  w / (8 * N) - w / (N * N) * (1 - 1 / std::cosh(k / 2)), kIterated);
}

TEST(PDelta, RigidDummiesAreRemarkedNotRefused) {
  // A link 1e12 times stiffer than the columns beside it: axial forces carry few digits.
  FrameBuilder b(Plane::xz);
  const MaterialId steel = b.material(210e9, 81e9);
  const SectionId column = b.section(bending_only(1e-5, 1e-2));
  const SectionId dummy = b.section(bending_only(1e5, 1e7));
  std::vector<NodeId> feet, heads;
  for (int i = 0; i < 3; ++i) {
    feet.push_back(b.node("f" + std::to_string(i), 5 * i, 0, 0));
    heads.push_back(b.node("h" + std::to_string(i), 5 * i, 0, 3));
    b.member("c" + std::to_string(i), feet[i], heads[i], column, steel);
    if (i > 0) b.member("d" + std::to_string(i), heads[i - 1], heads[i], dummy, steel);
    b.fix(feet[i], {0, 2, 4});
  }
  b.nodal_load(heads[0], force6(5e3, 0, -5e4));
  const RunResult r = b.run();
  const Outcome& outcome = r.find("p-delta", "G")->outcome;
  EXPECT_TRUE(outcome.stands()) << outcome.reason;
}

TEST(PDelta, RunsOutOfRoundsAndSaysSo) {
  FrameBuilder b(Plane::xz);
  const MaterialId mat = b.material(210e9, 81e9);
  const SectionId s = b.section(bending_only(5e-5, 5e-3));
  const auto [A, B, C, D] = b.portal(5, 4, s, s, mat);
  b.fix(A, {0, 2, 4});
  b.fix(D, {0, 2});
  b.nodal_load(B, force6(50e3, 0, -900e3));
  AnalysisSpec options;
  options.become<PDeltaKeys>().iterations = 1;
  const RunResult r = b.run(options);
  EXPECT_EQ(r.find("p-delta", "G")->outcome.verdict, Verdict::iteration_limit);
  options.become<PDeltaKeys>().iterations = 20;
  const RunResult good = b.run(options);
  const Step& step = *good.find("p-delta", "G");
  ASSERT_TRUE(step.outcome.stands());
  EXPECT_LE(step.rounds.back().change_u, 1e-8);
  EXPECT_LE(step.rounds.back().change_n, 1e-8);
  EXPECT_LT(step.equilibrium.nodes, 1e-9);
}

/// axial_from: the sway load alone, on a column that the weight of another case compresses. The tip
/// moves by tan(kL)/(kL) − 1 over kL², as if both acted (S2 without shear).
TEST(PDelta, AxialForcesOfOtherLoads) {
  FrameBuilder b(Plane::xz);
  const double EI = 210e9 * 1e-4, L = 5, H = 1e3, P = 0.4 * EI * M_PI * M_PI / (4 * L * L);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, L);
  const MemberId m = b.member("m", A, B, b.section(bending_only(1e-4)), b.material(210e9, 81e9));
  b.fix(A, {0, 2, 4});
  b.nodal_load(B, 0, H);
  LoadCase weight;
  weight.name = "weight";
  weight.nodal.push_back({B, force6(0, 0, -P), 0});
  b.model.cases.push_back(weight);
  AnalysisSpec options;
  options.become<PDeltaKeys>().axial_from = b.model.case_alone(CaseId(1));
  const RunResult r = b.run(options);
  const Reader second(r, "p-delta");
  const double k = std::sqrt(P / EI);
  EXPECT_RELATIVE(second.u(B, 0), H / P * (std::tan(k * L) / k - L), kIterated);
  EXPECT_RELATIVE(second.force(m, kMy, 0),
                  Reader(r, "first-order").force(m, kMy, 0) * std::tan(k * L) / (k * L), kIterated);
  EXPECT_NEAR(second.force(m, kN, 0), 0, 1e-9 * P);  // the weight itself is not in this step
  EXPECT_EQ(second.step().rounds.size(), 1u);
  b.model.cases[CaseId(1)].nodal[0].force *= 3;  // above the critical load
  const RunResult failed = b.run(options);
  const Outcome& outcome = failed.find("p-delta", "G")->outcome;
  EXPECT_EQ(outcome.verdict, Verdict::above_critical_load);
  EXPECT_NE(outcome.reason.find("axial_from, weight"), std::string::npos);
}

}  // namespace
}  // namespace ulterix::testing::p_delta_test
