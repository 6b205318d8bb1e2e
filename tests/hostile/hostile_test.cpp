// Damaged models, stores and calls through the built program: each ends in a result or in words.
#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <signal.h>

#include <chrono>
#include <thread>

#include "hostile/mutator.hpp"
#include "support/program.hpp"

namespace ulterix::testing::hostile_test {
namespace {

constexpr int kModels = 60;
constexpr int kStores = 60;

const std::string kModel = R"(title = "two bays"
plane = "xz"
[materials]
S = { E = "210 GPa", nu = 0.3, density = 7850, fy = 355 }
[sections]
c = { shape = "HEB 200" }
[defaults]
material = "S"
section = "c"
[nodes]
A0 = [0, 0]
A1 = [0, 4]
B0 = [6, 0]
B1 = [6, 4]
[members]
CA = ["A0", "A1"]
CB = { from = "B0", to = "B1", hinge = { end = ["my"] } }
R1 = ["A1", "B1"]
[supports]
A0 = "fixed"
B0 = { ux = true, uz = true, ry = { spring = "900 kN.m/rad" } }
[groups]
columns = { members = "C*" }
[loads.G]
self_weight = 1.0
nodes = [ { on = "A1", fz = -120 } ]
members = [ { on = "R1", qz = [-5, -10], over = [0.2, 0.8] }, { on = "CA", fx = 3, at = 0.4 } ]
[combinations]
U1 = { G = 1.35, notional = { x = 0.005 } }
U2 = { G = [0.9, 1.2] }
[watch]
sway = "A1.ux"
foot = "CA.My@start"
[mass]
from_loads = { G = 0.1 }
self = false
[analyses.p-delta]
kind = "p-delta"
[analyses.buckling]
kind = "buckling"
modes = 2
[analyses.modes]
kind = "modal"
modes = 2
)";

class Hostile : public ::testing::Test {
 protected:
  Workplace w;

