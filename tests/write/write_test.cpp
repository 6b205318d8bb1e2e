// CSV, the registry of tables, the results folder.
#include <gtest/gtest.h>

#include <array>
#include <charconv>
#include <cmath>
#include <cstring>
#include <fstream>
#include <limits>
#include <random>

#include "app/results_input.hpp"
#include "core/element/cut_cables.hpp"
#include "support/frame_builder.hpp"
#include "support/program.hpp"
#include "write/csv.hpp"
#include "write/number_text.hpp"
#include "write/packed_columns.hpp"
#include "write/results_folder.hpp"
#include "write/results_store.hpp"
#include "write/write_tables.hpp"

namespace ulterix::testing::write_test {
namespace {

const TableSpec& sample_table() {
  static const TableSpec spec{"sample",
                              "",
                              {{ColumnSpec::Type::text, "name", Quantity::number, ""},
                               {ColumnSpec::Type::integer, "count", Quantity::number, ""},
                               {ColumnSpec::Type::real, "u", Quantity::displacement, ""}}};
  return spec;
}

TEST(Csv, WritesUnitsQuotesBlanksAndShortestNumbers) {
  const Workplace w;
  CsvSink sink(w.folder(), UnitSystem());
  sink.begin(sample_table());
  const auto row = [&sink](const char* name, std::optional<double> u) {
    sink.text("a");
    sink.text("L");
    sink.integer(1);
    sink.text(name);
    sink.integer(-7);
    sink.real(u);
    sink.end_row();
  };
  row("plain", 0.25);
  row("with, comma", std::nullopt);
  row("with \"quote\"", -0.0);
  row("not a number", std::numeric_limits<double>::quiet_NaN());
  row("third", 0.001 / 3);
  sink.end();
  EXPECT_EQ(w.read("sample.csv"),
            "analysis,loads,step,name,count,u[mm]\n"
            "a,L,1,plain,-7,250\n"
            "a,L,1,\"with, comma\",-7,\n"
            "a,L,1,\"with \"\"quote\"\"\",-7,0\n"
            "a,L,1,not a number,-7,\n"
            "a,L,1,third,-7,0.3333333333333333\n");
  const CsvTable back = read_csv(w.folder() / "sample.csv");
  ASSERT_EQ(back.rows.size(), 5u);
  EXPECT_EQ(back.rows[1][3], "with, comma");
  EXPECT_EQ(back.rows[2][3], "with \"quote\"");
  EXPECT_EQ(std::stod(back.rows[4][5]), 0.001 / 3 / 0.001);
}

TEST(Csv, ATableWithoutRowsHasNoFile) {
  const Workplace w;
  CsvSink sink(w.folder(), UnitSystem());
  sink.begin(sample_table());
  sink.end();
  EXPECT_EQ(sink.files(), 0);
  EXPECT_FALSE(fs::exists(w.folder() / "sample.csv"));
  sink.begin(sample_table());
  sink.add("a,L,1,x,1,2\n");
  sink.end();
  EXPECT_EQ(sink.files(), 1);
  EXPECT_EQ(w.read("sample.csv"), "analysis,loads,step,name,count,u[mm]\na,L,1,x,1,2\n");
}

std::string text_of(double value) {
  std::string text = "<";
  append_number(text, value);
  return text.substr(1);
}

std::string text_of_library(double value) {
  std::array<char, 40> room;
  return {room.data(), std::to_chars(room.data(), room.data() + room.size(), value).ptr};
}

TEST(NumberText, IsTheShortestThatReadsBackInTheShorterNotation) {
  EXPECT_EQ(text_of(0.0), "0");
  EXPECT_EQ(text_of(-0.0), "0");
  EXPECT_EQ(text_of(-0.5), "-0.5");
  EXPECT_EQ(text_of(100), "100");
  EXPECT_EQ(text_of(1e5), "1e+05");
  EXPECT_EQ(text_of(123456), "123456");
  std::vector<double> edges = {0.1,
                               1.0 / 3,
                               1e-4,
                               1e-5,
                               9.5e-5,
                               1e15,
                               1e14,
                               999999999999999.9,
                               1e16,
                               1e22,
                               1e23,
                               1e100,
                               1e-100,
                               5e-324,
                               2.2250738585072014e-308,
                               1.7976931348623157e308,
                               4503599627370497.5,
                               123e9,
                               12345e-9};
  for (int exponent = -320; exponent <= 308; ++exponent) {
    edges.push_back(std::pow(10.0, exponent));
    edges.push_back(1.5 * std::pow(10.0, exponent));
  }
  for (const double value : edges) {
    EXPECT_EQ(text_of(value), text_of_library(value));
    EXPECT_EQ(text_of(-value), text_of_library(-value));
  }
  std::mt19937_64 random(7);
  for (int trial = 0; trial < 200'000; ++trial) {
    const std::uint64_t bits = random();
    double value = 0;
    std::memcpy(&value, &bits, sizeof value);
    if (!std::isfinite(value)) continue;
    ASSERT_EQ(text_of(value), text_of_library(value));
    const double ordinary = std::ldexp(double(bits >> 11), -53) * std::pow(10.0, bits % 13 - 6.0);
    ASSERT_EQ(text_of(ordinary), text_of_library(ordinary));
  }
}

TEST(Csv, ACutFileIsSeen) {
  const Workplace w;
  w.write("cut.csv", "analysis,loads,step\na,L,1\na,L");
  EXPECT_TRUE(read_csv(w.folder() / "cut.csv").header.empty());
  EXPECT_TRUE(read_csv(w.folder() / "missing.csv").header.empty());
}

/// Names of packed columns are numbers, of recovered ones come from the model.
TEST(Tables, NamesWithQuotesAndCommasReadBackFromBothFiles) {
  FrameBuilder b(Plane::xz);
  const MaterialId steel = b.material(210e9, 81e9, 7850);
  const SectionId s = b.section(bending_only(1e-4, 1e-2));
  const std::vector<std::string> names = {"B,1", "say \"B\"", "back\\slash", "Träger", "[x]"};
  NodeId last = b.node("N0", 0, 0, 0);
  b.fix_all(last);
  for (std::size_t i = 0; i < names.size(); ++i) {
    const NodeId next = b.node("N" + std::to_string(i + 1), double(i + 1), 0, 0);
    b.member(names[i], last, next, s, steel);
    last = next;
  }
  b.nodal_load(last, 2, -1e3);
  AnalysisSpec spec;
  spec.name = "modes";
  spec.become(AnalysisKind::modal);
  spec.loads = {};
  AnalysisSpec baseline;
  baseline.name = kBaseline;
  baseline.loads = {b.model.case_alone(CaseId(0))};
  b.model.analyses = {baseline, spec};
  const RunResult r = run(b.model);
  const Workplace w;
  fs::create_directory(w.folder() / "tables");
  TablesWriter(w.folder()).write(r, UnitSystem(), "", "m.toml", true);
  const CsvTable table = read_csv(w.folder() / "tables/member_extremes.csv");
  const auto spec_of = std::find_if(table_specs().begin(), table_specs().end(),
                                    [](const TableSpec& t) { return t.name == "mode_shares"; });
  const StoredTable stored = ResultsStore(w.folder() / "results.sqlite").table(*spec_of);
  ASSERT_EQ(table.rows.size(), kExtremeNames.size() * names.size());
  ASSERT_EQ(stored.rows.size() % names.size(), 0u);
  ASSERT_FALSE(stored.rows.empty());
  for (std::size_t i = 0; i < table.rows.size(); ++i) {
    EXPECT_EQ(table.rows[i][3], names[i / kExtremeNames.size()]);
  }
  for (std::size_t i = 0; i < stored.rows.size(); ++i) {
    EXPECT_EQ(std::get<std::string>(stored.rows[i][4]), names[i % names.size()]);
  }
}

/// Every table of the registry is written with as many cells as it has columns.
TEST(Tables, RowsMatchTheirColumns) {
  FrameBuilder b(Plane::xz);
  const MaterialId steel = b.material(210e9, 81e9, 7850);
  const SectionId s = b.section(bending_only(1e-4, 1e-2));
  const auto [A, B, C, D] = b.portal(6, 4, s, s, steel);
  b.fix(A, {0, 2, 4});
  b.fix(D, {0, 2, 4});
  b.model.members[b.member("tie", A, C, s, steel)].kind = MemberKind::tension_only;
  const NodeId ground = b.node("E", -3, 0, 0);
  const MemberId guy = b.member("guy", ground, B, s, steel);
  b.fix(ground, {0, 2});
  b.model.members[guy].kind = MemberKind::cable;
  b.model.members[guy].preload = 1e4;
  ASSERT_TRUE(cut_cables(b.model).empty());
  Section concrete;
  concrete.shape = Shape::rectangle;
  concrete.dimensions.h = concrete.dimensions.b = 0.4;
  concrete.properties = section_properties(concrete.shape, concrete.dimensions);
  const MaterialId C30 = b.material(33e9, 14e9, 2500);
  b.model.materials[C30].fck = 30e6;
  b.member("post", C, b.node("F", 6, 0, 6), b.model.sections.push_back(concrete), C30);
  b.nodal_load(B, force6(1e4, 0, -1e5));
  LoadSet twice = b.model.case_alone(CaseId(0));
  twice.name = "twice";
  twice.terms[0].second = 2;
  AnalysisSpec analysis;
  analysis.name = "p-delta";
  analysis.become(AnalysisKind::p_delta);
  analysis.loads = {b.model.case_alone(CaseId(0)), twice};
  AnalysisSpec buckling = analysis, modal;
  buckling.name = "buckling";
  buckling.become<BucklingKeys>().incremental = true;
  modal.name = "modal";
  modal.become(AnalysisKind::modal);
  AnalysisSpec finite = analysis;
  finite.name = "large";
  finite.loads = {analysis.loads[0]};
  finite.become<LargeDisplacementKeys>().start_shape = StartShape{"buckling", "", 1, B, 0, 0.02};
  AnalysisSpec staged = analysis;
  staged.name = "staged";
  staged.loads = {analysis.loads[0], analysis.loads[0], analysis.loads[0]};
  staged.loads[1].name = "then";
  staged.loads[2].name = "later";
  Stage frame, tie, later;
  frame.name = "G";
  tie.name = "then";
  later.name = "later";
  later.days = 100;
  for (const MemberId id : b.model.members.ids()) {
    (id == guy ? tie : frame).erected.push_back(id);
  }
  staged.become<StagedKeys>().stages = {frame, tie, later};
  staged.become<StagedKeys>().creep = CreepKeys();
  b.model.analyses = {analysis, buckling, modal, finite, staged};
  Watch sway;
  sway.name = "sway";
  sway.place.node = B;
  b.model.watches = {sway};
  const RunResult r = run(b.model);
  const Workplace w;
  fs::create_directory(w.folder() / "tables");
  const UnitSystem units;
  TablesWriter(w.folder()).write(r, units, "the text", "m.toml", true);
  const ResultsStore store(w.folder() / "results.sqlite");
  EXPECT_EQ(store.about("model_text"), "the text");
  for (const TableSpec& spec : table_specs()) {
    const CsvTable table = read_csv(w.folder() / "tables" / (std::string(spec.name) + ".csv"));
    ASSERT_EQ(table.header.size(), spec.columns.size() + 3) << spec.name;
    EXPECT_FALSE(table.rows.empty()) << spec.name;
    for (const auto& row : table.rows) ASSERT_EQ(row.size(), table.header.size()) << spec.name;
    // The store holds the same rows in the same order, to the last digit.
    const StoredTable stored = store.table(spec);
    EXPECT_EQ(stored.header, table.header);
    EXPECT_EQ(store.count(spec), static_cast<std::int64_t>(stored.rows.size())) << spec.name;
    if (spec.kept == Kept::recovered) continue;
    ASSERT_EQ(stored.rows.size(), table.rows.size()) << spec.name;
    for (std::size_t i = 0; i < table.rows.size(); ++i) {
      for (std::size_t c = 0; c < table.header.size(); ++c) {
        ASSERT_EQ(exact_text(stored.rows[i][c]), table.rows[i][c]) << spec.name << " row " << i;
      }
    }
  }
  const TableSpec& axes = *find_table("mode_axes");
  const StoredTable some =
      store.table(axes, {{"member", {"B*", "AB"}}, {"loads", {"twice"}}, {"mode", {"2"}}});
  EXPECT_GE(some.rows.size(), 2 * 5u);  // two members of one mode
  for (const auto& row : some.rows) {
    EXPECT_NE(text_in(row[3]), "DC");
    EXPECT_EQ(text_in(row[1]), "twice");
    EXPECT_EQ(number_in(row[4]), 2);
  }
  EXPECT_TRUE(store.table(axes, {{"member", {"A[B]"}}}).rows.empty());  // no class of characters
  EXPECT_EQ(store.names(axes, "member"),
            (std::vector<std::string>{"AB", "BC", "DC", "tie", "guy", "post"}));
  // Displacements come back in mm to the last digit.
  const CsvTable u = read_csv(w.folder() / "tables/displacements.csv");
  const double si = r.find("p-delta", "G")->state.nodes[B].translation[0];
  const auto after_first_order = static_cast<std::size_t>(2 * b.model.nodes.size());
  EXPECT_EQ(std::stod(u.rows[after_first_order + 1][4]), si / 1e-3);
}

TEST(PackedColumns, ComeBackBitByBitAndNeverWithAnotherCount) {
  std::mt19937_64 random(11);
  std::vector<double> reals = {0, -0.0, 1e-300, std::numeric_limits<double>::quiet_NaN()};
  std::vector<std::int32_t> whole = {0, -1, 2147483647};
  for (int i = 0; i < 1000; ++i) reals.push_back(std::ldexp(double(random() >> 11), -30));
  for (int i = 0; i < 1000; ++i) whole.push_back(static_cast<std::int32_t>(random() % 50));
  const auto back = unpack_reals(pack(reals), reals.size());
  ASSERT_TRUE(back);
  EXPECT_EQ(std::memcmp(back->data(), reals.data(), reals.size() * sizeof(double)), 0);
  EXPECT_EQ(unpack_integers(pack(whole), whole.size()), whole);
  EXPECT_LT(pack(whole).size(), whole.size() * 2);
  EXPECT_TRUE(unpack_reals(pack(std::vector<double>()), 0));
  EXPECT_FALSE(unpack_reals(pack(reals), reals.size() + 1));
  EXPECT_FALSE(unpack_reals(pack(reals), reals.size() - 1));
  EXPECT_FALSE(unpack_reals(pack(reals), std::size_t{1} << 40));
  EXPECT_FALSE(unpack_reals("no such bytes", 4));
  EXPECT_FALSE(unpack_integers(std::string_view(), 1));
}

TEST(ResultsFolder, IsSwappedInWholeOrNotAtAll) {
  const Workplace w;
  const fs::path target = w.folder() / "results";
  {
    ResultsFolder folder(target);
    std::ofstream(folder.building() / "summary.json") << "{\"program\": \"ulterix\"}";
    std::ofstream(folder.building() / "results.sqlite") << "store";
    folder.commit();
  }
  EXPECT_TRUE(is_results_folder(target));
  {
    ResultsFolder abandoned(target);  // never committed
    std::ofstream(abandoned.building() / "summary.json") << "half";
  }
  EXPECT_EQ(w.read("results/summary.json"), "{\"program\": \"ulterix\"}");
  EXPECT_EQ(w.unfinished(), 0);
  {
    ResultsFolder again(target);
    std::ofstream(again.building() / "summary.json") << "{\"program\": \"ulterix\", \"n\": 2}";
    std::ofstream(again.building() / "results.sqlite") << "store";
    again.commit();
  }
  EXPECT_NE(w.read("results/summary.json").find("\"n\": 2"), std::string::npos);
  EXPECT_EQ(w.unfinished(), 0);
}

TEST(ResultsFolder, ForeignFoldersAndFilesAreRefused) {
  const Workplace w;
  fs::create_directory(w.folder() / "foreign");
  w.write("foreign/summary.json", "{\"program\": \"another\"}");
  EXPECT_THROW(ResultsFolder(w.folder() / "foreign"), FolderError);
  w.write("file", "");
  EXPECT_THROW(ResultsFolder(w.folder() / "file"), FolderError);
  fs::create_directory(w.folder() / "empty");
  EXPECT_NO_THROW(ResultsFolder(w.folder() / "empty"));
}

TEST(ModelHash, IsFnv1a) {
  // Published test vectors of the 64-bit FNV-1a hash.
  EXPECT_EQ(model_hash(""), "cbf29ce484222325");
  EXPECT_EQ(model_hash("a"), "af63dc4c8601ec8c");
  EXPECT_EQ(model_hash("foobar"), "85944171f73967e8");
}

}  // namespace
}  // namespace ulterix::testing::write_test
