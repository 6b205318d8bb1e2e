#include <gtest/gtest.h>

#include <random>

#include "read/catalogue.hpp"
#include "read/document.hpp"
#include "read/keys.hpp"
#include "read/model_file.hpp"
#include "read/name_matching.hpp"
#include "support/frame_builder.hpp"

namespace ulterix::testing::reader_test {
namespace {

const std::string kFrame = R"(
title = "pier"
plane = "xz"
[materials]
S355 = { E = "210 GPa", density = 7850, fy = 355 }
[sections]
col = { shape = "HEB 240" }
plain = { A = 5400, Iy = 5.7e7 }
[defaults]
section = "plain"
"C*" = { section = "col" }
[nodes]
A0 = [0, 0]
A1 = [0, "3600 mm"]
B0 = [7.2, 0]
B1 = [7.2, 3.6]
[members]
CA = ["A0", "A1"]
CB = { from = "B0", to = "B1", roll = 90 }
R = { through = ["A1", "B1"], hinge = { end = { my = "8000 kN.m/rad" } } }
[groups]
feet = { nodes = "?0" }
[supports]
feet = "fixed"
)";

ModelFile read(const std::string& text) {
  return read_model(text, "pier.toml");
}

std::string complaints(const ModelFile& file) {
  std::string all;
  for (const Complaint& c : file.complaints) all += c.words + "\n";
  return all;
}

TEST(Reader, ReadsAFrame) {
  const ModelFile f = read(kFrame);
  ASSERT_EQ(complaints(f), "");
  EXPECT_EQ(f.model.nodes.size(), 4);
  EXPECT_DOUBLE_EQ(f.model.nodes[NodeId(1)].position[2], 3.6);
  EXPECT_EQ(f.model.members[MemberId(2)].name, "R.1");
  EXPECT_EQ(f.model.members[MemberId(2)].joints[1][4], 8e6);
  EXPECT_EQ(f.model.members[MemberId(2)].joints[0][4], kRigid);
  EXPECT_NEAR(f.model.members[MemberId(1)].roll, 1.5707963267948966, 1e-15);
  EXPECT_EQ(f.model.sections[f.model.members[MemberId(0)].section].name, "col");
  EXPECT_EQ(f.model.sections[f.model.members[MemberId(2)].section].name, "plain");
  EXPECT_EQ(f.model.supports.size(), 2u);
  EXPECT_DOUBLE_EQ(f.model.materials[MaterialId(0)].G, 210e9 / 2.6);
}

TEST(Reader, TablesKeepTheOrderOfTheFile) {
  const ModelFile f = read(
      "plane = \"xz\"\n[materials]\nm = { E = 1 }\n[sections]\ns = { A = 1, Iy = 1 "
      "}\n[defaults]\nsection = \"s\"\n"
      "[nodes]\nz = [0, 0]\na = [1, 0]\nm = [2, 0]\n[members]\nq = [\"z\", \"a\"]\nb = [\"a\", "
      "\"m\"]\n"
      "[supports]\nz = \"fixed\"\n");
  ASSERT_EQ(complaints(f), "");
  EXPECT_EQ(f.model.nodes[NodeId(0)].name, "z");
  EXPECT_EQ(f.model.nodes[NodeId(2)].name, "m");
  EXPECT_EQ(f.model.members[MemberId(0)].name, "q");
}

TEST(Reader, LoadsAndCombinations) {
  const ModelFile f = read(kFrame + R"(
[loads.G]
action = "dead"
self_weight = 1.0
nodes = [ { on = ["A1", "B1"], fz = -120 } ]
members = [ { on = "R", qz = [-5, -10], over = [0.25, "5.4 m"], axes = "local" },
            { on = "R.1", fz = "-4 kip", at = 0.5, mqy = 3 } ]
[loads.W]
nodes = [ { on = "A1", fx = 10 } ]
[combinations]
U1 = { G = 1.35, notional = { x = 0.002 } }
U2 = { G = 1.35, W = [0.9, -0.9] }
[watch]
sway = "B1.ux"
[analyses.second]
kind = "p-delta"
loads = ["U2", "G"]
between_nodes = false
)");
  ASSERT_EQ(complaints(f), "");
  const LoadCase& G = f.model.cases[CaseId(0)];
  EXPECT_EQ(G.self_weight.size(), 3u);
  EXPECT_EQ(G.nodal.size(), 2u);
  ASSERT_EQ(G.distributed.size(), 2u);
  EXPECT_DOUBLE_EQ(G.distributed[0].from, 1.8);
  EXPECT_DOUBLE_EQ(G.distributed[0].to, 5.4);
  EXPECT_DOUBLE_EQ(G.distributed[0].at_to[2], -10e3);
  EXPECT_DOUBLE_EQ(G.points[0].force[2], -4 * 4448.2216152605);
  ASSERT_EQ(f.model.combinations.size(), 3u);
  EXPECT_EQ(f.model.combinations[2].name, "U2.2");
  EXPECT_EQ(f.model.combinations[2].terms[1].second, -0.9);
  ASSERT_EQ(f.model.analyses.size(), 1u);
  ASSERT_EQ(f.model.analyses[0].loads.size(), 3u);
  EXPECT_EQ(f.model.analyses[0].loads[1].name, "U2.2");
  EXPECT_FALSE(f.model.analyses[0].p_delta().between_nodes);
}

TEST(Reader, WithoutAnalysesPDeltaAndBucklingOfEveryCombinationRun) {
  const ModelFile f = read(kFrame + "[loads.G]\nself_weight = 1\n");
  ASSERT_EQ(complaints(f), "");
  ASSERT_EQ(f.model.analyses.size(), 2u);
  EXPECT_EQ(f.model.analyses[0].name, "p-delta");
  EXPECT_EQ(f.model.analyses[0].loads[0].name, "G");
  EXPECT_EQ(f.model.analyses[1].name, "buckling");
  EXPECT_EQ(f.model.analyses[1].loads[0].name, "G");
}

/// F4: one cantilever in metric and in US units gives one physical answer.
TEST(Reader, UnitSetsGiveTheSameAnswer) {
  const std::string metric = R"(
plane = "xz"
[materials]
m = { E = "200 GPa", G = "77 GPa" }
[sections]
s = { A = "14.1 in^2", Iy = "484 in^4" }
[nodes]
A = [0, 0]
B = [0, "28 ft"]
[members]
c = ["A", "B", "s"]
[supports]
A = "fixed"
[loads.G]
nodes = [ { on = "B", fx = "1 kip", fz = "-100 kip" } ]
)";
  const RunResult a = run(read(metric).model);
  const RunResult b = run(read("units = \"us-ft\"\n" + metric).model);
  const RunResult c = run(read("units = \"metric-mm\"\n" + metric).model);
  const double u = a.find("p-delta", "G")->state.nodes[NodeId(1)].translation[0];
  EXPECT_GT(u, 0);
  EXPECT_RELATIVE(b.find("p-delta", "G")->state.nodes[NodeId(1)].translation[0], u, kExact);
  EXPECT_RELATIVE(c.find("p-delta", "G")->state.nodes[NodeId(1)].translation[0], u, kExact);
}

