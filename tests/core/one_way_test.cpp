// One-way members and supports: closed forms, brute force over all states, numbering, preload.
#include "core/analysis/one_way.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>

#include "core/analysis/first_order.hpp"
#include "core/analysis/one_way_values.hpp"
#include "core/analysis/run.hpp"
#include "core/results/modes.hpp"
#include "core/results/recovery.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::one_way_test {
namespace {

constexpr double kE = 210e9;

SectionProperties axial_only(double A) {
  SectionProperties p;
  p.A = A;
  return p;
}

AnalysisSpec spec_of(const char* name, AnalysisKind kind, const Model& model) {
  AnalysisSpec spec;
  spec.name = name;
  spec.become(kind);
  if (kind == AnalysisKind::first_order) spec.become<FirstOrderKeys>().iterate = true;
  for (const CaseId id : model.cases.ids()) spec.loads.push_back(model.case_alone(id));
  return spec;
}

/// At which part of the load something begins to carry.
void expect_takes_up_at(const Step& step, double factor) {
  const auto takes_up =
      std::find_if(step.events.begin(), step.events.end(),
                   [](const ItemEvent& e) { return e.change == ItemChange::carries; });
  ASSERT_NE(takes_up, step.events.end());
  EXPECT_NEAR(takes_up->factor, factor, 1e-6);
}

/// The linear one-way answer of the one load case with its events.
RunResult run_linear(FrameBuilder& b) {
  AnalysisSpec spec = spec_of("one", AnalysisKind::first_order, b.model);
  spec.become<FirstOrderKeys>().events = true;
  b.model.analyses = {spec};
  return run(b.model);
}

double force_in(const Step& step, MemberId id) {
  return mean_axial_force(Recovery(step), id);
}

bool is_idle(const Step& step, MemberId id) {
  return step.state.members[id].activity == Activity::idle;
}

/// A bay of two hinged columns, a beam and crossed ties; W pushes along x, G presses the columns.
struct Bay {
  FrameBuilder b{Plane::xz};
  NodeId A0, A1, B0, B1;
  MemberId X1, X2;

