#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <map>
#include <optional>
#include <sstream>

#include "app/options.hpp"
#include "app/results_input.hpp"
#include "app/text.hpp"
#include "read/model_changes.hpp"
#include "read/near_names.hpp"

namespace ulterix {

namespace {

using Align = TextTable::Align;

/// Differences below this part count as nothing; above the second they are worth a line by
/// themselves.
constexpr double kUnchanged = 1e-3, kWorthALine = 0.05;
constexpr std::size_t kMostLines = 14;

/// A row of the comparison table, as its file holds it.
struct Row {
  std::string analysis, loads, quantity, unit, where;
  double first_order = 0, value = 0;
  std::optional<double> ratio;
};

double number(const std::string& cell) {
  double value = 0;
  std::from_chars(cell.data(), cell.data() + cell.size(), value);
  return value;
}

std::vector<Row> read_rows(const std::string& folder) {
  std::vector<Row> rows;
  for (const auto& cells : open_table(folder, "comparison").rows) {
    Row row{cells[0], cells[1],         cells[3],         cells[4],
            cells[5], number(cells[6]), number(cells[7]), {}};
    if (!cells[8].empty()) row.ratio = number(cells[8]);
    rows.push_back(row);
  }
  return rows;
}

struct Filter {
  std::vector<std::string> analyses, loads;
  bool all = false;

