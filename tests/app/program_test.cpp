// The built program, run on files in a temporary folder.
#include "support/program.hpp"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <signal.h>

#include <array>
#include <chrono>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <regex>
#include <set>
#include <thread>

#include "write/csv.hpp"
#include "write/results_folder.hpp"

namespace ulterix::testing::program_test {
namespace {

using nlohmann::json;

/// The benchmark column of AISC 360 commentary C2, case 1 (reference problem S1), P = 300 kip.
const char* const kColumn = R"(title = "benchmark, simply supported"
plane = "xz"
units = "us-in"
[materials]
steel = { E = 29000, G = 11200 }
[sections]
w = { A = 14.1, Iy = 484, Avz = 4.692 }
[nodes]
A = [0, 0]
B = [336, 0]
[members]
m = ["A", "B", "w"]
[supports]
A = ["ux", "uz"]
B = ["uz"]
[loads.G]
nodes = [ { on = "B", fx = -300 } ]
members = [ { on = "m", qz = "-0.2 kip/ft" } ]
[watch]
middle = "m.My@0.5"
)";

std::string replaced(std::string text, const std::string& from, const std::string& to) {
  text.replace(text.find(from), from.size(), to);
  return text;
}

std::size_t column_of(const CsvTable& table, const std::string& name) {
  const auto found = std::find(table.header.begin(), table.header.end(), name);
  EXPECT_NE(found, table.header.end()) << name;
  return static_cast<std::size_t>(found - table.header.begin());
}

/// The value in a column of the first row whose cells hold all the given texts.
double cell(const CsvTable& table, const std::string& column,
            const std::vector<std::string>& with) {
  const std::size_t at = column_of(table, column);
  for (const auto& row : table.rows) {
    const bool all = std::all_of(with.begin(), with.end(), [&row](const std::string& w) {
      return std::find(row.begin(), row.end(), w) != row.end();
    });
    if (all) return std::stod(row[at]);
  }
  ADD_FAILURE() << "no such row";
  return 0;
}

class Program : public ::testing::Test {
 protected:
  Workplace w;

