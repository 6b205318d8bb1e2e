// Elastic buckling: reference problems B1–B6, B8, B9, B11, Roorda's frame, certificates.
#include "core/analysis/buckling.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <boost/math/tools/toms748_solve.hpp>
#include <cmath>

#include "core/analysis/p_delta.hpp"
#include "core/results/alignment.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::buckling_test {
namespace {

/// What the number of functions is chosen for.
constexpr double kFunctions = 1e-6;

template <class F>
double root(const F& f, double low, double high) {
  std::uintmax_t iterations = 200;
  const auto r = boost::math::tools::toms748_solve(
      f, low, high, boost::math::tools::eps_tolerance<double>(50), iterations);
  return (r.first + r.second) / 2;
}

RunResult buckle(FrameBuilder& b, const AnalysisSpec& options = {}) {
  b.load_case();
  AnalysisSpec spec = options;
  spec.name = "buckling";
  spec.become(AnalysisKind::buckling);
  spec.loads = {b.model.case_alone(CaseId(0))};
  b.model.analyses = {spec};
  return run(b.model);
}

const BucklingResult& modes_of(const RunResult& r) {
  const Step* step = r.find("buckling", "G");
  EXPECT_NE(step, nullptr);
  EXPECT_NE(step->buckling, nullptr) << step->outcome.reason;
  return *step->buckling;
}

/// Every result here is proven complete, small in its residual, and honest about its error.
void expect_certified(const BucklingResult& r) {
  EXPECT_TRUE(r.certificate.complete())
      << r.certificate.found << " found, " << r.certificate.count.value_or(-1) << " counted";
  for (const BucklingMode& m : r.modes) {
    EXPECT_LT(m.residual, 1e-8);
    EXPECT_LE(m.error, kFunctions);
  }
}

/// One member of unit EI and length along z; supports by the caller.
struct Column {
  FrameBuilder b{Plane::xz};
  NodeId foot, head;
  MemberId member;

  Column() {
    foot = b.node("foot", 0, 0, 0);
    head = b.node("head", 0, 0, 1);
    member = b.member("c", foot, head, b.section(bending_only(1, 1e6)), b.material(1, 0.4));
    b.nodal_load(head, 2, -1);
  }
};

TEST(Buckling, B1EulerColumnsModesOneToFive) {
  const double pi2 = M_PI * M_PI;
  {
    Column c;
    c.b.fix(c.foot, {0, 2});
    c.b.fix(c.head, {0});
    const BucklingResult r = modes_of(buckle(c.b));
    expect_certified(r);
    ASSERT_EQ(r.modes.size(), 5u);
    for (int n = 1; n <= 5; ++n) {
      EXPECT_RELATIVE(r.modes[n - 1].factor, n * n * pi2, kFunctions);
      // The estimate is the leading term of the error: it neither hides it nor cries wolf.
      const double error = r.modes[n - 1].factor / (n * n * pi2) - 1;
      EXPECT_NEAR(r.modes[n - 1].error, error, 0.1 * error + 1e-11);
    }
    EXPECT_EQ(r.modes[0].kind, "between the ends about y, 1 half wave");
    EXPECT_EQ(r.modes[2].kind, "between the ends about y, 3 half waves");
  }
  {
    Column c;
    c.b.fix(c.foot, {0, 2, 4});
    const BucklingResult r = modes_of(buckle(c.b));
    for (int n = 1; n <= 5; ++n) {
      EXPECT_RELATIVE(r.modes[n - 1].factor, std::pow((n - 0.5) * M_PI, 2), kFunctions);
    }
    EXPECT_EQ(r.modes[0].kind, "sway along x");
  }
  {
    Column c;
    c.b.fix(c.foot, {0, 2, 4});
    c.b.fix(c.head, {0});
    const BucklingResult r = modes_of(buckle(c.b));
    const double k = root([](double x) { return std::tan(x) - x; }, 4.4, 4.6);
    EXPECT_RELATIVE(r.modes[0].factor, k * k, kFunctions);
  }
  {
    Column c;
    c.b.fix(c.foot, {0, 2, 4});
    c.b.fix(c.head, {0, 4});
    const BucklingResult r = modes_of(buckle(c.b));
    EXPECT_RELATIVE(r.modes[0].factor, 4 * pi2, kFunctions);
    expect_certified(r);
  }
}

TEST(Buckling, B1TheWeakAxisIsChosenByItselfInSpace) {
  FrameBuilder b(Plane::space);
  SectionProperties p = bending_only(3, 1e6);
  p.Iz = 1;
  p.J = 1e9;
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 1);
  b.member("c", A, B, b.section(p), b.material(1, 0.4));
  b.fix(A, {0, 1, 2, 5});
  b.fix(B, {0, 1});
  b.nodal_load(B, 2, -1);
  const BucklingResult r = modes_of(buckle(b));
  expect_certified(r);
  EXPECT_RELATIVE(r.modes[0].factor, M_PI * M_PI, kFunctions);
  EXPECT_RELATIVE(r.modes[1].factor, 3 * M_PI * M_PI, kFunctions);
  // Bending about z; its K is 1, that about y says nothing in this mode.
  EXPECT_NEAR(r.modes[0].shares[MemberId(0)].about_z, 1, 1e-9);
  ASSERT_EQ(r.modes[0].lengths.size(), 1u);
  EXPECT_RELATIVE(*r.modes[0].lengths[0].K_z, 1, kFunctions);
  EXPECT_TRUE(r.modes[0].lengths[0].recommended_z);
}