TEST(Reader, VerticalYTurnsThePlane) {
  const ModelFile f = read(
      "plane = \"xy\"\nvertical = \"y\"\n[materials]\nm = { E = 1, density = 1 }\n[sections]\ns = "
      "{ A = 1e6, Iy = 1 }\n"
      "[nodes]\nA = [0, 0]\nB = [0, 3]\n[members]\nc = [\"A\", \"B\", \"s\"]\n[supports]\nA = "
      "\"fixed\"\n"
      "[loads.G]\nself_weight = 1\n");
  ASSERT_EQ(complaints(f), "");
  EXPECT_EQ(f.model.nodes[NodeId(1)].position[1], 3);
  const RunResult r = run(f.model);
  EXPECT_RELATIVE(r.steps[0].reactions[NodeId(0)][1], 3 * 9.80665, kExact);
}

TEST(Reader, Places) {
  const ModelFile f = read(kFrame);
  std::string complaint;
  EXPECT_EQ(parse_place(f.model, "B1.ux", complaint)->component, 0);
  EXPECT_EQ(parse_place(f.model, "A0.fz", complaint)->kind, Place::Kind::reaction);
  EXPECT_EQ(parse_place(f.model, "R.1.My@end", complaint)->x, 1);
  EXPECT_DOUBLE_EQ(parse_place(f.model, "R.1.N@2500 mm", complaint)->x, 2.5);
  EXPECT_EQ(parse_place(f.model, "C*.My@max", complaint)->members.size(), 2u);
  for (const auto& [text, words] : std::vector<std::pair<std::string, std::string>>{
           {"B9.ux", "no node \"B9\"; did you mean \"B0\"?"},
           {"B1.vx", "no quantity \"vx\"; did you mean \"ux\"?"},
           {"CA.My", "say where on the member: @start, @end, @0.5, @2.5 m, @min or @max"},
           {"CA.My@7", "@7 is a fraction, between 0 and 1; a distance needs its unit"},
           {"CA.My@9 m", "@9 m lies beyond the end of CA"},
           {"C*.My@0.5", "\"C*\" names 2 members: only @min and @max read them together"},
           {"B1", "\"B1\" is not a place; write NODE.ux or MEMBER.My@0.5"}}) {
    EXPECT_FALSE(parse_place(f.model, text, complaint).has_value()) << text;
    EXPECT_EQ(complaint, words);
  }
}