  CsvTable table(const std::string& name, const std::string& folder = "column-results") const {
    return read_csv(w.folder() / folder / "tables" / (name + ".csv"));
  }
  void run_demo() {
    w.write("terminal.toml", read_file(EXAMPLES "/kittiwake-terminal.toml"));
    ASSERT_EQ(w.run("run terminal.toml").status, 0);
  }
  /// A watched value is recovered from the store as the run found it; returns it.
  double recovered(const std::string& results, const std::string& analysis, const std::string& load,
                   const std::string& name, const std::string& place) {
    const CsvTable comparison = table("comparison", results);
    const double value = cell(comparison, "value", {analysis, load, name});
    const auto stored = w.run("compare " + results + " --analysis " + analysis + " --load \"" +
                              load + "\" --place " + place);
    EXPECT_EQ(stored.status, 0) << stored.err;
    std::array<char, 32> rounded{};
    std::snprintf(rounded.data(), rounded.size(), "%.4g", value);
    EXPECT_NE(stored.out.find(rounded.data()), std::string::npos)
        << analysis << " " << load << " " << value << "\n"
        << stored.out;
    return value;
  }
  static std::string read_file(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    std::ostringstream all;
    all << in.rdbuf();
    return all.str();
  }
  void run_column() {
    w.write("column.toml", kColumn);
    ASSERT_EQ(w.run("run column.toml --no-figures --tables all").status, 0);
  }
};

TEST_F(Program, ReferenceProblemS1ThroughFilesInUsUnits) {
  run_column();
  const CsvTable extremes = table("member_extremes");
  EXPECT_NEAR(cell(extremes, "max", {"p-delta", "m", "My"}), 315.917, 0.6e-3);
  EXPECT_NEAR(cell(extremes, "max", {"first-order", "m", "My"}), 235.2, 1e-7);
  EXPECT_NEAR(cell(extremes, "x_max[in]", {"p-delta", "m", "My"}), 168, 1e-4);
  EXPECT_NEAR(cell(table("comparison"), "ratio", {"middle"}), 315.917 / 235.2, 1e-5);
  const CsvTable forces = table("member_forces");
  EXPECT_EQ(forces.header, (std::vector<std::string>{"analysis", "loads", "step", "member", "x[in]",
                                                     "N[kip]", "Vy[kip]", "Vz[kip]", "Mx[kip.in]",
                                                     "My[kip.in]", "Mz[kip.in]"}));
  EXPECT_EQ(w.read("column-results/model.toml"), kColumn);
}

TEST_F(Program, HelpOfEveryCommandHasAnExample) {
  for (const char* command : {"check", "run", "compare", "table", "demo"}) {
    const auto r = w.run(std::string(command) + " --help");
    EXPECT_EQ(r.status, 0);
    EXPECT_NE(r.out.find("Example\n  ulterix " + std::string(command)), std::string::npos)
        << command;
  }
  EXPECT_EQ(w.run("--help").status, 0);
  EXPECT_EQ(w.run("--version").out.substr(0, 8), "ulterix ");
}

TEST_F(Program, WrongCallsAreToldWithStatusTwo) {
  w.write("column.toml", kColumn);
  for (const auto& [call, words] : std::vector<std::pair<std::string, std::string>>{
           {"", ""},
           {"rnu column.toml",
            "ulterix: no command \"rnu\"; did you mean \"run\"?; see ulterix --help\n"},
           {"run", "ulterix: model file is missing: ulterix run MODEL\n"},
           {"run a b", "ulterix: expected one model file, got 2\n"},
           {"run missing.toml",
            "missing.toml: the file cannot be read\n1 error; no analysis run\n"},
           {"run column.toml --analysis p-delt",
            "ulterix: --analysis: no analysis \"p-delt\"; did you mean \"p-delta\"? (there are "
            "first-order, "
            "p-delta, buckling)\n"},
           {"table column.toml steps", "ulterix: column.toml is not a results folder of ulterix\n"},
           {"table", "ulterix: results folder is missing: ulterix table RESULTS TABLE\n"}}) {
    const auto r = w.run(call);
    EXPECT_EQ(r.status, 2) << call;
    EXPECT_EQ(r.err, words) << call;
  }
  EXPECT_NE(w.run("run column.toml --frob").err.find("frob"), std::string::npos);
  EXPECT_EQ(w.run("run column.toml --frob").status, 2);
}

TEST_F(Program, RunOptions) {
  w.write("column.toml", kColumn);
  const auto quiet = w.run("run column.toml --quiet -o quiet");
  EXPECT_EQ(quiet.status, 0);
  EXPECT_EQ(quiet.out + quiet.err, "");
  EXPECT_TRUE(w.has("quiet/figures/deflected-G.svg"));
  EXPECT_TRUE(w.has("quiet/figures/moment-G.png"));
  const auto plain = w.run("run column.toml --no-figures --analysis first-order");
  EXPECT_EQ(plain.status, 0);
  EXPECT_FALSE(w.has("column-results/figures/moment-G.png"));
  EXPECT_EQ(w.read("column-results/tables/steps.csv").find("p-delta"), std::string::npos);
  const auto as_json = w.run("run column.toml --no-figures --json");
  const json summary = json::parse(as_json.out);
  EXPECT_EQ(summary["program"], "ulterix");
  EXPECT_EQ(summary["outcomes"][1]["outcome"], "stands");
  EXPECT_EQ(as_json.out, w.read("column-results/summary.json"));
  const auto digest = w.run("run column.toml --no-figures");
  EXPECT_NE(digest.out.find("STANDS."), std::string::npos);
  EXPECT_NE(digest.out.find("middle"), std::string::npos);
  EXPECT_EQ(digest.out.find('\033'), std::string::npos);  // no colour into a file
}

TEST_F(Program, TheSameModelGivesTheSameBytes) {
  w.write("column.toml", kColumn);
  w.run("run column.toml --quiet -o one");
  w.run("run column.toml --quiet -o two");
  for (const auto& e : fs::recursive_directory_iterator(w.folder() / "one")) {
    if (!e.is_regular_file()) continue;
    const std::string name = fs::relative(e.path(), w.folder() / "one").string();
    EXPECT_EQ(w.read("one/" + name), w.read("two/" + name)) << name;
  }
}

TEST_F(Program, CheckTellsTheInventoryAndDrawsThePicture) {
  w.write("column.toml", kColumn);
  const auto r = w.run("check column.toml");
  EXPECT_EQ(r.status, 0);
  EXPECT_NE(r.out.find("nodes 2 (2 supported)   members 1: 1 frame, 0 axial"), std::string::npos);
  EXPECT_NE(r.out.find("nothing moves freely"), std::string::npos);
  const std::string picture = w.read("column-check.svg");
  EXPECT_NE(picture.find("<title>benchmark, simply supported: the model"), std::string::npos);
  EXPECT_EQ(w.run("check column.toml --picture column.pdf").status, 0);
  EXPECT_EQ(w.read("column.pdf").substr(0, 5), "%PDF-");
  fs::remove(w.folder() / "column-check.svg");
  EXPECT_EQ(w.run("check column.toml --no-picture").status, 0);
  EXPECT_FALSE(w.has("column-check.svg"));
  EXPECT_NE(w.run("check --keys").out.find("| `roll` |"), std::string::npos);
  EXPECT_NE(w.run("check --tables").out.find("## member_forces"), std::string::npos);
}

TEST_F(Program, ARefusedModelPrintsOnlyItsComplaints) {
  w.write("bad.toml", replaced(kColumn, "\"w\"]", "\"ww\"]"));
  for (const char* command : {"check", "run"}) {
    const auto r = w.run(std::string(command) + " bad.toml");
    EXPECT_EQ(r.status, 2);
    EXPECT_EQ(r.out, "");
    EXPECT_EQ(r.err,
              "bad.toml:12:16: member m: no section named \"ww\"; did you mean \"w\"?\n"
              "    m = [\"A\", \"B\", \"ww\"]\n"
              "                   ^\n"
              "1 error; no analysis run\n");
  }
  EXPECT_FALSE(w.has("bad-results"));
}

/// The folder is begun while the model is read.
TEST_F(Program, ARefusedModelLeavesTheEarlierResultsAndNothingElse) {
  w.write("column.toml", replaced(kColumn, "Iy = 484", "Iy = -484"));
  EXPECT_EQ(w.run("run column.toml").status, 2);
  EXPECT_FALSE(w.has("column-results"));
  EXPECT_EQ(w.unfinished(), 0);
  run_column();
  const std::string before = w.read("column-results/summary.json");
  w.write("column.toml", replaced(kColumn, "Iy = 484", "Iy = -484"));
  EXPECT_EQ(w.run("run column.toml").status, 2);
  EXPECT_EQ(w.run("run column.toml --analysis nothing").status, 2);
  EXPECT_EQ(w.read("column-results/summary.json"), before);
  EXPECT_EQ(w.unfinished(), 0);
}

TEST_F(Program, OnlyTablesWithRowsAreFiles) {
  w.write("column.toml", kColumn);
  ASSERT_EQ(w.run("run column.toml --analysis first-order --no-figures").status, 0);
  int files = 0;
  for (const auto& entry : fs::directory_iterator(w.folder() / "column-results/tables")) {
    ++files;
    EXPECT_FALSE(read_csv(entry.path()).rows.empty()) << entry.path();
  }
  EXPECT_FALSE(w.has("column-results/tables/buckling.csv"));
  EXPECT_NE(w.run("run column.toml --analysis first-order --no-figures")
                .out.find("tables/ (" + std::to_string(files) + ")"),
            std::string::npos);
  // The store has every table all the same.
  const auto r = w.run("table column-results buckling");
  EXPECT_EQ(r.status, 0) << r.err;
}

TEST_F(Program, TableFiltersAndFormats) {
  run_column();
  EXPECT_NE(w.run("table column-results").out.find("member_forces"), std::string::npos);
  const auto csv =
      w.run("table column-results displacements --analysis p-delta --node B --format csv");
  EXPECT_EQ(csv.status, 0);
  EXPECT_EQ(csv.out.substr(0, csv.out.find('\n')),
            "analysis,loads,step,node,ux[in],uy[in],uz[in],rx[mrad],ry[mrad],rz[mrad]");
  EXPECT_EQ(std::count(csv.out.begin(), csv.out.end(), '\n'), 2);
  const auto text = w.run("table column-results member_extremes --member \"m*\" --load G --step 1");
  EXPECT_NE(text.out.find("315.9"), std::string::npos);
  for (const auto& [call, words] : std::vector<std::pair<std::string, std::string>>{
           {"displacement", "ulterix: no table \"displacement\"; did you mean \"displacements\"?"},
           {"displacements --node b",
            "ulterix: --node: \"b\" is not in the results; did you mean \"B\"?"},
           {"displacements --member m", "ulterix: --member: this table has no column \"member\""},
           {"displacements --load Q", "ulterix: --load: \"Q\" is not in the results"},
           {"displacements --format xls",
            "ulterix: --format: expected text, csv, spreadsheet or json, got \"xls\""}}) {
    const auto r = w.run("table column-results " + call);
    EXPECT_EQ(r.status, 2) << call;
    EXPECT_EQ(r.err.substr(0, words.size()), words);
  }
}

/// What a table prints is what `run --tables all` writes: rows of the store to the last digit,
/// those recovered from the stored states to the rounding of their way through the results' units.
TEST_F(Program, EveryTablePrintsWhatItsFileHolds) {
  w.write("terminal.toml", read_file(EXAMPLES "/kittiwake-terminal.toml"));
  ASSERT_EQ(w.run("run terminal.toml --no-figures --tables all").status, 0);
  int recovered = 0;
  for (const TableSpec& spec : table_specs()) {
    const std::string name(spec.name);
    const auto printed = w.run("table terminal-results " + name + " --format csv");
    ASSERT_EQ(printed.status, 0) << printed.err;
    w.write("printed.csv", printed.out);
    const CsvTable mine = read_csv(w.folder() / "printed.csv");
    const CsvTable file = table(name, "terminal-results");
    if (file.header.empty()) {
      EXPECT_TRUE(mine.rows.empty()) << name;
      continue;
    }
    EXPECT_EQ(mine.header, file.header);
    ASSERT_EQ(mine.rows.size(), file.rows.size()) << name;
    recovered += spec.kept == Kept::recovered ? 1 : 0;
    std::vector<double> largest(file.header.size(), 0);
    for (const auto& row : file.rows) {
      for (std::size_t c = 0; c < row.size(); ++c) {
        largest[c] = std::max(largest[c], std::abs(std::strtod(row[c].c_str(), nullptr)));
      }
    }
    for (std::size_t r = 0; r < file.rows.size(); ++r) {
      for (std::size_t c = 0; c < file.header.size(); ++c) {
        if (mine.rows[r][c] == file.rows[r][c]) continue;
        ASSERT_EQ(spec.kept, Kept::recovered) << name << " row " << r << " column " << c;
        // The place of an extreme is known to the root of the precision of its value.
        const bool at_extreme = name == "deflections" || file.header[c].starts_with("x_");
        const double digits = at_extreme ? 1e-6 : 1e-9;
        ASSERT_NEAR(std::stod(mine.rows[r][c]), std::stod(file.rows[r][c]), digits * largest[c])
            << name << " row " << r << " column " << c;
      }
    }
  }
  EXPECT_EQ(recovered, 3);
}

TEST_F(Program, RunsWithoutLongTablesKeepThemInTheStore) {
  run_demo();
  EXPECT_FALSE(w.has("terminal-results/tables/member_forces.csv"));
  EXPECT_FALSE(w.has("terminal-results/tables/mode_axes.csv"));
  EXPECT_TRUE(w.has("terminal-results/tables/envelopes.csv"));
  const std::string list = w.run("table terminal-results").out;
  EXPECT_NE(list.find("member_forces         recovered"), std::string::npos) << list;
  // A run of the model file by its own name, a pattern of places, columns by name.
  const auto run = w.run("table terminal-results member_forces --member CB --load U2 --format csv");
  EXPECT_NE(run.out.find(",CB.4,"), std::string::npos) << run.err;
  const auto places = w.run("compare terminal-results --place \"CB.?.N@max\" --load U2");
  EXPECT_NE(places.out.find("CB.4.N@max"), std::string::npos) << places.out << places.err;
  EXPECT_EQ(w.run("compare terminal-results --place \"Q*.N@max\"").status, 2);
  const auto columns = w.run(
      "table terminal-results displacements --node A5 --load U2 --columns node --columns ux "
      "--format csv");
  EXPECT_EQ(columns.out.substr(0, columns.out.find('\n')), "node,ux[mm]");
  // A plane frame's text has no columns of the directions it does not have.
  const auto text = w.run("table terminal-results displacements --node A5 --load U2").out;
  EXPECT_EQ(text.substr(0, text.find('\n')).find("uy"), std::string::npos);
  EXPECT_NE(text.find("columns left out, all 0 or empty: uy, rx, rz"), std::string::npos) << text;
}

TEST_F(Program, TableSortsTakesTheFirstAndFindsExtremes) {
  run_demo();
  const auto rows = [this](const std::string& call) {
    return json::parse(w.run("table terminal-results " + call + " --format json").out);
  };
  const json by_size = rows("displacements --sort ux --top 3");
  EXPECT_EQ(by_size["layout"], 1);
  EXPECT_EQ(by_size["columns"][4], (json{{"name", "ux"}, {"unit", "mm"}}));
  ASSERT_EQ(by_size["rows"].size(), 3u);
  EXPECT_GE(std::abs(double(by_size["rows"][0]["ux"])), std::abs(double(by_size["rows"][1]["ux"])));
  const json rising = rows("displacements --sort ux:up --top 1");
  EXPECT_LT(rising["rows"][0]["ux"], 0);
  const json group = rows("member_forces --group leaning --load U2 --analysis p-delta");
  for (const json& row : group["rows"]) EXPECT_EQ(std::string(row["member"]).substr(0, 2), "CE");
  const std::string extremes =
      w.run("table terminal-results member_forces --extremes group --analysis p-delta").out;
  EXPECT_NE(extremes.find("leaning"), std::string::npos);
  EXPECT_NE(w.run("table terminal-results displacements --extremes all").out.find("U2, A5"),
            std::string::npos);
  for (const auto& [call, words] : std::vector<std::pair<std::string, std::string>>{
           {"displacements --sort uxx", "--sort: this table has no column \"uxx\"; did you mean"},
           {"displacements --group colums",
            "--group: no group \"colums\"; did you mean \"columns\""},
           {"displacements --top 0", "--top: a number of rows from 1"},
           {"steps --extremes group", "--extremes group: this table has neither"}}) {
    const auto r = w.run("table terminal-results " + call);
    EXPECT_EQ(r.status, 2) << call;
    EXPECT_NE(r.err.find(words), std::string::npos) << r.err;
  }
}

TEST_F(Program, AStoreThatCannotBeReadIsTold) {
  run_column();
  const fs::path store = w.folder() / "column-results/results.sqlite";
  const auto told = [this](const std::string& words) {
    for (const char* call :
         {"table column-results steps", "compare column-results", "draw column-results moment"}) {
      const auto r = w.run(call);
      EXPECT_EQ(r.status, 2) << call;
      EXPECT_NE(r.err.find(words), std::string::npos) << r.err;
    }
  };
  {
    std::fstream file(store, std::ios::in | std::ios::out | std::ios::binary);
    file.seekp(63);  // the last byte of user_version
    file.put(9);
  }
  told("was written by another version of ulterix (layout 9, this one reads 3)");
  {
    std::fstream file(store, std::ios::in | std::ios::out | std::ios::binary);
    file.seekp(63);
    file.put(2);
  }
  fs::resize_file(store, fs::file_size(store) / 3);
  told("is damaged or cut short; run the model again");
  std::ofstream(store, std::ios::binary) << "not a database at all";
  told("is damaged or cut short; run the model again");
  fs::remove(store);
  told("is missing; run the model again");
}

TEST_F(Program, TheExampleQueriesOfTheDocsRun) {
  run_demo();
  SQLite::Database store((w.folder() / "terminal-results/results.sqlite").string(),
                         SQLite::OPEN_READONLY);
  std::ifstream in(DOCS "/results-store.md");
  std::ostringstream page;
  page << in.rdbuf();
  const std::string text = page.str();
  int queries = 0;
  for (auto at = text.find("```sql"); at != std::string::npos; at = text.find("```sql", at + 1)) {
    SQLite::Statement query(store, text.substr(at + 6, text.find("```", at + 6) - at - 6));
    EXPECT_TRUE(query.executeStep()) << query.getQuery();
    ++queries;
  }
  EXPECT_EQ(queries, 6);
  SQLite::Statement sums(store,
                         "SELECT sum(fx) FROM reactions WHERE loads = 'U4' GROUP BY analysis");
  while (sums.executeStep()) EXPECT_NEAR(sums.getColumn(0).getDouble(), -150, 1e-9);
}

TEST_F(Program, DrawMakesEveryFigureInEveryFormat) {
  run_demo();
  const std::string draw = "draw terminal-results ";
  for (const char* what : {"model", "deflected", "moment", "shear", "axial", "reactions"}) {
    const auto r = w.run(draw + what + " --load U2");
    EXPECT_EQ(r.status, 0) << r.err;
    EXPECT_EQ(std::count(r.out.begin(), r.out.end(), '\n'), 2);
    EXPECT_TRUE(w.has(std::string("terminal-results/figures/") + what + "-U2.svg")) << what;
    EXPECT_TRUE(w.has(std::string("terminal-results/figures/") + what + "-U2.png")) << what;
  }
  EXPECT_EQ(w.run(draw + "deflected --load U3 --side-by-side -o side.pdf").status, 0);
  EXPECT_EQ(w.read("side.pdf").substr(0, 5), "%PDF-");
  const std::string plain = "moment --load U2 --analysis p-delta";
  w.run(draw + plain + " -o plain.svg");
  for (const char* option : {"--diagram-side compression", "--group columns", "--member CA.1",
                             "--view 30,20", "--scale 1.5", "--analysis first-order"}) {
    EXPECT_EQ(w.run(draw + plain + " " + option + " -o other.svg").status, 0) << option;
    EXPECT_NE(w.read("other.svg"), w.read("plain.svg")) << option;
  }
  // What is drawn from the store is what the run drew.
  w.run(draw + "moment --load U2 -o again.svg");
  EXPECT_EQ(w.read("again.svg").size(), w.read("terminal-results/figures/moment-U2.svg").size());
  for (const auto& [call, words] : std::vector<std::pair<std::string, std::string>>{
           {"momnt", "no figure \"momnt\"; did you mean \"moment\"?"},
           {"moment --load U9", "--load: \"U9\" has no results; did you mean \"U1\"?"},
           {"moment --analysis p", "--analysis: \"p\" has no result for U2"},
           {"moment --view top", "--view: front, side, plan, iso"},
           {"moment --member CZ", "--member: no member \"CZ\""},
           {"moment --diagram-side left", "--diagram-side: tension or compression"},
           {"moment --scale 0", "--scale: a number above 0"},
           {"moment --mode 2", "--mode has no effect on the figure moment (it is for mode)"},
           {"moment --animate", "--animate has no effect"},
           {"moment --plane \"y = 0\"", "--plane: this frame has no planes"},
           {"moment --load \"U*\" -o x.png", "--output: 4 figures do not go into one file"},
           {"moment -o picture.gif", "ends in none of .svg, .png, .pdf"}}) {
    const auto r = w.run(draw + call);
    EXPECT_EQ(r.status, 2) << call;
    EXPECT_NE(r.err.find(words), std::string::npos) << r.err;
  }
}

/// 3 x 3 bays and two storeys: 80 members, of which only the girders at y = 10 m are loaded.
std::string grid_model() {
  std::string nodes = "[nodes]\n", supports = "[supports]\n", members = "[members]\n", loaded;
  const auto name = [](int x, int y, int z) { return fmt::format("N{}{}{}", x, y, z); };
  for (int x = 0; x < 4; ++x) {
    for (int y = 0; y < 4; ++y) {
      for (int z = 0; z < 3; ++z) {
        const std::string at = name(x, y, z);
        nodes += fmt::format("{} = [{}, {}, {}]\n", at, 6 * x, 5 * y, 4 * z);
        if (z == 0) {
          supports += at + " = \"fixed\"\n";
          continue;
        }
        const auto member = [&](char kind, const std::string& from) {
          members += fmt::format("{}{}{}{} = {{ from = \"{}\", to = \"{}\", section = \"s\" }}\n",
                                 kind, x, y, z, from, at);
        };
        member('C', name(x, y, z - 1));
        if (x > 0) member('X', name(x - 1, y, z));
        if (y > 0) member('Y', name(x, y - 1, z));
        if (x > 0 && y == 2) {
          loaded += fmt::format("{}\"X{}{}{}\"", loaded.empty() ? "" : ", ", x, y, z);
        }
      }
    }
  }
  return "title = \"grid\"\n[materials]\nm = { E = \"210 GPa\", G = \"81 GPa\", density = 7850 }\n"
         "[sections]\ns = { shape = \"HEB 200\" }\n[defaults]\nmaterial = \"m\"\n" +
         nodes + supports + members + "[loads.Q]\nmembers = [ { on = [" + loaded +
         "], qz = -20 } ]\n[analyses.first-order]\nkind = \"first-order\"\n";
}

TEST_F(Program, ADiagramOfALargeSpaceFrameShowsThePlaneOfTheLargestValue) {
  w.write("grid.toml", grid_model());
  const auto run = w.run("run grid.toml");
  ASSERT_EQ(run.status, 0) << run.out << run.err;
  const auto open = w.run("draw grid-results moment");
  EXPECT_NE(open.out.find("the plane y = 10 m holds the largest value"), std::string::npos)
      << open.out << open.err;
  for (const char* option : {"--plane whole", "--view iso", "--member X121"}) {
    const auto r = w.run(std::string("draw grid-results moment -o other.svg ") + option);
    EXPECT_EQ(r.out, "other.svg\n") << option << r.err;
  }
  w.run("draw grid-results moment --plane \"y = 10\" -o plane.svg");
  EXPECT_EQ(w.read("plane.svg"), w.read("grid-results/figures/moment-Q.svg"));
  EXPECT_EQ(w.run("draw grid-results deflected -o shape.svg").out, "shape.svg\n");
}

TEST_F(Program, CompareTellsWhereTheSecondOrderResultDiffers) {
  run_column();
  const auto r = w.run("compare column-results");
  EXPECT_EQ(r.status, 0);
  EXPECT_EQ(r.out.substr(0, 3), " G ");
  EXPECT_NE(r.out.find("1.343"), std::string::npos) << r.out;  // 315.917/235.2
  EXPECT_NE(r.out.find("unchanged within 0.1 %"), std::string::npos);
  EXPECT_EQ(w.run("compare column-results --all").out.find("unchanged"), std::string::npos);
  EXPECT_EQ(w.run("compare column-results --load G --analysis \"p*\"").out, r.out);
  EXPECT_EQ(w.run("compare column-results --load Q").status, 2);
  EXPECT_EQ(w.run("compare nowhere").err, "ulterix: nowhere is not a results folder of ulterix\n");
}

TEST_F(Program, CompareReadsAnyPlaceOnRequest) {
  run_column();
  // A station of the store, and the same place as a distance, recovered from the state.
  const json rows = json::parse(
      w.run("compare column-results --place m.My@0.5 --place \"m.My@168 in\" --place m.My@0.37 "
            "--node B --member m --format json")
          .out)["rows"];
  const auto value = [&rows](const std::string& quantity, const std::string& key) -> double {
    for (const json& row : rows) {
      if (row["quantity"] == quantity || row["where"] == quantity) return row[key];
    }
    ADD_FAILURE() << quantity;
    return 0;
  };
  EXPECT_NEAR(value("m.My@0.5", "value"), 315.917, 0.6e-3);
  EXPECT_NEAR(value("m.My@168 in", "value"), value("m.My@0.5", "value"), 1e-9);
  EXPECT_NEAR(value("m.My@0.37", "first_order"), 235.2 * 4 * 0.37 * 0.63, 1e-7);
  EXPECT_NEAR(value("ry", "ratio"), value("ry", "value") / value("ry", "first_order"), 1e-12);
  EXPECT_NEAR(value("My max", "value"), 315.917, 0.6e-3);
  EXPECT_EQ(w.run("compare column-results --place n.My@0.5").status, 2);
  EXPECT_EQ(w.run("compare column-results --place m.Mq@0.55").err,
            "ulterix: --place: no quantity \"Mq\"; did you mean \"mx\"?\n");
  EXPECT_EQ(w.run("compare column-results --node C").err,
            "ulterix: --node: \"C\" is not in the results\n");
}

TEST_F(Program, CompareShowsTwoSecondOrderAnalysesBesideEachOther) {
  w.write("column.toml", std::string(kColumn) + R"(
[analyses.both]
kind = "p-delta"
[analyses.nodes-only]
kind = "p-delta"
between_nodes = false
)");
  ASSERT_EQ(w.run("run column.toml --no-figures").status, 0);
  const std::string out = w.run("compare column-results --place m.My@0.5").out;
  EXPECT_NE(out.find("first-order   both  ratio  nodes-only  ratio"), std::string::npos) << out;
  // Without P-δ a single member between its supports keeps its first-order moment.
  EXPECT_NE(out.find("235.2  315.9  1.343       235.2  1.000"), std::string::npos) << out;
}

TEST_F(Program, CompareTellsWhatAChangeDid) {
  run_column();
  w.write("column.toml",
          replaced(replaced(kColumn, "fx = -300", "fx = -150"), "[nodes]", "# a comment\n[nodes]"));
  ASSERT_EQ(w.run("run column.toml --no-figures -o after").status, 0);
  const auto r = w.run("compare column-results after");
  EXPECT_EQ(r.status, 0);
  EXPECT_NE(r.out.find("loads.G.nodes: [{ on = B, fx = -300 }] -> [{ on = B, fx = -150 }]"),
            std::string::npos)
      << r.out;
  EXPECT_EQ(r.out.find("Avz"), std::string::npos);
  EXPECT_NE(r.out.find("0.854"), std::string::npos);  // 269.770/315.917
  const auto same = w.run("compare column-results column-results");
  EXPECT_NE(same.out.find("the models are the same"), std::string::npos);
  EXPECT_EQ(same.out.find("what "), std::string::npos);
  w.write("column.toml", replaced(kColumn, "fx = -300", "fx = -1500"));
  w.run("run column.toml --no-figures -o failed");
  EXPECT_NE(w.run("compare column-results failed")
                .out.find("p-delta under G: stands -> above critical load"),
            std::string::npos);
}

/// Without the digits of what is rounding alone, which no two machines share, with the width of
/// its column, and without the last of sixteen digits.
std::string without_rounding(const std::string& text) {
  static const std::regex rounding(R"( *-?\b\d(\.\d+)?e-(0[7-9]|[1-9]\d) *)");
  static const std::regex last_digits(R"((\b\d[\d.]{9})[\d.]{3,})");
  return std::regex_replace(std::regex_replace(text, rounding, " tiny "), last_digits, "$1");
}

/// Runs a tutorial as it stands: writes its files, types its commands, and looks for every line of
/// its output (but for the time that a run took).
void follow(const Workplace& w, const std::string& page) {
  std::istringstream in(page);
  std::string line, file, block, output;
  enum { prose, model, console } in_block = prose;
  int commands = 0;
  while (std::getline(in, line)) {
    if (line.starts_with("```toml ")) {
      in_block = model;
      file = line.substr(8);
      block.clear();
    } else if (line == "```console") {
      in_block = console;
    } else if (line == "```") {
      if (in_block == model) w.write(file, block);
      in_block = prose;
    } else if (in_block == model) {
      block += line + "\n";
    } else if (in_block == console && line.starts_with("$ ulterix ")) {
      const auto r = w.run(line.substr(10));
      output = without_rounding(r.out + r.err);
      ++commands;
    } else if (in_block == console && line.starts_with("$ ")) {
      const std::string command = "cd '" + w.folder().string() + "' && " + line.substr(2);
      ASSERT_EQ(std::system(command.c_str()), 0) << line;
    } else if (in_block == console) {
      static const std::regex time(R"( {3,}\d+\.\d\d s$)");
      const bool heading = std::regex_search(line, time);
      const std::string wanted =
          without_rounding(heading ? line.substr(0, line.find("      ")) : line);
      EXPECT_NE(output.find(wanted), std::string::npos) << wanted << "\n in \n" << output;
    }
  }
  EXPECT_GE(commands, 2);
}

/// The beacon's period by hand (head and shear give a little more), its modes certified, and lower
/// under load; the gantry held and free.
TEST_F(Program, BucklingAndModesThroughFiles) {
  ASSERT_EQ(w.run("demo here --example beacon").status, 0);
  const CsvTable modes = table("frequencies", "here/beacon-results");
  const double T = cell(modes, "period", {"modes", "1"});
  const double m = 25e3 / 9.80665 + 2 * 13.0 / 35 * 42.6 * 7, k = 24 * 210e9 * 2492e-8 / 343;
  EXPECT_NEAR(T, 2 * M_PI * std::sqrt(m / k), 0.03 * T);
  EXPECT_GT(cell(modes, "period", {"loaded", "U1", "1"}), T);
  const json outcomes = json::parse(w.read("here/beacon-results/summary.json"))["outcomes"];
  int certified = 0;
  for (const json& o : outcomes) {
    for (const char* kind : {"buckling", "modal"}) {
      if (!o["evidence"].contains(kind)) continue;
      EXPECT_TRUE(o["evidence"][kind]["certificate"]["complete"]) << o["analysis"];
      ++certified;
    }
    if (o["kind"] == "p-delta") {
      EXPECT_GT(o["evidence"]["reserve"], 10);
    }
  }
  EXPECT_EQ(certified, 3);
  ASSERT_EQ(w.run("demo here --example gantry").status, 0);
  const CsvTable factors = table("buckling", "here/gantry-results");
  EXPECT_GT(cell(factors, "factor", {"moored", "U1", "1"}),
            2 * cell(factors, "factor", {"free", "U1", "1"}));
  EXPECT_GT(table("buckling_lengths", "here/gantry-results").rows.size(), 10u);
  EXPECT_EQ(
      w.run("demo here --example gantri").err,
      "ulterix: --example: no example \"gantri\"; did you mean \"gantry\"? (there are terminal, "
      "gantry, beacon, boat-hall, footbridge, signal-mast, hung-office, terminal-erection, "
      "pilot-house)\n");
}

TEST_F(Program, ModesAreDrawnAndSwing) {
  ASSERT_EQ(w.run("demo here --example beacon").status, 0);
  const std::string draw = "draw here/beacon-results mode ";
  EXPECT_EQ(w.run(draw + "--analysis modes --mode 1-3 -o modes.png").status, 0);
  EXPECT_EQ(w.read("modes.png").substr(1, 3), "PNG");
  EXPECT_EQ(w.run(draw + "--analysis buckling --load U1").out,
            "here/beacon-results/figures/mode-buckling-U1-1.svg\n"
            "here/beacon-results/figures/mode-buckling-U1-1.png\n");
  // Any number of modes, six on a page.
  w.write("many.toml",
          replaced(read_file(EXAMPLES "/kittiwake-terminal.toml"), "modes = 6", "modes = 8"));
  ASSERT_EQ(w.run("run many.toml --no-figures").status, 0);
  const std::string pages = w.run("draw many-results mode --analysis modes --mode 1,3-8").out;
  EXPECT_NE(pages.find("mode-modes-1_3_4_5_6_7.png"), std::string::npos) << pages;
  EXPECT_NE(pages.find("mode-modes-8.png"), std::string::npos) << pages;
  EXPECT_EQ(w.run("draw here/beacon-results deflected --animate -o sway.svg").status, 0);
  EXPECT_NE(w.read("sway.svg").find("<animate"), std::string::npos);
  EXPECT_EQ(w.run(draw + "--analysis modes --animate -o swing.svg").status, 0);
  EXPECT_NE(w.read("swing.svg").find("<animate"), std::string::npos);
  for (const auto& [call, words] : std::vector<std::pair<std::string, std::string>>{
           {"--mode 0", "--mode: modes like 2, 1-3 or 1,4; not \"0\""},
           {"--mode 1,", "--mode: modes like"},
           {"--mode 3-1", "--mode: modes like"},
           {"--analysis modes --mode 9", "--mode: there is no mode 9"},
           {"--side-by-side", "--side-by-side has no effect on the figure mode"},
           {"--analysis sway", "no modes of that analysis and load"},
           {"--animate -o swing.png", "--animate writes an .svg file"}}) {
    const auto r = w.run(draw + call);
    EXPECT_EQ(r.status, 2) << call;
    EXPECT_NE(r.err.find(words), std::string::npos) << r.err;
  }
  run_column();
  EXPECT_EQ(w.run("draw column-results mode --load Q").status, 2);
}

TEST_F(Program, AFreeStructureVibratesAndATensionedOneDoesNotBuckle) {
  w.write("free.toml", R"(plane = "xz"
[materials]
s = { E = "210 GPa", density = 7850 }
[sections]
t = { shape = "pipe", d = 100, t = 5 }
[nodes]
A = [0, 0]
B = [3, 0]
[members]
m = { from = "A", to = "B", section = "t", }
[defaults]
material = "s"
[analyses.modes]
kind = "modal"
modes = 5
)");
  w.write("free.toml", replaced(w.read("free.toml"), "\"t\", }", "\"t\" }"));
  const auto free = w.run("run free.toml --no-figures");
  EXPECT_EQ(free.status, 0) << free.out << free.err;
  EXPECT_NE(free.out.find("FREE."), std::string::npos);
  EXPECT_NE(free.out.find("rigid"), std::string::npos);
  w.write("column.toml", replaced(kColumn, "fx = -300", "fx = 300"));
  const auto pulled = w.run("run column.toml --no-figures");
  EXPECT_EQ(pulled.status, 0);
  EXPECT_NE(pulled.out.find("no member is compressed: no buckling factor; the load would have to"),
            std::string::npos)
      << pulled.out;
}

TEST_F(Program, CheckWarnsOfLoadsThatCompressNothingAndRefusesVibrationWithoutMass) {
  const std::string pulled = replaced(kColumn, "fx = -300", "fx = 300") + R"(
[analyses.stability]
kind = "buckling"
)";
  w.write("column.toml", pulled);
  const auto r = w.run("check column.toml --no-picture");
  EXPECT_EQ(r.status, 0);
  EXPECT_NE(r.out.find("stability: G compresses nothing"), std::string::npos) << r.out;
  const std::string modal = pulled + "[analyses.modes]\nkind = \"modal\"\n";
  w.write("massless.toml", modal);
  const auto none = w.run("check massless.toml --no-picture");
  EXPECT_EQ(none.status, 2);
  EXPECT_NE((none.out + none.err).find("analysis modes: nothing has mass"), std::string::npos);
  w.write("mass.toml", modal + "[mass]\nnodes = { B = { m = [5, 0, 0] } }\n");
  EXPECT_NE(w.run("check mass.toml --no-picture").out.find("modes: there is no mass along z"),
            std::string::npos);
}