/// Portal of b = h = 1, columns A → ∞, no shear; psi = (Ib/b)/(Ic/h).
BucklingResult portal(double psi, bool fixed, bool held) {
  FrameBuilder b(Plane::xz);
  const MaterialId m = b.material(1, 0.4);
  const SectionId column = b.section(bending_only(1, 1e7)),
                  beam = b.section(bending_only(psi, 1e7));
  const auto [A, B, C, D] = b.portal(1, 1, column, beam, m);
  const std::vector<int> base = fixed ? std::vector<int>{0, 2, 4} : std::vector<int>{0, 2};
  b.fix(A, base);
  b.fix(D, base);
  b.nodal_load(B, 2, -1);
  b.nodal_load(C, 2, -1);
  AnalysisSpec spec;
  if (held) {
    Hold hold;
    hold.node = B;
    hold.directions[0] = true;
    spec.holds = {hold};
  }
  const RunResult r = buckle(b, spec);
  const BucklingResult result = modes_of(r);
  expect_certified(result);
  return result;
}

TEST(Buckling, B2PortalsSwayPermittedAndHeld) {
  const double psi = 1;
  const auto sway_pinned = [=](double x) { return x * std::tan(x) - 6 * psi; };
  const auto sway_fixed = [=](double x) { return x / std::tan(x) + 6 * psi; };
  const auto held_pinned = [=](double x) { return x * x + 2 * psi * (1 - x / std::tan(x)); };
  const auto held_fixed = [=](double x) {
    return x * (std::sin(x) - x * std::cos(x)) + 2 * psi * (2 - 2 * std::cos(x) - x * std::sin(x));
  };
  const double a = root(sway_pinned, 1.0, 1.5), c = root(sway_fixed, 2.0, 3.0),
               d = root(held_pinned, 3.2, 4.0), e = root(held_fixed, 4.6, 5.5);
  EXPECT_NEAR(a, 1.3495528, 1e-6);  // the list of reference problems
  EXPECT_NEAR(e, 5.0181855, 1e-6);
  EXPECT_RELATIVE(portal(psi, false, false).lowest(), a * a, kFunctions);
  EXPECT_RELATIVE(portal(psi, true, false).lowest(), c * c, kFunctions);
  EXPECT_RELATIVE(portal(psi, false, true).lowest(), d * d, kFunctions);
  EXPECT_RELATIVE(portal(psi, true, true).lowest(), e * e, kFunctions);
  const BucklingResult r = portal(psi, false, false);
  EXPECT_EQ(r.modes[0].kind, "sway along x");
  EXPECT_RELATIVE(*r.modes[0].lengths[0].K_y, M_PI / a, kFunctions);  // 2.3278768
  EXPECT_EQ(portal(psi, false, true).modes[0].kind.substr(0, 16), "between the ends");
}

