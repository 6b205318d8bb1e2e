// Modes of two results paired by their shapes.
#include "app/mode_pairs.hpp"

#include <gtest/gtest.h>

#include <random>

namespace ulterix::testing::mode_pairs_test {
namespace {

StoredMode mode(int number, double value, const std::vector<Vector3d>& at) {
  StoredMode m;
  m.number = number;
  m.value = value;
  m.words = "sway";
  for (std::size_t i = 0; i < at.size(); ++i) m.places["N" + std::to_string(i)] = {at[i], 1};
  return m;
}

const Vector3d kX(1, 0, 0), kY(0, 1, 0), kNone(0, 0, 0);

TEST(Assurance, IsOneForTheSameShapeWhateverItsSizeAndSign) {
  const StoredMode a = mode(1, 2, {kX, 2 * kX, kX + kY}),
                   b = mode(1, 2, {kX * -3, kX * -6, (kX + kY) * -3});
  EXPECT_NEAR(assurance(a, a), 1, 1e-15);
  EXPECT_NEAR(assurance(a, b), 1, 1e-15);
}

TEST(Assurance, IsZeroForShapesThatHaveNothingInCommon) {
  EXPECT_NEAR(assurance(mode(1, 1, {kX, kX}), mode(1, 1, {kY, kY})), 0, 1e-15);
  EXPECT_NEAR(assurance(mode(1, 1, {kX, kX}), mode(1, 1, {kX, -kX})), 0, 1e-15);
  EXPECT_NEAR(assurance(mode(1, 1, {kX, kX}), mode(1, 1, {kX, kNone})), 0.5, 1e-15);
}

TEST(Assurance, OnlyPlacesThatBothHaveCount) {
  StoredMode a = mode(1, 1, {kX, 2 * kX}), b = a;
  b.places["elsewhere"] = {100 * kY, 1};
  EXPECT_NEAR(assurance(a, b), 1, 1e-15);
  a.places.clear();
  EXPECT_EQ(assurance(a, b), 0);
}

ModeSet set_of(const std::vector<StoredMode>& modes) {
  ModeSet set;
  set.analysis = "vibration";
  set.modes = modes;
  return set;
}

TEST(PairModes, FollowTheShapeNotTheNumber) {
  // A stiffer brace lets the two sway modes change places.
  const ModeSet before = set_of({mode(1, 1.4, {kX, 2 * kX}), mode(2, 1.1, {kY, 2 * kY})});
  const ModeSet after = set_of({mode(1, 1.2, {kY, 2.1 * kY}), mode(2, 0.9, {kX, 1.9 * kX})});
  const std::vector<ModePair> pairs = pair_modes(before, after);
  ASSERT_EQ(pairs.size(), 2u);
  EXPECT_EQ(pairs[0].before->number, 2);
  EXPECT_EQ(pairs[0].after->number, 1);
  EXPECT_EQ(pairs[1].before->number, 1);
  EXPECT_GT(pairs[1].mac, 0.99);
}

TEST(PairModes, UseEachModeOnceAndLeaveStrangersAlone) {
  const ModeSet before = set_of({mode(1, 1, {kX, kX, kNone})});
  const ModeSet after = set_of({mode(1, 1, {kX, 0.9 * kX, kNone}), mode(2, 0.8, {kX, kX, kNone}),
                                mode(3, 0.5, {kNone, kNone, kY})});
  const std::vector<ModePair> pairs = pair_modes(before, after);
  ASSERT_EQ(pairs.size(), 3u);
  int used = 0;
  for (const ModePair& pair : pairs) used += pair.before != nullptr ? 1 : 0;
  EXPECT_EQ(used, 1);
  EXPECT_EQ(pairs[2].before, nullptr);
  EXPECT_NE(pairs_text(before, after).find("3"), std::string::npos);
}

TEST(PairModes, OfOneSetWithItselfAreItsOwn) {
  std::mt19937 random(5);
  std::normal_distribution<double> normal;
  std::vector<StoredMode> modes;
  for (int k = 1; k <= 6; ++k) {
    std::vector<Vector3d> at(30);
    for (Vector3d& u : at) u = {normal(random), normal(random), normal(random)};
    modes.push_back(mode(k, 1.0 / k, at));
  }
  const ModeSet set = set_of(modes);
  for (const ModePair& pair : pair_modes(set, set)) {
    ASSERT_NE(pair.before, nullptr);
    EXPECT_EQ(pair.before->number, pair.after->number);
    EXPECT_NEAR(pair.mac, 1, 1e-12);
  }
}

}  // namespace
}  // namespace ulterix::testing::mode_pairs_test
