#include "core/results/storeys.hpp"

#include <gtest/gtest.h>

#include "support/frame_builder.hpp"

namespace ulterix::testing {
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

TEST(Storeys, ASingleMemberHasNone) {
  FrameBuilder b(Plane::xz);
  const NodeId A = b.node("A", 0, 0, 0), B = b.node("B", 0, 0, 3);
  b.member("m", A, B, b.section(bending_only(1e-4, 1e-2)), b.material(210e9, 81e9));
  b.fix(A, {0, 2, 4});
  b.nodal_load(B, 0, 1e3);
  EXPECT_TRUE(b.run().storeys[0].empty());
}

}  // namespace
}  // namespace ulterix::testing
