#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "app/options.hpp"
#include "app/results_input.hpp"
#include "app/stored_run.hpp"
#include "app/text.hpp"
#include "read/near_names.hpp"
#include "write/csv.hpp"
#include "write/json.hpp"

namespace ulterix {

namespace {

using Names = std::vector<std::string>;
using Row = std::vector<Cell>;

bool is_real(const StoredTable& table, std::size_t column) {
  return column >= 3 && table.spec->columns[column - 3].type == ColumnSpec::Type::real;
}

void print_text(const StoredTable& table) {
  std::vector<TextTable::Align> align(table.header.size(), TextTable::Align::left);
  for (std::size_t i = 0; i < align.size(); ++i) {
    const bool numbers =
        !table.rows.empty() && std::all_of(table.rows.begin(), table.rows.end(), [i](const Row& r) {
          return is_number(r[i]) || std::holds_alternative<std::monostate>(r[i]);
        });
    if (numbers) align[i] = TextTable::Align::right;
  }
  TextTable text(align);
  text.add(table.header);
  for (const Row& row : table.rows) {
    std::vector<std::string> cells;
    for (const Cell& cell : row) cells.push_back(short_text(cell));
    text.add(cells);
  }
  fmt::print("{}", text.print());
}

/// A spreadsheet takes text that begins so for a formula.
std::string without_formula(const std::string& text) {
  const bool formula = !text.empty() && std::string_view("=+-@").find(text[0]) != std::string::npos;
  return formula ? "'" + text : text;
}

/// `for_spreadsheets`: no text cell is a formula.
void print_csv(const StoredTable& table, bool for_spreadsheets) {
  const auto print_line = [](const std::vector<std::string>& cells) {
    std::string line;
    for (std::size_t i = 0; i < cells.size(); ++i) line += (i == 0 ? "" : ",") + csv_cell(cells[i]);
    fmt::print("{}\n", line);
  };
  print_line(table.header);
  for (const Row& row : table.rows) {
    std::vector<std::string> cells;
    for (const Cell& cell : row) {
      const bool text = for_spreadsheets && std::holds_alternative<std::string>(cell);
      cells.push_back(text ? without_formula(exact_text(cell)) : exact_text(cell));
    }
    print_line(cells);
  }
}

void list_tables() {
  TextTable text({TextTable::Align::left, TextTable::Align::left});
  for (const TableSpec& spec : table_specs())
    text.add({std::string(spec.name), std::string(spec.doc)});
  text.add({std::string(deflections_table().name), std::string(deflections_table().doc)});
  fmt::print("Tables of a results folder:\n{}", text.print(2));
}

/// A column by its bare name; throws CallError with the near ones.
std::size_t column_of(const StoredTable& table, const std::string& option,
                      const std::string& name) {
  Names names;
  for (const std::string& h : table.header) names.push_back(h.substr(0, h.find('[')));
  const auto found = std::find(names.begin(), names.end(), name);
  if (found != names.end()) return static_cast<std::size_t>(found - names.begin());
  throw CallError(fmt::format("--{}: this table has no column \"{}\"{}", option, name,
                              did_you_mean(name, names)));
}

/// Numbers by magnitude, the largest first (`ux`), or rising (`ux:up`); text by its letters.
void sort_rows(StoredTable& table, const std::string& by) {
  const bool rising = by.ends_with(":up");
  const std::size_t at = column_of(table, "sort", by.substr(0, by.size() - (rising ? 3 : 0)));
  std::stable_sort(table.rows.begin(), table.rows.end(), [=](const Row& a, const Row& b) {
    if (is_number(a[at]) != is_number(b[at])) return is_number(a[at]);
    if (!is_number(a[at])) return text_in(a[at]) < text_in(b[at]);
    const double x = number_in(a[at]), y = number_in(b[at]);
    return rising ? x < y : std::abs(x) > std::abs(y);
  });
}

/// The smallest and largest of every real column among rows that belong together.
class Extremes {
 public:
  Extremes(const StoredTable& table, const Results& results, const std::string& per)
      : table_(table), results_(results), per_(per) {
    if (per != "all" && per != "group") key_ = column_of(table, "extremes", per);
    if (per == "group") list_groups();
    for (std::size_t c = 3; c < table.header.size(); ++c) {
      const bool place = table.header[c].substr(0, table.header[c].find('[')) == "x";
      if (is_real(table, c) && !place) reals_.push_back(c);
    }
    if (reals_.empty()) throw CallError("--extremes: this table has no numbers");
    for (const Row& row : table.rows) take(row);
  }