  /// Done, unstable or refused, within a time that no hang is taken for.
  void expect_words(const std::string& call, const std::string& about) {
    const auto r = w.run(call, "timeout 60 env");
    EXPECT_TRUE(r.status >= 0 && r.status <= 2) << about << "\n" << call << "\n" << r.err;
    if (r.status == 2) EXPECT_FALSE(r.err.empty()) << about;
  }
  /// Cut short, bytes changed, or rows, words, and texts changed in place.
  void damage_store(Mutator& mutator, int i) const {
    const fs::path file = w.folder() / "r/results.sqlite";
    if (i % 4 < 2) {
      std::string bytes = read_file(file.string());
      if (i % 4 == 0) bytes.resize(mutator.below(bytes.size()));
      for (int k = 0; k < 12 && i % 4 == 1; ++k) {
        bytes[mutator.below(bytes.size())] = static_cast<char>(mutator.below(256));
      }
      w.write("r/results.sqlite", bytes);
      return;
    }
    SQLite::Database store(file.string(), SQLite::OPEN_READWRITE);
    const std::vector<std::string> values = {"NULL",
                                             "-1",
                                             "0",
                                             "1e308",
                                             "1099511627776",
                                             "'x'",
                                             "'[]'",
                                             "'[[1]]'",
                                             "'[[\"a\",2,3,4,5,6,7,8,9]]'"};
    if (i % 4 == 2) {
      store.exec(fmt::format("UPDATE words SET text = '{}' WHERE id % {} = 0",
                             mutator.one_of<std::string>({"", "A1", "zz", "CA.1"}),
                             1 + mutator.below(5)));
      return;
    }
    std::vector<std::pair<std::string, std::string>> columns;
    SQLite::Statement query(store,
                            "SELECT m.name, p.name FROM sqlite_master m, pragma_table_info(m.name) "
                            "p WHERE m.type = 'table' ORDER BY 1, 2");
    while (query.executeStep())
      columns.emplace_back(query.getColumn(0).getString(), query.getColumn(1).getString());
    query.reset();
    for (int k = 0; k < 3; ++k) {
      const auto& [table, column] = mutator.one_of(columns);
      store.tryExec(fmt::format("UPDATE OR IGNORE \"{}\" SET \"{}\" = {}", table, column,
                                mutator.one_of(values)));
    }
  }
  void run_model() {
    w.write("m.toml", kModel);
    ASSERT_EQ(w.run("run m.toml --no-figures").status, 0) << w.read("stderr.txt");
  }
  static std::string read_file(const std::string& path) {
    std::ifstream in(path, std::ios::binary);
    std::ostringstream all;
    all << in.rdbuf();
    return all.str();
  }
};

TEST_F(Hostile, DamagedModels) {
  const std::vector<std::string> models = {kModel, read_file(EXAMPLES "/kittiwake-beacon.toml"),
                                           read_file(EXAMPLES "/kittiwake-gantry.toml")};
  Mutator mutator(20261127);
  for (int i = 0; i < kModels; ++i) {
    w.write("m.toml", mutator.damaged(mutator.one_of(models)));
    expect_words(i % 2 == 0 ? "check m.toml --no-picture" : "run m.toml --no-figures -o r",
                 fmt::format("model {}", i));
  }
}

TEST_F(Hostile, DamagedStores) {
  run_model();
  fs::rename(w.folder() / "m-results", w.folder() / "good");
  const std::vector<std::string> calls = {
      "table r displacements",       "table r member_forces --format json",
      "table r mode_axes",           "table r steps",
      "table r effective_lengths",   "compare r",
      "compare r --place R1.My@0.3", "compare good r",
      "draw r moment -o x.svg",      "draw r deflected -o x.svg",
      "draw r mode -o x.svg",        "draw r model -o x.svg",
      "draw r reactions -o x.svg",   "draw r mode --analysis modes -o x.svg"};
  Mutator mutator(4711);
  for (int i = 0; i < kStores; ++i) {
    fs::remove_all(w.folder() / "r");
    fs::copy(w.folder() / "good", w.folder() / "r", fs::copy_options::recursive);
    const std::string what = fmt::format("store {}", i);
    damage_store(mutator, i);
    for (int k = 0; k < 3; ++k) expect_words(mutator.one_of(calls), what);
  }
}

TEST_F(Hostile, StoreOfAnotherModelIsTold) {
  run_model();
  SQLite::Database store((w.folder() / "m-results/results.sqlite").string(),
                         SQLite::OPEN_READWRITE);
  store.exec(
      "UPDATE run SET value = replace(value, 'HEB 200', 'HEB 300') WHERE key = 'model_text'");
  const auto r = w.run("draw m-results moment");
  EXPECT_EQ(r.status, 2);
  EXPECT_NE(r.err.find("damaged"), std::string::npos) << r.err;
}

TEST_F(Hostile, SummaryThatIsNoneOfOurs) {
  run_model();
  for (const char* text : {"{\"program\":5}", "[]", "", "{\"program\":\"other\"}"}) {
    w.write("m-results/summary.json", text);
    EXPECT_EQ(w.run("table m-results").status, 2) << text;
    EXPECT_EQ(w.run("run m.toml --no-figures").status, 2) << text;
  }
}

TEST_F(Hostile, FilesOfOthersStay) {
  run_model();
  w.write("m-results/notes.txt", "mine");
  w.write("m-results/tables/mine.csv", "mine");
  w.write("m-results/model.toml", "changed by hand");
  ASSERT_EQ(w.run("run m.toml --no-figures").status, 0);
  EXPECT_EQ(w.read("m-results/notes.txt"), "mine");
  EXPECT_EQ(w.read("m-results/tables/mine.csv"), "mine");
  EXPECT_EQ(w.read("m-results/model.toml"), kModel);
  EXPECT_EQ(w.read("m-results/model.toml.kept"), "changed by hand");
  // A figure that was drawn later is of the earlier results.
  ASSERT_EQ(w.run("draw m-results moment").status, 0);
  EXPECT_TRUE(w.has("m-results/figures/moment-U1.svg"));
  ASSERT_EQ(w.run("run m.toml --no-figures").status, 0);
  EXPECT_FALSE(w.has("m-results/figures/moment-U1.svg"));
  EXPECT_TRUE(w.has("m-results/notes.txt"));
}

TEST_F(Hostile, ProjectFolderWithACopiedSummaryIsRefused) {
  run_model();
  fs::create_directory(w.folder() / "project");
  w.write("project/thesis.txt", "mine");
  fs::copy(w.folder() / "m-results/summary.json", w.folder() / "project/summary.json");
  EXPECT_EQ(w.run("run m.toml --no-figures -o project").status, 2);
  EXPECT_EQ(w.read("project/thesis.txt"), "mine");
}

TEST_F(Hostile, PictureNeverReplacesAModel) {
  w.write("m.toml", kModel);
  EXPECT_EQ(w.run("check m.toml --picture m.toml").status, 2);
  EXPECT_EQ(w.read("m.toml"), kModel);
}

TEST_F(Hostile, LinksAreFollowedAndTheCurrentFolderIsRefused) {
  w.write("m.toml", kModel);
  fs::create_directory(w.folder() / "real");
  fs::create_directory_symlink("real", w.folder() / "link");
  EXPECT_EQ(w.run("run m.toml --no-figures -o link").status, 0);
  EXPECT_TRUE(fs::is_symlink(w.folder() / "link"));
  EXPECT_TRUE(w.has("real/summary.json"));
  EXPECT_EQ(w.run("run m.toml --no-figures -o .").status, 2);
  EXPECT_EQ(w.run("run m.toml --no-figures -o ..").status, 2);
  EXPECT_EQ(w.run("run real").status, 2);
  EXPECT_NE(w.read("stderr.txt").find("is a folder"), std::string::npos);
}

TEST_F(Hostile, LostOutputIsStatusThree) {
  w.write("m.toml", kModel);
  const std::string program = fmt::format("'{}'", ULTERIX_PROGRAM);
  for (const char* call : {"--help", "check m.toml --no-picture", "run m.toml --no-figures"}) {
    const int status = std::system(
        fmt::format("cd '{}' && {} {} >/dev/full 2>/dev/null", w.folder().string(), program, call)
            .c_str());
    EXPECT_EQ(WEXITSTATUS(status), 3) << call;
  }
}

TEST_F(Hostile, NumbersBeyondAnyFrameAreRefused) {
  const auto with = [](const std::string& from, const std::string& to) {
    std::string text = kModel;
    return text.replace(text.find(from), from.size(), to);
  };
  for (const auto& [from, to] :
       std::vector<std::pair<std::string, std::string>>{{"A1 = [0, 4]", "A1 = [0, 1e12]"},
                                                        {"fz = -120", "fz = -1e150"},
                                                        {"A1 = [0, 4]", "A1 = [0, \"7000 km\"]"},
                                                        {"G = 1.35", "G = 1e200"},
                                                        {"modes = 2", "modes = 500"}}) {
    w.write("m.toml", with(from, to));
    const auto r = w.run("run m.toml --no-figures", "timeout 20 env");
    EXPECT_EQ(r.status, 2) << to << r.err;
  }
  // A force that a model may give and no member can take: told, in no time.
  w.write("m.toml", with("fz = -120", "fz = -1e11"));
  const auto r = w.run("run m.toml --no-figures --analysis p-delta", "timeout 20 env");
  EXPECT_EQ(r.status, 1);
  EXPECT_NE(r.out.find("times its Euler load"), std::string::npos) << r.out;
}

TEST_F(Hostile, ManyModesEndInResults) {
  std::string text = kModel;
  text.replace(text.find("modes = 2"), 9, "modes = 100");
  text.replace(text.find("modes = 2"), 9, "modes = 100");
  w.write("m.toml", text);
  const auto r = w.run("run m.toml --no-figures", "timeout 120 env");
  EXPECT_EQ(r.status, 0) << r.out << r.err;
}

TEST_F(Hostile, KeysOfThousandsOfParts) {
  std::string deep = "a";
  for (int i = 0; i < 20000; ++i) deep += ".a";
  for (const std::string& text :
       {deep + " = 1\n", "[" + deep + "]\n", "x = { " + deep + " = 1 }\n"}) {
    w.write("m.toml", text);
    const auto r = w.run("check m.toml");
    EXPECT_EQ(r.status, 2);
    EXPECT_LT(r.err.size(), 1000u);
  }
}

TEST_F(Hostile, NamesThatATerminalObeysAreRefusedAndShownEscaped) {
  for (const char* text : {"title = \"a\\u001b[31mb\"\n", "title = \"a\\u0007b\"\n",
                           "title = \"\\uFFFE\"\n", "[nodes]\n\"a\\u001bb\" = [0, 0]\n"}) {
    w.write("m.toml", text);
    const auto r = w.run("check m.toml");
    EXPECT_EQ(r.status, 2);
    EXPECT_EQ(r.err.find_first_of("\x1b\x07"), std::string::npos);
    EXPECT_NE(r.err.find("not printed"), std::string::npos) << r.err;
  }
  const auto r = w.run("check \"$(printf 'a\\033b.toml')\"");
  EXPECT_EQ(r.err.find('\x1b'), std::string::npos);
}

TEST_F(Hostile, LongNamesAreComplaints) {
  std::string text = kModel;
  const std::string name(300, 'n');
  text.replace(text.find("U1 = {"), 2, name);
  w.write("m.toml", text);
  const auto r = w.run("run m.toml");
  EXPECT_EQ(r.status, 2);
  EXPECT_NE(r.err.find("longer than 200 bytes"), std::string::npos) << r.err;
  text = kModel;
  text.replace(text.find("U1 = {"), 2, name.substr(0, 200));
  w.write("m.toml", text);
  EXPECT_EQ(w.run("run m.toml").status, 0);
}

TEST_F(Hostile, NamesThatDifferHaveFilesThatDiffer) {
  std::string text = kModel;
  text.replace(text.find("U2 = { G = [0.9, 1.2] }"), 23,
               "\"p/q\" = { G = 1 }\n\"p_q\" = { G = 1.1 }\n\"p q\" = { G = 1.2 }\n"
               "\"p,q\" = { G = 1.3 }\n\"Wände\" = { G = 1.4 }\n");
  w.write("m.toml", text);
  ASSERT_EQ(w.run("run m.toml --no-figures").status, 0) << w.read("stderr.txt");
  for (const char* load : {"p/q", "p_q", "p q", "p,q", "Wände"}) {
    const auto r = w.run(fmt::format("draw m-results moment --load '{}'", load));
    EXPECT_EQ(r.status, 0) << r.err;
    const auto table = w.run(fmt::format("table m-results displacements --load '{}'", load));
    EXPECT_EQ(table.status, 0) << table.err;
  }
  int figures = 0;
  for (const auto& e : fs::directory_iterator(w.folder() / "m-results/figures")) {
    figures += e.path().extension() == ".svg";
  }
  EXPECT_EQ(figures, 5);
  EXPECT_TRUE(w.has("m-results/figures/moment-Wände.svg"));
}

TEST_F(Hostile, FormulasInNamesStayText) {
  std::string text = kModel;
  text.replace(text.find("U1 = {"), 2, "\"=1+1\"");
  w.write("m.toml", text);
  ASSERT_EQ(w.run("run m.toml --no-figures").status, 0) << w.read("stderr.txt");
  const auto safe = w.run("table m-results steps --format spreadsheet");
  EXPECT_EQ(safe.status, 0);
  EXPECT_NE(safe.out.find(",'=1+1,"), std::string::npos) << safe.out;
  EXPECT_NE(w.run("table m-results steps --format csv").out.find(",=1+1,"), std::string::npos);
}

TEST_F(Hostile, SignalsLeaveTheEarlierResultsAndNothingElse) {
  run_model();
  const std::string before = w.read("m-results/summary.json");
  // Many combinations keep the run busy.
  std::string text = kModel;
  std::string list = "1.0";
  for (int i = 1; i < 3000; ++i) list += fmt::format(", {}", 1 + i * 1e-5);
  text.replace(text.find("[0.9, 1.2]"), 10, "[" + list + "]");
  w.write("m.toml", text);
  for (const auto& [name, status] : {std::pair{"INT", 130}, {"TERM", 143}, {"HUP", 129}}) {
    const int ended = std::system(fmt::format("cd '{}' && timeout -s {} --preserve-status 1 '{}' "
                                              "run m.toml --no-figures >/dev/null 2>&1",
                                              w.folder().string(), name, ULTERIX_PROGRAM)
                                      .c_str());
    EXPECT_EQ(WEXITSTATUS(ended), status) << name;
    EXPECT_EQ(w.unfinished(), 0) << name;
    EXPECT_EQ(w.read("m-results/summary.json"), before) << name;
  }
  const auto limited = w.run("run m.toml --no-figures", "ulimit -f 100 && ");
  EXPECT_EQ(limited.status, 3);
  EXPECT_EQ(w.unfinished(), 0);
}

}  // namespace

}  // namespace ulterix::testing::hostile_test
