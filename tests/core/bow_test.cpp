// Members whose axis is bowed: what N makes of it, in P-Delta and in large displacement.
#include <gtest/gtest.h>

#include <cmath>

#include "support/frame_builder.hpp"

namespace ulterix::testing::bow_test {
namespace {

constexpr double kE = 210e9, kL = 6, kBow = kL / 300;

AnalysisSpec analysis(const Model& model, const char* name, AnalysisKind kind) {
  AnalysisSpec spec;
  spec.name = name;
  spec.become(kind);
  spec.loads = {model.case_alone(CaseId(0))};
  return spec;
}

/// A column of one member, pinned at its foot and held sideways at its head.
struct Column {
  FrameBuilder b;
  NodeId foot, head;
  MemberId id;
  SectionProperties p;

  explicit Column(double P, Plane plane = Plane::xz, bool shear = false) : b(plane) {
    p = bending_only(4e-5, 6e-3);
    p.Iz = 1.5e-5;
    p.J = 3e-5;
    if (shear) p.Avy = 2e-3, p.Avz = 1.5e-3;
    foot = b.node("foot", 0, 0, 0);
    head = b.node("head", 0, 0, kL);
    id = b.member("column", foot, head, b.section(p), b.material(kE, 81e9, 7850));
    b.fix(foot, plane == Plane::space ? std::vector<int>{0, 1, 2, 5} : std::vector<int>{0, 2});
    b.fix(head, plane == Plane::space ? std::vector<int>{0, 1} : std::vector<int>{0});
    b.nodal_load(head, 2, -P);
  }
  Member& member() { return b.model.members[id]; }
  RunResult run() {
    b.model.analyses = {analysis(b.model, "second", AnalysisKind::p_delta),
                        analysis(b.model, "large", AnalysisKind::large_displacement)};
    return ulterix::run(b.model);
  }
};

/// M at mid height of a pinned column with a parabolic bow e: P·e·8/u²·(sec(u/2) − 1).
double mid_moment(double P, double e, double EI) {
  const double u = kL * std::sqrt(P / EI);
  return P * e * 8 / (u * u) * (1 / std::cos(u / 2) - 1);
}

TEST(Bow, APinnedColumnHasItsClosedForm) {
  for (const double part : {0.2, 0.7}) {
    Column c(part * M_PI * M_PI * kE * 4e-5 / (kL * kL));
    c.member().bow[1] = kBow;
    const double P = part * M_PI * M_PI * kE * c.p.Iy / (kL * kL);
    const RunResult r = c.run();
    const Reader read(r, "second");
    ASSERT_TRUE(read.step().outcome.stands()) << read.step().outcome.reason;
    const double M = mid_moment(P, kBow, kE * c.p.Iy);
    EXPECT_RELATIVE(std::abs(read.force(c.id, kMy, kL / 2)), M, kIterated);
    // The deflection of the bow and on top of it makes the moment.
    const double w = read.line(c.id).at(kL / 2).displacement[2];
    EXPECT_RELATIVE(P * (w + kBow), M, kIterated);
    EXPECT_NEAR(read.reaction(c.foot, 0), 0, 1e-9 * P);
    EXPECT_NEAR(Reader(r, "first-order").force(c.id, kMy, kL / 2), 0, 1e-9);
  }
}

TEST(Bow, TensionStraightensIt) {
  const double P = 4e5;
  Column c(-P);
  c.member().bow[1] = kBow;
  const double u = kL * std::sqrt(P / (kE * c.p.Iy));
  const double M = P * kBow * 8 / (u * u) * (1 - 1 / std::cosh(u / 2));
  EXPECT_RELATIVE(std::abs(Reader(c.run(), "second").force(c.id, kMy, kL / 2)), M, kIterated);
}

TEST(Bow, BothPlanesAndShearInSpace) {
  // Engesser: EI·(1 − P/GAv) instead of EI.
  const double P = 3e5;
  Column c(P, Plane::space, true);
  c.member().bow = {kBow, -2 * kBow};
  const RunResult r = c.run();
  const Reader read(r, "second");
  const double sz = 1 - P / (81e9 * c.p.Avz), sy = 1 - P / (81e9 * c.p.Avy);
  // N on the slope of the bow shears the member, too: 1/s.
  EXPECT_RELATIVE(std::abs(read.force(c.id, kMy, kL / 2)),
                  mid_moment(P, 2 * kBow, kE * c.p.Iy * sz) / sz, kIterated);
  EXPECT_RELATIVE(std::abs(read.force(c.id, kMz, kL / 2)),
                  mid_moment(P, kBow, kE * c.p.Iz * sy) / sy, kIterated);
}

TEST(Bow, AgreesWithAMemberDrawnAsAPolygon) {
  // With its own weight, which makes N vary, a load across it, a fixed foot.
  // The slope of the bow, squared, is what a polygon in the frame's equations has more.
  constexpr int kParts = 96;
  constexpr double kFlat = kL / 1500;
  const auto load = [](FrameBuilder& b, MemberId id) {
    b.load_case().self_weight.push_back({id, 40.0});
    b.uniform(id, 0, 900);
  };
  Column c(2.5e5);
  c.b.fix(c.foot, {4});
  c.member().bow[1] = kFlat;
  load(c.b, c.id);
  const RunResult bowed = c.run();

  Column d(2.5e5);
  d.b.fix(d.foot, {4});
  d.b.model.members = {};
  const MaterialId steel(0);
  // The column's local z is global −x in a plane frame with z up.
  const Vector3d across = local_axes(c.b.model, c.id).row(2);
  NodeId below = d.foot;
  std::vector<MemberId> parts;
  for (int i = 1; i <= kParts; ++i) {
    const double xi = double(i) / kParts;
    const Vector3d at = Vector3d(0, 0, xi * kL) + 4 * xi * (1 - xi) * kFlat * across;
    const NodeId above =
        i == kParts ? d.head : d.b.node("n" + std::to_string(i), at[0], at[1], at[2]);
    parts.push_back(d.b.member("p" + std::to_string(i), below, above, SectionId(0), steel));
    load(d.b, parts.back());
    below = above;
  }
  const RunResult polygon = d.run();
  for (const char* name : {"second", "large"}) {
    SCOPED_TRACE(name);
    const Reader a(bowed, name), b(polygon, name);
    ASSERT_TRUE(a.step().outcome.stands()) << a.step().outcome.reason;
    ASSERT_TRUE(b.step().outcome.stands()) << b.step().outcome.reason;
    const double M = b.reaction(d.foot, 4);
    EXPECT_RELATIVE(a.reaction(c.foot, 4), M, 1e-4);
    EXPECT_RELATIVE(a.force(c.id, kMy, kL / 2), b.force(parts[kParts / 2], kMy, 0), 1e-4);
    EXPECT_RELATIVE(a.reaction(c.head, 0), b.reaction(d.head, 0), 1e-4);
  }
}

TEST(Bow, LargeDisplacementTendsToPDelta) {
  // They part by the shortening of the axis, P/EA.
  const double P = 1.5e4;
  Column c(P, Plane::space);
  c.member().bow = {1e-4, 2e-4};
  c.member().joints[1][4] = 2e6;
  c.b.fix(c.head, {3, 4});
  const RunResult r = c.run();
  const Reader second(r, "second"), large(r, "large");
  ASSERT_TRUE(large.step().outcome.stands()) << large.step().outcome.reason;
  for (const InternalForce f : {kMy, kMz}) {
    EXPECT_RELATIVE(large.force(c.id, f, kL / 2), second.force(c.id, f, kL / 2),
                    2 * P / (kE * c.p.A));
  }
}

}  // namespace
}  // namespace ulterix::testing::bow_test