  void print() const {
    using Align = TextTable::Align;
    TextTable text({Align::left, Align::left, Align::left, Align::right, Align::left, Align::right,
                    Align::left});
    text.add({"analysis", per_ == "all" ? "" : per_, "quantity", "min", "at", "max", "at"});
    for (const auto& key : order_) {
      const std::vector<Range>& ranges = found_.at(key);
      for (std::size_t i = 0; i < reals_.size(); ++i) {
        if (!ranges[i].any) continue;
        text.add({key.first, key.second, table_.header[reals_[i]], significant(ranges[i].min, 5),
                  place(*ranges[i].at_min), significant(ranges[i].max, 5),
                  place(*ranges[i].at_max)});
      }
    }
    fmt::print("{}", text.print());
  }

 private:
  struct Range {
    bool any = false;
    double min = 0, max = 0;
    const Row *at_min = nullptr, *at_max = nullptr;
  };
  using Key = std::pair<std::string, std::string>;

  void list_groups() {
    for (const std::string& g : results_.store().group_names()) {
      for (const char* kind : {"node", "member"}) {
        for (const std::string& item : results_.store().group_items(g, kind)) {
          groups_[item].push_back(g);
        }
      }
    }
    if (groups_.empty()) throw CallError("--extremes group: the model has no groups");
    key_ = std::string::npos;
    for (std::size_t c = 0; c < table_.header.size(); ++c) {
      if (table_.header[c] == "node" || table_.header[c] == "member") key_ = c;
    }
    if (key_ == std::string::npos) {
      throw CallError("--extremes group: this table has neither nodes nor members");
    }
  }

  void take(const Row& row) {
    const std::string& analysis = text_in(row[0]);
    if (per_ == "all") return take(row, {analysis, ""});
    if (per_ != "group") return take(row, {analysis, exact_text(row[key_])});
    const auto found = groups_.find(text_in(row[key_]));
    if (found == groups_.end()) return;
    for (const std::string& g : found->second) take(row, {analysis, g});
  }

  void take(const Row& row, const Key& key) {
    auto [found, is_new] = found_.try_emplace(key, reals_.size());
    if (is_new) order_.push_back(key);
    for (std::size_t i = 0; i < reals_.size(); ++i) {
      if (!is_number(row[reals_[i]])) continue;
      const double value = number_in(row[reals_[i]]);
      Range& r = found->second[i];
      if (!r.any || value < r.min) r.min = value, r.at_min = &row;
      if (!r.any || value > r.max) r.max = value, r.at_max = &row;
      r.any = true;
    }
  }

  /// "U2, CA1, x 3.6": the loads and the text cells of a row.
  std::string place(const Row& row) const {
    std::string words = text_in(row[1]);
    for (std::size_t c = 3; c < row.size(); ++c) {
      const bool x = table_.header[c].starts_with("x[");
      if (std::holds_alternative<std::string>(row[c]) &&
          (per_ == "all" || per_ == "group" || c != key_)) {
        words += (words.empty() ? "" : ", ") + text_in(row[c]);
      } else if (x) {
        words += fmt::format(", x {}", significant(number_in(row[c]), 4));
      }
    }
    return words;
  }

