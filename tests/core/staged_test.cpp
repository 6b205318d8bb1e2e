#include "core/analysis/staged.hpp"

#include <gtest/gtest.h>

#include "core/analysis/modal.hpp"
#include "core/element/cut_cables.hpp"
#include "core/results/camber.hpp"
#include "core/results/modes.hpp"
#include "support/erection.hpp"

namespace ulterix::testing::staged_test {
namespace {

using testing::difference;
using testing::Erection;
using testing::force6;
using testing::FrameBuilder;
using testing::HingedPortal;
using testing::kExact;
using testing::relative_error;
using testing::rolled_section;
using testing::TwoStoreys;

AnalysisKind theory_of(bool bent) {
  return bent ? AnalysisKind::p_delta : AnalysisKind::first_order;
}

TEST(Staged, OneStageIsTheOrdinaryAnalysisDigitForDigit) {
  for (const bool bent : {false, true}) {
    TwoStoreys f;
    f.b.model.cases.push_back(f.on_both);
    f.b.model.cases[CaseId(0)].name = "G";
    AnalysisSpec ordinary;
    ordinary.name = "ordinary";
    ordinary.become(bent ? AnalysisKind::p_delta : AnalysisKind::first_order);
    ordinary.loads = {f.b.model.case_alone(CaseId(0))};
    f.b.model.analyses = {ordinary};
    Erection erection(f.b, theory_of(bent));
    erection.stage(f.all(), f.on_both);
    const RunResult r = erection.run();
    const Step &staged = *r.find("erection", "S1"), &other = *r.find("ordinary", "G");
    ASSERT_TRUE(staged.outcome.stands()) << staged.outcome.reason;
    for (const NodeId n : f.b.model.nodes.ids()) {
      EXPECT_EQ(staged.state.nodes[n].vector(), other.state.nodes[n].vector());
      EXPECT_EQ(staged.reactions[n], other.reactions[n]);
    }
    EXPECT_EQ(difference(staged, other, f.all()), 0);
  }
}

// G1: the sum of two linear solutions, each on its own frame.
TEST(Staged, G1TwoStoreysAreTheSumOfTwoSolutions) {
  TwoStoreys f;
  Erection erection(f.b);
  erection.stage(f.lower, f.on_lower);
  erection.stage(f.upper, f.on_both);
  const RunResult r = erection.run();
  const Step &first = *r.find("erection", "S1"), &second = *r.find("erection", "S2");
  ASSERT_TRUE(first.outcome.stands() && second.outcome.stands()) << second.outcome.reason;
  EXPECT_LT(second.equilibrium.reactions, 1e-12);
  // The second solution alone: the whole frame under what came later.
  TwoStoreys g;
  Erection later(g.b);
  later.stage(g.all(), g.on_upper);
  const RunResult q = later.run();
  const Step& added = *q.find("erection", "S1");
  for (const NodeId n : f.b.model.nodes.ids()) {
    const Vector6d sum = first.state.nodes[n].vector() + added.state.nodes[n].vector();
    EXPECT_LT((second.state.nodes[n].vector() - sum).norm(), kExact * sum.norm() + 1e-16);
    EXPECT_LT((second.reactions[n] - first.reactions[n] - added.reactions[n]).norm(), 1e-5);
  }
  const Recovery r1(first), r2(second), r3(added);
  for (const MemberId id : f.all()) {
    const bool old = std::find(f.lower.begin(), f.lower.end(), id) != f.lower.end();
    for (const double x : {0.0, 0.25, 0.6, 1.0}) {
      const double L = f.b.model.length(id);
      const LinePoint sum = r3.line(id).at(x * L), whole = r2.line(id).at(x * L);
      Vector6d forces = sum.forces;
      if (old) forces += r1.line(id).at(x * L).forces;
      EXPECT_LT((whole.forces - forces).norm(), 1e-9 * forces.norm()) << x;
      if (old) {
        EXPECT_LT(
            (whole.displacement - sum.displacement - r1.line(id).at(x * L).displacement).norm(),
            1e-12);
      }
    }
  }
}

// New members between drawn places: in a linear frame the order of building leaves no trace.
TEST(Staged, DrawnPositionsAreTheSameAsAtOnce) {
  TwoStoreys f;
  Erection erection(f.b);
  erection.stage(f.lower, f.on_lower);
  erection.stage(f.upper, f.on_both).drawn = true;
  const RunResult r = erection.run();
  const Step& staged = *r.find("erection", "S2");
  EXPECT_LT(difference(staged, *r.find("erection-at-once", "S2"), f.all()), 1e-12);
}

TEST(Staged, IndependentPartsInAnyOrder) {
  std::array<Step, 2> last;
  for (const bool reversed : {false, true}) {
    FrameBuilder b;
    const SectionId s = b.section(rolled_section());
    const MaterialId m = b.material(210e9, 81e9, 7850);
    std::vector<MemberId> cantilevers;
    LoadCase loads[3];
    for (int i = 0; i < 2; ++i) {
      const NodeId foot = b.node("F" + std::to_string(i), 5 * i, 0, 0);
      const NodeId tip = b.node("T" + std::to_string(i), 5 * i, 0, 3);
      b.fix(foot, {0, 2, 4});
      cantilevers.push_back(b.member("m" + std::to_string(i), foot, tip, s, m));
      loads[i].nodal.push_back({tip, force6(1e3, 0, -5e4), 0});
      TwoStoreys::append(loads[i], loads[2]);
    }
    const std::size_t a = reversed ? 1 : 0;
    Erection erection(b, AnalysisKind::p_delta);
    erection.stage({cantilevers[a]}, loads[a]);
    erection.stage({cantilevers[1 - a]}, loads[2]);
    const RunResult r = erection.run();
    last[a] = *r.find("erection", "S2");
    EXPECT_EQ(last[a].outcome.verdict, Verdict::stands);
  }
  for (const NodeId n : {NodeId(1), NodeId(3)}) {
    EXPECT_LT((last[0].state.nodes[n].vector() - last[1].state.nodes[n].vector()).norm(), 1e-15);
  }
}

// A beam on a prop that is struck: in the end the beam alone, whose load the prop has handed on.
TEST(Staged, APropIsStruck) {
  FrameBuilder b;
  const SectionId s = b.section(rolled_section());
  const MaterialId m = b.material(210e9, 81e9);
  const NodeId A = b.node("A", 0, 0, 0), M = b.node("M", 3, 0, 0), C = b.node("C", 6, 0, 0);
  const NodeId ground = b.node("P", 3, 0, -2);
  const MemberId left = b.member("left", A, M, s, m), right = b.member("right", M, C, s, m);
  const MemberId prop = b.member("prop", ground, M, s, m), idle = b.member("idle", A, ground, s, m);
  for (const NodeId n : {A, C}) b.fix(n, {0, 2});
  b.fix(ground, {0, 2, 4});
  b.model.members[prop].joints[1][4] = 0;
  b.model.members[idle].kind = MemberKind::axial;
  LoadCase q, none;
  for (const MemberId id : {left, right}) {
    q.distributed.push_back({id, force6(0, 0, -5e3), force6(0, 0, -5e3), 0, 3, LoadAxes::global});
  }
  Erection erection(b);
  erection.stage({left, right, prop, idle}, q);
  erection.stage({}, q).struck = {idle};
  erection.stage({}, q).struck = {prop};
  const RunResult r = erection.run();
  const Step &propped = *r.find("erection", "S1"), &same = *r.find("erection", "S2");
  const Step& free = *r.find("erection", "S3");
  ASSERT_TRUE(free.outcome.stands()) << free.outcome.reason;
  // What carries nothing may go: here the strut between two held nodes.
  EXPECT_LT((propped.state.nodes[M].vector() - same.state.nodes[M].vector()).norm(), 1e-12);
  const double EI = 210e9 * 8e-5, GA = 81e9 * 3e-3, w = 5e3, L = 6;
  EXPECT_LE(relative_error(-free.state.nodes[M].translation[2],
                           5 * w * L * L * L * L / (384 * EI) + w * L * L / (8 * GA)),
            1e-9);
  EXPECT_NEAR(free.reactions[A][2], w * L / 2, 1e-6);
  EXPECT_EQ(free.reactions[ground].norm(), 0);
  EXPECT_GT(same.reactions[ground][2], w * L / 2);
}

// A support that arrives under a bent beam carries nothing until something more comes on.
TEST(Staged, SupportsArriveWhereTheirNodesAre) {
  for (const bool bent : {false, true}) {
    FrameBuilder b;
    const SectionId s = b.section(rolled_section());
    const MaterialId m = b.material(210e9, 81e9);
    const NodeId A = b.node("A", 0, 0, 0), M = b.node("M", 4, 0, 0), C = b.node("C", 7, 0, 0);
    const std::vector<MemberId> beam = {b.member("1", A, M, s, m), b.member("2", M, C, s, m)};
    b.fix(A, {0, 2});
    b.fix(C, {2});
    LoadCase first, both, push;
    first.nodal.push_back({M, force6(0, 0, -2e4), 0});
    push.nodal.push_back({M, force6(0, 0, -7e3), 0});
    push.nodal.push_back({C, force6(-3e5, 0, 0), 0});
    both = first;
    TwoStoreys::append(push, both);
    Erection erection(b, theory_of(bent));
    erection.stage(beam, first);
    Support under;
    under.node = M;
    under.directions[2].stiffness = kRigid;
    erection.stage({}, first).supports = {under};
    erection.stage({}, both);
    erection.stage({}, both).ground = {{M, 2, -0.002}};
    erection.stage({}, both).freed = {{M, 2}};
    const RunResult r = erection.run();
    const auto step = [&r](int k) -> const Step& {
      return *r.find("erection", "S" + std::to_string(k));
    };
    for (int k = 1; k <= 5; ++k) ASSERT_TRUE(step(k).outcome.stands()) << step(k).outcome.reason;
    const double u = step(1).state.nodes[M].translation[2];
    EXPECT_LT(std::abs(step(2).reactions[M][2]), 1e-4);
    EXPECT_NEAR(step(3).state.nodes[M].translation[2], u, 1e-14);
    // The support takes the new load at its node, all but for what P-Delta does.
    EXPECT_NEAR(step(3).reactions[M][2], 7e3, bent ? 3e3 : 1e-4);
    EXPECT_NEAR(step(4).state.nodes[M].translation[2], u - 0.002, 1e-14);
    // Freed, the frame is as if the support had never been.
    EXPECT_LT((step(5).state.nodes[M].vector() -
               r.find("erection-at-once", "S5")->state.nodes[M].vector())
                  .norm(),
              1e-9);
  }
}

// A bearing that only pushes arrives under a bent beam, and lifts off when the load turns.
TEST(Staged, AOneWaySupportArrives) {
  FrameBuilder b;
  const SectionId s = b.section(rolled_section());
  const MaterialId m = b.material(210e9, 81e9);
  const NodeId A = b.node("A", 0, 0, 0), M = b.node("M", 4, 0, 0), C = b.node("C", 8, 0, 0);
  const std::vector<MemberId> beam = {b.member("1", A, M, s, m), b.member("2", M, C, s, m)};
  b.fix(A, {0, 2});
  b.fix(C, {2});
  LoadCase down, more, less;
  down.nodal.push_back({M, force6(0, 0, -2e4), 0});
  more.nodal.push_back({M, force6(0, 0, -3e4), 0});
  less.nodal.push_back({M, force6(0, 0, -1e4), 0});
  Support bearing;
  bearing.node = M;
  bearing.directions[2].stiffness = kRigid;
  bearing.directions[2].only = 1;
  for (const bool bent : {false, true}) {
    b.model.analyses.clear();
    Erection erection(b, theory_of(bent));
    erection.stage(beam, down);
    erection.stage({}, down).supports = {bearing};
    erection.stage({}, more);
    erection.stage({}, less);
    const RunResult r = erection.run();
    const Step &pushed = *r.find("erection", "S3"), &lifted = *r.find("erection", "S4");
    ASSERT_TRUE(pushed.outcome.stands() && lifted.outcome.stands()) << lifted.outcome.reason;
    EXPECT_NEAR(pushed.reactions[M][2], 1e4, 1e-3);
    EXPECT_EQ(lifted.reactions[M][2], 0);
    EXPECT_LE(relative_error(lifted.state.nodes[M].translation[2],
                             r.find("erection", "S1")->state.nodes[M].translation[2] / 2),
              1e-6);
  }
}

// G2: EI = L = 1, H and P = 1, a rigid brace at the displaced tip, then P = 2.
TEST(Staged, G2BraceAtTheDisplacedTip) {
  constexpr double H = 1e-3;
  FrameBuilder b;
  const SectionId s = b.section(testing::bending_only(1));
  const MaterialId m = b.material(1, 1);
  const NodeId foot = b.node("A", 0, 0, 0), tip = b.node("B", 0, 0, 1), side = b.node("C", 1, 0, 1);
  const MemberId column = b.member("column", foot, tip, s, m);
  const MemberId brace = b.member("brace", side, tip, s, m);
  b.model.members[brace].kind = MemberKind::axial;
  b.fix(foot, {0, 2, 4});
  b.fix(side, {0, 2});
  LoadCase one, two;
  one.nodal.push_back({tip, force6(H, 0, -1), 0});
  two.nodal.push_back({tip, force6(H, 0, -2), 0});
  Erection erection(b, AnalysisKind::p_delta);
  erection.stage({column}, one);
  erection.stage({brace}, one);
  erection.stage({}, two);
  const RunResult r = erection.run();
  const Step &before = *r.find("erection", "S1"), &arrived = *r.find("erection", "S2");
  const Step& after = *r.find("erection", "S3");
  ASSERT_TRUE(after.outcome.stands()) << after.outcome.reason;
  EXPECT_LE(relative_error(std::abs(before.reactions[foot][4]), 1.557407725 * H), 1e-6);
  EXPECT_LT(std::abs(arrived.reactions[side][0]), 1e-9 * H);
  EXPECT_LE(relative_error(std::abs(after.reactions[side][0]), 0.679549314 * H), 1e-5);
  EXPECT_LE(relative_error(std::abs(after.reactions[foot][4]), 1.435266136 * H), 1e-5);
  EXPECT_LE(relative_error(after.state.nodes[tip].translation[0], 0.557407725 * H), 1e-5);
}

TEST(Staged, TiesAndCablesArriveToo) {
  // A column stands alone, then gets a tie on one side and a cable on the other, then wind.
  FrameBuilder b;
  const SectionId s = b.section(rolled_section());
  SectionProperties rod;
  rod.A = 3e-4;
  const SectionId thin = b.section(rod);
  const MaterialId m = b.material(210e9, 81e9);
  const NodeId foot = b.node("F", 0, 0, 0), top = b.node("T", 0, 0, 6);
  const NodeId left = b.node("L", -4, 0, 0), right = b.node("R", 4, 0, 0);
  const MemberId column = b.member("column", foot, top, s, m);
  const MemberId tie = b.member("tie", left, top, thin, m);
  const MemberId stay = b.member("stay", right, top, thin, m);
  b.model.members[tie].kind = MemberKind::tension_only;
  b.model.members[stay].kind = MemberKind::cable;
  cut_cables(b.model);
  b.fix(foot, {0, 2, 4});
  for (const NodeId n : {left, right}) b.fix(n, {0, 2});
  for (const double sense : {1.0, -1.0}) {
    LoadCase still, wind;
    still.nodal.push_back({top, force6(sense * 2e3, 0, -1e4), 0});
    wind.nodal.push_back({top, force6(sense * 9e3, 0, -1e4), 0});
    for (const bool bent : {false, true}) {
      b.model.analyses.clear();
      Erection erection(b, theory_of(bent));
      erection.stage({column}, still);
      erection.stage({tie, stay}, still);
      erection.stage({}, wind);
      const RunResult r = erection.run();
      const Step &arrived = *r.find("erection", "S2"), &blown = *r.find("erection", "S3");
      ASSERT_TRUE(blown.outcome.stands()) << blown.outcome.reason;
      // Nothing in either until the wind grows; then the windward one carries.
      EXPECT_NEAR(mean_axial_force(Recovery(arrived), tie), 0, 1e-3);
      EXPECT_NEAR(mean_axial_force(Recovery(arrived), stay), 0, 1e-3);
      const double N[2] = {mean_axial_force(Recovery(blown), tie),
                           mean_axial_force(Recovery(blown), stay)};
      EXPECT_GT(N[sense > 0 ? 0 : 1], 1e3);
      EXPECT_NEAR(N[sense > 0 ? 1 : 0], 0, 1e-3);
      EXPECT_LT(blown.equilibrium.nodes, 1e-9);
      EXPECT_LT(blown.equilibrium.reactions, 1e-9);
    }
  }
}

// A cable that is pulled to a force has it between the nodes as they are when it comes; one that is
// cut to a length has what that length gives.
TEST(Staged, APreloadedCableArrivesWithItsForce) {
  constexpr double P = 5e4, N0 = 1e4, EA = 4e7;
  for (const bool to_length : {false, true}) {
    FrameBuilder b;
    SectionProperties rod;
    rod.A = 1e-3;
    const SectionId s = b.section(rod);
    const MaterialId soft = b.material(1e9, 1), rope = b.material(EA / 1e-3, 1);
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 4, 0, 0), C = b.node("C", 9, 0, 0);
    const MemberId bar = b.member("bar", A, B, s, soft), stay = b.member("stay", B, C, s, rope);
    b.model.members[bar].kind = MemberKind::axial;
    b.model.members[stay].kind = MemberKind::cable;
    (to_length ? b.model.members[stay].cut_length : b.model.members[stay].preload) =
        to_length ? 4.9 : N0;
    cut_cables(b.model);
    for (const NodeId n : {A, C}) b.fix(n, {0, 2});
    b.fix(B, {2});
    LoadCase pull;
    pull.nodal.push_back({B, force6(-P, 0, 0), 0});
    Support held;
    held.node = B;
    held.directions[0].stiffness = kRigid;
    Erection erection(b);
    erection.stage({bar}, pull);
    erection.stage({stay}, pull).supports = {held};
    const RunResult r = erection.run();
    const Step& step = *r.find("erection", "S2");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    const double u = -P * 4 / (1e9 * 1e-3), length = 5 - u;
    EXPECT_LE(relative_error(step.state.nodes[B].translation[0], u), 1e-12);
    const double N = to_length ? EA * (length / 4.9 - 1) : N0;
    EXPECT_LE(relative_error(mean_axial_force(Recovery(step), stay), N), 1e-9);
    EXPECT_LE(relative_error(step.reactions[B][0], -N), 1e-9);
  }
}

TEST(Staged, AMechanismIsNamedAndEndsTheErection) {
  HingedPortal p;
  LoadCase load;
  load.nodal.push_back({p.B, force6(1e3, 0, 0), 0});
  Erection erection(p.b);
  erection.stage({p.left}, load);
  erection.stage({p.beam, p.right}, load);
  const RunResult r = erection.run();
  const Step &first = *r.find("erection", "S1"), &second = *r.find("erection", "S2");
  EXPECT_EQ(first.outcome.verdict, Verdict::mechanism);
  EXPECT_NE(second.outcome.reason.find("not reached: stage S1"), std::string::npos)
      << second.outcome.reason;
  EXPECT_TRUE(r.find("erection-at-once", "S2")->outcome.stands());
}

// Factor and frequency of a stage are those of the frame that stands then.
TEST(Staged, BucklingAndVibrationOfAStage) {
  TwoStoreys f, alone;
  Erection erection(f.b, AnalysisKind::p_delta);
  erection.stage(f.lower, f.on_lower);
  erection.stage(f.upper, f.on_both);
  const RunResult r = erection.run();
  const Step& stage = *r.find("erection", "S1");
  ASSERT_TRUE(stage.reserve && stage.lowest_omega);

  FrameBuilder low;
  for (const Material& m : alone.b.model.materials) low.model.materials.push_back(m);
  for (const Section& s : alone.b.model.sections) low.model.sections.push_back(s);
  const NodeId A0 = low.node("A0", 0, 0, 0), A1 = low.node("A1", 0, 0, 3.5);
  const NodeId D0 = low.node("D0", 6, 0, 0), D1 = low.node("D1", 6, 0, 4);
  const std::vector<MemberId> members = {low.member("CA1", A0, A1, SectionId(0), MaterialId(0)),
                                         low.member("CD1", D0, D1, SectionId(0), MaterialId(0)),
                                         low.member("B1", A1, D1, SectionId(0), MaterialId(0))};
  low.fix(A0, {0, 2, 4});
  low.fix(D0, {0, 2});
  LoadCase loads;
  loads.name = "G";
  for (const MemberId id : members) alone.put(id, loads);
  loads.nodal.push_back({A1, force6(9e3, 0, -2e4), 0});
  low.model.cases.push_back(loads);
  AnalysisSpec second, modes;
  second.name = "second";
  second.become<PDeltaKeys>();
  second.loads = {low.model.case_alone(CaseId(0))};
  modes.name = "modes";
  ModalKeys& keys = modes.become<ModalKeys>();
  keys.modes = 1;
  modes.after = {"second", "G"};
  low.model.analyses = {second, modes};
  const RunResult q = run(low.model);
  EXPECT_LE(relative_error(*stage.reserve, *q.find("second", "G")->reserve), 1e-6);
  EXPECT_LE(relative_error(*stage.lowest_omega, q.steps.back().modal->modes.front().omega), 1e-6);
}

TEST(Staged, AStageThatBucklesBelowItsLoadsDoesNotStand) {
  FrameBuilder b;
  const SectionId s = b.section(testing::bending_only(1));
  const MaterialId m = b.material(1, 1);
  const NodeId foot = b.node("A", 0, 0, 0), top = b.node("B", 0, 0, 1);
  const MemberId column = b.member("column", foot, top, s, m);
  b.fix(foot, {0, 2, 4});
  LoadCase light, heavy;
  light.nodal.push_back({top, force6(0, 0, -1), 0});
  heavy.nodal.push_back({top, force6(0, 0, -5), 0});
  Erection erection(b);
  erection.stage({column}, light);
  erection.stage({}, heavy);
  const RunResult r = erection.run();
  EXPECT_TRUE(r.find("erection", "S1")->outcome.stands());
  const Step& heavy_step = *r.find("erection", "S2");
  EXPECT_EQ(heavy_step.outcome.verdict, Verdict::buckles_below_load);
  EXPECT_LE(relative_error(*heavy_step.reserve, M_PI * M_PI / 4 / 5), 1e-6);
}

// With the cambers built in, a linear frame ends as drawn: tried with columns that shorten.
TEST(Staged, CamberSetsNodesHigherByWhatTheyGoDown) {
  TwoStoreys f;
  Erection erection(f.b);
  erection.stage(f.lower, f.on_lower);
  erection.stage(f.upper, f.on_both);
  const RunResult r = erection.run();
  const Step &first = *r.find("erection", "S1"), &last = *r.find("erection", "S2");
  int columns = 0;
  for (const CamberRow& row : find_camber(r.steps)) {
    const auto down = [](const Step& s, NodeId n) { return -s.state.nodes[n].translation[2]; };
    if (row.node.valid()) {
      EXPECT_EQ(row.amount, down(last, row.node));
    } else if (row.member == f.upper[0]) {
      ++columns;
      EXPECT_EQ(row.label, "S2");
      EXPECT_NEAR(row.amount, down(last, f.A2) - (down(last, f.A1) - down(first, f.A1)), 1e-15);
    }
  }
  EXPECT_EQ(columns, 1);
}

TEST(Staged, HoldsAreThereInEveryStage) {
  TwoStoreys f;
  Erection e(f.b);
  e.stage(f.lower, f.on_lower);
  e.stage(f.upper, f.on_both);
  Hold hold;
  hold.directions[0] = true;
  for (const NodeId n : {f.A1, f.D2}) {
    hold.node = n;
    e.spec.holds.push_back(hold);
  }
  const RunResult r = e.run();
  for (const char* stage : {"S1", "S2"}) {
    const Step& step = *r.find("erection", stage);
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    EXPECT_EQ(step.state.nodes[f.A1].translation[0], 0);
    EXPECT_LT(step.equilibrium.nodes, kExact);
  }
  EXPECT_NE(r.find("erection", "S1")->state.nodes[f.D1].translation[0], 0);
  EXPECT_EQ(r.find("erection", "S2")->state.nodes[f.D2].translation[0], 0);
}

TEST(Staged, MassOfLoadsCountsWhereTheyActSoFar) {
  TwoStoreys f;
  f.b.load_case().nodal.push_back({f.D1, force6(0, 0, -5e4), 0});
  f.b.model.mass.self = false;
  f.b.model.mass.from_loads = {{CaseId(0), 1.0}};
  f.b.model.mass.nodes.push_back({f.A1, Vector3d::Constant(100)});
  Erection e(f.b);
  e.stage(f.all(), f.on_both);
  e.stage({}, f.on_both);
  LoadCase heavy = f.b.load_case();
  e.spec.loads[0].heavy = std::make_shared<const LoadCase>();
  e.spec.loads[1].heavy = std::make_shared<const LoadCase>(heavy);
  const RunResult r = e.run();
  const auto mass = [&](const char* stage) {
    const Step& step = *r.find("erection", stage);
    AnalysisSpec spec;
    spec.name = "modes";
    spec.become<ModalKeys>().modes = 1;
    const ElasticFrame frame = make_elastic_frame(step.frame->situation());
    return modal(frame, spec, &step).modal->total[0];
  };
  EXPECT_RELATIVE(mass("S1"), 100.0, kExact);
  EXPECT_RELATIVE(mass("S2"), 100 + 5e4 / f.b.model.gravity, kExact);
  EXPECT_LT(*r.find("erection", "S2")->lowest_omega, *r.find("erection", "S1")->lowest_omega);
}

}  // namespace
}  // namespace ulterix::testing::staged_test