TEST(Buckling, B4GreenhillsColumnUnderItsOwnWeight) {
  Column c;
  c.b.model.cases[CaseId(0)].nodal.clear();
  c.b.fix(c.foot, {0, 2, 4});
  c.b.uniform(c.member, 2, -1);
  // J_{−1/3}(2/3·√q) = 0: q = 7.837347…
  EXPECT_RELATIVE(modes_of(buckle(c.b)).lowest(), 7.8373474, kFunctions);
}

TEST(Buckling, B5TorsionOfACruciformColumnIsReportedOnce) {
  FrameBuilder b(Plane::space);
  SectionProperties p = bending_only(1e-4, 1e-2);
  p.J = 1e-6;
  const double E = 210e9, G = 81e9;
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 4);
  b.member("c", A, B, b.section(p), b.material(E, G));
  b.fix_all(A);
  b.fix(B, {0, 1});
  b.nodal_load(B, 2, -1);
  const BucklingResult r = modes_of(buckle(b));
  const double torsion = G * p.J * p.A / (p.Iy + p.Iz);
  EXPECT_RELATIVE(r.lowest(), torsion, 1e-9);
  EXPECT_EQ(r.modes[0].kind, "torsional");
  // Once, whatever the number of pieces; above it the column bends (fixed-pinned).
  EXPECT_EQ(r.modes[1].kind.substr(0, 16), "between the ends");
  EXPECT_RELATIVE(r.modes[1].factor, 20.190729 * E * p.Iy / 16, kFunctions);
  EXPECT_TRUE(r.certificate.complete());
  EXPECT_RELATIVE(r.torsion_limit, torsion, 1e-9);
}

/// A square table on four equal columns.
void add_table(FrameBuilder& b, double x, double load) {
  const MaterialId m = b.material(210e9, 81e9);
  SectionProperties p = bending_only(1e-5, 1e-2);
  p.J = 1e-4;
  const SectionId column = b.section(p);
  p.Iy = p.Iz = 4e-5;
  const SectionId beam = b.section(p);
  std::vector<NodeId> top;
  for (const auto& [dx, dy] :
       std::vector<std::pair<double, double>>{{0, 0}, {5, 0}, {5, 5}, {0, 5}}) {
    const NodeId foot = b.node("f", x + dx, dy, 0), head = b.node("h", x + dx, dy, 4);
    b.member("c", foot, head, column, m);
    b.fix_all(foot);
    b.nodal_load(head, 2, -load);
    top.push_back(head);
  }
  for (int i = 0; i < 4; ++i) b.member("b", top[i], top[(i + 1) % 4], beam, m);
}

TEST(Buckling, B3ColumnOnAMidSpring) {
  // Below K = 16π²EI/L³ one half wave, with K·(a − tan(ka)/k) = 2P and a = L/2; above, two.
  const auto lowest = [](double spring) {
    FrameBuilder b(Plane::xz);
    const SectionId s = b.section(bending_only(1, 1e6));
    const MaterialId m = b.material(1, 1);
    const NodeId foot = b.node("foot", 0, 0, 0), mid = b.node("mid", 0, 0, 0.5),
                 head = b.node("head", 0, 0, 1);
    b.member("lower", foot, mid, s, m);
    b.member("upper", mid, head, s, m);
    b.fix(foot, {0, 2});
    b.fix(head, {0});
    b.spring(mid, 0, spring);
    b.nodal_load(head, 2, -1);
    const BucklingResult r = modes_of(buckle(b));
    expect_certified(r);
    return r.lowest();
  };
  const double K = 8 * M_PI * M_PI;
  double low = M_PI / 2 + 1e-9, high = M_PI;  // ka
  while (high - low > 1e-13) {
    const double ka = (low + high) / 2, k = 2 * ka;
    (K * (0.5 - std::tan(ka) / k) > 2 * k * k ? low : high) = ka;
  }
  EXPECT_RELATIVE(lowest(K), 4 * low * low, kFunctions);
  EXPECT_RELATIVE(lowest(20 * M_PI * M_PI), 4 * M_PI * M_PI, kFunctions);
}

