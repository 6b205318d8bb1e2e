// Histories, bows, stages that go on after others, and what stays, as they are read.
#include <gtest/gtest.h>

#include "read/model_file.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::analyses_test {
namespace {

const std::string kFrame = R"(
plane = "xz"
[materials]
S = { E = "210 GPa", density = 7850 }
[sections]
a = { shape = "IPE 300" }
[defaults]
section = "a"
[nodes]
A = [0, 0]
B = [0, 4]
C = [6, 4]
[members]
col = { from = "A", to = "B", bow = "L/400" }
beam = { from = "B", to = "C", bow = { z = "-12 mm" } }
turned = { from = "A", to = "C", roll = 90, bow = 5 }
[supports]
A = "fixed"
C = { uz = { only = "positive" } }
[loads.G]
self_weight = 1.0
[loads.W]
nodes = [ { on = "B", fx = 10 } ]
[loads.Q]
members = [ { on = "beam", qz = -5 } ]
[combinations]
U = { G = 1.35, W = 1.5 }
[mass]
from_loads = { Q = 0.3 }
)";

ModelFile read(const std::string& text) {
  return read_model(kFrame + text, "frame.toml");
}

std::string complaints(const ModelFile& file) {
  std::string all;
  for (const Complaint& c : file.complaints) all += c.words + "\n";
  return all;
}

double factor_of(const LoadSet& set, int load_case) {
  for (const auto& [id, factor] : set.terms) {
    if (id.value == load_case) return factor;
  }
  return 0;
}

TEST(Bow, IsALengthOrAPartOfTheMembers) {
  const ModelFile f = read("");
  ASSERT_EQ(complaints(f), "");
  const auto& members = f.model.members;
  EXPECT_DOUBLE_EQ(members[MemberId(0)].bow[1], 0.01);
  EXPECT_DOUBLE_EQ(members[MemberId(1)].bow[1], -0.012);
  EXPECT_DOUBLE_EQ(members[MemberId(1)].bow[0], 0);
  // Bare and turned by a right angle: local y lies in the plane.
  EXPECT_DOUBLE_EQ(members[MemberId(2)].bow[0], 0.005);
}

TEST(History, LegsKeepWhatTheyDoNotName) {
  const ModelFile f = read(
      "[analyses.gust]\nkind = \"large-displacement\"\nsteps = 4\n"
      "history = [ { G = 1 }, { W = 1, steps = 20, name = \"wind\" }, { W = 0 }, { U = 1 } ]\n"
      "[analyses.again]\nkind = \"large-displacement\"\nhistory = [ { G = 0.5 } ]\n");
  ASSERT_EQ(complaints(f), "");
  const AnalysisSpec& spec = f.model.analyses[0];
  ASSERT_TRUE(spec.is_history());
  ASSERT_EQ(spec.loads.size(), 4u);
  EXPECT_EQ(spec.loads[0].name, "leg 1");
  EXPECT_EQ(spec.loads[1].name, "wind");
  EXPECT_EQ(spec.large_displacement().history[1].steps, 20);
  EXPECT_EQ(spec.large_displacement().history[2].steps, 0);
  EXPECT_EQ(factor_of(spec.loads[1], 0), 1);
  EXPECT_EQ(factor_of(spec.loads[1], 1), 1);
  EXPECT_EQ(factor_of(spec.loads[2], 1), 0);
  EXPECT_EQ(factor_of(spec.loads[2], 0), 1);
  EXPECT_EQ(factor_of(spec.loads[3], 0), 1.35);
  EXPECT_EQ(factor_of(spec.loads[3], 1), 1.5);
  // Names of legs say whose they are where they would be the same.
  EXPECT_EQ(f.model.analyses[1].loads[0].name, "again leg 1");
}

TEST(After, LargeDisplacementKeepsTheLoadsOfTheState) {
  const ModelFile f = read(
      "[analyses.second]\nkind = \"p-delta\"\nloads = \"G\"\n"
      "[analyses.large]\nkind = \"large-displacement\"\nloads = \"W\"\nafter = \"second:G\"\n");
  ASSERT_EQ(complaints(f), "");
  const auto& constant = f.model.analyses[1].large_displacement().constant;
  ASSERT_TRUE(constant.has_value());
  EXPECT_EQ(factor_of(*constant, 0), 1);
}

TEST(After, FurtherStagesFollowThoseOfAnotherErection) {
  const ModelFile f = read(
      "[analyses.erection]\nkind = \"staged\"\nbrings = { G = 1 }\n"
      "stages = [ { name = \"col\", erect = \"col\", support = { B = [\"ux\"] } }, "
      "{ erect = \"beam\", brings = { G = 1, Q = 0.5 } }, { erect = \"turned\" } ]\n"
      "[analyses.wind]\nkind = \"staged\"\nafter = \"erection:2\"\ntheory = \"p-delta\"\n"
      "stages = [ { name = \"freed\", free = [\"B\"], add = { W = 1 } } ]\n");
  ASSERT_EQ(complaints(f), "");
  const AnalysisSpec& spec = f.model.analyses.back();
  ASSERT_EQ(spec.name, "wind");
  const std::vector<Stage>& stages = spec.staged().stages;
  ASSERT_EQ(stages.size(), 3u);
  EXPECT_EQ(stages[0].name, "col");
  EXPECT_EQ(stages[1].theory, AnalysisKind::first_order);
  EXPECT_EQ(stages[2].theory, AnalysisKind::p_delta);
  ASSERT_EQ(stages[2].freed.size(), 1u);
  // Loads so far and those of the further stage.
  const LoadCase& items = *spec.loads[2].items;
  EXPECT_EQ(items.self_weight.size(), 2u);
  EXPECT_EQ(items.nodal.size(), 1u);
  // Q is mass from the stage on in which it came, in full.
  EXPECT_TRUE(spec.loads[0].heavy->distributed.empty());
  for (const std::size_t k : {std::size_t{1}, std::size_t{2}}) {
    ASSERT_EQ(spec.loads[k].heavy->distributed.size(), 1u);
    EXPECT_DOUBLE_EQ(spec.loads[k].heavy->distributed[0].at_from[2], -0.3 * 5e3);
  }
}

TEST(After, IsAKeyOfTheKindsThatHaveIt) {
  const ModelFile f = read("[analyses.one]\nkind = \"first-order\"\nafter = \"second:G\"\n");
  EXPECT_NE(complaints(f).find("after is a key of"), std::string::npos);
}

}  // namespace
}  // namespace ulterix::testing::analyses_test