/// The same mast in two sets of units: shapes and factors are those of the file's units.
TEST_F(Program, ShapesOfModesAreInTheUnitsOfTheFile) {
  const auto model = [](const std::string& units, const std::string& height,
                        const std::string& mass) {
    return "plane = \"xz\"\nunits = \"" + units + R"("
[materials]
s = { E = "210 GPa" }
[sections]
m = { A = "5000 mm^2", Iy = "2e7 mm^4" }
[nodes]
A = [0, 0]
B = [0, )" +
           height + R"(]
[members]
C = ["A", "B", "m"]
[defaults]
material = "s"
[supports]
A = "fixed"
[mass]
nodes = { B = { m = [)" +
           mass + R"(, 0, 0] } }
[analyses.modes]
kind = "modal"
modes = 1
)";
  };
  w.write("metric.toml", model("metric", "6.096", "453.59237"));
  w.write("us.toml", model("us-in", "240", "1000"));
  ASSERT_EQ(w.run("run metric.toml --no-figures --tables all").status, 0);
  ASSERT_EQ(w.run("run us.toml --no-figures --tables all").status, 0);
  const CsvTable metric = table("mode_shapes", "metric-results"),
                 us = table("mode_shapes", "us-results");
  const auto column = [](const CsvTable& t, const std::string& name) {
    return std::find(t.header.begin(), t.header.end(), name) - t.header.begin();
  };
  // A tip load turns the tip by 1.5/L of its displacement.
  const auto a = column(metric, "ry[mrad/mm]"), b = column(us, "ry[mrad/in]");
  ASSERT_LT(a, std::ptrdiff_t(metric.header.size()));
  ASSERT_LT(b, std::ptrdiff_t(us.header.size()));
  EXPECT_NEAR(std::stod(metric.rows[1][std::size_t(a)]), 1.5 / 6.096, 1e-9);
  EXPECT_NEAR(std::stod(us.rows[1][std::size_t(b)]), 1.5 / 240 * 1000, 1e-7);
  const CsvTable f = table("frequencies", "us-results");
  EXPECT_LT(column(f, "factor_ry[in]"), std::ptrdiff_t(f.header.size()));
}

TEST_F(Program, TutorialBuckling) {
  follow(w, read_file(DOCS "/tutorials/02-buckling.md"));
}

TEST_F(Program, TutorialVibration) {
  follow(w, read_file(DOCS "/tutorials/03-vibration.md"));
}

TEST_F(Program, TutorialLargeDisplacement) {
  follow(w, read_file(DOCS "/tutorials/05-large-displacement.md"));
}

TEST_F(Program, TutorialStages) {
  follow(w, read_file(DOCS "/tutorials/06-stages.md"));
}

TEST_F(Program, TutorialOneWay) {
  follow(w, read_file(DOCS "/tutorials/04-one-way.md"));
}

/// The boat hall: which rods are slack, read back from the store; a forgotten notional load is
/// told.
TEST_F(Program, OneWayMembersThroughFiles) {
  ASSERT_EQ(w.run("demo here --example boat-hall --quiet").status, 2);  // no such option
  const auto demo = w.run("demo here --example boat-hall");
  ASSERT_EQ(demo.status, 0) << demo.err;
  EXPECT_NE(demo.out.find("XW2, XW4, XE2, XE4, XR2, XR4, XR6, XR8 slack"), std::string::npos)
      << demo.out;
  const CsvTable states = table("states", "here/boat-hall-results");
  std::map<std::string, double> forces;
  for (const auto& row : states.rows) {
    if (row[0] == "p-delta" && row[1] == "U2") forces[row[3]] = std::stod(row[5]);
  }
  ASSERT_EQ(forces.size(), 16u);
  EXPECT_EQ(forces["XW2"], 0);
  EXPECT_GT(forces["XW1"], 20);
  // The rods of the walls carry what the gables hand on: the reactions along y.
  const CsvTable reactions = table("reactions", "here/boat-hall-results");
  double along = 0, rods = 0;
  for (const auto& row : reactions.rows) {
    if (row[0] == "p-delta" && row[1] == "U2") along += std::stod(row[5]);
  }
  EXPECT_NEAR(along, -1.5 * 54, 1e-6);
  for (const char* rod : {"XW1", "XW3", "XE1", "XE3"}) rods += forces[rod] * 6 / std::hypot(6, 5);
  EXPECT_NEAR(rods, -along, 0.02 * 81);
  // The state comes back from the store: a slack rod has no force in what is recovered.
  const auto recovered =
      w.run("table here/boat-hall-results member_extremes --member XW2 --load U2 --format csv");
  EXPECT_NE(recovered.out.find("p-delta,U2,1,XW2,N,kN,0,"), std::string::npos) << recovered.out;
  EXPECT_EQ(w.run("draw here/boat-hall-results axial --load U2 -o a.svg").status, 0);
  const json summary = json::parse(w.read("here/boat-hall-results/summary.json"));
  bool listed = false;
  for (const json& o : summary["outcomes"]) {
    if (o["analysis"] == "p-delta" && o["loads"] == "U2") {
      listed = o["evidence"]["slack"].size() == 8;
    }
  }
  EXPECT_TRUE(listed);
  w.write("forgotten.toml", replaced(read_file(EXAMPLES "/kittiwake-boat-hall.toml"),
                                     "S = 1.5, notional = { y = 0.005 }", "S = 1.5"));
  const auto r = w.run("run forgotten.toml --no-figures");
  EXPECT_EQ(r.status, 1);
  const std::string told = w.read("forgotten-results/summary.json");
  for (const char* words : {"12 more slack: the frame is then free to move", "can move along y",
                            "no part along y", "add a notional load"}) {
    EXPECT_NE(told.find(words), std::string::npos) << words;
  }
}

/// The signal mast: its guys from the run and from the store, and what a lost one does.
TEST_F(Program, CablesThroughFiles) {
  const auto demo = w.run("demo here --example signal-mast");
  ASSERT_EQ(demo.status, 0) << demo.err;
  EXPECT_NE(demo.out.find("largest force TS"), std::string::npos) << demo.out;
  EXPECT_NE(demo.out.find("first-order takes cables as straight members"), std::string::npos);
  const std::string results = "here/signal-mast-results";
  const CsvTable cables = table("cables", results);
  // 6 guys: four combinations of P-Delta, one of large displacement, three stages, and at once.
  EXPECT_EQ(cables.rows.size(), 6u * 4 + 2 * 6 + 2 * (6 + 6 + 5));
  double second = 0, large = 0;
  for (const auto& row : cables.rows) {
    const double start = std::stod(row[column_of(cables, "tension_start[kN]")]);
    const double end = std::stod(row[column_of(cables, "tension_end[kN]")]);
    const double N = std::stod(row[column_of(cables, "N[kN]")]);
    const double thrust = std::stod(row[column_of(cables, "thrust[kN]")]);
    EXPECT_LE(N, std::max(start, end) * 1.0001);
    EXPECT_GE(N, thrust * 0.7);
    if (row[3] != "TS" || row[1] != "WS") continue;
    (row[0] == "second" ? second : large) = std::max(start, end);
  }
  EXPECT_GT(second, 25);
  EXPECT_NEAR(second, large, 0.01 * large);
  // Recovered from the store: the largest N of the guy is the tension of its upper end.
  for (const auto& [analysis, tension] :
       {std::pair<std::string, double>{"second", second}, {"large", large}}) {
    const auto line = w.run("table " + results + " member_extremes --analysis " + analysis +
                            " --load WS --member TS --format csv");
    ASSERT_EQ(line.status, 0) << line.err;
    const std::size_t at = line.out.find(",TS,N,kN,");
    ASSERT_NE(at, std::string::npos) << line.out;
    std::istringstream numbers(line.out.substr(at + 9));
    std::string min, x_min, max;
    std::getline(numbers, min, ',');
    std::getline(numbers, x_min, ',');
    std::getline(numbers, max, ',');
    EXPECT_NEAR(std::stod(max), tension, 1e-6 * tension);
  }
  for (const char* what : {"deflected --analysis large", "axial --load WW"}) {
    EXPECT_EQ(w.run("draw " + results + " " + what + " -o a.svg").status, 0) << what;
  }
}

/// Heat, breaks and a state to start from: the same value from the run and from the store.
TEST_F(Program, StrainsBreaksAndAfterThroughFiles) {
  w.write("bay.toml", R"(plane = "xz"
[materials]
S = { E = "210 GPa", density = 7850, fy = 355 }
[sections]
col = { shape = "HEB 200" }
rod = { shape = "circle", d = 20 }
[defaults]
section = "col"
[nodes]
A0 = [0, 0]
A1 = [0, 4]
B0 = [6, 0]
B1 = [6, 4]
[members]
CA = ["A0", "A1"]
CB = ["B0", "B1"]
R = ["A1", "B1"]
X1 = { from = "A0", to = "B1", section = "rod", kind = "tension-only", breaks_at = 60 }
X2 = { from = "B0", to = "A1", section = "rod", kind = "tension-only", strength = 400 }
[supports]
A0 = "pinned"
B0 = "pinned"
[loads.G]
self_weight = 1
[loads.W]
nodes = [ { on = "A1", fx = 110 } ]
[loads.T]
members = [ { on = "R", warm = 30, gradient = { z = 60 } } ]
settle = [ { on = "B0", uz = -12 } ]
[combinations]
U1 = { G = 1, W = 1 }
U2 = { G = 1, T = 1.5 }
[watch]
moment = "R.My@0.5"
[analyses.second]
kind = "p-delta"
events = true
[analyses.then]
kind = "p-delta"
loads = ["T"]
after = "second:U1"
[analyses.large]
kind = "large-displacement"
)");
  ASSERT_EQ(w.run("run bay.toml").status, 0);
  std::map<std::string, std::string> states;
  for (const auto& row : table("states", "bay-results").rows) {
    states[row[0] + row[1] + row[3]] = row[4];
  }
  EXPECT_EQ(states["secondU1X1"], "broken");
  EXPECT_EQ(states["secondU1X2"], "slack");
  EXPECT_EQ(states["thenTX1"], "broken");
  EXPECT_EQ(states["largeU1X1"], "broken");
  EXPECT_EQ(states["secondU2X1"], "taut");
  std::size_t breaks = 0;
  for (const auto& row : table("path", "bay-results").rows) {
    if (row.back() == "X1 breaks") ++breaks;
  }
  EXPECT_EQ(breaks, 2u);
  const CsvTable comparison = table("comparison", "bay-results");
  int seen = 0;
  for (const auto& row : comparison.rows) {
    if (row[3] != "moment") continue;
    ++seen;
    recovered("bay-results", row[0], row[1], "moment", "R.My@0.5");
  }
  EXPECT_EQ(seen, 5);
  EXPECT_EQ(w.run("draw bay-results moment --analysis second --load U1").status, 0);
  // A member that has broken has no forces.
  for (const auto& row : table("extremes", "bay-results").rows) {
    EXPECT_FALSE(row[0] == "second" && row[1] == "U1" && row[3] == "X1");
  }
}

/// Legs of a history, a support that lifts, a bowed column and a rod that yields, through files.
TEST_F(Program, HistoriesThroughFiles) {
  w.write("frame.toml", R"(plane = "xz"
[materials]
S = { E = "210 GPa", density = 7850 }
[sections]
a = { shape = "HEB 200" }
rod = { shape = "circle", d = 16 }
[defaults]
section = "a"
[nodes]
A = [0, 0]
B = [0, 4]
C = [6, 4]
D = [6, 0]
[members]
left = { from = "A", to = "B", bow = "L/300" }
beam = ["B", "C"]
right = ["D", "C"]
tie = { from = "A", to = "C", section = "rod", kind = "tension-only", breaks_at = 30, on_break = "yield" }
[supports]
A = "pinned"
D = { ux = true, uz = { only = "positive" } }
[loads.G]
self_weight = 1
members = [ { on = "beam", qz = -4 } ]
[loads.W]
nodes = [ { on = "B", fx = 20 } ]
[watch]
sway = "B.ux"
foot = "D.fz"
moment = "beam.My@0.5"
[analyses.second]
kind = "p-delta"
loads = "G"
[analyses.gust]
kind = "large-displacement"
history = [ { G = 1 }, { W = 2, name = "blow" }, { W = 0, name = "after" } ]
)");
  const auto ran = w.run("run frame.toml");
  ASSERT_EQ(ran.status, 0) << ran.out << ran.err;
  EXPECT_NE(ran.out.find("sway"), std::string::npos);
  const std::string results = "frame-results";
  const CsvTable states = table("states", results);
  EXPECT_NEAR(cell(states, "force[kN]", {"blow", "tie"}), 30, 1e-6);
  EXPECT_GT(cell(states, "permanent[mm]", {"after", "tie"}), 1);
  // What stays of the sway, from the run and from the store.
  const CsvTable comparison = table("comparison", results);
  const std::size_t value = column_of(comparison, "value");
  int seen = 0;
  for (const auto& row : comparison.rows) {
    if (row[0] != "gust" || (row[3] != "moment" && row[3] != "sway")) continue;
    ++seen;
    const std::string place = row[3] == "moment" ? "beam.My@0.5" : "B.ux";
    const auto stored =
        w.run("compare frame-results --analysis gust --load \"" + row[1] + "\" --place " + place);
    EXPECT_EQ(stored.status, 0) << stored.err;
    std::array<char, 32> rounded{};
    std::snprintf(rounded.data(), rounded.size(), "%.4g", std::stod(row[value]));
    EXPECT_NE(stored.out.find(rounded.data()), std::string::npos) << row[1] << stored.out;
  }
  EXPECT_EQ(seen, 6);
  EXPECT_EQ(w.run("draw frame-results deflected --analysis gust --load blow").status, 0);
  EXPECT_TRUE(w.has(results + "/figures/path-shapes-gust-moving.svg"));
  EXPECT_NE(w.run("check frame.toml").out.find("left 13.33 mm towards local z"), std::string::npos);
}

/// The frame that an analysis began from, as a model of its own, runs to the same digits.
TEST_F(Program, TheImperfectModelRunsToTheSameDigits) {
  const std::string head = R"(units = "metric-mm"
[materials]
S = { E = 210000, nu = 0.3, density = "7850 kg/m^3" }
[sections]
a = { shape = "IPE 200" }
[defaults]
section = "a"
[nodes]  # in mm
A = [0, 0, 0]
B = [ 0,   # of the first column
  0, 3000]
C = [4000, 0, 3000]
D = [4000, 500, 0]
E = [2000, 100, 1500]
[members]
left = ["A", "B"]
beam = { from = "B", to = "C", roll = 20 }
right = { from = "D", to = "C", facing = [0, 1, 0] }
brace = { through = ["A", "E", "C"] }
[supports]
A = "fixed"
D = "fixed"
[loads.G]
nodes = [ { on = ["B", "C"], fz = -50000, fy = 400 } ]
[analyses.stability]
kind = "buckling"
modes = 2
)";
  w.write("frame.toml",
          head + "[analyses.crooked]\nkind = \"large-displacement\"\npieces = 4\n" +
              "start_shape = { from = \"stability\", at = \"B.uy\", size = \"H/100\" }\n");
  w.write("again.toml", head + "[analyses.crooked]\nkind = \"large-displacement\"\npieces = 4\n" +
                            "[analyses.crooked.start_shape]\nfrom = \"stability\"\n" +
                            "at = \"B.uy\"\nsize = 30\n");
  for (const std::string name : {"frame", "again"}) {
    ASSERT_EQ(w.run("run " + name + ".toml").status, 0);
    ASSERT_EQ(w.run("model " + name + "-results --imperfect -o " + name + "-own.toml").status, 0);
    const std::string text = w.read(name + "-own.toml");
    EXPECT_EQ(text.find("start_shape ="), std::string::npos) << text;
    const auto own = w.run("run " + name + "-own.toml");
    ASSERT_EQ(own.status, 0) << own.out << own.err << text;
    const CsvTable a = table("displacements", name + "-results");
    const CsvTable b = table("displacements", name + "-own-results");
    int rows = 0;
    for (const auto& row : a.rows) {
      if (row[0] != "crooked") continue;
      for (const std::size_t c : {std::size_t{4}, std::size_t{5}, std::size_t{6}}) {
        const double value = std::stod(row[c]);
        EXPECT_NEAR(cell(b, b.header[c], {"crooked", row[3]}), value,
                    1e-9 * std::abs(value) + 1e-12);
      }
      ++rows;
    }
    EXPECT_EQ(rows, 5);
  }
  EXPECT_EQ(w.run("model frame-results").out, w.read("frame.toml"));
  EXPECT_EQ(w.run("model frame-results --analysis crooked").status, 2);
}