TEST(Buckling, EulerLoadsAndTheWholeLoadStandBeside) {
  Column c;
  c.b.fix(c.foot, {0, 2, 4});
  const BucklingResult r = modes_of(buckle(c.b));
  EXPECT_RELATIVE(*r.modes[0].lengths[0].euler_y, M_PI * M_PI, 1e-12);
  EXPECT_RELATIVE(r.vertical, 1, 1e-12);
  EXPECT_EQ(r.vertical_stays, 0);
}

TEST(Buckling, B6RepeatedSwayModesOfASquarePlanAreBothPresent) {
  FrameBuilder b(Plane::space);
  add_table(b, 0, 1e5);
  const BucklingResult r = modes_of(buckle(b));
  expect_certified(r);
  EXPECT_RELATIVE(r.modes[1].factor, r.modes[0].factor, 1e-9);
  EXPECT_GT(r.modes[2].factor, 1.001 * r.modes[1].factor);
}

TEST(Buckling, EqualTowersLoseNoCopy) {
  for (const int towers : {2, 4}) {
    FrameBuilder b(Plane::space);
    for (int i = 0; i < towers; ++i) add_table(b, 20 * i, 1e5);
    AnalysisSpec spec;
    spec.become<BucklingKeys>().modes = 2 * towers;
    const BucklingResult r = modes_of(buckle(b, spec));
    expect_certified(r);
    ASSERT_GE(r.modes.size(), std::size_t(2 * towers));
    for (int i = 1; i < 2 * towers; ++i) {
      EXPECT_RELATIVE(r.modes[i].factor, r.modes[0].factor, 1e-8) << i;
    }
    EXPECT_EQ(r.certificate.count, 2 * towers);
  }
}

TEST(Buckling, B8PartOfTheLoadStays) {
  // Pinned column: P0 + λ·P1 = π².
  Column c;
  c.b.fix(c.foot, {0, 2});
  c.b.fix(c.head, {0});
  LoadCase constant;
  constant.name = "constant";
  constant.nodal.push_back({c.head, force6(0, 0, -4), 0});
  c.b.model.cases.push_back(constant);
  AnalysisSpec spec;
  spec.become<BucklingKeys>().constant = c.b.model.case_alone(CaseId(1));
  const BucklingResult r = modes_of(buckle(c.b, spec));
  expect_certified(r);
  EXPECT_RELATIVE(r.lowest(), M_PI * M_PI - 4, kFunctions);
  // The effective length comes from the whole compression.
  EXPECT_RELATIVE(*r.modes[0].lengths[0].length_y, 1, kFunctions);
  c.b.model.cases[CaseId(1)].nodal[0].force *= 3;
  const Step failed = *buckle(c.b, spec).find("buckling", "G");
  EXPECT_NE(failed.outcome.reason.find("above the critical load"), std::string::npos);
}

TEST(Buckling, B9ColumnOnSprings) {
  {
    Column c;
    c.b.fix(c.foot, {0, 2});
    c.b.spring(c.foot, 4, 1);
    EXPECT_RELATIVE(modes_of(buckle(c.b)).lowest(), 0.740173884, kFunctions);
  }
  Column c;
  c.b.fix(c.foot, {0, 2});
  c.b.spring(c.foot, 4, 2);
  c.b.spring(c.head, 0, 5);
  const BucklingResult r = modes_of(buckle(c.b));
  EXPECT_RELATIVE(r.modes[0].factor, 5.875077640, kFunctions);
  EXPECT_RELATIVE(r.modes[1].factor, 13.531504157, kFunctions);
}

