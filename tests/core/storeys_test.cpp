#include "core/results/storeys.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "support/frame_builder.hpp"

namespace ulterix::testing::storeys_test {
namespace {

/// Two storeys of 4 and 3 m, rigid girders (so that storeys act as springs 2·12EI/h³ when their
/// bases are clamped by stiff girders), a leaning column beside.
struct TwoStoreys {
  FrameBuilder b{Plane::xz};
  std::vector<NodeId> left, right, lean;
  const double EI = 210e9 * 1e-4;

  TwoStoreys() {
    const MaterialId steel = b.material(210e9, 81e9);
    const SectionId column = b.section(bending_only(1e-4, 1e3));
    const SectionId girder = b.section(bending_only(1e3, 1e3));
    const std::vector<double> z = {0, 4, 7};
    for (int i = 0; i < 3; ++i) {
      left.push_back(b.node("L" + std::to_string(i), 0, 0, z[i]));
      right.push_back(b.node("R" + std::to_string(i), 6, 0, z[i]));
      lean.push_back(b.node("E" + std::to_string(i), 9, 0, z[i]));
    }
    for (int i = 1; i < 3; ++i) {
      b.member("cl", left[i - 1], left[i], column, steel);
      b.member("cr", right[i - 1], right[i], column, steel);
      const MemberId e = b.member("ce", lean[i - 1], lean[i], column, steel);
      b.model.members[e].kind = MemberKind::axial;
      b.member("g", left[i], right[i], girder, steel);
      const MemberId link = b.member("t", right[i], lean[i], girder, steel);
      b.model.members[link].kind = MemberKind::axial;
    }
    b.fix(left[0], {0, 2, 4});
    b.fix(right[0], {0, 2, 4});
    b.fix(lean[0], {0, 2});
  }
};

TEST(Storeys, LevelsComeFromTheGirders) {
  TwoStoreys f;
  const std::vector<Level> levels = find_levels(f.b.model);
  ASSERT_EQ(levels.size(), 3u);
  EXPECT_EQ(levels[0].name, "base");
  EXPECT_EQ(levels[2].elevation, 7);
  f.b.model.levels = {{"roof", 7}, {"ground", 0}};
  EXPECT_EQ(find_levels(f.b.model)[1].name, "roof");
}

TEST(Storeys, DriftShearGravityAndIndex) {
  TwoStoreys f;
  const double H1 = 8e3, H2 = 5e3, P = 2e5, Q = 3e5;
  f.b.nodal_load(f.left[1], force6(H1, 0, -P));
  f.b.nodal_load(f.left[2], force6(H2, 0, -P));
  f.b.nodal_load(f.lean[2], force6(0, 0, -Q));
  const RunResult r = f.b.run();
  ASSERT_TRUE(r.steps[1].outcome.stands()) << r.steps[1].outcome.reason;
  const std::vector<StoreyRow>& first = r.storeys[0];
  const std::vector<StoreyRow>& second = r.storeys[1];
  ASSERT_EQ(first.size(), 2u);
  // Shear frame: drift = V·h³/(2·12EI).
  EXPECT_RELATIVE(first[0].drift, (H1 + H2) * 64 / (24 * f.EI), 1e-3);
  EXPECT_RELATIVE(first[1].drift, H2 * 27 / (24 * f.EI), 1e-3);
  EXPECT_RELATIVE(first[0].shear, H1 + H2, kExact);
  EXPECT_RELATIVE(first[1].shear, H2, kExact);
  EXPECT_RELATIVE(first[0].gravity, 2 * P + Q, kExact);
  EXPECT_RELATIVE(first[1].gravity, P + Q, kExact);
  EXPECT_RELATIVE(*first[0].index, (2 * P + Q) * first[0].drift / ((H1 + H2) * 4), kExact);
  EXPECT_FALSE(first[0].amplification.has_value());
  // 1/(1 − Q) holds well for a shear storey, which has little of the columns' own bowing.
  EXPECT_RELATIVE(*second[0].amplification, 1 / (1 - *first[0].index), 0.02);
  EXPECT_RELATIVE(*second[0].index, *first[0].index, kExact);
  EXPECT_RELATIVE(second[0].drift, *second[0].amplification * first[0].drift, kExact);
}

TEST(Storeys, LateralStiffnessIsLoadOverDisplacement) {
  TwoStoreys f;
  f.b.nodal_load(f.left[1], 0, 9e3);
  const RunResult r = f.b.run();
  const double storey = 24 * f.EI / 64;
  EXPECT_RELATIVE(*r.storeys[0][0].stiffness, storey, 1e-3);
  EXPECT_FALSE(r.storeys[0][1].stiffness.has_value());  // no shear in the upper storey
  ASSERT_EQ(r.stiffness[0].size(), 1u);
  EXPECT_EQ(r.stiffness[0][0].load, 9e3);
  EXPECT_RELATIVE(r.stiffness[0][0].stiffness(), storey, 1e-3);
  // A watched node adds its own row.
  Watch watch;
  watch.place.component = 0;
  watch.place.node = f.right[1];
  f.b.model.watches = {watch};
  const RunResult again = f.b.run();
  ASSERT_EQ(again.stiffness[0].size(), 2u);
  EXPECT_EQ(again.stiffness[0][1].where, "R1");
}

TEST(SecondOpinion, FormulasOfTheStandardsForAShearFrame) {
  TwoStoreys f;
  const double H = 5e3, P = 1.2e6, Q = 1.8e6;
  f.b.nodal_load(f.left[2], force6(H, 0, -P));
  f.b.nodal_load(f.right[2], force6(0, 0, -P));
  f.b.nodal_load(f.lean[2], force6(0, 0, -Q));
  const RunResult r = f.b.run();
  ASSERT_TRUE(r.steps[1].outcome.stands());
  EXPECT_TRUE(r.storey_formulas[0].empty());  // the baseline has nothing to stand beside
  const StoreyFormulas& o = r.storey_formulas[1].at(0);
  const double k = 24 * f.EI / 64, drift = H / k, gravity = 2 * P + Q;
  const double index = gravity * drift / (H * 4);
  EXPECT_RELATIVE(*o.index, index, 1e-3);
  EXPECT_RELATIVE(*o.alpha_cr, 1 / index, 1e-3);
  EXPECT_RELATIVE(*o.theta, index, 1e-3);
  EXPECT_RELATIVE(*o.asce_factor, 1 / (1 - index), 1e-3);
  // RM = 1 − 0.15·Pmf/Pstory; the leaning column carries Q (P-Delta pushes the rest about).
  const double RM = 1 - 0.15 * 2 * P / gravity;
  EXPECT_RELATIVE(*o.B2, 1 / (1 - gravity / (RM * k * 4)), 1e-3);
  EXPECT_EQ(o.aisc_360, "effective length method allowed, Appendix 7.2.1");
  EXPECT_EQ(o.en_1993, "sway: amplify by 1/(1 - 1/alpha_cr), 5.2.2(5)B");
  EXPECT_EQ(o.aci_318, "sway: magnify by 1/(1 - Q), 6.6.4.6.2(a)");
  EXPECT_EQ(o.asce_7, "P-delta counts, 12.8.7");
}

TEST(SecondOpinion, B1OfAColumnInDoubleCurvatureAndOfALoadedOne) {
  TwoStoreys f;
  f.b.nodal_load(f.left[2], force6(5e3, 0, -2e5));
  f.b.uniform(MemberId(0), 0, 1e3);
  const RunResult r = f.b.run();
  const auto& all = r.member_formulas[1];
  const auto of = [&](int member) -> const MemberFormulas& {
    return *std::find_if(all.begin(), all.end(),
                         [=](const MemberFormulas& o) { return o.member == MemberId(member); });
  };
  const MemberFormulas &loaded = of(0), &plain = of(5);  // left column of each storey
  EXPECT_RELATIVE(loaded.Pe1, M_PI * M_PI * f.EI / 16, kExact);
  EXPECT_EQ(loaded.Cm, 1);
  EXPECT_RELATIVE(*loaded.B1, 1 / (1 + loaded.N / loaded.Pe1), kExact);
  // Rigid girders: equal end moments in double curvature, Cm = 0.6 − 0.4, and B1 is not below 1.
  EXPECT_RELATIVE(plain.Cm, 0.2, 1e-3);
  EXPECT_EQ(*plain.B1, 1);
  EXPECT_EQ(*plain.B2, *r.storey_formulas[1][1].B2);
  EXPECT_GT(*plain.computed, 1);
}

TEST(Envelopes, NameTheGoverningLoads) {
  TwoStoreys f;
  f.b.nodal_load(f.left[2], force6(5e3, 0, -2e5));
  LoadSet plus = f.b.model.case_alone(CaseId(0)), minus = plus;
  plus.name = "right";
  minus.name = "half";
  minus.terms[0].second = -0.5;
  plus.combination = minus.combination = true;
  AnalysisSpec spec;
  spec.name = "p-delta";
  spec.become(AnalysisKind::p_delta);
  spec.loads = {plus, minus};
  f.b.model.analyses = {spec};
  const RunResult r = run(f.b.model);
  const auto row = [&](const std::string& analysis, NodeId n, int component) {
    return *std::find_if(r.envelopes.begin(), r.envelopes.end(), [&](const EnvelopeRow& e) {
      return e.analysis == analysis && e.kind == EnvelopeRow::Kind::displacement && e.node == n &&
             e.component == component;
    });
  };
  const EnvelopeRow first = row("first-order", f.left[2], 0);
  EXPECT_EQ(first.loads_of_max, "right");
  EXPECT_EQ(first.loads_of_min, "half");
  EXPECT_RELATIVE(first.min, -0.5 * first.max, kExact);
  EXPECT_GT(row("p-delta", f.left[2], 0).max, first.max);
  // One set of loads is no envelope.
  f.b.model.analyses[0].loads = {plus};
  EXPECT_TRUE(run(f.b.model).envelopes.empty());
}

TEST(Storeys, ASingleMemberHasNone) {
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 3);
  b.member("m", A, B, b.section(bending_only(1e-4, 1e-2)), b.material(210e9, 81e9));
  b.fix(A, {0, 2, 4});
  b.nodal_load(B, 0, 1e3);
  EXPECT_TRUE(b.run().storeys[0].empty());
}

}  // namespace
}  // namespace ulterix::testing::storeys_test
