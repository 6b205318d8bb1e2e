// Stiff beside soft, short beside long (B16, B17): right, or said to be unreliable.
#include <gtest/gtest.h>

#include <cmath>

#include "support/frame_builder.hpp"

namespace ulterix::testing::precision_test {
namespace {

constexpr double kE = 210e9;
/// Displacements and end forces of frames whose stiffnesses differ by up to 1e14.
constexpr double kStiffAndSoft = 1e-8;

/// An upright cantilever of collinear members under a sideways load at its top.
struct Chain {
  explicit Chain(const std::vector<double>& heights, const std::vector<double>& moduli,
                 double I = 8e-6)
      : inertia(I) {
    const SectionId s = b.section(bending_only(I, 6e-3));
    NodeId below = b.node("n0", 0, 0, 0);
    double z = 0;
    b.fix_all(below);
    for (std::size_t i = 0; i < heights.size(); ++i) {
      z += heights[i];
      const NodeId above = b.node("n" + std::to_string(i + 1), 0, 0, z);
      members.push_back(b.member("m" + std::to_string(i), below, above, s,
                                 b.material(moduli[i % moduli.size()], 81e9)));
      below = above;
    }
    top = below;
    height = z;
    b.nodal_load(top, force6(kForce, 0, -kWeight));
  }

  Step first() { return ulterix::run(prepared()).steps.front(); }
  Model prepared() {
    b.load_case();
    AnalysisSpec spec;
    spec.name = "linear";
    spec.loads = {b.model.case_alone(CaseId(0))};
    Model model = b.model;
    model.analyses = {spec};
    return model;
  }