TEST(Buckling, B11ShearSoftColumns) {
  {
    FrameBuilder b(Plane::xz);
    SectionProperties p = bending_only(1, 1e6);
    p.Avz = p.Avy = M_PI * M_PI;  // G = 1: G·Av = PE
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 1);
    b.member("c", A, B, b.section(p), b.material(1, 1));
    b.fix(A, {0, 2});
    b.fix(B, {0});
    b.nodal_load(B, 2, -1);
    EXPECT_RELATIVE(modes_of(buckle(b)).lowest(), 0.5 * M_PI * M_PI, kFunctions);
  }
  for (const auto& [GAv, reference] :
       std::vector<std::pair<double, double>>{{100, 16.52545}, {20, 9.58802}}) {
    FrameBuilder b(Plane::xz);
    SectionProperties p = bending_only(1, 1e6);
    p.Avz = p.Avy = GAv;
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 1);
    b.member("c", A, B, b.section(p), b.material(1, 1));
    b.fix(A, {0, 2, 4});
    b.fix(B, {0});
    b.nodal_load(B, 2, -1);
    EXPECT_RELATIVE(modes_of(buckle(b)).lowest(), reference, kFunctions) << GAv;
  }
}

/// B13: Roorda's L-frame, both legs of EI = L = 1, feet pinned, load on the corner.
TEST(Buckling, B13RoordasFrame) {
  FrameBuilder b(Plane::xz);
  const MaterialId m = b.material(1, 0.4);
  const SectionId s = b.section(bending_only(1, 1e7));
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 1), C = b.node("C", 1, 0, 1);
  b.member("AB", A, B, s, m);
  b.member("BC", B, C, s, m);
  b.fix(A, {0, 2});
  b.fix(C, {0, 2});
  b.nodal_load(B, 2, -1);
  const BucklingResult r = modes_of(buckle(b));
  EXPECT_RELATIVE(r.lowest(), 13.885942906, kFunctions);
  // The leg buckles, the beam holds: its share is the smaller, and it has no effective length.
  EXPECT_GT(r.modes[0].shares[MemberId(0)].whole, r.modes[0].shares[MemberId(1)].whole);
  EXPECT_NEAR(r.modes[0].shares[MemberId(0)].whole + r.modes[0].shares[MemberId(1)].whole, 1, 1e-9);
  ASSERT_EQ(r.modes[0].lengths.size(), 1u);
}

TEST(Buckling, TensionAloneHasNoPositiveFactor) {
  Column c;
  c.b.fix(c.foot, {0, 2, 4});
  for (NodalLoad& l : c.b.load_case().nodal) l.force *= -1;
  const RunResult run = buckle(c.b);
  const Step& step = *run.find("buckling", "G");
  EXPECT_TRUE(step.outcome.stands());
  EXPECT_EQ(step.outcome.reason.substr(0, 43), "no member is compressed: no buckling factor");
  ASSERT_TRUE(step.buckling->negative.has_value());
  EXPECT_RELATIVE(step.buckling->negative->factor, -M_PI * M_PI / 4, kFunctions);
  EXPECT_EQ(step.buckling->negative->number, -1);
}

