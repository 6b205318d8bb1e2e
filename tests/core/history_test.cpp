// Loads that come one after the other in large displacement, and supports that work one way there.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "core/analysis/large_displacement.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::history_test {
namespace {

constexpr double kE = 210e9, kLocated = 1e-6;

AnalysisSpec large(const std::vector<LoadSet>& loads) {
  AnalysisSpec spec;
  spec.name = "large";
  spec.become<LargeDisplacementKeys>();
  spec.loads = loads;
  return spec;
}

/// Legs, each with the factors that cases 0, 1, … have reached at its end.
AnalysisSpec history(const std::vector<std::vector<double>>& legs) {
  std::vector<LoadSet> sets;
  for (const std::vector<double>& factors : legs) {
    LoadSet set;
    set.name = "leg " + std::to_string(sets.size() + 1);
    for (std::size_t i = 0; i < factors.size(); ++i) {
      set.terms.emplace_back(CaseId(static_cast<int>(i)), factors[i]);
    }
    sets.push_back(set);
  }
  AnalysisSpec spec = large(sets);
  spec.become<LargeDisplacementKeys>().history.resize(legs.size());
  return spec;
}

void second_case(FrameBuilder& b, NodeId n, const Vector6d& force) {
  b.load_case();
  LoadCase c;
  c.name = "W";
  NodalLoad load;
  load.node = n;
  load.force = force;
  c.nodal.push_back(load);
  b.model.cases.push_back(c);
}

Support one_way(NodeId n, int direction, int only, double stiffness = kRigid, double slack = 0,
                double settle = 0) {
  Support s;
  s.node = n;
  s.directions[static_cast<std::size_t>(direction)] = {stiffness, settle, only, slack};
  return s;
}

TEST(History, EndsWhereItsLoadsAloneEnd) {
  // An elastic frame knows nothing of the way; a load that is taken off again leaves nothing.
  FrameBuilder b(Plane::space);
  const SectionId s = b.section(rolled_section());
  const MaterialId steel = b.material(kE, 81e9, 7850);
  const auto p = b.portal(6, 4, s, s, steel);
  b.fix_all(p.A);
  b.fix_all(p.D);
  b.model.supports.back().directions[0].settle = 5e-3;
  b.model.members[MemberId(1)].joints[0][4] = 0;
  b.nodal_load(p.B, force6(0, 1e3, -3e4, 0, 5e3, 0));
  b.uniform(MemberId(1), 2, -4e3);
  second_case(b, p.C, force6(6e3, -5e2, 0, 0, 0, 2e3));
  LoadSet both = b.model.case_alone(CaseId(0));
  both.name = "both";
  both.terms.emplace_back(CaseId(1), 0.5);
  AnalysisSpec alone = large({both, b.model.case_alone(CaseId(0))});
  alone.name = "alone";
  b.model.analyses = {history({{1, 0}, {1, 0.5}, {1, 0}}), alone};
  const RunResult r = run(b.model);
  const Step &loaded = *r.find("large", "leg 2"), &direct = *r.find("alone", "both");
  const Step &relieved = *r.find("large", "leg 3"), &before = *r.find("large", "leg 1");
  const Step& first = *r.find("alone", "G");
  for (const Step* step : {&loaded, &direct, &relieved, &before}) {
    ASSERT_TRUE(step->outcome.stands()) << step->outcome.reason;
  }
  for (const NodeId n : b.model.nodes.ids()) {
    const auto u = [n](const Step& step) { return step.state.nodes[n].vector(); };
    const double size = 1e-7 * u(loaded).norm() + 1e-12;
    EXPECT_LT((u(loaded) - u(direct)).norm(), size);
    EXPECT_LT((u(relieved) - u(before)).norm(), size);
    EXPECT_LT((u(before) - u(first)).norm(), size);
    EXPECT_LT((loaded.reactions[n] - direct.reactions[n]).norm(), 0.1);
  }
  // The loads of a point on the way, and the moments there.
  const auto& middle = loaded.path[loaded.path.size() / 2];
  const auto there = step_on_path(*r.model, loaded, middle);
  ASSERT_TRUE(there.has_value());
  const Vector3d total = there->applied->total_force();
  EXPECT_RELATIVE(total[0], 3e3 * middle.factor, kExact);
  Vector3d sum = Vector3d::Zero();
  for (const NodeId n : b.model.nodes.ids()) sum += there->reactions[n].head<3>();
  EXPECT_LT((sum + total).norm(), 1e-6 * total.norm());
}

TEST(History, AYieldedRodKeepsAnElongation) {
  // Pulled to 1.5 of its yield force by a spring beside it, relieved, pulled again.
  constexpr double kL = 3, kA = 1e-4, kYield = 20e3;
  const double k = kE * kA / kL, spring = 0.5 * k;
  FrameBuilder b;
  SectionProperties p;
  p.A = kA;
  const NodeId wall = b.node("wall", 0, 0, 0), end = b.node("end", kL, 0, 0);
  const MemberId rod = b.member("rod", wall, end, b.section(p), b.material(kE, 81e9));
  Member& m = b.model.members[rod];
  m.kind = MemberKind::axial;
  m.breaks_at = kYield;
  m.yields = true;
  b.fix(wall, {0, 2});
  b.fix(end, {2});
  b.spring(end, 0, spring);
  const double most = 1.8 * kYield / k;  // elongation at the full load
  const double P = kYield + spring * most;
  b.nodal_load(end, 0, P);
  b.model.analyses = {history({{1.0}, {0.6}, {0.0}, {1.1}})};
  const RunResult r = run(b.model);
  const double stays = most - kYield / k;
  const auto in = [&](int leg) -> const Step& {
    const Step& step = *r.find("large", "leg " + std::to_string(leg));
    EXPECT_TRUE(step.outcome.stands()) << step.outcome.reason;
    return step;
  };
  const auto u = [&](int leg) { return in(leg).state.nodes[end].translation[0]; };
  const auto N = [&](int leg) { return Recovery(in(leg)).line(rod).at(1).forces[kN]; };
  EXPECT_RELATIVE(u(1), most, kLocated);
  EXPECT_RELATIVE(N(1), kYield, kLocated);
  EXPECT_EQ(in(1).state.members[rod].activity, Activity::yields);
  // Unloading is elastic.
  const auto relieved = [&](double load) { return (load + k * stays) / (k + spring); };
  EXPECT_RELATIVE(u(2), relieved(0.6 * P), kLocated);
  EXPECT_RELATIVE(N(2), k * (u(2) - stays), kLocated);
  EXPECT_EQ(in(2).state.members[rod].activity, Activity::active);
  EXPECT_RELATIVE(in(2).state.members[rod].permanent, stays, kLocated);
  EXPECT_RELATIVE(u(3), relieved(0), kLocated);
  EXPECT_RELATIVE(N(3), -spring * u(3), kLocated);
  // Beyond where it has been it yields on.
  EXPECT_RELATIVE(N(4), kYield, kLocated);
  EXPECT_RELATIVE(u(4), (1.1 * P - kYield) / spring, kLocated);
}

TEST(History, APathThatDoesNotArriveEndsIt) {
  FrameBuilder b;
  const NodeId foot = b.node("foot", 0, 0, 0), head = b.node("head", 0, 0, 5);
  b.member("column", foot, head, b.section(bending_only(1e-5, 1e-2)), b.material(kE, 81e9));
  b.fix(foot, {0, 2, 4});
  b.nodal_load(head, 2, -1e6);  // above the critical load
  b.model.analyses = {history({{0.1}, {1.0}, {0.1}})};
  const RunResult r = run(b.model);
  EXPECT_TRUE(r.find("large", "leg 1")->outcome.stands());
  EXPECT_EQ(r.find("large", "leg 2")->outcome.verdict, Verdict::branch_point);
  EXPECT_FALSE(r.find("large", "leg 3")->has_state);
  EXPECT_EQ(r.find("large", "leg 3")->outcome.reason, "not reached: the path ends in leg 2");
}

/// A beam on three supports that push, the middle one of which may lift.
struct Beam {
  FrameBuilder b{Plane::space};
  NodeId A, B, C;
  MemberId left, right;