/// Rigid floors through files: the table of displacements is that of a rigid body.
TEST_F(Program, FloorsThroughFiles) {
  const auto demo = w.run("demo here --example pilot-house");
  ASSERT_EQ(demo.status, 0) << demo.err;
  const CsvTable moved = table("displacements", "here/pilot-house-results");
  std::set<std::string> turns;
  for (const auto& row : moved.rows) {
    if (row[0] == "second" && row[1] == "U2" && row[3].back() == '2') turns.insert(row.back());
  }
  EXPECT_EQ(turns.size(), 1u);
  EXPECT_NE(w.run("check here/pilot-house.toml").out.find("floor roof: 6 nodes"),
            std::string::npos);
}

/// The hung office: stages from the run and from the store.
TEST_F(Program, StagesThroughFiles) {
  const auto demo = w.run("demo here --example hung-office");
  ASSERT_EQ(demo.status, 0) << demo.err;
  EXPECT_NE(demo.out.find("beside the same loads at once, largest differences:"), std::string::npos)
      << demo.out;
  const std::string results = "here/hung-office-results";
  const CsvTable stages = table("stages", results);
  ASSERT_EQ(stages.rows.size(), 11u);
  EXPECT_EQ(stages.rows[4][3], "props out");
  EXPECT_EQ(stages.rows[4][column_of(stages, "members")], "18");
  // Each stage balances all loads so far: the last two differ by what the people weigh.
  const std::size_t down = column_of(stages, "down[kN]");
  EXPECT_NEAR(std::stod(stages.rows[5][down]) - std::stod(stages.rows[4][down]), 12 * 3 * 18, 1e-6);
  // What is not there yet has no rows.
  for (const auto& row : table("displacements", results).rows) {
    EXPECT_FALSE(row[0] == "on_props" && row[1] == "floor 1" && row[3] == "M2");
  }
  // Recovered from the store, with its birth: the moment that the digest shows.
  const CsvTable comparison = table("comparison", results);
  double moment = 0;
  for (const auto& row : comparison.rows) {
    if (row[0] == "downwards" && row[1] == "people" && row[3] == "floor1") {
      moment = std::stod(row[column_of(comparison, "value")]);
      EXPECT_LT(moment, 0.6 * std::stod(row[column_of(comparison, "first_order")]));
    }
  }
  const auto place =
      w.run("compare " + results + " --analysis \"downwards*\" --load people --place F1.2.My@0.5");
  ASSERT_EQ(place.status, 0) << place.err;
  EXPECT_NE(place.out.find("at once"), std::string::npos) << place.out;
  EXPECT_NE(place.out.find(std::to_string(moment).substr(0, 5)), std::string::npos) << place.out;
  EXPECT_EQ(
      w.run("draw " + results + " moment --analysis on_props").out,
      results + "/figures/moment-on_props.svg\n" + results + "/figures/moment-on_props.png\n");
  EXPECT_EQ(
      w.run("draw " + results +
            " deflected --analysis downwards-at-once --analysis downwards --load first -o d.svg")
          .status,
      0);
  const auto check = w.run("check here/hung-office.toml");
  EXPECT_NE(check.out.find("stages of on_props"), std::string::npos) << check.out;
  EXPECT_NE(check.out.find("strikes P1M, P1N, P2M, P2N, P3M and P3N"), std::string::npos)
      << check.out;
  // One stage alone: the state of a stage to vibrate about, and a stage that does not stand.
  w.write("later.toml", read_file(w.folder() / "here/hung-office.toml") +
                            "[analyses.swing]\nkind = \"modal\"\nafter = \"downwards:third\"\n"
                            "modes = 1\n");
  const auto swing = w.run("run later.toml --analysis swing --no-figures");
  EXPECT_EQ(swing.status, 0) << swing.out << swing.err;
  w.write("props.toml", replaced(read_file(w.folder() / "here/hung-office.toml"),
                                 "erect = [\"R.*\", \"H*\"]", "erect = [\"R.*\"]"));
  const auto bad = w.run("run props.toml --no-figures");
  EXPECT_NE(bad.out.find("never stand"), std::string::npos) << bad.out;
}