// One column of a portal is pulled hard, the other compressed a little: modes of the loads turned
// round are 500 times as near, and must not blow up in what is found.
TEST(Buckling, LittleCompressionBesideMuchTension) {
  const auto factors = [](int pieces) {
    FrameBuilder b;
    const SectionId s = b.section(rolled_section());
    const MaterialId m = b.material(210e9, 81e9);
    const std::array<Vector3d, 4> at = {Vector3d(0, 0, 0), Vector3d(0, 0, 4), Vector3d(6, 0, 4),
                                        Vector3d(6, 0, 0)};
    std::vector<NodeId> corners;
    for (const Vector3d& p : at) corners.push_back(b.node("c", p[0], p[1], p[2]));
    for (std::size_t k = 0; k < 3; ++k) {
      NodeId last = corners[k];
      for (int i = 1; i <= pieces; ++i) {
        const Vector3d p = at[k] + (at[k + 1] - at[k]) * i / pieces;
        const NodeId next = i == pieces ? corners[k + 1] : b.node("n", p[0], p[1], p[2]);
        b.member("m", last, next, s, m);
        last = next;
      }
    }
    b.fix(corners[0], {0, 2, 4});
    b.fix(corners[3], {0, 2});
    b.nodal_load(corners[1], 2, 5e5);
    b.nodal_load(corners[2], 2, -1e3);
    AnalysisSpec three;
    three.become<BucklingKeys>().modes = 3;
    const RunResult run = buckle(b, three);
    EXPECT_TRUE(run.find("buckling", "G")->outcome.stands())
        << run.find("buckling", "G")->outcome.reason;
    const BucklingResult r = modes_of(run);
    EXPECT_TRUE(r.certificate.complete());
    std::vector<double> all;
    for (const BucklingMode& mode : r.modes) all.push_back(mode.factor);
    return all;
  };
  const std::vector<double> whole = factors(1), cut = factors(3);
  ASSERT_GE(whole.size(), 3u);
  ASSERT_GE(cut.size(), 3u);
  for (std::size_t k = 0; k < 3; ++k) {
    EXPECT_GT(whole[k], 100);
    EXPECT_RELATIVE(whole[k], cut[k], 2e-6);
  }
}

// The last twentieth of a bar is compressed, the rest is pulled up to nineteen times as much: the
// modes sit in the short part.
TEST(Buckling, AShortCompressedPartOfABarThatIsPulled) {
  const double L = 10, P = 1e4, q = 2e4;
  const auto factors = [&](const std::vector<double>& cuts) {
    FrameBuilder b;
    const SectionId s = b.section(bending_only(2e-5, 5e-3));
    const MaterialId m = b.material(210e9, 81e9);
    NodeId last = b.node("A", 0, 0, 0);
    const NodeId first = last;
    LoadCase& c = b.load_case();
    for (const double part : cuts) {
      const NodeId next = b.node("n", part * L, 0, 0);
      const double from = b.model.nodes[last].position[0];
      const MemberId id = b.member("m", last, next, s, m);
      c.distributed.push_back(
          {id, force6(q, 0, 0), force6(q, 0, 0), 0, part * L - from, LoadAxes::global});
      last = next;
    }
    c.nodal.push_back({last, force6(-P, 0, 0), 0});
    b.fix(first, {0, 2});
    b.fix(last, {2});
    AnalysisSpec two;
    two.become<BucklingKeys>().modes = 2;
    const RunResult run = buckle(b, two);
    EXPECT_TRUE(run.find("buckling", "G")->outcome.stands())
        << run.find("buckling", "G")->outcome.reason;
    std::vector<double> all;
    for (const BucklingMode& mode : modes_of(run).modes) all.push_back(mode.factor);
    return all;
  };
  const std::vector<double> whole = factors({1}), cut = factors({0.5, 0.8, 0.9, 0.95, 0.98, 1});
  ASSERT_GE(whole.size(), 2u);
  ASSERT_GE(cut.size(), 2u);
  EXPECT_GT(whole[0], 1000);
  for (std::size_t k = 0; k < 2; ++k) EXPECT_RELATIVE(whole[k], cut[k], 2e-6);
}