  const StoredTable& table_;
  const Results& results_;
  std::string per_;
  std::size_t key_ = 0;
  std::vector<std::size_t> reals_;
  std::map<std::string, std::vector<std::string>> groups_;  // of an item
  std::map<Key, std::vector<Range>> found_;
  std::vector<Key> order_;
};

std::vector<Results::Filter> filters_of(const cxxopts::ParseResult& parsed, const Results& results,
                                        const TableSpec& spec) {
  const auto has = [&spec](std::string_view name) {
    return std::any_of(spec.columns.begin(), spec.columns.end(),
                       [name](const ColumnSpec& c) { return c.name == name; });
  };
  std::vector<Results::Filter> filters;
  for (const auto& [option, column] : {std::pair<std::string, std::string>{"analysis", "analysis"},
                                       {"load", "loads"},
                                       {"node", "node"},
                                       {"member", "member"},
                                       {"step", "step"},
                                       {"mode", "mode"}}) {
    if (parsed.count(option) == 0) continue;
    // Envelopes hold both in one column.
    const std::string found =
        (option == "node" || option == "member") && !has(column) && has("item") ? "item" : column;
    filters.push_back({option, found, parsed[option].as<Names>()});
  }
  if (parsed.count("group") > 0) {
    const std::string kind = has("member") ? "member" : "node";
    filters.push_back({"group", has("item") ? "item" : kind,
                       results.of_groups(parsed["group"].as<Names>(), kind)});
  }
  return filters;
}

/// Rows of one member: stations, and where a displacement or a deflection is largest.
void add_deflections(const Recovery& recovery, MemberId id, const UnitSystem& units,
                     StoredTable& table) {
  const MemberLine line = recovery.line(id);
  const Matrix3d& R = recovery.frame().axes(id);
  std::vector<double> xs;
  for (const LinePoint& p : line.stations()) xs.push_back(p.x);
  const double same = 1e-6 * line.length();
  const auto add = [&xs, same](double x) {
    const bool there = std::any_of(xs.begin(), xs.end(),
                                   [=](double known) { return std::abs(known - x) <= same; });
    if (!there) xs.push_back(x);
  };
  const auto add_extremes = [&add](const Extreme& e) {
    add(e.x_min);
    add(e.x_max);
  };
  for (int d = 0; d < 3; ++d) add_extremes(line.displacement_extremes(R.col(d), false));
  for (int d = 1; d < 3; ++d) add_extremes(line.displacement_extremes(Vector3d::Unit(d), true));
  std::sort(xs.begin(), xs.end());
  xs.erase(std::unique(xs.begin(), xs.end()), xs.end());  // a jump of forces is one place
  const Step& step = recovery.step();
  for (const double x : xs) {
    const Vector3d u = R.transpose() * line.at(x).displacement, d = line.deflection_at(x);
    Row row = {step.analysis, step.loads.name, std::int64_t{step.number},
               recovery.frame().model().members[id].name, units.from_si(Quantity::length, x)};
    for (const double v : {u[0], u[1], u[2], d[1], d[2]}) {
      row.emplace_back(units.from_si(Quantity::displacement, std::abs(v) < 1e-15 ? 0 : v));
    }
    table.rows.push_back(std::move(row));
  }
}

/// The table of deflections of the members and steps that the filters leave.
StoredTable recovered_deflections(const Results& results,
                                  const std::vector<Results::Filter>& filters) {
  Names analyses, loads, members;
  for (const Results::Filter& f : filters) {
    if (f.column != "analysis" && f.column != "loads" && f.column != "member") {
      throw CallError(fmt::format("--{}: the table deflections has no such filter", f.option));
    }
    Names& names = f.column == "analysis" ? analyses : f.column == "loads" ? loads : members;
    names.insert(names.end(), f.wanted.begin(), f.wanted.end());
  }
  // Names that fit nothing are told where the steps are looked up.
  const StoredRun run(results, analyses, loads);
  const UnitSystem& units = run.units();
  StoredTable table;
  table.spec = &deflections_table();
  table.header = {"analysis", "loads", "step"};
  for (const ColumnSpec& c : table.spec->columns) table.header.push_back(column_header(c, units));
  Names known;
  for (const Member& m : run.model().members) known.push_back(m.name);
  for (const std::string& name : members) {
    const bool any = std::any_of(known.begin(), known.end(),
                                 [&name](const std::string& k) { return fits(name, k); });
    if (!any) {
      throw CallError(fmt::format("--member: no member \"{}\"{}", name, did_you_mean(name, known)));
    }
  }
  for (const Step& step : run.steps()) {
    const Recovery recovery = run.recovery(step);
    for (const MemberId id : run.model().members.ids()) {
      const std::string& name = run.model().members[id].name;
      const bool wanted =
          members.empty() || std::any_of(members.begin(), members.end(),
                                         [&name](const std::string& w) { return fits(w, name); });
      if (wanted) add_deflections(recovery, id, units, table);
    }
  }
  return table;
}

}  // namespace

int command_table(const Arguments& arguments) {
  CommandOptions options(
      "table", "RESULTS TABLE", "Prints a table of a results folder: filtered, sorted, extremes.",
      "  ulterix table shed-results displacements --load U2 --node \"D*\"\n"
      "      where the nodes D1, D2, … are under U2, in every analysis\n"
      "  ulterix table shed-results member_forces --extremes member --analysis p-delta\n"
      "      the extremes of each member over all loads, with the loads and the place\n"
      "  ulterix table shed-results displacements --sort ux --top 5 --format json\n"
      "      the five largest ux, for a script\n"
      "  ulterix table shed-results\n"
      "      lists the tables\n");
  const auto names = [] { return cxxopts::value<Names>(); };
  const auto word = [] { return cxxopts::value<std::string>(); };
  options.add()("analysis", "only this analysis; names and patterns, may be repeated", names(),
                "NAME")("load", "only these loads", names(), "NAME")(
      "node", "only these nodes", names(), "NAME")("member", "only these members", names(), "NAME")(
      "group", "only nodes or members of this group", names(), "NAME")(
      "step", "only these steps", names(), "N")("mode", "only these modes", names(), "N")(
      "sort", "by a column, largest magnitude first; COLUMN:up for rising", word(), "COLUMN")(
      "top", "only the first N rows", cxxopts::value<int>(), "N")(
      "extremes", "smallest and largest per member, node, group, or of all", word(), "PER")(
      "format", "text, csv, spreadsheet (csv without formulas in text cells) or json",
      word()->default_value("text"), "FORMAT");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  if (parsed->count("target") == 0) throw CallError("results folder is missing");
  const auto targets = (*parsed)["target"].as<Names>();
  if (targets.size() > 2) throw CallError("expected a results folder and a table");
  const Results results(targets[0]);
  if (targets.size() == 1) {
    list_tables();
    return kDone;
  }
  const std::string format = (*parsed)["format"].as<std::string>();
  if (format != "text" && format != "csv" && format != "spreadsheet" && format != "json") {
    throw CallError(
        fmt::format("--format: expected text, csv, spreadsheet or json, got \"{}\"", format));
  }
  const TableSpec& spec = known_table(targets[1]);
  const std::vector<Results::Filter> filters = filters_of(*parsed, results, spec);
  StoredTable table = &spec == &deflections_table() ? recovered_deflections(results, filters)
                                                    : results.table(targets[1], filters);
  if (parsed->count("sort") > 0) sort_rows(table, (*parsed)["sort"].as<std::string>());
  if (parsed->count("top") > 0) {
    const int top = (*parsed)["top"].as<int>();
    if (top < 1) throw CallError("--top: a number of rows from 1");
    table.rows.resize(std::min(table.rows.size(), static_cast<std::size_t>(top)));
  }
  if (parsed->count("extremes") > 0) {
    if (format != "text") throw CallError("--extremes prints text only; see the table envelopes");
    Extremes(table, results, (*parsed)["extremes"].as<std::string>()).print();
    return kDone;
  }
  if (format == "csv" || format == "spreadsheet") print_csv(table, format == "spreadsheet");
  if (format == "json") fmt::print("{}", table_as_json(table));
  if (format == "text") print_text(table);
  return kDone;
}

}  // namespace ulterix