/// Concrete that creeps: what was run, and what is recovered from the store.
TEST_F(Program, CreepThroughFiles) {
  w.write("pier.toml", R"(plane = "xz"
[materials]
C30 = { concrete = "C30/37" }
[sections]
thin = { shape = "rectangle", h = "250 mm", b = "250 mm" }
thick = { shape = "rectangle", h = "500 mm", b = "500 mm" }
beam = { shape = "rectangle", h = "400 mm", b = "300 mm" }
[nodes]
A = [0, 0]
B = [0, 4]
C = [6, 0]
D = [6, 4]
[members]
thin = { from = "A", to = "B", section = "thin", material = "C30" }
thick = { from = "C", to = "D", section = "thick", material = "C30" }
beam = { from = "B", to = "D", section = "beam", material = "C30" }
[supports]
A = "fixed"
C = "fixed"
[loads.G]
self_weight = 1.0
members = [ { on = "beam", qz = -30 } ]
[watch]
low = "B.uz"
span = "beam.My@0.5"
sag = "beam.dz@0.5"
[analyses.years]
kind = "staged"
brings = { G = 1 }
creep = { humidity = 70, age = 28, shrinkage = false }
stages = [ { name = "cast", erect = ["thin", "thick", "beam"] }, { name = "later", days = 10000 } ]
)");
  const auto run = w.run("run pier.toml --no-figures");
  ASSERT_EQ(run.status, 0) << run.out << run.err;
  const CsvTable moved = table("displacements", "pier-results");
  const double before = cell(moved, "uz[mm]", {"years", "cast", "B"});
  const double after = cell(moved, "uz[mm]", {"years", "later", "B"});
  EXPECT_GT(after / before, 2.5);
  EXPECT_LT(after / before, 6);
  EXPECT_EQ(table("creep", "pier-results").rows.size(), 6u);
  // The curve of a member that has crept, from the store.
  EXPECT_GT(recovered("pier-results", "years", "later", "span", "beam.My@0.5"), 0);
  EXPECT_LT(recovered("pier-results", "years", "later", "sag", "beam.dz@0.5"),
            2.5 * recovered("pier-results", "years", "cast", "sag", "beam.dz@0.5"));
  EXPECT_NE(w.run("check pier.toml").out.find("10000 days pass"), std::string::npos);
}

