// Stages with finite motion, against the elastic frame at once, a frame drawn as it was built, and
// P-Delta where the motion is small.
#include <gtest/gtest.h>

#include <functional>

#include "core/element/corotational_piece.hpp"
#include "support/erection.hpp"

namespace ulterix::testing::finite_stages_test {
namespace {

constexpr AnalysisKind kFinite = AnalysisKind::large_displacement;

const Step& stage_of(const RunResult& r, int k) {
  return *r.find("erection", "S" + std::to_string(k));
}

double motion_apart(const Step& a, const Step& b) {
  double apart = 0, largest = 0;
  for (int i = 0; i < a.state.nodes.size(); ++i) {
    const Vector3d u = a.state.nodes[NodeId(i)].translation;
    apart = std::max(apart, (u - b.state.nodes[NodeId(i)].translation).norm());
    largest = std::max(largest, u.norm());
  }
  return apart / largest;
}

/// Asks for the ordinary analysis of a frame under these loads, "ordinary" under "G".
void ask_ordinary(FrameBuilder& b, const LoadCase& loads) {
  b.model.cases.push_back(loads);
  b.model.cases[CaseId(0)].name = "G";
  AnalysisSpec ordinary;
  ordinary.name = "ordinary";
  ordinary.become(kFinite);
  ordinary.loads = {b.model.case_alone(CaseId(0))};
  b.model.analyses = {ordinary};
}

TEST(FiniteStages, OneStageIsTheOrdinaryAnalysis) {
  TwoStoreys f;
  ask_ordinary(f.b, f.on_both);
  Erection erection(f.b, kFinite);
  erection.stage(f.all(), f.on_both);
  const RunResult r = erection.run();
  const Step &staged = stage_of(r, 1), &other = *r.find("ordinary", "G");
  ASSERT_TRUE(staged.outcome.stands()) << staged.outcome.reason;
  EXPECT_LT(motion_apart(staged, other), 1e-10);
  EXPECT_LT(difference(staged, other, f.all()), 1e-9);
}

// Nothing but loads comes in stages: an elastic frame does not remember the order.
TEST(FiniteStages, LoadsInStagesAreTheLoadsAtOnce) {
  TwoStoreys f;
  for (const auto& [id, hinge] : {std::pair(f.upper[2], 0), std::pair(f.lower[2], 1)}) {
    f.b.model.members[id].joints[static_cast<std::size_t>(hinge)][4] = hinge == 0 ? 0 : 4e6;
  }
  LoadCase last = f.on_both, pushed = f.on_lower;
  last.nodal.push_back({f.A2, force6(9e4, 0, -2e5, 0, 4e4), 0});
  pushed.nodal.push_back({f.D2, force6(-7e4, 0, 0), 0});
  Erection erection(f.b, kFinite);
  erection.stage(f.all(), f.on_lower);
  erection.stage({}, pushed);
  erection.stage({}, last);
  const RunResult r = erection.run();
  const Step &staged = stage_of(r, 3), &at_once = *r.find("erection-at-once", "S3");
  ASSERT_TRUE(staged.outcome.stands()) << staged.outcome.reason;
  ASSERT_TRUE(at_once.outcome.stands()) << at_once.outcome.reason;
  EXPECT_GT(staged.state.nodes[f.A2].translation.norm(), 0.05);
  EXPECT_LT(motion_apart(staged, at_once), 2e-7);
  EXPECT_LT(difference(staged, at_once, f.all()), 2e-6);
  EXPECT_LT(staged.equilibrium.nodes, 1e-9);
  EXPECT_LT(staged.equilibrium.reactions, 1e-9);
}

// What is struck leaves the frame that never had it, and takes the loads on it along.
TEST(FiniteStages, AStruckPropLeavesTheFrameWithoutIt) {
  FrameBuilder b;
  const SectionId s = b.section(rolled_section());
  const MaterialId m = b.material(210e9, 81e9, 7850);
  const NodeId A = b.node("A", 0, 0, 0), M = b.node("M", 5, 0, 0), C = b.node("C", 10, 0, 1);
  const NodeId ground = b.node("P", 6, 0, -3);
  const std::vector<MemberId> beam = {b.member("left", A, M, s, m), b.member("right", M, C, s, m)};
  const MemberId prop = b.member("prop", ground, M, s, m);
  b.model.members[prop].joints[0][4] = 0;
  b.fix(A, {0, 2, 4});
  b.fix(ground, {0, 2});
  LoadCase with, without;
  without.distributed.push_back(
      {beam[1], force6(0, 0, -9e3), force6(0, 0, -4e3), 0, 5, LoadAxes::local});
  without.nodal.push_back({C, force6(0, 0, -2e4), 0});
  with = without;
  with.self_weight.push_back({prop, 1});
  with.points.push_back({prop, force6(5e3, 0, 0), 1, LoadAxes::global});
  Erection erection(b, kFinite);
  erection.stage({beam[0], beam[1], prop}, with);
  erection.stage({}, without).struck = {prop};
  const RunResult r = erection.run();
  const Step &free = stage_of(r, 2), &at_once = *r.find("erection-at-once", "S2");
  ASSERT_TRUE(free.outcome.stands()) << free.outcome.reason;
  EXPECT_GT(free.state.nodes[C].translation.norm(), 0.5);
  EXPECT_LT(motion_apart(free, at_once), 2e-7);
  EXPECT_LT(difference(free, at_once, beam), 2e-6);
  EXPECT_EQ(free.reactions[ground].norm(), 0);
}

/// A cantilever of a round rod, bent far; a second rod is joined to its turned tip, without force.
/// The same as a frame that is drawn straight there, with the second rod turned back by the turn of
/// the tip.
struct TwoRods {
  FrameBuilder b{Plane::space};
  NodeId foot, tip, end;
  MemberId first, second;
  explicit TwoRods(const Vector3d& at) {
    SectionProperties round = bending_only(2e-6, 2e-3);
    round.J = 4e-6;
    const SectionId s = b.section(round);
    const MaterialId m = b.material(200e9, 80e9);
    foot = b.node("F", 0, 0, 0);
    tip = b.node("T", 3, 0, 0);
    end = b.node("E", at[0], at[1], at[2]);
    first = b.member("first", foot, tip, s, m);
    second = b.member("second", tip, end, s, m);
    b.fix_all(foot);
  }
};

TEST(FiniteStages, ARodIsJoinedToATurnedTip) {
  const Vector3d drawn_end(4, 1, 1);
  const Vector6d first_load = force6(1e3, 3e4, -6e4, 8e3, 0, 0);
  TwoRods built(drawn_end);
  for (const int d : {4, 5}) built.b.model.members[built.second].joints[0][d] = 4e4;
  LoadCase bend, both;
  bend.nodal.push_back({built.tip, first_load, 0});
  both = bend;
  both.nodal.push_back({built.end, force6(2e3, -9e3, 1.2e4, 3e3, 1e3, 0), 0});
  Erection erection(built.b, kFinite);
  erection.stage({built.first}, bend);
  erection.stage({built.second}, bend);
  erection.stage({}, both);
  const RunResult r = erection.run();
  const Step &bent = stage_of(r, 1), &joined = stage_of(r, 2), &last = stage_of(r, 3);
  ASSERT_TRUE(last.outcome.stands()) << last.outcome.reason;
  const NodeMotion& tip = bent.state.nodes[built.tip];
  ASSERT_GT(tip.rotation.norm(), 0.4);
  // Nothing moves and nothing is in the new rod.
  EXPECT_LT(motion_apart(bent, joined), 1e-9);
  EXPECT_LT(Recovery(joined).line(built.second).at(0).forces.norm(), 1e-3);
  // Its end is where it was drawn.
  EXPECT_LT(joined.state.nodes[built.end].translation.norm(), 1e-9);

  const Vector3d tip_drawn(3, 0, 0);
  const Quaterniond turn = turn_by(tip.rotation);
  const Vector3d chord = drawn_end - tip_drawn - tip.translation;
  TwoRods drawn(tip_drawn + turn.conjugate() * chord);
  for (const int d : {4, 5}) drawn.b.model.members[drawn.second].joints[0][d] = 4e4;
  ask_ordinary(drawn.b, both);
  const RunResult other = run(drawn.b.model);
  const Step& whole = *other.find("ordinary", "G");
  ASSERT_TRUE(whole.outcome.stands()) << whole.outcome.reason;
  EXPECT_LT(
      (last.state.nodes[built.tip].translation - whole.state.nodes[drawn.tip].translation).norm(),
      2e-6);
  const Vector3d end = drawn_end + last.state.nodes[built.end].translation;
  const Vector3d end_of_drawn =
      drawn.b.model.nodes[drawn.end].position + whole.state.nodes[drawn.end].translation;
  EXPECT_GT(last.state.nodes[built.end].translation.norm(), 0.1);
  EXPECT_LT((end - end_of_drawn).norm(), 4e-6);
  const double L = built.b.model.length(built.second), born = chord.norm();
  for (const double x : {0.0, 0.4}) {
    const Vector6d f = Recovery(last).line(built.second).at(x * L).forces;
    const Vector6d g = Recovery(whole).line(drawn.second).at(x * born).forces;
    EXPECT_LE(relative_error(f[kN], g[kN]), 1e-5);
    EXPECT_LE(relative_error(std::hypot(f[kMy], f[kMz]), std::hypot(g[kMy], g[kMz])), 1e-5);
    EXPECT_LE(relative_error(f[kMx], g[kMx]), 1e-5);
  }
}

// A rigid support takes hold of a node where it is; what comes then, and its settlement, is as if
// it had been so all along.
TEST(FiniteStages, SupportsArriveMoveAndGo) {
  FrameBuilder b;
  const SectionId s = b.section(rolled_section());
  const MaterialId m = b.material(210e9, 81e9);
  const NodeId A = b.node("A", 0, 0, 0), M = b.node("M", 4, 0, 0), C = b.node("C", 7, 0, 0);
  const std::vector<MemberId> beam = {b.member("1", A, M, s, m), b.member("2", M, C, s, m)};
  b.fix(A, {0, 2});
  b.fix(C, {2});
  LoadCase first, both;
  first.nodal.push_back({M, force6(0, 0, -2e4), 0});
  both = first;
  both.nodal.push_back({M, force6(0, 0, -7e3), 0});
  both.nodal.push_back({C, force6(-3e5, 0, 0), 0});
  Erection erection(b, kFinite);
  erection.stage(beam, first);
  Support under;
  under.node = M;
  under.directions[2].stiffness = kRigid;
  erection.stage({}, first).supports = {under};
  erection.stage({}, both);
  erection.stage({}, both).ground = {{M, 2, -0.05}};
  erection.stage({}, both).freed = {{M, 2}};
  const RunResult r = erection.run();
  for (int k = 1; k <= 5; ++k) {
    ASSERT_TRUE(stage_of(r, k).outcome.stands()) << stage_of(r, k).outcome.reason;
    EXPECT_LT(stage_of(r, k).equilibrium.reactions, 1e-9) << k;
  }
  const double u = stage_of(r, 1).state.nodes[M].translation[2];
  EXPECT_LT(std::abs(stage_of(r, 2).reactions[M][2]), 1e-3);
  EXPECT_LT(std::abs(stage_of(r, 2).state.nodes[M].translation[2] - u), 1e-12);
  EXPECT_LT(std::abs(stage_of(r, 3).state.nodes[M].translation[2] - u), 1e-12);
  EXPECT_NEAR(stage_of(r, 3).reactions[M][2], 7e3, 2e3);
  EXPECT_LT(std::abs(stage_of(r, 4).state.nodes[M].translation[2] - (u - 0.05)), 1e-12);
  EXPECT_EQ(stage_of(r, 5).reactions[M][2], 0);
  EXPECT_LT(motion_apart(stage_of(r, 5), *r.find("erection-at-once", "S5")), 2e-7);
}

/// A frame in space that comes in stages: hinges, a spring at an end, a tie, springs and a bearing
/// that only pushes under it, a settlement, a struck prop; every kind of load, so many times.
struct SpaceSite {
  FrameBuilder b{Plane::space};
  std::vector<MemberId> base, top, prop;
  std::vector<LoadCase> loads;
  NodeId corner;