  static constexpr double kForce = 1000, kWeight = 20000;
  FrameBuilder b;
  std::vector<MemberId> members;
  NodeId top;
  double height = 0, inertia = 0;
};

/// u = P·L³/3EI of n equal pieces, and M = P·L at the base.
void expect_cantilever(int pieces) {
  Chain chain(std::vector<double>(static_cast<std::size_t>(pieces), 10.0 / pieces), {kE});
  const Step step = chain.first();
  const double exact = Chain::kForce * std::pow(10.0, 3) / (3 * kE * chain.inertia);
  if (step.outcome.verdict == Verdict::unreliable) {
    EXPECT_GT(pieces, 3000) << step.outcome.reason;
    return;
  }
  ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
  EXPECT_RELATIVE(step.state.nodes[chain.top].translation[0], exact, kIterated) << pieces;
  EXPECT_RELATIVE(std::abs(step.reactions[NodeId(0)][4]), Chain::kForce * 10, kIterated) << pieces;
  EXPECT_LE(step.solve_error.largest(), kReliable);
}

TEST(Precision, ChainsOfCollinearMembersBendAsOne) {
  for (const int pieces : {1, 10, 100, 1000, 3000, 10000}) expect_cantilever(pieces);
}

/// A member 1e10 times as stiff above a soft one, or below it.
TEST(Precision, StiffAboveSoftAndTheReverse) {
  for (const bool stiff_above : {true, false}) {
    Chain chain({5, 5}, stiff_above ? std::vector<double>{kE, kE * 1e10}
                                    : std::vector<double>{kE * 1e10, kE});
    RunResult result = ulterix::run(chain.prepared());
    const Step& step = result.steps.front();
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    const double EI = kE * chain.inertia, P = Chain::kForce, h = 5;
    // The soft part bends; above it the stiff one turns as it does.
    const double soft = stiff_above ? P * h * h * h / 3 / EI + P * h * h * h / 2 / EI +
                                          h * (P * h * h / 2 + P * h * h) / EI
                                    : P * h * h * h / 3 / EI;
    EXPECT_RELATIVE(step.state.nodes[chain.top].translation[0], soft, kStiffAndSoft);
    const Recovery recovery(step);
    for (std::size_t i = 0; i < 2; ++i) {
      const MemberLine line = recovery.line(chain.members[i]);
      EXPECT_RELATIVE(std::abs(line.at(0).forces[kVz]), P, kStiffAndSoft);
      EXPECT_RELATIVE(std::abs(line.at(0).forces[kMy]), P * (i == 0 ? 10 : 5), kStiffAndSoft);
      EXPECT_RELATIVE(line.at(2).forces[kN], -Chain::kWeight, kStiffAndSoft);
    }
  }
}

/// A stub of 0.1 mm at the top, at the foot, and within a 5 m column: its own shear is right too.
TEST(Precision, ShortStubInAColumn) {
  for (const std::vector<double>& heights :
       {std::vector<double>{5, 1e-4}, {1e-4, 5}, {2, 1e-4, 3}}) {
    Chain chain(heights, {kE});
    RunResult result = ulterix::run(chain.prepared());
    const Step& step = result.steps.front();
    ASSERT_TRUE(step.outcome.stands()) << step.outcome.reason;
    const double exact = Chain::kForce * std::pow(chain.height, 3) / (3 * kE * chain.inertia);
    EXPECT_RELATIVE(step.state.nodes[chain.top].translation[0], exact, kStiffAndSoft);
    const Recovery recovery(step);
    double above = chain.height;
    for (std::size_t i = 0; i < heights.size(); ++i) {
      const MemberLine line = recovery.line(chain.members[i]);
      EXPECT_RELATIVE(std::abs(line.at(heights[i] / 2).forces[kVz]), Chain::kForce, kStiffAndSoft)
          << heights.size() << " parts, part " << i;
      EXPECT_RELATIVE(std::abs(line.at(0).forces[kMy]), Chain::kForce * above, kStiffAndSoft);
      above -= heights[i];
    }
  }
}

/// Two columns coupled at their tops by a link 1e5 times as stiff as the girder would be.
TEST(Precision, StiffLinkBetweenTwoColumns) {
  FrameBuilder b;
  const double h = 5, I = 8e-6;
  const SectionId s = b.section(bending_only(I, 6e-3));
  const MaterialId steel = b.material(kE, 81e9), stiff = b.material(kE * 1e5, 81e9);
  const NodeId a0 = b.node("a0", 0, 0, 0), a1 = b.node("a1", 0, 0, h);
  const NodeId c0 = b.node("c0", 0.5, 0, 0), c1 = b.node("c1", 0.5, 0, h);
  const MemberId left = b.member("left", a0, a1, s, steel);
  b.member("right", c0, c1, s, steel);
  const MemberId link = b.member("link", a1, c1, s, stiff);
  b.model.members[link].joints[0][4] = b.model.members[link].joints[1][4] = 0;
  b.fix_all(a0);
  b.fix_all(c0);
  b.nodal_load(a1, 0, 1000.0);
  const RunResult result = b.run();
  const Reader first(result, "first-order");
  // Equal cantilevers share the load but for the link's give: k/(2·k_link) of it.
  const double k = 3 * kE * I / (h * h * h), link_k = kE * 1e5 * 6e-3 / 0.5;
  const double right = 1000 * link_k / (k + 2 * link_k);
  EXPECT_RELATIVE(-first.force(link, kN, 0.25), right, kStiffAndSoft);
  EXPECT_RELATIVE(std::abs(first.force(left, kVz, 1)), 1000 - right, kStiffAndSoft);
  EXPECT_RELATIVE(first.u(c1, 0), right / k, kStiffAndSoft);
  EXPECT_TRUE(first.step().outcome.stands());
}

/// A mechanism is one in the deformations, whatever soft or stiff parts stand beside it.
TEST(Precision, MechanismBesideVerySoftFrame) {
  Chain chain({5, 5}, {kE, kE * 1e-10});
  const NodeId loose = chain.b.node("loose", 3, 0, 5);
  const MemberId arm = chain.b.member("arm", NodeId(1), loose, SectionId(0), MaterialId(0));
  chain.b.model.members[arm].joints[0][4] = 0;
  const Step step = chain.first();
  EXPECT_EQ(step.outcome.verdict, Verdict::mechanism);
  EXPECT_NE(step.outcome.reason.find("loose"), std::string::npos) << step.outcome.reason;
  Chain sound({5, 5}, {kE, kE * 1e-10});
  EXPECT_TRUE(sound.first().outcome.stands()) << sound.first().outcome.reason;
}

/// Rigid motions strain nothing: a frame on settled supports that all move alike has no forces.
TEST(Precision, CommonSettlementStrainsNothing) {
  FrameBuilder b(Plane::space);
  const SectionId s = b.section(bending_only(8e-6, 6e-3));
  const MaterialId steel = b.material(kE, 81e9);
  const NodeId a = b.node("a", 0, 0, 0), c = b.node("c", 3, 1, 4), d = b.node("d", 7, 2, 0.5);
  const MemberId one = b.member("one", a, c, s, steel, 0.4);
  b.member("two", c, d, s, steel);
  b.fix_all(a);
  b.fix_all(d);
  for (Support& support : b.model.supports) {
    for (int i = 0; i < 3; ++i) support.directions[i].settle = 1000.0 * (i + 1);
  }
  const RunResult result = b.run();
  const Reader first(result, "first-order");
  for (int i = 0; i < 3; ++i) EXPECT_RELATIVE(first.u(c, i), 1000.0 * (i + 1), 1e-14);
  // A kilometre of settlement, with rounding of 1e-13 m, strains the member by 1e-14 at most.
  EXPECT_LT(std::abs(first.force(one, kN, 1)), kE * 6e-3 * 1e-14);
}

}  // namespace
}  // namespace ulterix::testing::precision_test