/// Stages with finite motion: a mast laid out on the ground and a stay hung to its turned tip.
TEST_F(Program, FiniteStagesThroughFiles) {
  w.write("derrick.toml", R"(plane = "xz"
[materials]
S355 = { E = "210 GPa", density = "7850 kg/m^3" }
[sections]
boom = { shape = "IPE 100" }
stay = { shape = "circle", d = "12 mm" }
[nodes]
A = [0, 0]
B = [4, 0]
C = [4, 3]
[members]
boom = { from = "A", to = "B", section = "boom", material = "S355" }
stay = { from = "B", to = "C", section = "stay", material = "S355", kind = "axial" }
[supports]
A = "fixed"
C = "pinned"
[loads.G]
nodes = [ { on = "B", fz = -9 } ]
[loads.Q]
nodes = [ { on = "B", fx = -3, fz = -20 } ]
[watch]
tip = "B.uz"
pull = "stay.N@0.5"
root = "boom.My@start"
[analyses.hoist]
kind = "staged"
theory = "large-displacement"
stages = [ { name = "boom", erect = ["boom"], add = { G = 1 } },
           { name = "stay", erect = ["stay"] },
           { name = "hung", add = { Q = 1 } } ]
[analyses.lift]
kind = "large-displacement"
loads = ["Q"]
after = "hoist:stay"
[analyses.swing]
kind = "modal"
modes = 1
after = "hoist:hung"
[analyses.give]
kind = "buckling"
modes = 1
loads = ["Q"]
after = "hoist:stay"
)");
  const auto run = w.run("run derrick.toml");
  ASSERT_EQ(run.status, 0) << run.out << run.err;
  EXPECT_NE(run.out.find("boom is bowed by"), std::string::npos) << run.out;
  const std::string results = "derrick-results";
  const CsvTable moved = table("displacements", results);
  // The stay arrives without force: nothing moves.
  const double bent = cell(moved, "uz[mm]", {"hoist", "boom", "B"});
  EXPECT_LT(bent, -100);
  EXPECT_NEAR(cell(moved, "uz[mm]", {"hoist", "stay", "B"}), bent, 1e-7 * std::abs(bent));
  EXPECT_NEAR(cell(table("comparison", results), "value", {"hoist", "stay", "pull"}), 0, 1e-6);
  EXPECT_GT(recovered(results, "hoist", "hung", "pull", "stay.N@0.5"), 15);
  const double root = recovered(results, "hoist", "hung", "root", "boom.My@start");
  // Another analysis that goes on from the second stage ends where the third one does.
  EXPECT_NEAR(recovered(results, "lift", "Q", "root", "boom.My@start"), root,
              2e-6 * std::abs(root));
  const double hung = cell(moved, "uz[mm]", {"hoist", "hung", "B"});
  EXPECT_NEAR(cell(moved, "uz[mm]", {"lift", "Q", "B"}), hung, 1e-6 * std::abs(hung));
  const auto rows = w.run("table " + results + " member_forces --analysis lift --format csv");
  EXPECT_NE(rows.out.find("\nlift,Q,"), std::string::npos) << rows.out;
  EXPECT_EQ(rows.out.find("\nhoist,"), std::string::npos) << rows.out;
  EXPECT_EQ(w.run("draw " + results + " deflected --analysis hoist -o d.svg").status, 0);
}

