// Floors that are rigid in their plane.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "core/results/modes.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::floor_test {
namespace {

constexpr double kE = 210e9, kG = 81e9;

AnalysisSpec spec_of(const Model& model, const char* name, AnalysisKind kind) {
  AnalysisSpec spec;
  spec.name = name;
  spec.become(kind);
  if (kind != AnalysisKind::modal) spec.loads = {model.case_alone(CaseId(0))};
  return spec;
}

/// Four posts and a floor on them, no beams: each post a cantilever in sway and twist.
struct Table {
  FrameBuilder b{Plane::space};
  std::vector<NodeId> feet, heads;
  SectionProperties p = bending_only(4e-5, 1e-2);

  explicit Table(bool renumbered = false) {
    p.J = 2e-5;
    const MaterialId steel = b.material(kE, kG);
    const SectionId section = b.section(p);
    std::vector<std::pair<double, double>> at = {{0, 0}, {6, 0}, {6, 4}, {0, 4}};
    if (renumbered) std::rotate(at.begin(), at.begin() + 2, at.end());
    for (const auto& [x, y] : at) {
      feet.push_back(b.node("foot", x, y, 0));
      heads.push_back(b.node("head", x, y, 3));
      b.member("post", feet.back(), heads.back(), section, steel);
      b.fix_all(feet.back());
    }
    if (renumbered) {
      std::rotate(feet.begin(), feet.begin() + 2, feet.end());
      std::rotate(heads.begin(), heads.begin() + 2, heads.end());
    }
    b.model.floors = {{"floor", heads, 0}};
  }
};

TEST(Floors, F6EccentricPushTurnsARigidPlateOnSprings) {
  for (const bool renumbered : {false, true}) {
    Table t(renumbered);
    t.b.nodal_load(t.heads[1], 1, 20e3);
    const RunResult r = t.b.run();
    const Reader first(r, "first-order");
    const double k = 3 * kE * t.p.Iy / 27, twist = kG * t.p.J / 3;
    const double turn = 20e3 * 3 / (4 * k * (9 + 4) + 4 * twist);
    const double shift = 20e3 / (4 * k);
    for (std::size_t i = 0; i < 4; ++i) {
      const Vector3d arm = t.b.model.nodes[t.heads[i]].position - Vector3d(3, 2, 3);
      EXPECT_RELATIVE(first.u(t.heads[i], 5), turn, kExact);
      EXPECT_RELATIVE(first.u(t.heads[i], 0), -turn * arm[1], kExact);
      EXPECT_RELATIVE(first.u(t.heads[i], 1), shift + turn * arm[0], kExact);
      // Each post by itself.
      EXPECT_RELATIVE(first.reaction(t.feet[i], 1), -k * (shift + turn * arm[0]), kExact);
      EXPECT_RELATIVE(first.reaction(t.feet[i], 5), -twist * turn, kExact);
    }
    for (const char* name : {"first-order", "p-delta"}) {
      const Step& step = *r.find(name, "G");
      EXPECT_LT(step.equilibrium.nodes, 1e-10) << name;
      EXPECT_LT(step.equilibrium.reactions, 1e-10) << name;
    }
  }
}

TEST(Floors, HoldsAndSupportsInTheirPlane) {
  // A hold of one node holds the floor; its reaction is what statics gives.
  Table t;
  t.b.nodal_load(t.heads[1], force6(7e3, 20e3, -1e5));
  t.b.fix(t.heads[3], {0});
  AnalysisSpec held = spec_of(t.b.model, "held", AnalysisKind::p_delta);
  held.holds = {{t.heads[2], {false, true, false, false, false, false}}};
  t.b.model.analyses = {held};
  const RunResult r = run(t.b.model);
  const Step& step = *r.find("held", "G");
  ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
  EXPECT_NEAR(step.state.nodes[t.heads[2]].translation[1], 0, 1e-15);
  EXPECT_NEAR(step.state.nodes[t.heads[3]].translation[0], 0, 1e-15);
  EXPECT_NE(step.state.nodes[t.heads[1]].rotation[2], 0);
  EXPECT_LT(step.equilibrium.nodes, 1e-10);
  EXPECT_LT(step.equilibrium.reactions, 1e-10);
  EXPECT_LT(step.reactions[t.heads[2]][1], -1e3);
  EXPECT_LT(step.reactions[t.heads[3]][0], -1e3);
  // First-order on the same holds: moments about the vertical of all that acts.
  const Step& linear = *r.own_baseline(step);
  double moment = 0;
  for (const NodeId n : t.b.model.nodes.ids()) {
    const Vector3d x = t.b.model.nodes[n].position;
    const Vector6d f = linear.reactions[n];
    moment += x[0] * f[1] - x[1] * f[0] + f[5];
  }
  EXPECT_NEAR(moment + 6 * 20e3, 0, 1e-4);
}

/// Two storeys on four posts with beams, floors or very stiff bars between all nodes of a level.
struct House {
  FrameBuilder b{Plane::space};
  std::vector<std::vector<NodeId>> levels;

