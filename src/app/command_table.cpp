#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "app/options.hpp"
#include "app/recovered_table.hpp"
#include "app/results_input.hpp"
#include "app/table_text.hpp"
#include "app/text.hpp"
#include "read/name_matching.hpp"

namespace ulterix {

namespace {

using Names = std::vector<std::string>;
using Row = std::vector<Cell>;

bool is_real(const StoredTable& table, std::size_t column) {
  return column >= 3 && table.spec->columns[column - 3].type == ColumnSpec::Type::real;
}

void list_tables(const Results& results) {
  TextTable text({Align::left, Align::right, Align::left});
  text.add({"table", "rows", ""});
  for (const TableSpec& spec : table_specs()) {
    const std::string rows =
        spec.kept == Kept::recovered ? "recovered" : fmt::format("{}", results.store().count(spec));
    text.add({std::string(spec.name), rows, std::string(spec.doc)});
  }
  fmt::print("{}", text.print(2));
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

/// Only the columns named, in that order.
StoredTable with_columns(const StoredTable& table, const Names& names) {
  std::vector<std::size_t> places;
  StoredTable result;
  for (const std::string& name : names) {
    places.push_back(column_of(table, "columns", name));
    result.header.push_back(table.header[places.back()]);
  }
  for (const Row& row : table.rows) {
    Row& kept = result.rows.emplace_back();
    for (const std::size_t at : places) kept.push_back(row[at]);
  }
  return result;
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
    for (std::size_t c = 3; c < table.header.size(); ++c) {
      if (table.header[c] == "quantity") quantity_ = c;
    }
    for (const Row& row : table.rows) take(row);
  }

  void print() const {
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

  /// Rows of another quantity are not of one kind with these.
  void take(const Row& row) {
    std::string analysis = text_in(row[0]);
    if (quantity_) analysis += " " + text_in(row[*quantity_]);
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
  std::optional<std::size_t> quantity_;
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
      "columns", "only these columns; may be repeated", names(), "NAME")(
      "format", kTableFormats, word()->default_value("text"), "FORMAT");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  const auto targets = options.targets(*parsed, "results folder");
  if (targets.size() > 2) throw CallError("expected a results folder and a table");
  const Results results(targets[0]);
  if (targets.size() == 1) {
    list_tables(results);
    return kDone;
  }
  const TableFormat format = parse_table_format((*parsed)["format"].as<std::string>());
  const TableSpec& spec = known_table(targets[1]);
  const std::vector<Results::Filter> filters = filters_of(*parsed, results, spec);
  StoredTable table = any_table(results, spec, filters);
  if (parsed->count("sort") > 0) sort_rows(table, (*parsed)["sort"].as<std::string>());
  if (parsed->count("top") > 0) {
    const int top = (*parsed)["top"].as<int>();
    if (top < 1) throw CallError("--top: a number of rows from 1");
    table.rows.resize(std::min(table.rows.size(), static_cast<std::size_t>(top)));
  }
  if (parsed->count("extremes") > 0) {
    if (format != TableFormat::text) {
      throw CallError("--extremes prints text only; see the table envelopes");
    }
    Extremes(table, results, (*parsed)["extremes"].as<std::string>()).print();
    return kDone;
  }
  if (parsed->count("columns") > 0) {
    table = with_columns(table, (*parsed)["columns"].as<Names>());
  }
  fmt::print("{}", table_text(table, format));
  return kDone;
}

}  // namespace ulterix