/// The terminal building storey by storey, its leaning columns bolted up late.
TEST_F(Program, TheTerminalIsErected) {
  const auto demo = w.run("demo here --example terminal-erection");
  ASSERT_EQ(demo.status, 0) << demo.out << demo.err;
  const std::string results = "here/terminal-erection-results";
  const CsvTable moved = table("displacements", results);
  // Columns bolted up late count their motion from then; the frame has moved already.
  EXPECT_EQ(table("stages", results).rows.size(), 11u + 5u + 7u);
  for (const auto& row : moved.rows) {
    EXPECT_FALSE(row[0] == "late" && row[1] == "storey 1" && row[3] == "E1");
  }
  // Two stages beside each other: what they differ by, at a place and where it is largest.
  const double sway = cell(moved, "ux[mm]", {"late", "gale", "A5"});
  const double before = cell(moved, "ux[mm]", {"late", "people", "A5"});
  const auto gale =
      w.run("compare " + results + " --from late:people --to late:gale --node A5 --format csv");
  ASSERT_EQ(gale.status, 0) << gale.err;
  w.write("gale.csv", gale.out);
  const CsvTable between = read_csv(w.folder() / "gale.csv");
  EXPECT_NEAR(cell(between, "before", {"ux", "A5"}), before, 1e-4 * std::abs(before));
  EXPECT_NEAR(cell(between, "after", {"ux", "A5"}), sway, 1e-4 * sway);
  const auto built = w.run("compare " + results + " --from in_use:gale --to late:gale");
  EXPECT_NE(built.out.find("in_use:gale"), std::string::npos) << built.out;
  EXPECT_NE(built.out.find("group low_leaning"), std::string::npos) << built.out;
  EXPECT_EQ(w.run("compare " + results + " --from late:gail --to late:gale").status, 2);
  EXPECT_EQ(w.run("compare " + results + " --from late:gale").status, 2);
}

/// The footbridge: its path from the run and from the store, the state read back, the shape used.
TEST_F(Program, LargeDisplacementThroughFiles) {
  const auto demo = w.run("demo here --example footbridge");
  ASSERT_EQ(demo.status, 0) << demo.err;
  EXPECT_NE(demo.out.find("STANDS ONLY BEYOND A SNAP-THROUGH.  U1 (crooked)"), std::string::npos)
      << demo.out;
  const std::string results = "here/footbridge-results";
  const CsvTable path = table("path", results);
  double lowest = 2, limit = 0;
  int limits = 0;
  for (const auto& row : path.rows) {
    if (row[0] != "crooked") continue;
    lowest = std::min(lowest, std::stod(row[3]));
    if (row[7].find("limit point") != std::string::npos && limits++ == 0) limit = std::stod(row[3]);
  }
  EXPECT_EQ(limits, 2);
  EXPECT_GT(limit, 0.85);
  EXPECT_LT(limit, 0.95);
  EXPECT_LT(lowest, -0.3);
  // The last watched value on the path is the displacement of the step.
  std::string last;
  for (const auto& row : table("watched", results).rows) {
    if (row[0] == "crooked" && row[5] == "crown") last = row[6];
  }
  double crown = 0;
  for (const auto& row : table("displacements", results).rows) {
    if (row[0] == "crooked" && row[3] == "A3") crown = std::stod(row[6]);
  }
  EXPECT_NEAR(std::stod(last), crown, 1e-9 * std::abs(crown));
  // The start shape is kept, 15 mm down at the quarter point.
  for (const auto& row : table("coordinates", results).rows) {
    if (row[3] == "A2") {
      EXPECT_NEAR(std::stod(row[9]), -15, 1e-9);
    }
  }
  // Forces recovered from the store are those of the run: the comparison's largest moment.
  const auto extremes =
      w.run("table " + results + " member_extremes --analysis crooked --member R.3 --format csv");
  ASSERT_EQ(extremes.status, 0) << extremes.err;
  const CsvTable comparison = table("comparison", results);
  for (const auto& row : comparison.rows) {
    if (row[0] != "crooked" || row[3].find("moment My") == std::string::npos) continue;
    if (row[5].rfind("R.3@", 0) != 0) continue;
    EXPECT_NE(extremes.out.find(row[7].substr(0, 9)), std::string::npos) << row[7] << "\n"
                                                                         << extremes.out;
  }
  EXPECT_EQ(w.run("draw " + results + " path -o crown.png").status, 2);  // two places
  EXPECT_EQ(w.run("draw " + results + " path").out, results + "/figures/path-U1-crown.svg\n" +
                                                        results + "/figures/path-U1-crown.png\n" +
                                                        results + "/figures/path-U1-quarter.svg\n" +
                                                        results + "/figures/path-U1-quarter.png\n");
  EXPECT_EQ(
      w.run("draw " + results + " moment --analysis perfect --analysis crooked -o m.svg").status,
      0);
  // Without a shape the frame stays on the way that buckles: told, status 1, last good state kept.
  w.write("column.toml",
          replaced(read_file(EXAMPLES "/kittiwake-footbridge.toml"), "Q = 1.5", "Q = 2.5"));
  const auto r = w.run("run column.toml --no-figures");
  EXPECT_EQ(r.status, 1);
  EXPECT_NE(r.out.find("branch point"), std::string::npos) << r.out;
}

TEST_F(Program, OneAndTwoThreadsGiveTheSameDigitsOfAOneWayFrame) {
  w.write("hall.toml", read_file(EXAMPLES "/kittiwake-boat-hall.toml"));
  ASSERT_EQ(w.run("run hall.toml --no-figures -o two").status, 0);
  ASSERT_EQ(w.run("run hall.toml --no-figures -o one", "taskset -c 0").status, 0);
  for (const char* name : {"displacements", "states", "envelopes", "path", "buckling"}) {
    const std::string file = std::string("/tables/") + name + ".csv";
    EXPECT_FALSE(w.read("two" + file).empty()) << name;
    EXPECT_EQ(w.read("one" + file), w.read("two" + file)) << name;
  }
}