// The tip of a hanging column stands on its load: what is compressed is held by what is pulled. No
// factor is reported that is none.
TEST(Buckling, WhatIsPulledOutweighsTheTip) {
  FrameBuilder b(Plane::space);
  const SectionId s = b.section(rolled_section());
  const MaterialId m = b.material(210e9, 81e9, 7850);
  const NodeId A = b.node("A", 0, 0, 6), B = b.node("B", 0, 0, 0);
  const MemberId id = b.member("hanging", A, B, s, m);
  b.fix_all(A);
  b.load_case().distributed.push_back(
      {id, force6(0, 0, -8e3), force6(0, 0, -8e3), 0, 6, LoadAxes::global});
  b.nodal_load(B, 2, 500);
  const RunResult run = buckle(b);
  const Step& step = *run.find("buckling", "G");
  for (const BucklingMode& mode : modes_of(run).modes) EXPECT_GT(mode.factor, 100);
  if (modes_of(run).modes.empty()) {
    EXPECT_NE(step.outcome.reason.find("no buckling factor below 100"), std::string::npos)
        << step.outcome.reason;
  }
  EXPECT_TRUE(modes_of(run).negative.has_value() || !modes_of(run).modes.empty());
}

TEST(Buckling, BelowTheLoadIsAFailure) {
  Column c;
  c.b.fix(c.foot, {0, 2, 4});
  for (NodalLoad& l : c.b.load_case().nodal) l.force *= 2.8;
  const RunResult run = buckle(c.b);
  const Outcome& o = run.find("buckling", "G")->outcome;
  EXPECT_EQ(o.verdict, Verdict::buckles_below_load);
  EXPECT_EQ(o.reason, "buckles at 88 % of G");
}

TEST(Buckling, TheDerivativeOfASpringIsThatOfTheFactor) {
  const auto factor = [](double k) {
    Column c;
    c.b.fix(c.foot, {0, 2, 4});
    if (k > 0) c.b.spring(c.head, 0, k);
    return modes_of(buckle(c.b));
  };
  const BucklingResult r = factor(0);
  ASSERT_FALSE(r.gains.empty());
  EXPECT_EQ(r.gains[0].direction, 0);
  const double h = 1e-3;
  EXPECT_RELATIVE(r.gains[0].derivative, (factor(h).lowest() - r.lowest()) / h, 1e-2);
  Column c;
  c.b.fix(c.foot, {0, 2, 4});
  AnalysisSpec spec;
  spec.become<BucklingKeys>().try_restraints = 1;
  const BucklingResult tried = modes_of(buckle(c.b, spec));
  EXPECT_RELATIVE(*tried.gains[0].held, 20.190729, kFunctions);  // fixed-pinned
}

TEST(Buckling, MoreEqualColumnsThanABlockHoldsAreAllFound) {
  FrameBuilder b(Plane::xz);
  const SectionId s = b.section(bending_only(1, 1e6));
  const MaterialId m = b.material(1, 0.4);
  for (int i = 0; i < 20; ++i) {
    const NodeId foot = b.node(fmt::format("F{}", i), i, 0, 0);
    const NodeId head = b.node(fmt::format("H{}", i), i, 0, 1);
    b.member(fmt::format("c{}", i), foot, head, s, m);
    b.fix(foot, {0, 2});
    b.fix(head, {0});
    b.nodal_load(head, 2, i < 17 ? -1 : -0.5);
  }
  AnalysisSpec spec;
  spec.become<BucklingKeys>().modes = 17;
  const BucklingResult r = modes_of(buckle(b, spec));
  expect_certified(r);
  ASSERT_EQ(r.modes.size(), 17u);
  EXPECT_EQ(r.certificate.count, 17);
  for (const BucklingMode& mode : r.modes) EXPECT_RELATIVE(mode.factor, M_PI * M_PI, kFunctions);
}