  explicit House(double bars) {
    const MaterialId steel = b.material(kE, kG, 7850), weightless = b.material(kE, kG);
    SectionProperties p = bending_only(4e-5, 8e-3);
    p.J = 2e-5;
    const SectionId section = b.section(p);
    SectionProperties axial;
    axial.A = bars;
    const SectionId bar = b.section(axial);
    for (int k = 0; k <= 2; ++k) {
      std::vector<NodeId> level;
      for (const auto& [x, y] : {std::pair{0.0, 0.0}, {5.0, 0.0}, {6.0, 4.0}, {-1.0, 4.5}}) {
        level.push_back(b.node("n", x, y, 3.2 * k));
        if (k == 0) b.fix_all(level.back());
        if (k > 0) {
          const MemberId post = b.member("post", levels.back()[level.size() - 1], level.back(),
                                         section, steel, 0.1 * static_cast<double>(level.size()));
          // Bars do not turn the heads with the floor, and forces in them would act on sway.
          b.model.members[post].joints[1][3] = 0;
          b.nodal_load(level.back(), force6(1, level.size() == 2 ? 5 : 0, -8e4));
        }
      }
      for (std::size_t i = 0; i < 4 && k > 0; ++i) {
        const MemberId beam = b.member("beam", level[i], level[(i + 1) % 4], section, steel);
        for (EndJoint& joint : b.model.members[beam].joints) joint[5] = 0;
      }
      if (k > 0 && bars > 0) {
        for (std::size_t i = 0; i < 4; ++i) {
          for (std::size_t j = i + 1; j < 4; ++j) {
            const MemberId id = b.member("bar", level[i], level[j], bar, weightless);
            b.model.members[id].kind = MemberKind::axial;
          }
        }
      } else if (k > 0) {
        b.model.floors.push_back({"floor", level, 0});
      }
      levels.push_back(level);
    }
    // The last node of a level carries a cladding mass and a spring.
    b.model.mass.nodes = {{levels[2][3], Vector3d::Constant(4e3)}};
    b.spring(levels[1][1], 0, 2e5);
    AnalysisSpec stability = spec_of(b.model, "stability", AnalysisKind::buckling);
    AnalysisSpec vibration = spec_of(b.model, "vibration", AnalysisKind::modal);
    stability.become<BucklingKeys>().modes = 4;
    vibration.become<ModalKeys>().modes = 6;
    b.model.analyses = {stability, vibration};
  }
};

TEST(Floors, AreTheLimitOfStiffBars) {
  House floors(0);
  const RunResult exact = run(floors.b.model);
  double before = 1;  // what is left falls with the stiffness
  for (const double area : {1.0, 1e3}) {
    House stiff(area);
    const RunResult near = run(stiff.b.model);
    double worst = 0;
    const auto compare = [&worst](double a, double b) {
      worst = std::max(worst, relative_error(a, b));
    };
    const Step &x = exact.baseline("G"), &y = near.baseline("G");
    for (const NodeId n : floors.levels[2]) {
      compare(y.state.nodes[n].translation[0], x.state.nodes[n].translation[0]);
      compare(y.state.nodes[n].translation[1], x.state.nodes[n].translation[1]);
    }
    for (const NodeId n : floors.levels[0]) compare(y.reactions[n][1], x.reactions[n][1]);
    const auto &bx = exact.find("stability", "G")->buckling,
               &by = near.find("stability", "G")->buckling;
    ASSERT_GE(bx->modes.size(), 3u);
    // Forces in the bars act on the tilt of a level, those within a floor do not.
    for (std::size_t i = 0; i < 3; ++i) {
      EXPECT_RELATIVE(by->modes[i].factor, bx->modes[i].factor, 2e-5);
    }
    for (const Step& s : exact.steps) {
      if (!s.modal) continue;
      const Step& t = *std::find_if(near.steps.begin(), near.steps.end(),
                                    [](const Step& step) { return step.modal != nullptr; });
      EXPECT_TRUE(s.modal->certificate.complete());
      // The twist of posts goes with the floor; bars leave it out.
      for (std::size_t i = 0; i < 3; ++i) {
        EXPECT_RELATIVE(t.modal->modes[i].omega, s.modal->modes[i].omega, 5e-5);
      }
    }
    EXPECT_LT(worst, before);
    before = worst / 100;
  }
  EXPECT_LT(before, 1e-6);
  EXPECT_LT(exact.baseline("G").equilibrium.nodes, 1e-10);
}

TEST(Floors, PDeltaWithFloorsFollowsTheBucklingFactor) {
  // A leaning post on the floor loads the others: sway as by the amplification of its factor.
  Table t;
  const NodeId foot = t.b.node("foot5", 3, 2, 0), head = t.b.node("head5", 3, 2, 3);
  const MemberId post = t.b.member("leaning", foot, head, SectionId(0), MaterialId(0));
  t.b.model.members[post].kind = MemberKind::axial;
  t.b.fix(foot, {0, 1, 2});
  t.b.model.floors[0].nodes.push_back(head);
  t.b.nodal_load(head, force6(2e3, 0, -1e6));
  const RunResult r = t.b.run();
  const Reader first(r, "first-order"), second(r, "p-delta");
  ASSERT_TRUE(second.step().outcome.stands()) << second.step().outcome.reason;
  // Nothing but the floor holds the leaning post: P/h across against four cantilevers without N.
  const double k = 4 * 3 * kE * t.p.Iy / 27;
  EXPECT_RELATIVE(first.u(head, 0), 2e3 / k, kExact);
  EXPECT_RELATIVE(second.u(head, 0), 2e3 / (k - 1e6 / 3), 1e-7);
}

}  // namespace
}  // namespace ulterix::testing::floor_test