  explicit Bay(double width = 6, double height = 4) {
    const SectionId post = b.section(bending_only(1e-4, 1e-2)), rod = b.section(axial_only(3e-4));
    const MaterialId steel = b.material(kE, 81e9);
    A0 = b.node("A0", 0, 0, 0);
    A1 = b.node("A1", 0, 0, height);
    B0 = b.node("B0", width, 0, 0);
    B1 = b.node("B1", width, 0, height);
    b.member("A", A0, A1, post, steel);
    b.member("B", B0, B1, post, steel);
    const MemberId beam = b.member("beam", A1, B1, post, steel);
    b.model.members[beam].joints[0][4] = b.model.members[beam].joints[1][4] = 0;
    X1 = b.member("X1", A0, B1, rod, steel);
    X2 = b.member("X2", B0, A1, rod, steel);
    for (const MemberId id : {X1, X2}) b.model.members[id].kind = MemberKind::tension_only;
    b.fix(A0, {0, 2});
    b.fix(B0, {0, 2});
  }
};

/// T1: the tie that is pulled takes all of the push, H/cos; both ways it would take half.
TEST(OneWay, CrossedTiesInOneBay) {
  for (const double H : {20e3, -20e3}) {
    Bay bay;
    bay.b.nodal_load(bay.A1, 0, H);
    bay.b.model.analyses = {spec_of("one", AnalysisKind::first_order, bay.b.model),
                            spec_of("p-delta", AnalysisKind::p_delta, bay.b.model)};
    const RunResult r = run(bay.b.model);
    const MemberId pulled = H > 0 ? bay.X1 : bay.X2, pushed = H > 0 ? bay.X2 : bay.X1;
    const double whole = std::abs(H) * std::hypot(6, 4) / 6;
    const Step& one = *r.find("one", "G");
    ASSERT_TRUE(one.outcome.stands()) << one.outcome.reason;
    EXPECT_NEAR(force_in(one, pulled), whole, 1e-9 * whole);
    EXPECT_EQ(force_in(one, pushed), 0);
    EXPECT_TRUE(is_idle(one, pushed));
    EXPECT_FALSE(is_idle(one, pulled));
    const Step& bent = *r.find("p-delta", "G");
    ASSERT_TRUE(bent.outcome.stands()) << bent.outcome.reason;
    EXPECT_NEAR(force_in(bent, pulled), whole, 0.01 * whole);
    EXPECT_TRUE(is_idle(bent, pushed));
    // Both ways the baseline shares it.
    const Step& both = r.baseline("G");
    EXPECT_NEAR(force_in(both, pulled) - force_in(both, pushed), whole, 1e-9 * whole);
    EXPECT_GT(force_in(both, pulled), 0.3 * whole);
    // The stiffness is that of one tie: H L / (EA cos²) and the column and beam that it presses.
    const double sway = one.state.nodes[bay.A1].translation[0];
    EXPECT_GT(std::abs(sway), std::abs(both.state.nodes[bay.A1].translation[0]) * 1.8);
    EXPECT_LT(one.equilibrium.reactions, 1e-12);
  }
}

/// Gravity alone shortens the columns, both ties go slack and nothing holds the sway: told, and
/// mended by a notional load.
TEST(OneWay, GravityAloneLeavesAMechanismThatIsTold) {
  Bay bay;
  bay.b.nodal_load(bay.A1, 2, -100e3);
  bay.b.nodal_load(bay.B1, 2, -100e3);
  AnalysisSpec plain = spec_of("p-delta", AnalysisKind::p_delta, bay.b.model);
  LoadSet leaning = bay.b.model.case_alone(CaseId(0));
  leaning.name = "leaning";
  leaning.notional_x = 0.005;
  plain.loads.push_back(leaning);
  bay.b.model.analyses = {plain};
  const RunResult r = run(bay.b.model);
  const Step& step = *r.find("p-delta", "G");
  EXPECT_EQ(step.outcome.verdict, Verdict::mechanism);
  EXPECT_NE(step.outcome.reason.find("X1 and X2 slack"), std::string::npos) << step.outcome.reason;
  EXPECT_NE(step.outcome.reason.find("along x"), std::string::npos) << step.outcome.reason;
  EXPECT_NE(step.outcome.reason.find("notional"), std::string::npos) << step.outcome.reason;
  EXPECT_TRUE(r.find("p-delta", "leaning")->outcome.stands());
}

/// T2: a beam on three supports that only push, loaded in its first span: the far end would rise,
/// so it lifts off there and the rest is a beam on two supports with an overhang that carries
/// nothing.
TEST(OneWay, ABeamLiftsOffOneOfThreeSupports) {
  FrameBuilder b(Plane::xz);
  const double L = 4, P = 10e3, EI = kE * 2e-5;
  const SectionId s = b.section(bending_only(2e-5, 5e-3));
  const MaterialId steel = b.material(kE, 81e9);
  const NodeId A = b.node("A", 0, 0, 0), M = b.node("M", L / 2, 0, 0), B = b.node("B", L, 0, 0),
               C = b.node("C", 2 * L, 0, 0);
  b.member("AM", A, M, s, steel);
  b.member("MB", M, B, s, steel);
  b.member("BC", B, C, s, steel);
  b.fix(A, {0, 2});
  b.fix(B, {2});
  b.fix(C, {2});
  for (Support& support : b.model.supports) support.directions[2].only = 1;
  b.nodal_load(M, 2, -P);
  AnalysisSpec one = spec_of("one", AnalysisKind::first_order, b.model);
  one.become<FirstOrderKeys>().events = true;
  b.model.analyses = {one, spec_of("p-delta", AnalysisKind::p_delta, b.model)};
  const RunResult r = run(b.model);
  for (const char* name : {"one", "p-delta"}) {
    const Step& step = *r.find(name, "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    EXPECT_NEAR(step.reactions[A][2], P / 2, 1e-9 * P);
    EXPECT_NEAR(step.reactions[B][2], P / 2, 1e-9 * P);
    EXPECT_EQ(step.reactions[C][2], 0);
    ASSERT_EQ(step.state.open.size(), 1u);
    EXPECT_EQ(step.state.open[0], std::pair(C, 2));
    // The overhang goes on straight with the slope at B, PL²/16EI.
    EXPECT_NEAR(step.state.nodes[C].translation[2], P * L * L / (16 * EI) * L, 1e-9);
  }
  // Both ways the far support would have to hold it down: −3P/32.
  EXPECT_NEAR(r.baseline("G").reactions[C][2], -3 * P / 32, 1e-9 * P);
  // It lifts with the very first part of the load.
  const Step& step = *r.find("one", "G");
  ASSERT_EQ(step.events.size(), 1u);
  EXPECT_EQ(step.events[0].factor, 0);
  EXPECT_EQ(step.events[0].change, ItemChange::idle);
}

/// A gap under the middle of a beam: nothing until the beam has come down to it.
TEST(OneWay, ASupportWithAGapBearsWhenItIsReached) {
  const double L = 6, EI = kE * 2e-5, gap = 4e-3;
  for (const double P : {5e3, 20e3}) {
    FrameBuilder b(Plane::xz);
    const SectionId s = b.section(bending_only(2e-5, 5e-3));
    const MaterialId steel = b.material(kE, 81e9);
    const NodeId A = b.node("A", 0, 0, 0), M = b.node("M", L / 2, 0, 0), B = b.node("B", L, 0, 0);
    b.member("AM", A, M, s, steel);
    b.member("MB", M, B, s, steel);
    b.fix(A, {0, 2});
    b.fix(B, {2});
    b.fix(M, {2});
    b.model.supports.back().directions[2].only = 1;
    b.model.supports.back().directions[2].slack = gap;
    b.nodal_load(M, 2, -P);
    const RunResult r = run_linear(b);
    const Step& step = *r.find("one", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    const double k = 48 * EI / (L * L * L), free = P / k;
    EXPECT_NEAR(-step.state.nodes[M].translation[2], std::min(free, gap), 1e-12);
    EXPECT_NEAR(step.reactions[M][2], std::max(0.0, P - k * gap), 1e-6);
    if (free > gap) expect_takes_up_at(step, gap / free);
  }
}

/// A hanger with a gap: nothing until the gap is used up, then linear.
TEST(OneWay, AHangerWithAGap) {
  const double L = 3, EA = kE * 3e-4, k = 2e6, gap = 2e-3;
  for (const double P : {3e3, 4e3, 4.0001e3, 10e3}) {
    FrameBuilder b(Plane::xz);
    const NodeId top = b.node("T", 0, 0, L), low = b.node("L", 0, 0, 0);
    const MemberId hanger =
        b.member("h", top, low, b.section(axial_only(3e-4)), b.material(kE, 81e9));
    b.model.members[hanger].kind = MemberKind::tension_only;
    b.model.members[hanger].slack = gap;
    b.fix(top, {0, 2});
    b.fix(low, {0});
    b.spring(low, 2, k);
    b.nodal_load(low, 2, -P);
    const RunResult r = run_linear(b);
    const Step& step = *r.find("one", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    const double h = EA / L, free = P / k;
    const double u = free <= gap ? free : (P + h * gap) / (k + h);
    EXPECT_NEAR(-step.state.nodes[low].translation[2], u, 1e-12);
    EXPECT_NEAR(force_in(step, hanger), std::max(0.0, h * (u - gap)), 1e-6);
    // The gap closes at k·gap/P of the load.
    if (P == 10e3) expect_takes_up_at(step, k * gap / P);
  }
}

/// A preloaded tie carries pressure until its preload is used up; a support with a gap.
TEST(OneWay, PreloadCarriesPressureUntilItIsUsedUp) {
  for (const double P : {5e3, 30e3}) {
    FrameBuilder b(Plane::xz);
    const double L = 2, preload = 10e3, k = 5e6, h = kE * 1e-4 / L;
    const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", L, 0, 0);
    const MemberId tie = b.member("t", A, B, b.section(axial_only(1e-4)), b.material(kE, 81e9));
    b.model.members[tie].kind = MemberKind::tension_only;
    b.model.members[tie].preload = preload;
    b.fix(A, {0, 2});
    b.fix(B, {2});
    b.spring(B, 0, k);
    b.nodal_load(B, 0, -P);
    b.model.analyses = {spec_of("one", AnalysisKind::first_order, b.model)};
    const RunResult r = run(b.model);
    const Step& step = *r.find("one", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    // u (k + h) = −P − preload while it carries, u k = −P after.
    double u = (-P - preload) / (k + h);
    if (preload + h * u < 0) u = -P / k;
    EXPECT_NEAR(step.state.nodes[B].translation[0], u, 1e-12);
    EXPECT_NEAR(force_in(step, tie), std::max(0.0, preload + h * u), 1e-6);
    // The baseline keeps the preload both ways.
    EXPECT_NEAR(force_in(r.baseline("G"), tie), preload + h * (-P - preload) / (k + h), 1e-6);
  }
}

/// A random plane frame of posts and beams with crossed ties in every bay.
FrameBuilder random_hall(std::mt19937& random, int bays, int storeys, std::vector<MemberId>& ties) {
  std::uniform_real_distribution<double> part(0.5, 1.5);
  FrameBuilder b(Plane::xz);
  const SectionId post = b.section(bending_only(3e-5, 4e-3)), rod = b.section(axial_only(2e-4));
  const MaterialId steel = b.material(kE, 81e9);
  std::vector<std::vector<NodeId>> at(static_cast<std::size_t>(bays + 1));
  double x = 0;
  for (int i = 0; i <= bays; ++i) {
    for (int k = 0; k <= storeys; ++k) {
      at[std::size_t(i)].push_back(
          b.node("N" + std::to_string(10 * i + k), x, 0, 3.5 * k + 0.1 * part(random)));
    }
    b.fix(at[std::size_t(i)][0], {0, 2});
    x += 4 * part(random) + 1;
  }
  int tie = 0;
  for (int i = 0; i <= bays; ++i) {
    for (int k = 1; k <= storeys; ++k) {
      const auto& line = at[std::size_t(i)];
      b.member("C" + std::to_string(10 * i + k), line[std::size_t(k - 1)], line[std::size_t(k)],
               post, steel);
      if (i == 0) continue;
      const auto& left = at[std::size_t(i - 1)];
      b.member("B" + std::to_string(10 * i + k), left[std::size_t(k)], line[std::size_t(k)], post,
               steel);
      for (const bool up : {true, false}) {
        const NodeId from = up ? left[std::size_t(k - 1)] : left[std::size_t(k)];
        const NodeId to = up ? line[std::size_t(k)] : line[std::size_t(k - 1)];
        const MemberId id = b.member("X" + std::to_string(++tie), from, to, rod, steel);
        b.model.members[id].kind =
            part(random) < 0.7 ? MemberKind::compression_only : MemberKind::tension_only;
        b.model.members[id].slack = part(random) > 1.2 ? 5e-4 * part(random) : 0;
        ties.push_back(id);
      }
    }
  }
  for (const NodeId n : b.model.nodes.ids()) {
    b.nodal_load(n, force6(8e3 * (part(random) - 0.9), 0, -20e3 * part(random)));
  }
  return b;
}

/// The state found is the one among all 2^n that satisfies every condition.
TEST(OneWay, StatesAreThoseOfBruteForce) {
  std::mt19937 random(2026);
  for (int trial = 0; trial < 12; ++trial) {
    std::vector<MemberId> ties;
    FrameBuilder b = random_hall(random, 2, 2, ties);
    ASSERT_EQ(ties.size(), 8u);
    b.model.analyses = {spec_of("one", AnalysisKind::first_order, b.model)};
    const RunResult r = run(b.model);
    const Step& step = *r.find("one", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    const OneWayFrames frames(Situation(*r.model));
    AnalysisSpec linear = spec_of("linear", AnalysisKind::first_order, b.model);
    int good = 0;
    for (unsigned bits = 0; bits < 256; ++bits) {
      IdleSet idle(8);
      for (std::size_t i = 0; i < 8; ++i) idle[i] = (bits >> i) & 1U ? 1 : 0;
      const ElasticFrame& frame = frames.frame(idle);
      const Step one = first_order(frame, linear).front();
      bool holds = one.has_state;
      for (std::size_t i = 0; i < 8 && holds; ++i) {
        const Member& m = r.model->members[ties[i]];
        const double sign = one_way_sign(m.kind), L = r.model->length(ties[i]);
        const double e = frame.system->end_motion(ties[i], one.state).deformed[6];
        // What it would carry: nothing may be pulled the wrong way, nor be long enough and idle.
        const double N = sign * kE * 2e-4 / L * (e - sign * m.slack);
        holds = idle[i] != 0 ? N <= 1e-6 : N >= -1e-6;
      }
      if (!holds) continue;
      ++good;
      for (const NodeId n : b.model.nodes.ids()) {
        EXPECT_LT((one.state.nodes[n].vector() - step.state.nodes[n].vector()).norm(), 1e-12);
      }
    }
    EXPECT_EQ(good, 1) << "trial " << trial;
    EXPECT_LT(step.equilibrium.reactions, 1e-12);
    EXPECT_LT(step.equilibrium.nodes, 1e-10);
  }
}

/// Loads of every kind on ties: one that is slack hands them to its ends like two hinged stubs, one
/// that is taut carries what an axial member does.
TEST(OneWay, LoadsOnTiesGoToTheirEnds) {
  for (const AnalysisKind kind : {AnalysisKind::first_order, AnalysisKind::p_delta}) {
    Bay bay;
    FrameBuilder& b = bay.b;
    b.model.materials[MaterialId(0)].density = 7850;
    const double L = std::hypot(6, 4);
    for (const MemberId tie : {bay.X1, bay.X2}) {
      b.uniform(tie, 2, -100);
      b.uniform(tie, 0, 40, LoadAxes::local);
      b.point(tie, 0.3 * L, force6(0, 0, -500));
      b.distributed(tie, force6(60, 0, -80), force6(0, 0, -200), 0.2 * L, 0.7 * L);
      b.load_case().self_weight.push_back({tie, 1.5});
    }
    b.nodal_load(bay.A1, 0, 30e3);
    b.model.analyses = {spec_of("one", kind, b.model)};
    const RunResult r = run(b.model);
    const Step& step = *r.find("one", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    EXPECT_TRUE(is_idle(step, bay.X2));
    // Without the slack tie, its loads put on its ends by hand: shares of what acts on each place.
    FrameBuilder c = b;
    IndexedVector<MemberId, Member> kept;
    for (const MemberId id : b.model.members.ids()) {
      Member m = b.model.members[id];
      if (id == bay.X1) m.kind = MemberKind::axial;
      if (id != bay.X2) kept.push_back(m);
    }
    LoadCase& own = c.model.cases[CaseId(0)];
    const auto of_slack = [&bay](const auto& load) { return load.member == bay.X2; };
    std::erase_if(own.distributed, of_slack);
    std::erase_if(own.points, of_slack);
    std::erase_if(own.self_weight, of_slack);
    c.model.members = kept;
    // Along the slack tie x is from B0 to A1.
    const Vector3d along = Vector3d(-6, 0, 4) / L;
    const auto share = [&](const Vector3d& force, double x) {
      NodalLoad at_start, at_end;
      at_start.node = bay.B0;
      at_end.node = bay.A1;
      at_start.force.head<3>() = force * (1 - x);
      at_end.force.head<3>() = force * x;
      own.nodal.push_back(at_start);
      own.nodal.push_back(at_end);
    };
    share(Vector3d(0, 0, -100) * L, 0.5);
    share(along * 40 * L, 0.5);
    share(Vector3d(0, 0, -500), 0.3);
    share(Vector3d(0, 0, -1.5 * 3e-4 * 7850 * b.model.gravity) * L, 0.5);
    // A linear load is two triangles, each at a third of its length.
    share(Vector3d(60, 0, -80) * 0.25 * L, 0.2 + 0.5 / 3);
    share(Vector3d(0, 0, -200) * 0.25 * L, 0.2 + 1.0 / 3);
    AnalysisSpec plain = spec_of("one", kind, c.model);
    if (kind == AnalysisKind::first_order) plain.become<FirstOrderKeys>().iterate = false;
    c.model.analyses = {plain};
    const RunResult by_hand = run(c.model);
    const Step& expected = *by_hand.find("one", "G");
    ASSERT_TRUE(expected.outcome.stands()) << expected.outcome.reason;
    for (const NodeId n : b.model.nodes.ids()) {
      EXPECT_LT((step.state.nodes[n].vector() - expected.state.nodes[n].vector()).norm(), 1e-10);
      // The loads at B0 go into its support here and through the tie's end there.
      EXPECT_LT((step.reactions[n] - expected.reactions[n]).norm(), 1e-5);
    }
    EXPECT_NEAR(force_in(step, bay.X1), force_in(expected, bay.X1), 1e-6);
  }
}

/// Preloaded crossed ties both carry until the load has used the preload up; then one does. The
/// switch is located on the way.
TEST(OneWay, PreloadedCrossedTies) {
  Bay bay;
  for (const MemberId tie : {bay.X1, bay.X2}) bay.b.model.members[tie].preload = 8e3;
  bay.b.nodal_load(bay.A1, 0, 20e3);
  AnalysisSpec one = spec_of("one", AnalysisKind::first_order, bay.b.model);
  one.become<FirstOrderKeys>().events = true;
  bay.b.model.analyses = {one, spec_of("p-delta", AnalysisKind::p_delta, bay.b.model)};
  const RunResult r = run(bay.b.model);
  const Step& step = *r.find("one", "G");
  ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
  EXPECT_TRUE(is_idle(step, bay.X2));
  EXPECT_NEAR(force_in(step, bay.X1), 20e3 * std::hypot(6, 4) / 6, 1e-5);
  ASSERT_EQ(step.events.size(), 1u);
  EXPECT_EQ(step.events[0].member, bay.X2);
  // Linear until then: the force of X2 both ways falls from what preload leaves of itself to 0.
  const double full = force_in(r.baseline("G"), bay.X2);
  FrameBuilder unloaded = bay.b;
  unloaded.model.cases[CaseId(0)].nodal[0].force *= 0;
  const RunResult none = run(unloaded.model);
  const double left = force_in(none.baseline("G"), bay.X2);
  EXPECT_NEAR(step.events[0].factor, left / (left - full), 1e-6);
  EXPECT_TRUE(r.find("p-delta", "G")->outcome.stands());
}

/// A space frame on supports that only push, sprung ones among them: brute force over all states.
TEST(OneWay, SupportsInSpaceAreThoseOfBruteForce) {
  std::mt19937 random(99);
  std::uniform_real_distribution<double> part(-1, 1);
  for (int trial = 0; trial < 8; ++trial) {
    FrameBuilder b(Plane::space);
    const SectionId s = b.section([] {
      SectionProperties p = bending_only(4e-5, 6e-3);
      p.Iz = 3e-5;
      p.J = 2e-5;
      return p;
    }());
    const MaterialId steel = b.material(kE, 81e9);
    std::vector<NodeId> feet;
    NodeId last;
    for (int i = 0; i < 6; ++i) {
      const NodeId n = b.node("N" + std::to_string(i), 3 * (i % 3), 4 * (i / 3), 0);
      if (i % 3 > 0) b.member("X" + std::to_string(i), last, n, s, steel);
      if (i >= 3) b.member("Y" + std::to_string(i), feet[std::size_t(i - 3)], n, s, steel);
      last = n;
      feet.push_back(n);
      Support support;
      support.node = n;
      if (i == 0) support.directions[0].stiffness = support.directions[1].stiffness = kRigid;
      if (i == 2) support.directions[1].stiffness = kRigid;
      support.directions[2].stiffness = i % 2 == 0 ? kRigid : 3e6;
      support.directions[2].only = 1;
      support.directions[2].slack = i == 4 ? 1e-3 : 0;
      support.directions[2].settle = i == 1 ? -2e-3 : 0;
      b.model.supports.push_back(support);
      b.nodal_load(n, force6(0, 0, 15e3 * part(random) - 9e3, 2e3 * part(random), 0, 0));
    }
    b.model.analyses = {spec_of("one", AnalysisKind::first_order, b.model)};
    const RunResult r = run(b.model);
    const Step& step = *r.find("one", "G");
    const OneWayFrames frames(Situation(*r.model));
    ASSERT_EQ(frames.items().size(), 6u);
    AnalysisSpec linear = spec_of("linear", AnalysisKind::first_order, b.model);
    int good = 0;
    for (unsigned bits = 0; bits < 64; ++bits) {
      IdleSet idle(6);
      for (std::size_t i = 0; i < 6; ++i) idle[i] = (bits >> i) & 1U ? 1 : 0;
      const ElasticFrame& frame = frames.frame(idle);
      if (!frame.stands()) continue;
      const Step one = first_order(frame, linear).front();
      bool holds = one.has_state;
      for (std::size_t i = 0; i < 6 && holds; ++i) {
        const SupportDirection& d = b.model.supports[i].directions[2];
        const double above = one.state.nodes[feet[i]].translation[2] - (d.settle - d.slack);
        holds = idle[i] != 0 ? above >= -1e-12 : one.reactions[feet[i]][2] >= -1e-6;
      }
      if (!holds) continue;
      ++good;
      ASSERT_TRUE(step.has_state) << step.outcome.reason;
      for (const NodeId n : b.model.nodes.ids()) {
        EXPECT_LT((one.state.nodes[n].vector() - step.state.nodes[n].vector()).norm(), 1e-10);
      }
    }
    // Where no state holds, the frame tips over: told as a mechanism.
    EXPECT_EQ(good, step.has_state ? 1 : 0) << "trial " << trial;
    if (!step.has_state) {
      EXPECT_EQ(step.outcome.verdict, Verdict::mechanism);
    }
  }
}

/// With ties and supports of every kind switched, from several sets: what the change of low rank
/// says is what the frame of the other set does.
TEST(OneWay, SwitchedItemsHaveTheValuesOfTheirOwnFrame) {
  std::mt19937 random(7);
  std::vector<MemberId> ties;
  FrameBuilder b = random_hall(random, 2, 1, ties);
  b.model.cases[CaseId(0)].distributed.push_back(
      {ties[0], force6(300, 0, -200), force6(900, 0, -500), 0.5, 3, LoadAxes::global});
  b.model.members[ties[1]].preload = 2e3 * one_way_sign(b.model.members[ties[1]].kind);
  b.model.members[ties[1]].slack = 0;
  std::vector<Support>& supports = b.model.supports;
  ASSERT_EQ(supports.size(), 3u);
  supports[0].directions[2] = {kRigid, 0, 1, 1e-3};
  supports[0].directions[4] = {kRigid, 2e-4, -1, 0};
  supports[2].directions[2] = {5e6, 1e-3, 1, 0};
  const AnalysisSpec linear = spec_of("linear", AnalysisKind::first_order, b.model);
  const OneWayFrames frames{Situation(b.model)};
  const std::size_t count = frames.items().size();
  ASSERT_EQ(count, 7u);
  const auto set_of = [count](unsigned bits) {
    IdleSet idle(count);
    for (std::size_t i = 0; i < count; ++i) idle[i] = (bits >> i) & 1U ? 1 : 0;
    return idle;
  };
  int compared = 0;
  for (const unsigned start : {0U, 5U, 16U, 50U, 112U}) {
    const IdleSet base = set_of(start);
    const ElasticFrame& frame = frames.frame(base);
    ASSERT_TRUE(frame.stands()) << start;
    const Step step = first_order(frame, linear).front();
    SwitchedItems switched(frames, frame, base, values_of(frames, frame, step, base));
    for (unsigned bits = 0; bits < 1U << count; ++bits) {
      const IdleSet idle = set_of(bits);
      const auto changed = switched.values(idle);
      const ElasticFrame& own = frames.frame(idle);
      if (!changed) continue;
      ASSERT_TRUE(own.stands()) << start << " " << bits;
      ++compared;
      const ItemValues values = values_of(frames, own, first_order(own, linear).front(), idle);
      for (std::size_t i = 0; i < count; ++i) {
        EXPECT_NEAR((*changed)[i].value, values.items[i].value, 1e-6 * values.items[i].scale)
            << start << " to " << bits << ", item " << i;
      }
    }
  }
  EXPECT_GT(compared, 500);
}

TEST(OneWay, SwitchedItemsThatLeaveAMechanismWantAFrameOfTheirOwn) {
  Bay bay;
  bay.b.nodal_load(bay.A1, 0, 20e3);
  const OneWayFrames frames{Situation(bay.b.model)};
  const IdleSet none(2, 0), both(2, 1);
  const ElasticFrame& frame = frames.frame(none);
  const Step step =
      first_order(frame, spec_of("linear", AnalysisKind::first_order, bay.b.model)).front();
  SwitchedItems switched(frames, frame, none, values_of(frames, frame, step, none));
  EXPECT_FALSE(switched.values(both));
  EXPECT_TRUE(switched.values({1, 0}));
  EXPECT_TRUE(switched.values({0, 1}));
}

/// On the bent shape all conditions hold, for any numbering of the members to the same result.
TEST(OneWay, PDeltaStatesDoNotDependOnTheNumbering) {
  std::mt19937 random(7);
  for (int trial = 0; trial < 6; ++trial) {
    std::vector<MemberId> ties;
    FrameBuilder b = random_hall(random, 3, 2, ties);
    b.model.analyses = {spec_of("p-delta", AnalysisKind::p_delta, b.model)};
    const RunResult r = run(b.model);
    const Step& step = *r.find("p-delta", "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    int idle = 0;
    for (const MemberId id : ties) {
      const double N = one_way_sign(b.model.members[id].kind) * force_in(step, id);
      EXPECT_GE(N, -1e-5);
      idle += is_idle(step, id) ? 1 : 0;
    }
    EXPECT_GT(idle, 0);
    Model shuffled = b.model;
    std::vector<Member> members(b.model.members.begin(), b.model.members.end());
    std::shuffle(members.begin(), members.end(), random);
    shuffled.members = {};
    for (const Member& m : members) shuffled.members.push_back(m);
    const RunResult other = run(shuffled);
    const Step& same = *other.find("p-delta", "G");
    ASSERT_TRUE(same.outcome.stands());
    for (const NodeId n : b.model.nodes.ids()) {
      const double u = step.state.nodes[n].translation.norm();
      EXPECT_LT((same.state.nodes[n].translation - step.state.nodes[n].translation).norm(),
                1e-9 * std::max(u, 1e-3));
    }
  }
}

/// Holds of an analysis and one-way ties: with the heads held nothing moves and both ties carry
/// nothing; the comparison stands beside first-order under the same holds.
TEST(OneWay, HoldsOfAnAnalysisAreItsOwn) {
  Bay bay;
  bay.b.nodal_load(bay.A1, 0, 20e3);
  AnalysisSpec held = spec_of("held", AnalysisKind::p_delta, bay.b.model);
  Hold hold;
  hold.node = bay.A1;
  hold.directions[0] = true;
  held.holds = {hold};
  bay.b.model.analyses = {held, spec_of("free", AnalysisKind::p_delta, bay.b.model)};
  const RunResult r = run(bay.b.model);
  const Step &with = *r.find("held", "G"), &without = *r.find("free", "G");
  ASSERT_TRUE(with.outcome.stands()) << with.outcome.reason;
  EXPECT_NEAR(with.state.nodes[bay.A1].translation[0], 0, 1e-12);
  EXPECT_GT(without.state.nodes[bay.A1].translation[0], 1e-4);
  EXPECT_NEAR(force_in(with, bay.X1), 0, 1e-3);
  const Step* own = r.own_baseline(with);
  ASSERT_NE(own, nullptr);
  EXPECT_NEAR(own->state.nodes[bay.A1].translation[0], 0, 1e-12);
}

/// Buckling and vibration about the state that the loads give: those of the frame without the slack
/// ties.
TEST(OneWay, ModesAreThoseOfTheFrameWithoutTheSlackTies) {
  Bay bay;
  bay.b.nodal_load(bay.A1, force6(20e3, 0, -100e3));
  bay.b.nodal_load(bay.B1, 2, -100e3);
  bay.b.model.materials[MaterialId(0)].density = 7850;
  AnalysisSpec buckling = spec_of("buckling", AnalysisKind::buckling, bay.b.model);
  buckling.become<BucklingKeys>().modes = 2;
  AnalysisSpec state = spec_of("p-delta", AnalysisKind::p_delta, bay.b.model);
  AnalysisSpec modal;
  modal.name = "modal";
  modal.become<ModalKeys>().modes = 3;
  modal.after.analysis = "p-delta";
  modal.after.loads = "G";
  bay.b.model.analyses = {state, buckling, modal};
  const RunResult r = run(bay.b.model);
  const Step& factors = *r.find("buckling", "G");
  ASSERT_NE(factors.buckling, nullptr) << factors.outcome.reason;
  // The same frame with the slack tie taken away by hand, its mass at the ends.
  Bay without;
  without.b.model = bay.b.model;
  without.b.model.analyses = {state, buckling, modal};
  IndexedVector<MemberId, Member> kept;
  for (const MemberId id : bay.b.model.members.ids()) {
    Member m = bay.b.model.members[id];
    if (m.name == "X1") m.kind = MemberKind::axial;
    if (m.name != "X2") kept.push_back(m);
  }
  without.b.model.members = kept;
  const double half = 3e-4 * std::hypot(6, 4) * 7850 / 2;
  without.b.model.mass.nodes = {{bay.B0, Vector3d::Constant(half)},
                                {bay.A1, Vector3d::Constant(half)}};
  const RunResult by_hand = run(without.b.model);
  const Step& expected = *by_hand.find("buckling", "G");
  ASSERT_GE(factors.buckling->modes.size(), 1u);
  EXPECT_NEAR(factors.buckling->lowest(), expected.buckling->lowest(),
              1e-5 * expected.buckling->lowest());
  const Step *vibrates = nullptr, *vibrates_by_hand = nullptr;
  for (const Step& s : r.steps) vibrates = s.modal ? &s : vibrates;
  for (const Step& s : by_hand.steps) vibrates_by_hand = s.modal ? &s : vibrates_by_hand;
  ASSERT_NE(vibrates, nullptr);
  ASSERT_NE(vibrates_by_hand, nullptr);
  // The slack tie's mass moves with its ends: consistent here, lumped by hand.
  EXPECT_NEAR(vibrates->modal->modes[0].omega, vibrates_by_hand->modal->modes[0].omega,
              0.01 * vibrates_by_hand->modal->modes[0].omega);
  EXPECT_NEAR(vibrates->modal->total[0] / vibrates_by_hand->modal->total[0], 1, 1e-9);
}

}  // namespace
}  // namespace ulterix::testing::one_way_test