TEST(Buckling, AForgottenRestraintAcrossAFlatFrameIsNamed) {
  FrameBuilder b(Plane::space);
  const MaterialId m = b.material(210e9, 81e9);
  SectionProperties p = bending_only(4e-5, 1e-2);
  p.Iz = 4e-6;
  p.J = 1e-5;
  const SectionId s = b.section(p);
  const auto [A, B, C, D] = b.portal(6, 4, s, s, m);
  b.fix_all(A);
  b.fix_all(D);
  b.nodal_load(B, 2, -1e4);
  b.nodal_load(C, 2, -1e4);
  const BucklingResult r = modes_of(buckle(b));
  EXPECT_EQ(r.modes[0].kind, "out of plane, along y");
}

TEST(Buckling, IncrementalAgreesWhereThePrebucklingStateIsStraight) {
  AnalysisSpec spec;
  spec.become<BucklingKeys>().incremental = true;
  Column c;
  c.b.fix(c.foot, {0, 2, 4});
  const BucklingResult r = modes_of(buckle(c.b, spec));
  EXPECT_RELATIVE(*r.incremental_factor, M_PI * M_PI / 4, 2e-5);
  EXPECT_EQ(r.remarks.back().substr(0, 25), "stepping the load ends at");
  EXPECT_NE(r.remarks.back().find("as the linear eigenproblem says"), std::string::npos);
  // The last two steps enclose the factor, and one negative pivot tells them apart.
  double low = 0, high = 1e9;
  for (const LoadLevel& s : r.levels) {
    if (s.stands) low = std::max(low, s.factor);
    if (!s.stands) high = std::min(high, s.factor);
    EXPECT_EQ(s.negative_pivots, s.stands ? 0 : 1);
  }
  EXPECT_LE(high - low, kLevelTolerance * high);
}

/// Two columns under one stiff beam, the load on one side only, a strut that takes more of it the
/// further the frame sways: the incremental method has another answer than the linear state, and
/// says why.
TEST(Buckling, IncrementalDiffersWhereForcesMove) {
  FrameBuilder b(Plane::xz);
  const MaterialId m = b.material(210e9, 81e9);
  const SectionId s = b.section(bending_only(1e-5, 5e-3));
  const auto [A, B, C, D] = b.portal(5, 4, s, s, m);
  b.fix(A, {0, 2, 4});
  b.fix(D, {0, 2, 4});
  b.nodal_load(B, force6(4e4, 0, -2e5));
  b.nodal_load(C, force6(0, 0, -2e5));
  AnalysisSpec spec;
  spec.become<BucklingKeys>().incremental = true;
  const BucklingResult r = modes_of(buckle(b, spec));
  ASSERT_TRUE(r.incremental_factor.has_value());
  EXPECT_LT(*r.incremental_factor, r.modes[0].factor);
  EXPECT_GT(*r.incremental_factor, 0.5 * r.modes[0].factor);
  EXPECT_NE(r.remarks.back().find("the frame bends before it buckles"), std::string::npos);
}

TEST(Alignment, LimitsAndTheSymmetricPortal) {
  const double none = 1e9, fixed = 0;
  EXPECT_NEAR(alignment_held(fixed, fixed), 0.5, 1e-5);
  EXPECT_NEAR(alignment_held(none, none), 1, 1e-5);
  EXPECT_NEAR(alignment_held(fixed, none), M_PI / 4.493409458, 1e-5);
  EXPECT_NEAR(alignment_sway(fixed, fixed), 1, 1e-5);
  EXPECT_NEAR(alignment_sway(fixed, none), 2, 1e-5);
  // A portal under equal loads is what the equations were made for: psi = 1, so G = 1 at the head.
  EXPECT_NEAR(alignment_sway(none, 1), 2.3278768, 1e-4);
  EXPECT_NEAR(alignment_sway(fixed, 1), 1.1565026, 1e-4);
  for (const bool is_fixed : {true, false}) {
    const BucklingResult r = portal(1, is_fixed, false);
    const EffectiveLength& e = r.modes[0].lengths[0];
    EXPECT_NEAR(*e.sway_y, *e.K_y, 1e-3);
  }
}

}  // namespace
}  // namespace ulterix::testing::buckling_test