TEST(Reader, ConcreteFromItsClass) {
  const ModelFile f = read(
      "plane = \"xz\"\n[materials]\nC = { concrete = \"C35/45\" }\nA = { fc = \"5 ksi\", standard "
      "= \"ACI 318\" }\n");
  EXPECT_DOUBLE_EQ(f.model.materials[MaterialId(0)].E, 34e9);
  EXPECT_NEAR(f.model.materials[MaterialId(0)].density * 9.80665, 25e3, 1e-6);
  EXPECT_NEAR(f.model.materials[MaterialId(1)].E / 6894.757293168361, 57000 * std::sqrt(5000.0),
              1e-3);
}

TEST(Reader, CrackedFactorsReachTheStiffness) {
  std::string cracked = kFrame;
  cracked.replace(cracked.find("Iy = 5.7e7"), 10, "Iy = 5.7e7, stiffness = { I = 0.5 }");
  cracked += "[loads.G]\nmembers = [ { on = \"R\", qz = -1 } ]\n";
  const ModelFile f = read(cracked);
  ASSERT_EQ(complaints(f), "");
  EXPECT_EQ(f.model.sections[SectionId(1)].stiffness.Iy, 0.5);
  const ElementProperties p = element_properties(Situation(f.model), MemberId(2));
  EXPECT_DOUBLE_EQ(p.EIy, 0.5 * 210e9 * 5.7e-5);
}

/// Every shape of the catalogue weighs what its designation says (steel 7850 kg/m³), so that a slip
/// in a dimension is found; designations are rounded to 0.1 kg/m.
TEST(Catalogue, AreasMatchTheMassOfTheDesignation) {
  EXPECT_EQ(catalogue().size(), 56u);
  for (const CatalogueShape& s : catalogue()) {
    const double mass = section_properties(s.shape, s.dimensions).A * 7850;
    EXPECT_NEAR(mass, s.mass, 0.06 + 0.001 * s.mass) << s.designation;
  }
}

/// Second moments of EN 10365 for a few, cm⁴: Iy, Iz, It and Wpl,y in cm³.
TEST(Catalogue, PublishedProperties) {
  struct Row {
    const char* name;
    double Iy, Iz, It, Wply;
  };
  for (const Row& r :
       {Row{"IPE 300", 8356, 603.8, 20.12, 628.4}, Row{"HEB 240", 11260, 3923, 102.7, 1053},
        Row{"HEA 200", 3692, 1336, 20.98, 429.5}, Row{"IPE 600", 92080, 3387, 165.4, 3512}}) {
    const CatalogueShape* shape = find_shape(r.name);
    ASSERT_NE(shape, nullptr) << r.name;
    const SectionProperties p = section_properties(shape->shape, shape->dimensions);
    EXPECT_RELATIVE(p.Iy * 1e8, r.Iy, 1e-3);
    EXPECT_RELATIVE(p.Iz * 1e8, r.Iz, 1e-3);
    EXPECT_RELATIVE(p.Wply * 1e6, r.Wply, 1e-3);
    EXPECT_RELATIVE(p.J * 1e8, r.It, 0.02);  // the formula for fillets differs by a per cent
  }
  EXPECT_EQ(find_shape("heb240"), find_shape("HEB 240"));
  EXPECT_EQ(find_shape("HEB 245"), nullptr);
}

