// Members that break or yield, and what happens on the way there: located factors, what is left.
#include "core/analysis/breaks.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "core/results/cables.hpp"
#include "core/results/event_words.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::breaks_test {
namespace {

constexpr double kE = 210e9, kLocated = 1e-6;

AnalysisSpec spec_of(const Model& model, const char* name, AnalysisKind kind) {
  AnalysisSpec spec;
  spec.name = name;
  spec.become(kind);
  if (kind == AnalysisKind::first_order) spec.become<FirstOrderKeys>().iterate = true;
  spec.loads = {model.case_alone(CaseId(0))};
  return spec;
}

/// A weight on a fan of three rods: one upright, two at 45 degrees.
struct Fan {
  static constexpr double kWeight = 300e3;
  FrameBuilder b{Plane::xz};
  NodeId low;
  MemberId middle, left, right;

  explicit Fan(MemberKind kind = MemberKind::tension_only) {
    SectionProperties p;
    p.A = 1e-3;
    const SectionId rod = b.section(p);
    const MaterialId steel = b.material(kE, 81e9);
    low = b.node("low", 0, 0, 0);
    const auto add = [&](const char* name, double x, double z) {
      const NodeId up = b.node(name, x, 0, z);
      b.fix(up, {0, 2});
      const MemberId id = b.member(name, up, low, rod, steel);
      b.model.members[id].kind = kind;
      return id;
    };
    middle = add("middle", 0, 3);
    left = add("left", -3, 3);
    right = add("right", 3, 3);
    b.nodal_load(low, 2, -kWeight);
  }
  Member& operator[](MemberId id) { return b.model.members[id]; }

  /// Forces by statics and elongations: middle, sides.
  static std::pair<double, double> shared() {
    const double c = std::sqrt(0.5), N = kWeight / (1 + 2 * c * c * c);
    return {N, N * c * c};
  }