  static bool passes(const std::vector<std::string>& wanted, const std::string& name) {
    return wanted.empty() || std::any_of(wanted.begin(), wanted.end(),
                                         [&name](const std::string& w) { return fits(w, name); });
  }
  bool operator()(const Row& row) const {
    return passes(analyses, row.analysis) && passes(loads, row.loads);
  }
};

/// Complains about an analysis or load that the results do not have.
void check_filter(const std::string& option, const std::vector<std::string>& wanted,
                  std::vector<std::string> names) {
  for (const std::string& w : wanted) {
    const bool any =
        std::any_of(names.begin(), names.end(), [&w](const std::string& n) { return fits(w, n); });
    if (!any) {
      throw CallError(
          fmt::format("--{}: \"{}\" is not in the results{}", option, w, did_you_mean(w, names)));
    }
  }
}

double difference(const Row& row) {
  return row.ratio ? std::abs(*row.ratio - 1) : 0;
}

void print_beside_first_order(const std::vector<Row>& rows, const Filter& filter) {
  std::vector<std::pair<std::string, std::string>> pairs;
  for (const Row& row : rows) {
    const std::pair<std::string, std::string> key(row.analysis, row.loads);
    if (filter(row) && std::find(pairs.begin(), pairs.end(), key) == pairs.end())
      pairs.push_back(key);
  }
  for (const auto& [analysis, loads] : pairs) {
    std::vector<Row> own;
    for (const Row& row : rows) {
      if (row.analysis == analysis && row.loads == loads) own.push_back(row);
    }
    std::stable_sort(own.begin(), own.end(),
                     [](const Row& a, const Row& b) { return difference(a) > difference(b); });
    TextTable table(
        {Align::left, Align::left, Align::left, Align::right, Align::right, Align::right});
    table.add(
        {fmt::format("{}, {}", analysis, loads), "where", "", "first-order", analysis, "ratio"});
    std::size_t shown = 0, equal = 0;
    for (const Row& row : own) {
      const bool same = row.ratio && difference(row) < kUnchanged;
      equal += same ? 1 : 0;
      if (!filter.all && (same || shown == kMostLines)) continue;
      ++shown;
      table.add({"  " + row.quantity, row.where, row.unit, significant(row.first_order),
                 significant(row.value), row.ratio ? fmt::format("{:.3f}", *row.ratio) : "-"});
    }
    fmt::print("{}", table.print());
    if (!filter.all && equal > 0) {
      fmt::print("   unchanged within 0.1 %: {} of {}:  --all\n", equal, own.size());
    }
    fmt::print("\n");
  }
  if (pairs.empty()) fmt::print("nothing to compare: no second-order result\n");
}

std::string model_of(const std::string& folder) {
  std::ifstream in(std::filesystem::path(folder) / "model.toml", std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  return text.str();
}

void print_model_changes(const std::string& before, const std::string& after) {
  const std::vector<KeyChange> changes = model_changes(model_of(before), model_of(after));
  if (changes.empty()) {
    fmt::print(" the models are the same\n\n");
    return;
  }
  fmt::print(" changed in the model\n");
  const int width = terminal_width();
  for (std::size_t i = 0; i < changes.size() && i < 20; ++i) {
    const KeyChange& c = changes[i];
    fmt::print("{}\n",
               wrapped(fmt::format("   {}: {} -> {}", c.key, c.before.empty() ? "none" : c.before,
                                   c.after.empty() ? "none" : c.after),
                       width, 6));
  }
  if (changes.size() > 20) fmt::print("   ... and {} more\n", changes.size() - 20);
  fmt::print("\n");
}

/// Outcomes that are not the same before and after.
void print_outcomes(const std::string& before, const std::string& after) {
  std::map<std::pair<std::string, std::string>, std::string> then;
  for (const auto& row : open_table(before, "steps").rows) then[{row[0], row[1]}] = row[5];
  for (const auto& row : open_table(after, "steps").rows) {
    const auto found = then.find({row[0], row[1]});
    if (found == then.end() || found->second == row[5]) continue;
    fmt::print(" {} under {}: {} -> {}\n", row[0], row[1], found->second, row[5]);
  }
}

struct Pairing {
  Row before, after;
  double ratio() const { return before.value == 0 ? 0 : after.value / before.value; }
  double size() const {
    const double largest = std::max(std::abs(before.value), std::abs(after.value));
    return largest == 0 ? 0 : std::abs(after.value - before.value) / largest;
  }
};

void print_before_and_after(const std::string& before, const std::string& after,
                            const Filter& filter) {
  const std::vector<Row> old_rows = read_rows(before), new_rows = read_rows(after);
  std::vector<Pairing> pairs;
  for (const Row& row : new_rows) {
    if (!filter(row)) continue;
    const auto found = std::find_if(old_rows.begin(), old_rows.end(), [&row](const Row& o) {
      return o.analysis == row.analysis && o.loads == row.loads && o.quantity == row.quantity;
    });
    if (found != old_rows.end() && found->unit == row.unit) pairs.push_back({*found, row});
  }
  std::stable_sort(pairs.begin(), pairs.end(),
                   [](const Pairing& a, const Pairing& b) { return a.size() > b.size(); });
  TextTable table({Align::left, Align::left, Align::left, Align::left, Align::right, Align::right,
                   Align::right, Align::left});
  table.add({"what", "", "load", "where", "before", "after", "ratio", ""});
  std::size_t shown = 0, unchanged = 0, more = 0;
  for (const Pairing& p : pairs) {
    if (p.size() < kUnchanged) {
      ++unchanged;
      if (!filter.all) continue;
    }
    if (!filter.all && shown >= kMostLines) {
      more += p.size() > kWorthALine ? 1 : 0;
      continue;
    }
    ++shown;
    const bool moved = p.before.where != p.after.where;
    table.add({p.after.quantity, p.after.unit, p.after.loads, p.after.where,
               significant(p.before.value), significant(p.after.value),
               p.before.value == 0 ? "-" : fmt::format("{:.3f}", p.ratio()),
               moved ? "was at " + p.before.where : ""});
  }
  if (shown > 0) fmt::print("{}", table.print());
  if (more > 0) fmt::print(" ...  {} more above 5 %:  --all\n", more);
  fmt::print(" unchanged within 0.1 %: {} of {}\n", unchanged, pairs.size());
}

std::vector<std::string> column(const std::vector<Row>& rows, std::string Row::*field) {
  std::vector<std::string> names;
  for (const Row& row : rows) {
    if (std::find(names.begin(), names.end(), row.*field) == names.end())
      names.push_back(row.*field);
  }
  return names;
}

}  // namespace

int command_compare(const Arguments& arguments) {
  CommandOptions options(
      "compare", "RESULTS [AFTER]",
      "One results folder: its analyses beside first-order, the most changed places first.\n"
      "Two: what changed in the model and in the results.",
      "  ulterix compare shed-results --load U2\n"
      "      where U2 differs from first-order\n"
      "  ulterix compare before after\n"
      "      what a change did: the keys that differ, and the results, largest change first\n");
  using Names = std::vector<std::string>;
  options.add()("analysis", "only this analysis; names and patterns, may be repeated",
                cxxopts::value<Names>(),
                "NAME")("load", "only these loads", cxxopts::value<Names>(), "NAME")(
      "all", "every place, the unchanged ones too");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  if (parsed->count("target") == 0) throw CallError("results folder is missing");
  const auto folders = (*parsed)["target"].as<Names>();
  if (folders.size() > 2) throw CallError("one or two results folders are wanted");
  Filter filter;
  filter.all = parsed->count("all") > 0;
  if (parsed->count("analysis") > 0) filter.analyses = (*parsed)["analysis"].as<Names>();
  if (parsed->count("load") > 0) filter.loads = (*parsed)["load"].as<Names>();
  for (const std::string& folder : folders) require_results(folder);
  const std::vector<Row> rows = read_rows(folders.back());
  check_filter("analysis", filter.analyses, column(rows, &Row::analysis));
  check_filter("load", filter.loads, column(rows, &Row::loads));
  if (folders.size() == 1) {
    print_beside_first_order(rows, filter);
  } else {
    fmt::print("{}  ->  {}\n\n", folders[0], folders[1]);
    print_model_changes(folders[0], folders[1]);
    print_outcomes(folders[0], folders[1]);
    print_before_and_after(folders[0], folders[1], filter);
  }
  return kDone;
}

}  // namespace ulterix