/// Iw = tf·b³·(h − tf)²/24 as tables of rolled shapes give it, in 1e9 mm⁶ to three digits.
TEST(Catalogue, WarpingConstants) {
  const auto Iw = [](const char* name) {
    const CatalogueShape* s = find_shape(name);
    return section_properties(s->shape, s->dimensions).Iw * 1e9;
  };
  EXPECT_NEAR(Iw("IPE 400"), 490, 0.5);
  EXPECT_NEAR(Iw("HEB 400"), 3817, 2);
  EXPECT_NEAR(Iw("HEA 200"), 108, 0.5);
  EXPECT_EQ(section_properties(Shape::box, {0.3, 0.2, 0.01, 0.01}).Iw, 0);
}

/// A model with one more member.
std::string replaced_members(std::string text, const std::string& line) {
  const std::string at = "[members]\n";
  return text.insert(text.find(at) + at.size(), line);
}

TEST(Reader, StagesHoldWhatActsAfterThem) {
  const ModelFile f = read(kFrame + R"(
[loads.G]
self_weight = 1.0
members = [ { on = "R.1", qz = -4 } ]
nodes = [ { on = ["A1", "B1"], fz = -10 } ]
[loads.Q]
members = [ { on = "R.1", fz = -3, at = 0.5 } ]
[analyses.erection]
kind = "staged"
brings = { G = 2 }
stages = [
  { name = "left", erect = ["CA"] },
  { name = "right", erect = ["CB", "R.1"], add = { Q = 3 } },
  { name = "lighter", take_off = { Q = 1 }, theory = "p-delta" },
  { name = "open", strike = ["R.1"], theory = "p-delta" },
]
[analyses.levels]
kind = "staged"
position = "drawn"
brings = { G = 1 }
stages = { by = "levels" }
)");
  ASSERT_EQ(complaints(f), "");
  ASSERT_EQ(f.model.analyses.size(), 4u);
  const AnalysisSpec &reference = f.model.analyses[0], &spec = f.model.analyses[1];
  EXPECT_TRUE(reference.staged().at_once);
  EXPECT_EQ(reference.name, "erection-at-once");
  ASSERT_EQ(spec.staged().stages.size(), 4u);
  EXPECT_EQ(spec.staged().stages[1].theory, AnalysisKind::first_order);
  EXPECT_EQ(spec.staged().stages[2].theory, AnalysisKind::p_delta);
  const auto items = [&spec](std::size_t i) -> const LoadCase& { return *spec.loads[i].items; };
  EXPECT_EQ(spec.loads[1].name, "right");
  // Left: the column's weight and the load of its head, at twice the case.
  ASSERT_EQ(items(0).self_weight.size(), 1u);
  EXPECT_EQ(items(0).self_weight[0].factor, 2);
  ASSERT_EQ(items(0).nodal.size(), 1u);
  EXPECT_EQ(items(0).nodal[0].force[2], -2e4);
  EXPECT_EQ(items(1).self_weight.size(), 3u);
  EXPECT_EQ(items(1).nodal.size(), 2u);
  ASSERT_EQ(items(1).points.size(), 1u);
  EXPECT_EQ(items(1).points[0].force[2], -9e3);
  ASSERT_EQ(items(2).points.size(), 2u);
  EXPECT_EQ(items(2).points[1].force[2], 3e3);
  // What lay on the struck girder is gone; the nodes stand on.
  EXPECT_TRUE(items(3).points.empty());
  EXPECT_TRUE(items(3).distributed.empty());
  EXPECT_EQ(items(3).nodal.size(), 2u);
  const StagedKeys& levels = f.model.analyses[3].staged();
  ASSERT_EQ(levels.stages.size(), 1u);  // the columns and the girder end at one level
  EXPECT_TRUE(levels.stages[0].drawn);
  EXPECT_EQ(levels.stages[0].erected.size(), 3u);
}

TEST(Reader, CutLengthIsALengthOrPerCentOfTheDistanceDrawn) {
  for (const auto& [given, expected] : {std::pair<std::string, double>{"\"99.5 %\"", 0.995 * 7.2},
                                        {"7.25", 7.25},
                                        {"\"7300 mm\"", 7.3}}) {
    const ModelFile g = read(replaced_members(kFrame,
                                              "K = { from = \"A1\", to = \"B1\", kind = \"cable\", "
                                              "cut_length = " +
                                                  given + " }\n"));
    ASSERT_EQ(complaints(g), "") << given;
    const Member& k = g.model.members[MemberId(0)];
    EXPECT_NEAR(k.cut_length, expected, 1e-12);
    // Without weight a cable that is short is pulled, one that is long is not.
    EXPECT_EQ(k.preload > 0, expected < 7.2) << k.preload;
  }
}

