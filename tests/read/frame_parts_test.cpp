// Hinges, supports, defaults, groups, levels and changes of a model, as they are read.
#include <gtest/gtest.h>

#include "core/model/local_axes.hpp"
#include "read/model_changes.hpp"
#include "read/model_file.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::frame_parts_test {
namespace {

const std::string kHead =
    "[materials]\nS = { E = \"210 GPa\", density = 7850 }\nT = { E = \"70 GPa\" }\n"
    "[sections]\na = { shape = \"IPE 300\" }\nb = { shape = \"HEB 200\" }\n";
const std::string kNodes =
    "[nodes]\nA = [0, 0, 0]\nB = [0, 0, 4]\nC = [6, 0, 4]\nD = [6, 0, 0]\nE = [12, 0, 4]\n";

ModelFile read(const std::string& text) {
  return read_model(text, "frame.toml");
}

std::string complaints(const ModelFile& file) {
  std::string all;
  for (const Complaint& c : file.complaints) all += c.words + "\n";
  return all;
}

const Member& member(const ModelFile& f, const std::string& name) {
  for (const Member& m : f.model.members) {
    if (m.name == name) return m;
  }
  throw std::runtime_error("no member " + name);
}

TEST(Members, DefaultsByPatternAndTheirOrder) {
  const ModelFile f =
      read(kHead + "[defaults]\nmaterial = \"S\"\nsection = \"a\"\n\"P*\" = { section = \"b\" }\n" +
           "\"PQ*\" = { material = \"T\", roll = 90 }\n" + kNodes +
           "[members]\nP1 = [\"A\", \"B\"]\nPQ = [\"D\", \"C\"]\nR = [\"B\", \"C\"]\n"
           "PX = { from = \"C\", to = \"E\", section = \"a\" }\n[supports]\nA = \"fixed\"\n");
  ASSERT_EQ(complaints(f), "");
  const auto section = [&](const std::string& m) {
    return f.model.sections[member(f, m).section].name;
  };
  const auto material = [&](const std::string& m) {
    return f.model.materials[member(f, m).material].name;
  };
  EXPECT_EQ(section("P1"), "b");
  EXPECT_EQ(section("R"), "a");
  EXPECT_EQ(section("PX"), "a");  // its own key wins
  EXPECT_EQ(material("PQ"), "T");
  EXPECT_EQ(material("P1"), "S");
  EXPECT_NEAR(member(f, "PQ").roll, 1.5707963267948966, 1e-15);
}

TEST(Members, HingesOfARunStandAtItsEnds) {
  const ModelFile f =
      read(kHead + "[defaults]\nmaterial = \"S\"\nsection = \"a\"\n" + kNodes +
           "[members]\nG = { through = [\"B\", \"C\", \"E\"], hinge = { start = [\"my\"], "
           "end = { mz = \"5 kN.m/mrad\", my = true } } }\nX = [\"A\", \"B\"]\nY = [\"D\", \"C\"]\n"
           "[supports]\nA = \"fixed\"\n");
  ASSERT_EQ(complaints(f), "");
  EXPECT_EQ(member(f, "G.1").joints[0][4], 0);
  EXPECT_EQ(member(f, "G.1").joints[1], kJoined);
  EXPECT_EQ(member(f, "G.2").joints[0], kJoined);
  EXPECT_EQ(member(f, "G.2").joints[1][4], 0);
  EXPECT_NEAR(member(f, "G.2").joints[1][5], 5e6, 1e-6);
}

TEST(Supports, EveryForm) {
  const ModelFile f =
      read(kHead + "[defaults]\nmaterial = \"S\"\nsection = \"a\"\n" + kNodes +
           "[members]\nG = { through = [\"A\", \"B\", \"C\", \"D\"] }\nH = [\"C\", \"E\"]\n"
           "[groups]\nfar = { nodes = [\"D\", \"E\"], except = \"E\" }\n"
           "[supports]\nA = \"fixed\"\nfar = \"pinned\"\nE = [\"uz\", \"rx\"]\n"
           "B = { uy = { spring = 4000 }, rx = { spring = \"7 kN.m/rad\" }, uz = true, ux = false, "
           "settle = { uz = -8, uy = \"1 cm\" } }\n");
  ASSERT_EQ(complaints(f), "");
  ASSERT_EQ(f.model.supports.size(), 4u);
  const auto& B = f.model.supports[3].directions;
  EXPECT_EQ(B[1].stiffness, 4e6);
  EXPECT_EQ(B[3].stiffness, 7e3);
  EXPECT_EQ(B[2].stiffness, kRigid);
  EXPECT_EQ(B[0].stiffness, 0);
  EXPECT_DOUBLE_EQ(B[2].settle, -0.008);
  EXPECT_DOUBLE_EQ(B[1].settle, 0.01);
  EXPECT_EQ(f.model.supports[1].directions[2].stiffness, kRigid);
  EXPECT_EQ(f.model.supports[1].directions[3].stiffness, 0);
  EXPECT_EQ(f.model.supports[2].directions[3].stiffness, kRigid);
}

TEST(Groups, MembersNodesAndExceptions) {
  const ModelFile f =
      read(kHead + "[defaults]\nmaterial = \"S\"\nsection = \"a\"\n" + kNodes +
           "[members]\nG = { through = [\"A\", \"B\", \"C\", \"D\"] }\nH = [\"C\", \"E\"]\n"
           "[groups]\nrun = { members = \"G\" }\nrest = { members = \"*\", except = \"run\" }\n"
           "[supports]\nA = \"fixed\"\n");
  ASSERT_EQ(complaints(f), "");
  EXPECT_EQ(f.model.groups[0].members.size(), 3u);
  EXPECT_EQ(f.model.groups[0].nodes.size(), 4u);
  EXPECT_EQ(f.model.groups[1].members.size(), 1u);
}

TEST(Groups, ByPlaceAndDirection) {
  const ModelFile f =
      read(kHead + "[defaults]\nmaterial = \"S\"\nsection = \"a\"\n" + kNodes +
           "[members]\nG = { through = [\"A\", \"B\", \"C\", \"D\"] }\nH = [\"C\", \"E\"]\n"
           "[groups]\nleft = { between = { x = [0, 3] } }\nflat = { parallel = \"x\" }\n"
           "both = { between = { x = [0, 3] }, parallel = \"x\", except = \"G.1\" }\n"
           "ends = { nodes = [\"A\", \"E\"], between = { x = [-1, \"1 mm\"] } }\n"
           "[supports]\nA = \"fixed\"\n");
  const auto& nodes = f.model.nodes;
  for (const Group& g : f.model.groups) {
    for (const MemberId id : g.members) {
      const Member& m = f.model.members[id];
      const Vector3d chord = nodes[m.end].position - nodes[m.start].position;
      if (g.name != "left") {
        EXPECT_NEAR(std::abs(chord[0]), chord.norm(), 1e-12) << g.name;
      }
      if (g.name != "flat") {
        EXPECT_LE(std::max(nodes[m.start].position[0], nodes[m.end].position[0]), 3);
      }
    }
  }
  std::size_t along_x = 0, inside = 0;
  for (const Member& m : f.model.members) {
    const Vector3d a = nodes[m.start].position, b = nodes[m.end].position;
    if (a[1] == b[1] && a[2] == b[2]) ++along_x;
    if (std::max(a[0], b[0]) <= 3) ++inside;
  }
  EXPECT_EQ(f.model.groups[0].members.size(), inside);
  EXPECT_EQ(f.model.groups[1].members.size(), along_x);
  EXPECT_EQ(f.model.groups.back().nodes.size(), 1u);
}

TEST(Strains, OfLoadsMembersAndSupports) {
  const ModelFile f =
      read(kHead + "[defaults]\nmaterial = \"S\"\nsection = \"a\"\n" + kNodes +
           "[members]\nG = { through = [\"A\", \"B\", \"C\", \"D\"] }\n"
           "H = { from = \"C\", to = \"E\", kind = \"axial\", lack_of_fit = 3, breaks_at = 40 }\n"
           "[supports]\nA = \"fixed\"\n[loads.T]\n"
           "members = [ { on = \"G\", warm = 25, gradient = { y = 10, z = \"0.02 K/mm\" } },\n"
           "{ on = \"H\", preload = 12, lack_of_fit = \"1 mm\" } ]\n"
           "settle = [ { on = \"A\", uz = -8, ry = \"2 mrad\" } ]\n");
  ASSERT_EQ(complaints(f), "");
  const LoadCase& c = f.model.cases[CaseId(0)];
  ASSERT_EQ(c.strains.size(), 4u);
  EXPECT_EQ(c.strains[0].warm, 25);
  EXPECT_EQ(c.strains[1].gradient[0], 10);
  EXPECT_NEAR(c.strains[1].gradient[1], 20, 1e-12);
  EXPECT_EQ(c.strains[3].preload, 12e3);
  EXPECT_DOUBLE_EQ(c.strains[3].lack_of_fit, 1e-3);
  ASSERT_EQ(c.ground.size(), 2u);
  EXPECT_DOUBLE_EQ(c.ground[0].amount, -8e-3);
  EXPECT_EQ(c.ground[1].direction, 4);
  EXPECT_DOUBLE_EQ(member(f, "H").lack_of_fit, 3e-3);
  EXPECT_EQ(member(f, "H").breaks_at, 40e3);
}

TEST(Facing, TurnsLocalZTowardsANodeOrADirection) {
  const ModelFile f =
      read(kHead + "[defaults]\nmaterial = \"S\"\nsection = \"a\"\n" + kNodes +
           "[members]\nG = { through = [\"A\", \"B\", \"C\", \"D\"], facing = [0.3, -0.7, 0.2] }\n"
           "H = { from = \"C\", to = \"E\", facing = \"A\" }\n[supports]\nA = \"fixed\"\n");
  ASSERT_EQ(complaints(f), "");
  for (const MemberId id : f.model.members.ids()) {
    const Member& m = f.model.members[id];
    const Matrix3d R = local_axes(f.model, id);
    const Vector3d towards =
        m.name == "H"
            ? Vector3d(f.model.nodes[NodeId(0)].position - f.model.nodes[m.start].position)
            : Vector3d(0.3, -0.7, 0.2);
    EXPECT_NEAR(R.row(1).dot(towards), 0, 1e-12) << m.name;
    EXPECT_GT(R.row(2).dot(towards), 0) << m.name;
  }
}

TEST(Levels, AreNamedElevations) {
  const ModelFile f = read(kHead + kNodes + "[levels]\nroof = \"4000 mm\"\nground = 0\n");
  ASSERT_EQ(f.model.levels.size(), 2u);
  EXPECT_EQ(f.model.levels[0].elevation, 4);
}

TEST(Warnings, TwoNodesAtOnePlaceAndAWrongUnit) {
  const ModelFile f = read(kHead + "[defaults]\nmaterial = \"S\"\nsection = \"a\"\n" + kNodes +
                           "F = [6, 0, 4]\nG = [\"0.1 m\", 0, 4]\n[members]\nR = { through = "
                           "[\"A\", \"B\", \"C\", \"D\"] }\n"
                           "S = [\"F\", \"E\"]\nU = [\"B\", \"G\"]\n[supports]\nA = \"fixed\"\n");
  ASSERT_EQ(complaints(f), "");
  ASSERT_EQ(f.warnings.size(), 2u);
  EXPECT_EQ(f.warnings[0].words, "nodes C and F lie at the same place and are not joined");
  EXPECT_NE(f.warnings[1].words.find("is a unit wrong?"), std::string::npos);
}

TEST(ModelChanges, KeyByKeyWithoutCommentsAndOrder) {
  const std::string before =
      "title = \"a\"\n[members]\nR1 = [\"A\", \"B\"] # girder\nR2 = { from = \"B\", to = \"C\", "
      "roll = 90 }\n";
  const std::string after =
      "title = \"a\"\n[members]\nR2 = { roll = 0, from = \"B\",   to = \"C\" }\nR3 = [\"A\", "
      "\"C\"]\n";
  const std::vector<KeyChange> changes = model_changes(before, after);
  ASSERT_EQ(changes.size(), 3u);
  EXPECT_EQ(changes[0].key, "members.R1");
  EXPECT_EQ(changes[0].after, "");
  EXPECT_EQ(changes[1].key, "members.R2.roll");
  EXPECT_EQ(changes[1].before, "90");
  EXPECT_EQ(changes[1].after, "0");
  EXPECT_EQ(changes[2].after, "[A, C]");
  EXPECT_TRUE(model_changes(before, before).empty());
}

/// A section that is too thin is a matter of units as one that is too thick.
TEST(Units, AThinSectionAsksForItsUnit) {
  const auto words_of = [](const std::string& section) {
    const ModelFile f = read_model(R"(plane = "xz"
[materials]
m = { E = 210000, density = 7850 }
[sections]
s = )" + section + R"(
[nodes]
A = [0, 0]
B = [0, 4]
[members]
C = ["A", "B", "s"]
[defaults]
material = "m"
[supports]
A = "fixed"
[loads.G]
nodes = [ { on = "B", fz = -1 } ]
)",
                                   "thin.toml");
    EXPECT_TRUE(f.good());
    return f.warnings.empty() ? std::string() : f.warnings[0].words;
  };
  EXPECT_EQ(words_of(R"({ shape = "rectangle", h = 0.45, b = 0.3 })"),
            "section s is 0.45 mm high: is a unit missing?");
  EXPECT_EQ(words_of(R"({ shape = "circle", d = 0.024 })"),
            "section s is 0.024 mm in diameter: is a unit missing?");
  EXPECT_EQ(words_of("{ A = 5000, Iy = 40 }"),
            "section s has a radius of gyration of 0.0894 mm: is a unit missing?");
  EXPECT_EQ(words_of(R"({ shape = "circle", d = 12 })"), "");
}

TEST(Units, OuterSizesAreToldInTheUnitsOfTheFile) {
  const ModelFile f = read_model(R"(plane = "xz"
units = "us-in"
[materials]
m = { E = 29000 }
[sections]
s = { shape = "rectangle", h = 12, b = 6 }
[nodes]
A = [0, 0]
B = [0, 144]
[members]
C = ["A", "B", "s", ]
[defaults]
material = "m"
[supports]
A = "fixed"
)",
                                 "us.toml");
  ASSERT_TRUE(f.good());
  EXPECT_EQ(f.model.sections[SectionId(0)].designation, "rectangle 12 x 6 in");
}

}  // namespace
}  // namespace ulterix::testing::frame_parts_test
