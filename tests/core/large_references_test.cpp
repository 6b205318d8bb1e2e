// Published problems of large displacement in space and along long paths.
#include <gtest/gtest.h>

#include <cmath>

#include "support/frame_builder.hpp"

namespace ulterix::testing::large_references_test {
namespace {

AnalysisSpec large(const Model& model) {
  AnalysisSpec spec;
  spec.name = "large";
  spec.loads = {model.case_alone(CaseId(0))};
  spec.become<LargeDisplacementKeys>();
  return spec;
}

/// L1 in a skew plane, whatever the axes of the section: to an arc of any size below half a turn,
/// where a rod that twists as easily as it bends loses its plane: M = π·√(EI·GJ)/L.
TEST(LargeReferences, L1ArcOutOfThePlaneUpToItsBranchPoint) {
  for (const double turns : {0.1, 0.45, 0.6}) {
    FrameBuilder b(Plane::space);
    SectionProperties p = bending_only(1, 1e5);
    const NodeId foot = b.node("A", 0, 0, 0);
    const Vector3d along = Vector3d(2, 1, 2) / 3, across = Vector3d(-1, 2, 0).normalized();
    const NodeId tip = b.node("B", along[0], along[1], along[2]);
    b.member("rod", foot, tip, b.section(p), b.material(1, 1), 0.4);
    b.fix_all(foot);
    const Vector3d axis = along.cross(across);
    const double angle = 2 * M_PI * turns;
    const Vector3d M = angle * axis;
    b.nodal_load(tip, force6(0, 0, 0, M[0], M[1], M[2]));
    b.model.analyses = {large(b.model)};
    const RunResult r = run(b.model);
    const Step& step = *r.find("large", "G");
    if (turns > 0.5) {
      EXPECT_EQ(step.outcome.verdict, Verdict::branch_point) << step.outcome.reason;
      EXPECT_NEAR(step.outcome.stands_at * turns, 0.5, 1e-4);
      continue;
    }
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    const Vector3d end = std::sin(angle) / angle * along + (1 - std::cos(angle)) / angle * across;
    const Vector3d u = step.state.nodes[tip].translation;
    EXPECT_LT((u - (end - along)).norm(), 2e-6) << turns;
    EXPECT_LT((step.state.nodes[tip].rotation - M).norm(), 1e-5 * angle) << turns;
  }
}

/// A place along a rod: position, section (axes in columns) and the moment there, m and N·m.
struct RodPlace {
  Vector3d at;
  Quaterniond section;
  Vector3d moment;
};

/// The equations of a rod without shear from a place on, under a force at its far end: r' = R·v,
/// R' = R·κ×, M' = −r'×n, by steps of the fourth order; N works on r²·κx²/2 too.
RodPlace follow_rod(const RodPlace& from, const Vector3d& force, const ElementProperties& p,
                    double length) {
  using Y = Eigen::Matrix<double, 10, 1>;
  const auto rate = [&](const Y& y) {
    const Quaterniond q = Quaterniond(y.segment<4>(3)).normalized();
    const Vector3d M = q.conjugate() * Vector3d(y.tail<3>());
    const double N = (q.conjugate() * force)[0], twist = M[0] / (p.GJ + N * p.r2);
    const Vector3d r = q * Vector3d(1 + N / p.EA - p.r2 * twist * twist / 2, 0, 0);
    const Vector3d k(twist, M[1] / p.EIy, M[2] / p.EIz);
    Y d;
    d << r, (q * Quaterniond(0, k[0], k[1], k[2])).coeffs() / 2, -r.cross(force);
    return d;
  };
  constexpr int kSteps = 600;
  const double h = length / kSteps;
  Y y;
  y << from.at, from.section.coeffs(), from.moment;
  for (int i = 0; i < kSteps; ++i) {
    const Y a = rate(y), b = rate(y + h / 2 * a), c = rate(y + h / 2 * b), d = rate(y + h * c);
    y += h / 6 * (a + 2 * b + 2 * c + d);
  }
  return {y.head<3>(), Quaterniond(y.segment<4>(3)).normalized(), y.tail<3>()};
}

/// Two rods at an angle, bent in both planes and twisted far: with the reactions at their foot the
/// equations of the rod end where the tip is, without a moment.
TEST(LargeReferences, RodsInSpaceSatisfyTheirEquations) {
  for (const Vector3d& I : {Vector3d(2e-6, 4e-6, 1e-6), Vector3d(2e-7, 8.36e-5, 6.04e-6)}) {
    SectionProperties s;
    s.A = 2e-3;
    s.J = I[0];
    s.Iy = I[1];
    s.Iz = I[2];
    FrameBuilder b(Plane::space);
    const SectionId section = b.section(s);
    const MaterialId steel = b.material(200e9, 80e9);
    const Vector3d knee_at(3, 0, 0), tip_at(4, 1, 1);
    const NodeId foot = b.node("F", 0, 0, 0), knee = b.node("K", 3, 0, 0),
                 tip = b.node("T", 4, 1, 1);
    const MemberId first = b.member("first", foot, knee, section, steel);
    const MemberId second = b.member("second", knee, tip, section, steel, 0.3);
    b.fix_all(foot);
    const Vector3d at_knee(1e3, 3e4, -6e4), at_tip(2e3, -9e3, 1.2e4);
    LoadCase load;
    load.name = "G";
    load.nodal.push_back({knee, force6(at_knee[0], at_knee[1], at_knee[2]), 0});
    load.nodal.push_back({tip, force6(at_tip[0], at_tip[1], at_tip[2]), 0});
    b.model.cases.push_back(load);
    AnalysisSpec spec = large(b.model);
    // An error of the reactions grows on the way to the tip: more pieces than six digits ask for.
    spec.become<LargeDisplacementKeys>().pieces = 48;
    b.model.analyses = {spec};
    const RunResult r = run(b.model);
    const Step& step = *r.find("large", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;

    const auto section_of = [&](MemberId id) {
      return Quaterniond(Matrix3d(step.frame->axes(id).transpose()));
    };
    const ElementProperties p = step.frame->properties(first);
    const Vector3d reaction = step.reactions[foot].tail<3>();
    RodPlace place{Vector3d::Zero(), section_of(first), -reaction};
    place = follow_rod(place, at_knee + at_tip, p, 3);
    const Vector3d knee_moved = step.state.nodes[knee].translation;
    const Vector3d tip_moved = step.state.nodes[tip].translation;
    EXPECT_GT(tip_moved.norm(), 0.5);
    EXPECT_LT((place.at - knee_at - knee_moved).norm(), 2e-6 * tip_moved.norm());
    const Quaterniond turned = place.section * section_of(first).conjugate();
    place.section = turned * section_of(second);
    place = follow_rod(place, at_tip, p, (tip_at - knee_at).norm());
    EXPECT_LT((place.at - tip_at - tip_moved).norm(), 2e-6 * tip_moved.norm());
    EXPECT_LT(place.moment.norm(), 3e-6 * reaction.norm());
  }
}

/// L6: circular arch of 215 degrees, clamped and hinged, load at the crown (DaDeppo & Schmidt
/// 1975).
TEST(LargeReferences, L6DeepArch) {
  constexpr int kParts = 80;
  FrameBuilder b(Plane::xz);
  const SectionId s = b.section(bending_only(1, 1e5));
  const MaterialId m = b.material(1, 1);
  const double half = 215.0 / 360 * M_PI;
  std::vector<NodeId> nodes;
  for (int i = 0; i <= kParts; ++i) {
    const double a = -half + 2 * half * i / kParts;
    nodes.push_back(b.node("n", std::sin(a), 0, std::cos(a)));
    if (i > 0) b.member("m", nodes[static_cast<std::size_t>(i) - 1], nodes.back(), s, m);
  }
  b.fix(nodes.front(), {0, 2, 4});
  b.fix(nodes.back(), {0, 2});
  b.nodal_load(nodes[kParts / 2], 2, -10);
  AnalysisSpec spec = large(b.model);
  LargeDisplacementKeys& keys = spec.become<LargeDisplacementKeys>();
  keys.stop_at_limit = true;
  keys.pieces = 1;
  b.model.analyses = {spec};
  const RunResult r = run(b.model);
  const Step& step = *r.find("large", "G");
  EXPECT_EQ(step.outcome.verdict, Verdict::limit_point) << step.outcome.reason;
  // A polygon of 80 sides for the arch.
  EXPECT_RELATIVE(10 * step.outcome.stands_at, 8.97295, 1e-3);
}

/// L8: right-angle strip frame under moments in its plane at its hinged ends: M = π·√(EI·GJ)/L.
/// The formula leaves out what the frame bends in its plane before: EI weak and GJ are 4e-4 and
/// 6e-4 of EI strong, and M·L/EI strong is 1.6e-3.
TEST(LargeReferences, L8RightAngleFrameUnderEndMoments) {
  constexpr double kLeg = 0.24, kDeep = 0.03, kThin = 0.0006, kE = 71240e6, kG = kE / 2.62;
  FrameBuilder b(Plane::space);
  SectionProperties p;
  p.A = kDeep * kThin;
  p.Iz = kThin * kDeep * kDeep * kDeep / 12;
  p.Iy = kDeep * kThin * kThin * kThin / 12;
  p.J = kDeep * kThin * kThin * kThin / 3;
  const SectionId strip = b.section(p);
  const MaterialId metal = b.material(kE, kG);
  const double reach = kLeg / std::sqrt(2.0);
  const NodeId left = b.node("left", -reach, 0, 0), apex = b.node("apex", 0, reach, 0),
               right = b.node("right", reach, 0, 0);
  b.member("one", left, apex, strip, metal);
  b.member("two", apex, right, strip, metal);
  // The ends turn about the normal of the plane alone, and slide towards each other.
  b.fix(left, {1, 2, 3, 4});
  b.fix(right, {1, 2, 3, 4});
  b.fix(apex, {0});
  const double critical = M_PI * std::sqrt(kE * p.Iy * kG * p.J) / kLeg;
  EXPECT_NEAR(critical, 0.6222081, 1e-6);
  for (const double sense : {1.0, -1.0}) {
    b.load_case().nodal.clear();
    b.nodal_load(left, 5, sense * 1.2 * critical);
    b.nodal_load(right, 5, -sense * 1.2 * critical);
    AnalysisSpec spec = large(b.model);
    spec.become<LargeDisplacementKeys>().pieces = 16;
    b.model.analyses = {spec};
    const Step step = *run(b.model).find("large", "G");
    EXPECT_EQ(step.outcome.verdict, Verdict::branch_point) << step.outcome.reason;
    EXPECT_RELATIVE(1.2 * step.outcome.stands_at, 1.0, 2e-3);
  }
}

}  // namespace
}  // namespace ulterix::testing::large_references_test