  explicit SpaceSite(double times) {
    const SectionId s = b.section(rolled_section());
    SectionProperties rod;
    rod.A = 4e-4;
    const SectionId thin = b.section(rod);
    const MaterialId m = b.material(210e9, 81e9, 7850);
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 3.5), C = b.node("C", 5, 1, 3),
                 D = b.node("D", 5, 1, 0), E = b.node("E", 1, 4, 3.6), P = b.node("P", 2, 3, 0);
    corner = E;
    base = {b.member("AB", A, B, s, m), b.member("BC", B, C, s, m), b.member("DC", D, C, s, m)};
    top = {b.member("BE", B, E, s, m, 0.3), b.member("CE", C, E, s, m),
           b.member("tie", A, E, thin, m)};
    prop = {b.member("prop", P, C, s, m)};
    b.model.members[top[2]].kind = MemberKind::tension_only;
    b.model.members[base[1]].joints[1][4] = 0;
    b.model.members[top[1]].joints[0][5] = 6e6;
    b.model.members[top[0]].joints[1][4] = 0;
    for (const NodeId n : {A, D, P}) b.fix(n, {0, 1, 2});
    b.fix(A, {5});
    for (const NodeId n : {A, D}) {
      for (const int d : {3, 4}) b.spring(n, d, 3e6);
    }
    b.spring(D, 5, 1e6);
    for (const int d : {3, 4, 5}) b.spring(P, d, 1e7);
    LoadCase low, high;
    put(base, times, low);
    low.nodal.push_back({C, times * force6(9e3, 4e3, -2e4, 1e3, 2e3, -1e3), 0});
    high = low;
    put(top, times, high);
    LoadCase blown = high;
    blown.nodal.push_back({E, times * force6(3e4, -5e4, 2e4), 0});
    loads = {low, high, blown};
  }
  void put(const std::vector<MemberId>& members, double times, LoadCase& c) const {
    for (const MemberId id : members) {
      const double L = b.model.length(id);
      c.self_weight.push_back({id, times});
      c.distributed.push_back({id, times * force6(300, 900, -4e3), times * force6(0, 100, -1e3),
                               0.2 * L, 0.9 * L, LoadAxes::local});
      if (b.model.members[id].kind != MemberKind::frame) continue;
      c.points.push_back(
          {id, times * force6(1e3, -2e3, -3e3, 200, 500, 0), 0.4 * L, LoadAxes::global});
    }
  }
  RunResult run(AnalysisKind kind, double times, bool drawn) {
    Erection erection(b, kind);
    erection.stage({base[0], base[1], base[2], prop[0]}, loads[0]);
    erection.stage(top, loads[1]).drawn = drawn;
    Support under;
    under.node = corner;
    under.directions[2].stiffness = kRigid;
    under.directions[2].only = 1;
    under.directions[0].stiffness = 4e5;
    erection.stage({}, loads[1]).supports = {under};
    erection.stage({}, loads[2]).struck = prop;
    erection.stage({}, loads[1]).ground = {{corner, 2, -0.004 * times},
                                           {b.model.members[base[2]].start, 2, -0.01 * times}};
    return erection.run_stages_alone();
  }
};

// What the theories differ by falls with the loads.
TEST(FiniteStages, SmallMotionsAreThoseOfPDelta) {
  for (const bool drawn : {false, true}) {
    const double times = drawn ? 1e-2 : 1e-3;
    SpaceSite a(times), c(times);
    const RunResult finite = a.run(kFinite, times, drawn);
    const RunResult second = c.run(AnalysisKind::p_delta, times, drawn);
    for (int k = 1; k <= 5; ++k) {
      const Step &f = stage_of(finite, k), &p = stage_of(second, k);
      ASSERT_TRUE(f.outcome.stands()) << k << ": " << f.outcome.reason;
      ASSERT_TRUE(p.outcome.stands()) << k << ": " << p.outcome.reason;
      EXPECT_LT(f.equilibrium.reactions, 1e-8) << k;
      EXPECT_LT(motion_apart(f, p), 0.3 * times) << k << " " << drawn;
      std::vector<MemberId> members = a.base;
      if (k > 1) members.insert(members.end(), a.top.begin(), a.top.end());
      EXPECT_LT(difference(f, p, members), 0.5 * times) << k << " " << drawn;
      EXPECT_EQ(f.state.open.size(), p.state.open.size()) << k;
      ASSERT_TRUE(p.reserve && p.lowest_omega && f.reserve && f.lowest_omega) << k;
      EXPECT_RELATIVE(*f.reserve, *p.reserve, times) << k;
      EXPECT_RELATIVE(*f.lowest_omega, *p.lowest_omega, times) << k;
    }
  }
}

TEST(FiniteStages, AMechanismIsNamed) {
  HingedPortal p;
  LoadCase load;
  // Hinged at B, the beam cannot carry the moment of its end.
  load.nodal.push_back({p.C, force6(1e3, 0, 0, 0, 2e3, 0), 0});
  Erection erection(p.b, kFinite);
  erection.stage({p.beam, p.right, p.left}, load);
  erection.stage({}, load).struck = {p.right};
  erection.stage({}, load);
  const RunResult r = erection.run();
  EXPECT_TRUE(stage_of(r, 1).outcome.stands()) << stage_of(r, 1).outcome.reason;
  EXPECT_EQ(stage_of(r, 2).outcome.verdict, Verdict::mechanism) << stage_of(r, 2).outcome.reason;
  EXPECT_NE(stage_of(r, 3).outcome.reason.find("not reached"), std::string::npos);
}

}  // namespace
}  // namespace ulterix::testing::finite_stages_test