TEST(NearNames, SuggestsSlipsOnly) {
  EXPECT_EQ(nearest("raftr", {"rafter", "col"}), "rafter");
  EXPECT_EQ(nearest("B9", {"A1", "B1"}), "B1");
  EXPECT_EQ(nearest("q", {"G", "W"}), "");
  EXPECT_EQ(nearest("g", {"G", "W"}), "G");
  EXPECT_EQ(nearest("entirely", {"other"}), "");
}

TEST(NearNames, Patterns) {
  EXPECT_TRUE(fits("C*", "CA.1"));
  EXPECT_TRUE(fits("?0", "A0"));
  EXPECT_TRUE(fits("*", ""));
  EXPECT_TRUE(fits("G.*.x", "G.1.2.x"));
  EXPECT_FALSE(fits("?0", "A10"));
  EXPECT_FALSE(fits("C*x", "CA"));
}

/// Every key of the registry is really asked for by a reader: a table of all supported keys with
/// nonsense values must not be told to be unknown.
TEST(Keys, NoneIsUnknownToItsTable) {
  for (const Key& key : all_keys()) {
    EXPECT_EQ(find_key(key.table, key.name), &key) << key.table << "." << key.name;
  }
  EXPECT_EQ(find_key("member", "colour"), nullptr);
}

/// Hostile texts: no crash, no silence.
TEST(Reader, HostileTextsGiveComplaints) {
  for (const std::string& text :
       {std::string(""), std::string("x"), std::string("[nodes]\nA = [nan, 0, 0]\n"),
        std::string("[% "), std::string("nodes = 3\n"), std::string("[nodes]\nA = {}\n"),
        std::string("members = [1, 2]\n"), std::string("\0\0", 2), std::string("a = \"\xff\xfe\""),
        std::string(5000, '['), std::string("title = 1979-05-27\n"),
        std::string("[supports]\n\"*\" = 7\n")}) {
    EXPECT_FALSE(read(text).good()) << text.substr(0, 40);
  }
}

/// `text` with one to four damages: a piece lost, doubled or overwritten by what means much in
/// TOML.
std::string damaged(std::string text, std::mt19937& random) {
  static const std::vector<std::string> kTokens = {
      "[",    "]",      "[[",    "{",       "}",        "\"",
      "'",    "\"\"\"", ".",     "=",       ",",        "\n",
      "#",    "\\u",    "1e999", "-",       "nan",      "0x",
      "1_",   "\xc3",   "\r",    "%",       "*",        "\0",
      "true", "[[a]]",  "1979",  "a.b = 1", "\"\" = 1", "99999999999999999999"};
  const auto below = [&](std::size_t n) { return random() % n; };
  for (std::size_t left = 1 + below(4); left > 0; --left) {
    const std::size_t at = below(text.size());
    const std::size_t length = below(20);
    switch (below(3)) {
      case 0:
        text.erase(at, length);
        break;
      case 1:
        text.insert(at, text.substr(below(text.size()), length));
        break;
      default:
        text.replace(at, below(3), kTokens[below(kTokens.size())]);
    }
    if (text.empty()) text = "=";
  }
  return text;
}

TEST(Reader, DamagedTextsAreReadOrRefusedAtAPlaceInTheFile) {
  std::mt19937 random(20261125);
  int refused = 0;
  for (int trial = 0; trial < 4000; ++trial) {
    const std::string text = damaged(kFrame, random);
    SCOPED_TRACE(text);
    ModelFile f;
    ASSERT_NO_THROW(f = read(text));
    refused += f.good() ? 0 : 1;
    const auto lines = std::count(text.begin(), text.end(), '\n') + 1;
    for (const Complaint& c : f.complaints) {
      ASSERT_FALSE(c.words.empty());
      ASSERT_LE(c.at.line, lines);
    }
    if (!f.good()) continue;
    for (const Node& n : f.model.nodes) ASSERT_TRUE(n.position.allFinite());
  }
  EXPECT_GT(refused, 2000);
}

}  // namespace
}  // namespace ulterix::testing::reader_test