  RunResult run_kinds() {
    b.model.analyses = {spec_of(b.model, "linear", AnalysisKind::first_order),
                        spec_of(b.model, "second", AnalysisKind::p_delta),
                        spec_of(b.model, "large", AnalysisKind::large_displacement)};
    return run(b.model);
  }
};

std::vector<double> factors_of(const Step& step, ItemChange change) {
  std::vector<double> all;
  for (const ItemEvent& e : step.events) {
    if (e.change == change) all.push_back(e.factor);
  }
  for (const PathPoint& p : step.path) {
    if (p.item && p.item->change == change) all.push_back(p.item->factor);
  }
  return all;
}

TEST(Breaks, TheRestTakesOverAndTheFactorIsLocated) {
  Fan fan;
  fan[fan.middle].breaks_at = 0.6 * Fan::shared().first;
  const RunResult r = fan.run_kinds();
  Fan without;
  without.b.model.members[without.middle].section = without.b.section([] {
    SectionProperties thin;
    thin.A = 1e-15;
    return thin;
  }());
  const RunResult left_over = without.run_kinds();
  for (const char* name : {"linear", "second", "large"}) {
    SCOPED_TRACE(name);
    const Step& step = *r.find(name, "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    const auto broke = factors_of(step, ItemChange::breaks);
    ASSERT_EQ(broke.size(), 1u);
    // Displacements are small: exact where the theory is linear.
    EXPECT_NEAR(broke[0], 0.6, std::string(name) == "linear" ? kLocated : 2e-3);
    EXPECT_EQ(step.state.members[fan.middle].activity, Activity::broken);
    EXPECT_NE(step.outcome.reason.find("middle breaks at 0.6"), std::string::npos)
        << step.outcome.reason;
    const Step& same = *left_over.find(name, "G");
    const Vector6d u = step.state.nodes[fan.low].vector();
    EXPECT_LT((u - same.state.nodes[fan.low].vector()).norm(), 1e-7 * u.norm());
    const double side = mean_axial_force(Recovery(step), fan.left);
    EXPECT_RELATIVE(side, Fan::kWeight * std::sqrt(0.5),
                    name == std::string("linear") ? 1e-9 : 5e-3);
    EXPECT_LT(step.equilibrium.reactions, 1e-8);
    EXPECT_EQ(step.reactions[fan[fan.middle].start].norm(), 0);
  }
}

TEST(Breaks, AWeakerLoadBreaksNothing) {
  Fan fan;
  fan[fan.middle].breaks_at = 1.001 * Fan::shared().first;
  const RunResult r = fan.run_kinds();
  for (const char* name : {"linear", "second", "large"}) {
    const Step& step = *r.find(name, "G");
    EXPECT_TRUE(step.outcome.stands());
    EXPECT_TRUE(factors_of(step, ItemChange::breaks).empty()) << name;
    EXPECT_RELATIVE(mean_axial_force(Recovery(step), fan.middle), Fan::shared().first, 3e-3);
  }
}

TEST(Breaks, AYieldingRodKeepsItsForce) {
  for (const MemberKind kind : {MemberKind::tension_only, MemberKind::axial}) {
    Fan fan(kind);
    const double limit = fan[fan.middle].breaks_at = 0.6 * Fan::shared().first;
    fan[fan.middle].yields = true;
    const RunResult r = fan.run_kinds();
    for (const char* name : {"linear", "second", "large"}) {
      SCOPED_TRACE(name);
      const Step& step = *r.find(name, "G");
      ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
      const auto yielded = factors_of(step, ItemChange::yields);
      ASSERT_EQ(yielded.size(), 1u);
      EXPECT_NEAR(yielded[0], 0.6, 2e-3);
      EXPECT_RELATIVE(mean_axial_force(Recovery(step), fan.middle), limit, 1e-12);
      const double side = mean_axial_force(Recovery(step), fan.right);
      const bool linear = std::string(name) == "linear";
      EXPECT_RELATIVE(side, (Fan::kWeight - limit) * std::sqrt(0.5), linear ? 1e-9 : 6e-3);
      EXPECT_LT(step.equilibrium.reactions, 1e-8);
      // The line of a rod that yields still goes from node to node.
      const MemberLine line = Recovery(step).line(fan.middle);
      const double drop = -step.state.nodes[fan.low].translation[2];
      EXPECT_RELATIVE(std::abs(line.at(3).displacement[0]), drop, 1e-6);
    }
  }
}

TEST(Breaks, OneBreakBringsTheNext) {
  // When the middle goes at 0.6, the sides would have 0.42 of the weight each: too much for them.
  Fan fan;
  fan[fan.middle].breaks_at = 0.6 * Fan::shared().first;
  fan[fan.left].breaks_at = fan[fan.right].breaks_at = 0.4 * Fan::kWeight;
  const RunResult r = fan.run_kinds();
  for (const char* name : {"linear", "second"}) {
    const Step& step = *r.find(name, "G");
    EXPECT_EQ(step.outcome.verdict, Verdict::mechanism) << name;
    EXPECT_NE(step.outcome.reason.find("left breaks at 0.6"), std::string::npos)
        << step.outcome.reason;
    EXPECT_EQ(factors_of(step, ItemChange::breaks).size(), 3u);
  }
  EXPECT_FALSE(r.find("large", "G")->outcome.stands());
}

TEST(Breaks, EqualRodsGoTogetherWhateverTheirNumber) {
  // Strong enough for a while after the middle is gone.
  Fan fan;
  fan[fan.middle].breaks_at = 0.3 * Fan::shared().first;
  fan[fan.left].breaks_at = fan[fan.right].breaks_at = 0.5 * Fan::kWeight;
  const RunResult r = fan.run_kinds();
  const Step& step = *r.find("linear", "G");
  const auto broke = factors_of(step, ItemChange::breaks);
  ASSERT_EQ(broke.size(), 3u);
  EXPECT_NEAR(broke[0], 0.3, kLocated);
  EXPECT_NEAR(broke[1], 0.5 * std::sqrt(2.0), kLocated);
  EXPECT_EQ(broke[1], broke[2]);
}

TEST(Breaks, ACableBreaksAtItsLargerEnd) {
  FrameBuilder b(Plane::xz);
  SectionProperties p;
  p.A = 4e-4;
  const MaterialId strand = b.material(160e9, 6e10, 7850);
  const NodeId low = b.node("low", 0, 0, 0), high = b.node("high", 40, 0, 30);
  const MemberId cable = b.member("cable", low, high, b.section(p), strand);
  Member& m = b.model.members[cable];
  m.kind = MemberKind::cable;
  m.cut_length = 50.2;
  m.weighs = true;
  m.breaks_at = 60e3;
  b.fix(low, {0, 2});
  b.fix(high, {0, 2});
  b.load_case().self_weight = {{cable, 1}};
  b.uniform(cable, 2, -900);
  b.model.analyses = {spec_of(b.model, "second", AnalysisKind::p_delta),
                      spec_of(b.model, "large", AnalysisKind::large_displacement)};
  const RunResult r = run(b.model);
  const double weight = 7850 * 4e-4 * 9.80665;
  for (const char* name : {"second", "large"}) {
    const Step& step = *r.find(name, "G");
    const auto broke = factors_of(step, ItemChange::breaks);
    ASSERT_EQ(broke.size(), 1u) << name << ": " << step.outcome.reason;
    const Catenary there(50.2, 160e9 * 4e-4, Vector3d(0, 0, -broke[0] * (weight + 900)),
                         Vector3d(40, 0, 30));
    EXPECT_RELATIVE(there.end_tension().norm(), 60e3, 3e-6) << name;
    EXPECT_TRUE(step.outcome.stands()) << step.outcome.reason;  // between supports nothing is left
  }
}

/// A rope between a wall and a block on a spring, pulled; it yields at its largest tension.
struct PulledRope {
  static constexpr double kEA = 5e6, kWeight = 60, kLength = 20.05, kSpan = 20, kYield = 40e3;
  static constexpr double kSpring = 1e5;
  FrameBuilder b{Plane::xz};
  NodeId wall, block;
  MemberId rope;

  explicit PulledRope(double pull) {
    SectionProperties p;
    p.A = 1e-3;
    wall = b.node("wall", 0, 0, 0);
    block = b.node("block", kSpan, 0, 2);
    rope = b.member("rope", wall, block, b.section(p), b.material(kEA / 1e-3, 1, 0));
    Member& m = b.model.members[rope];
    m.kind = MemberKind::cable;
    m.cut_length = kLength * std::hypot(kSpan, 2) / kSpan;
    m.breaks_at = kYield;
    m.yields = true;
    b.fix(wall, {0, 2});
    b.fix(block, {2});
    b.spring(block, 0, kSpring);
    b.uniform(rope, 2, -kWeight);
    b.nodal_load(block, 0, pull);
  }
  double cut() const { return b.model.members[rope].cut_length; }
  double weight() const {
    return kWeight * cut();
  }  // loads of a cable are per length without force
};

TEST(Breaks, ACableThatYieldsBecomesLonger) {
  const double pull = 70e3;
  PulledRope f(pull);
  f.b.model.analyses = {spec_of(f.b.model, "linear", AnalysisKind::first_order),
                        spec_of(f.b.model, "second", AnalysisKind::p_delta),
                        spec_of(f.b.model, "large", AnalysisKind::large_displacement)};
  const RunResult r = run(f.b.model);
  for (const char* name : {"linear", "second", "large"}) {
    SCOPED_TRACE(name);
    const Step& step = *r.find(name, "G");
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    EXPECT_EQ(factors_of(step, ItemChange::yields).size(), 1u);
    const Catenary hung = *cable_in(Recovery(step), f.rope);
    EXPECT_RELATIVE(hung.largest_tension(), PulledRope::kYield, 1e-9);
    EXPECT_GT(hung.length(), f.cut());
    EXPECT_RELATIVE(hung.load().norm() * hung.length(), f.weight(), 1e-9);
    // The block is in balance: pull, spring and the rope's pull along x.
    const double u = step.state.nodes[f.block].translation[0];
    const Vector3d end = step.frame->axes(f.rope).transpose() * hung.end_tension();
    EXPECT_RELATIVE(end[0] + PulledRope::kSpring * u, pull, 1e-7);
  }
}

TEST(Breaks, ACableThatYieldedKeepsItsLength) {
  const double pull = 70e3;
  PulledRope f(pull);
  AnalysisSpec spec = spec_of(f.b.model, "large", AnalysisKind::large_displacement);
  LoadSet less = spec.loads[0];
  less.name = "less";
  less.terms[0].second = 0.5;
  spec.loads.push_back(less);
  spec.become<LargeDisplacementKeys>().history.resize(2);
  f.b.model.analyses = {spec};
  const RunResult r = run(f.b.model);
  const Step &most = *r.find("large", "G"), &relieved = *r.find("large", "less");
  ASSERT_TRUE(relieved.outcome.stands()) << relieved.outcome.reason;
  EXPECT_EQ(relieved.state.members[f.rope].activity, Activity::active);
  const Catenary longer = *cable_in(Recovery(most), f.rope);
  const Catenary hung = *cable_in(Recovery(relieved), f.rope);
  EXPECT_RELATIVE(hung.length(), longer.length(), 1e-9);
  EXPECT_RELATIVE(relieved.state.members[f.rope].permanent, longer.length() - f.cut(), 1e-6);
  const double u = relieved.state.nodes[f.block].translation[0];
  const Vector3d end = relieved.frame->axes(f.rope).transpose() * hung.end_tension();
  EXPECT_RELATIVE(end[0] + PulledRope::kSpring * u, pull / 2, 1e-7);
  EXPECT_LT(hung.largest_tension(), PulledRope::kYield);
}

TEST(PathEvents, TieAndYieldOfASectionAreLocated) {
  // A tie across a cantilever's tip goes slack when the tip has come down; the foot has fy later.
  FrameBuilder b(Plane::xz);
  SectionProperties p = rolled_section();
  p.Wely = 5e-4;
  p.Avz = p.Avy = 0;
  const MaterialId steel = b.material(kE, 81e9);
  b.model.materials[steel].fy = 235e6;
  const SectionId section = b.section(p);
  const NodeId foot = b.node("A", 0, 0, 0), tip = b.node("B", 3, 0, 0);
  const MemberId beam = b.member("beam", foot, tip, section, steel);
  const NodeId ground = b.node("C", 3, 0, -3);
  SectionProperties thin;
  thin.A = 2e-5;
  const MaterialId wire = b.material(kE, 81e9);
  const MemberId tie = b.member("tie", ground, tip, b.section(thin), wire);
  b.model.members[tie].kind = MemberKind::tension_only;
  b.model.members[tie].preload = 2e3;
  b.fix(foot, {0, 2, 4});
  b.fix(ground, {0, 2});
  b.nodal_load(tip, 2, -60e3);
  AnalysisSpec large = spec_of(b.model, "large", AnalysisKind::large_displacement);
  AnalysisSpec linear = spec_of(b.model, "linear", AnalysisKind::first_order);
  linear.become<FirstOrderKeys>().events = true;
  b.model.analyses = {large, linear};
  const RunResult r = run(b.model);
  const Step &path = *r.find("large", "G"), &switches = *r.find("linear", "G");
  ASSERT_TRUE(path.outcome.stands()) << path.outcome.reason;
  const auto slack = factors_of(path, ItemChange::idle),
             fy = factors_of(path, ItemChange::reaches_fy);
  ASSERT_EQ(slack.size(), 1u);
  // Slack where the tip has come down by the preload's elongation, 3EI/L³ against P.
  const double down = 2e3 * 3 / (kE * 2e-5), stiff = 3 * kE * p.Iy / 27;
  EXPECT_NEAR(slack[0], stiff * down / 60e3, 1e-4);
  EXPECT_NEAR(slack[0], factors_of(switches, ItemChange::idle).at(0), 1e-4);
  ASSERT_EQ(fy.size(), 1u);
  EXPECT_NEAR(fy[0], 235e6 * p.Wely / (60e3 * 3), 2e-3);
  // To six digits of its own path: the stress there is fy.
  for (const PathPoint& point : path.path) {
    if (!point.item || point.item->change != ItemChange::reaches_fy) continue;
    EXPECT_EQ(event_words(b.model, point), "beam reaches fy");
    const Step* step = &path;
    Step there;
    there.kind = step->kind;
    there.frame = step->frame;
    there.state = point.state;
    there.has_state = true;
    LoadSet at = scaled(step->loads, point.factor);
    there.applied = std::make_shared<AppliedLoads>(step->frame->situation(), at);
    const LinePoint section_at = Recovery(there).line(beam).at(0);
    const double stress =
        std::abs(section_at.forces[kN]) / p.A + std::abs(section_at.forces[kMy]) / p.Wely;
    EXPECT_RELATIVE(stress, 235e6, 3e-6);
  }
}

}  // namespace
}  // namespace ulterix::testing::breaks_test