  Beam() {
    const SectionId s = b.section(rolled_section());
    const MaterialId steel = b.material(kE, 81e9, 7850);
    A = b.node("A", 0, 0, 0);
    B = b.node("B", 4, 0, 0);
    C = b.node("C", 10, 0, 0);
    left = b.member("left", A, B, s, steel);
    right = b.member("right", B, C, s, steel);
    b.fix(A, {0, 1, 3, 5});
    b.fix(C, {1, 3});
  }
  /// P-Delta and large displacement of the first case, at a part of it.
  RunResult run_both(double factor) {
    LoadSet set = b.model.case_alone(CaseId(0));
    set.terms[0].second = factor;
    AnalysisSpec second;
    second.name = "second";
    second.become<PDeltaKeys>();
    second.loads = {set};
    b.model.analyses = {second, large({set})};
    return run(b.model);
  }
};

TEST(SupportsThatPush, TendToPDelta) {
  constexpr double kSmall = 1e-3;
  struct Case {
    const char* name;
    Support middle, end;
    double on_left, on_right;
  };
  const Beam beam;
  const NodeId B = beam.B, C = beam.C;
  const std::vector<Case> cases = {
      {"all bear", one_way(B, 2, 1), one_way(C, 2, 1), -2e4, -2e4},
      {"the middle lifts", one_way(B, 2, 1), one_way(C, 2, 1), 3e4, -2e4},
      {"a hold-down", one_way(B, 2, -1), one_way(C, 2, 1), 1e4, -4e3},
      {"a spring bears", one_way(B, 2, 1, 3e6), one_way(C, 2, 1, 5e6), -2e4, -2e4},
      {"a spring lifts", one_way(B, 2, 1, 3e6), one_way(C, 2, 1, 5e6), 3e4, -2e4},
      {"it settles", one_way(B, 2, 1, kRigid, 0, -4e-6), one_way(C, 2, 1), -2e4, -2e4},
      {"a gap closes", one_way(B, 2, 1, kRigid, 4e-6), one_way(C, 2, 1), -2e4, -2e4},
      {"a gap stays", one_way(B, 2, 1, kRigid, 4e-2), one_way(C, 2, 1), -2e4, -2e4},
      {"a stop that turns", one_way(C, 4, 1), one_way(C, 2, 1), -2e4, -2e4},
      {"a stop that does not turn", one_way(C, 4, -1), one_way(C, 2, 1), -2e4, -2e4},
  };
  for (const Case& c : cases) {
    SCOPED_TRACE(c.name);
    Beam f;
    f.b.fix(f.A, {2});
    f.b.model.supports.push_back(c.middle);
    f.b.model.supports.push_back(c.end);
    f.b.uniform(f.left, 2, c.on_left);
    f.b.uniform(f.right, 2, c.on_right);
    const RunResult r = f.run_both(kSmall);
    const Step &second = *r.find("second", "G"), &finite = *r.find("large", "G");
    ASSERT_TRUE(second.outcome.stands()) << second.outcome.reason;
    ASSERT_TRUE(finite.outcome.stands()) << finite.outcome.reason;
    EXPECT_EQ(lifted_supports(f.b.model, finite.state), lifted_supports(f.b.model, second.state));
    double most = 0;
    for (const NodeId n : f.b.model.nodes.ids()) {
      most = std::max(most, second.reactions[n].cwiseAbs().maxCoeff());
    }
    for (const NodeId n : f.b.model.nodes.ids()) {
      EXPECT_LT((finite.reactions[n] - second.reactions[n]).cwiseAbs().maxCoeff(), 1e-4 * most);
      // The squares of displacements of 1e-4 m.
      EXPECT_LT((finite.state.nodes[n].vector() - second.state.nodes[n].vector()).norm(), 1e-8);
    }
  }
}

TEST(SupportsThatPush, AGapClosesAtItsFactor) {
  // A cantilever comes to bear on a stop below its end: 3EI·gap/L³ of its load.
  FrameBuilder b;
  const double I = 1e-6, L = 2, gap = 1e-5;
  const NodeId wall = b.node("wall", 0, 0, 0), end = b.node("end", L, 0, 0);
  b.member("beam", wall, end, b.section(bending_only(I, 1)), b.material(kE, 81e9));
  b.fix(wall, {0, 2, 4});
  b.model.supports.push_back(one_way(end, 2, 1, kRigid, gap));
  const double alone = 3 * kE * I * gap / (L * L * L);
  b.nodal_load(end, 2, -4 * alone);
  b.model.analyses = {large({b.model.case_alone(CaseId(0))})};
  const RunResult r = run(b.model);
  const Step& step = *r.find("large", "G");
  ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
  EXPECT_RELATIVE(step.state.nodes[end].translation[2], -gap, kLocated);
  EXPECT_RELATIVE(step.reactions[end][2], 3 * alone, kLocated);
  const auto event = std::find_if(step.path.begin(), step.path.end(),
                                  [](const PathPoint& p) { return p.item.has_value(); });
  ASSERT_NE(event, step.path.end());
  EXPECT_NEAR(event->factor, 0.25, kLocated);
  EXPECT_EQ(event->item->node, end);
  EXPECT_EQ(event->item->change, ItemChange::carries);
}

TEST(SupportsThatPush, NewtonEndsQuickly) {
  Beam f;
  f.b.fix(f.A, {2});
  f.b.model.supports.push_back(one_way(f.B, 2, 1));
  f.b.model.supports.push_back(one_way(f.C, 2, 1));
  f.b.uniform(f.left, 2, 3e4);
  f.b.uniform(f.right, 2, -4e4);
  const RunResult r = f.run_both(1);
  const Step& step = *r.find("large", "G");
  ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
  for (const PathPoint& p : step.path) EXPECT_LE(p.iterations, 8);
  EXPECT_LT(step.equilibrium.nodes, 1e-9);
}

TEST(SupportsThatPush, ABodyThatNothingHoldsIsAMechanism) {
  Beam f;
  f.b.model.supports.push_back(one_way(f.A, 2, 1));
  f.b.model.supports.push_back(one_way(f.B, 2, 1));
  f.b.model.supports.push_back(one_way(f.C, 2, 1));
  f.b.nodal_load(f.B, 2, 1e3);
  const RunResult r = f.run_both(1);
  const Outcome& outcome = r.find("large", "G")->outcome;
  EXPECT_EQ(outcome.verdict, Verdict::mechanism) << outcome.reason;
  EXPECT_NE(outcome.reason.find("lifted"), std::string::npos);
}

}  // namespace
}  // namespace ulterix::testing::history_test