TEST_F(Program, TutorialSecondOrder) {
  follow(w, read_file(DOCS "/tutorials/01-second-order.md"));
}

TEST_F(Program, AboveTheCriticalLoadIsStatusOneWithTheGoodPartsKept) {
  // π²EI/L² with shear is about 1225 kip here.
  w.write("column.toml", replaced(kColumn, "fx = -300", "fx = -1500"));
  const auto r = w.run("run column.toml --tables all");
  EXPECT_EQ(r.status, 1);
  EXPECT_NE(r.out.find("FAILED: 2 of 3 analyses"), std::string::npos);
  EXPECT_NE(r.out.find("above the critical load"), std::string::npos);
  EXPECT_NEAR(cell(table("member_extremes"), "max", {"first-order", "m", "My"}), 235.2, 1e-7);
  const json summary = json::parse(w.read("column-results/summary.json"));
  const json evidence = summary["outcomes"][1]["evidence"];
  EXPECT_EQ(evidence["negative_pivots"], 1);
  const double EI = 29000.0 * 484, GAv = 11200 * 4.692;
  const double critical = 1 / (336.0 * 336 / (M_PI * M_PI * EI) + 1 / GAv) / 1500;
  EXPECT_LE(evidence["stands_at"].get<double>(), critical);
  EXPECT_GE(evidence["fails_at"].get<double>(), critical);
}

TEST_F(Program, AMechanismIsStatusOneWithItsFigure) {
  w.write("column.toml", replaced(kColumn, "A = [\"ux\", \"uz\"]", "A = [\"uz\"]"));
  const auto r = w.run("run column.toml");
  EXPECT_EQ(r.status, 1);
  EXPECT_NE(r.out.find("the whole frame can move along x together"), std::string::npos) << r.out;
  EXPECT_TRUE(w.has("column-results/figures/mechanism-1.png"));
  EXPECT_EQ(w.run("check column.toml --no-picture").status, 1);
}

TEST_F(Program, AFolderThatIsNotOursIsLeftAlone) {
  w.write("column.toml", kColumn);
  fs::create_directory(w.folder() / "mine");
  w.write("mine/letter.txt", "dear");
  const auto r = w.run("run column.toml -o mine");
  EXPECT_EQ(r.status, 2);
  EXPECT_NE(r.err.find("mine holds something else"), std::string::npos);
  EXPECT_EQ(w.read("mine/letter.txt"), "dear");
  EXPECT_EQ(w.unfinished(), 0);
  EXPECT_EQ(w.run("run column.toml -o column.toml").status, 2);
}

TEST_F(Program, AnUnwritablePlaceIsTold) {
  w.write("column.toml", kColumn);
  const auto r = w.run("run column.toml -o /proc/nowhere/results");
  EXPECT_EQ(r.status, 2);
  EXPECT_NE(r.err.find("cannot write beside"), std::string::npos);
}

TEST_F(Program, AFullDiskIsStatusThreeAndKeepsTheEarlierResults) {
  run_column();
  const std::string before = w.read("column-results/summary.json");
  // A limit on the size of files stands in for a full disk.
  const auto r = w.run("run column.toml --no-figures", "trap '' XFSZ; ulimit -f 0;");
  EXPECT_EQ(r.status, 3);
  EXPECT_EQ(w.read("column-results/summary.json"), before);
}

/// A tower large enough to be caught in the middle.
std::string tower(int storeys) {
  std::string nodes = "[nodes]\n", members = "[members]\n",
              supports = "[supports]\n\"*z0\" = \"fixed\"\n";
  const auto name = [](int x, int y, int z) {
    return "x" + std::to_string(x) + "y" + std::to_string(y) + "z" + std::to_string(z);
  };
  for (int z = 0; z <= storeys; ++z) {
    for (int y = 0; y < 6; ++y) {
      for (int x = 0; x < 6; ++x) {
        nodes += name(x, y, z) + " = [" + std::to_string(6 * x) + ", " + std::to_string(6 * y) +
                 ", " + std::to_string(3 * z) + "]\n";
        if (z == 0) continue;
        const auto join = [&](const std::string& other) {
          members +=
              name(x, y, z) + "-" + other + " = [\"" + name(x, y, z) + "\", \"" + other + "\"]\n";
        };
        join(name(x, y, z - 1));
        if (x > 0) join(name(x - 1, y, z));
        if (y > 0) join(name(x, y - 1, z));
      }
    }
  }
  return "[materials]\ns = { E = 210000, density = 7850 }\n[sections]\nc = { shape = \"HEB 300\" "
         "}\n"
         "[defaults]\nsection = \"c\"\n" +
         nodes + members + supports + "[loads.G]\nself_weight = 1\n";
}

TEST_F(Program, ARunThatIsKilledLeavesTheEarlierResults) {
  run_column();
  const std::string before = w.read("column-results/summary.json");
  w.write("tower.toml", tower(40));
  const pid_t child = fork();
  if (child == 0) {
    std::filesystem::current_path(w.folder());
    const int nothing = open("/dev/null", O_WRONLY);
    dup2(nothing, 1);
    execl(ULTERIX_PROGRAM, "ulterix", "run", "tower.toml", "-o", "column-results", nullptr);
    _exit(127);
  }
  for (int i = 0; i < 4000 && w.unfinished() == 0; ++i) {
    std::this_thread::sleep_for(std::chrono::milliseconds(2));
  }
  ASSERT_EQ(w.unfinished(), 1);
  kill(child, SIGKILL);
  int status = 0;
  waitpid(child, &status, 0);
  ASSERT_TRUE(WIFSIGNALED(status));
  EXPECT_EQ(w.read("column-results/summary.json"), before);
  EXPECT_EQ(w.unfinished(), 1);
  // The next run clears what the dead one left.
  EXPECT_EQ(w.run("run column.toml --no-figures").status, 0);
  EXPECT_EQ(w.unfinished(), 0);
  EXPECT_EQ(w.read("column-results/summary.json"), before);
}

TEST_F(Program, DemoRunsTheShippedExample) {
  const auto r = w.run("demo");
  EXPECT_EQ(r.status, 0) << r.err;
  EXPECT_NE(r.out.find("Kittiwake Quay"), std::string::npos);
  EXPECT_TRUE(w.has("kittiwake-quay/terminal.toml"));
  EXPECT_TRUE(w.has("kittiwake-quay/terminal-results/figures/deflected-U2.png"));
  // The example is chosen so that second-order effects are 10 to 40 per cent.
  const json summary = json::parse(w.read("kittiwake-quay/terminal-results/summary.json"));
  for (const json& outcome : summary["outcomes"]) {
    for (const json& row : outcome["beside_first_order"]) {
      if (row["quantity"] != "sway") continue;
      EXPECT_GT(row["ratio"].get<double>(), 1.10);
      EXPECT_LT(row["ratio"].get<double>(), 1.40);
    }
  }
  EXPECT_EQ(w.run("demo").status, 0);  // again: nothing was changed
  w.write("kittiwake-quay/terminal.toml", "mine");
  EXPECT_EQ(w.run("demo").status, 2);
  EXPECT_EQ(w.read("kittiwake-quay/terminal.toml"), "mine");
  EXPECT_EQ(w.run("demo other").status, 0);
  EXPECT_TRUE(w.has("other/terminal.toml"));
}

TEST_F(Program, TheModelInsideTheDemoIsTheShippedFile) {
  w.run("demo");
  std::ifstream in(EXAMPLES "/kittiwake-terminal.toml", std::ios::binary);
  std::ostringstream all;
  all << in.rdbuf();
  EXPECT_EQ(w.read("kittiwake-quay/terminal.toml"), all.str());
}

TEST_F(Program, DeflectionsAreTableAndPlaceAndDigest) {
  // By hand: a simply supported beam of first-order, 5qL^4/384EI and the shear part qL^2/8GAv.
  w.write("column.toml", replaced(kColumn, "nodes = [ { on = \"B\", fx = -300 } ]\n", "") +
                             "[analyses.first-order]\n");
  const auto r = w.run("run column.toml --no-figures --tables all");
  ASSERT_EQ(r.status, 0) << r.err;
  EXPECT_NE(r.out.find("1 load case x first-order "), std::string::npos) << r.out;
  EXPECT_EQ(r.out.find("P-Delta"), std::string::npos);
  const double q = 0.2 / 12, L = 336, EI = 29000.0 * 484, GAv = 11200 * 4.692;
  const double bent = 5 * q * std::pow(L, 4) / (384 * EI) + q * L * L / (8 * GAv);
  EXPECT_NEAR(cell(table("member_extremes"), "min", {"first-order", "m", "dz"}), -bent,
              1e-9 * bent);
  const auto rows = w.run("table column-results deflections --format csv");
  EXPECT_EQ(rows.status, 0);
  w.write("d.csv", rows.out);
  const CsvTable d = read_csv(w.folder() / "d.csv");
  ASSERT_EQ(d.header.back(), "dz[in]");
  double lowest = 0;
  for (const auto& row : d.rows) lowest = std::min(lowest, std::stod(row.back()));
  EXPECT_NEAR(lowest, -bent, 1e-9 * bent);
  EXPECT_EQ(w.run("table column-results deflections --member q").status, 2);
}

TEST_F(Program, WithoutLoadsItIsARemark) {
  std::string text = kColumn;
  text = text.substr(0, text.find("[loads.G]"));
  w.write("column.toml", text);
  const auto r = w.run("run column.toml");
  EXPECT_EQ(r.status, 0);
  EXPECT_NE(r.out.find("no loads: nothing to analyse"), std::string::npos) << r.out;
}

TEST_F(Program, TheKeyAndTablePagesOfTheDocsAreCurrent) {
  std::ifstream keys(DOCS "/keys.md"), tables(DOCS "/tables.md");
  std::ostringstream a, b;
  a << keys.rdbuf();
  b << tables.rdbuf();
  EXPECT_EQ(w.run("check --keys").out, a.str());
  EXPECT_EQ(w.run("check --tables").out, b.str());
}

}  // namespace
}  // namespace ulterix::testing::program_test
