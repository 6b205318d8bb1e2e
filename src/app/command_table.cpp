#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <filesystem>
#include <set>

#include "app/options.hpp"
#include "app/results_input.hpp"
#include "app/text.hpp"
#include "read/near_names.hpp"
#include "write/csv.hpp"
#include "write/results_folder.hpp"

namespace ulterix {

namespace {

/// Keeps the rows whose cell in the named column fits one of the wanted names or patterns.
void keep(CsvTable& table, const std::string& option, const std::string& column,
          const std::vector<std::string>& wanted) {
  const auto found = std::find(table.header.begin(), table.header.end(), column);
  if (found == table.header.end()) {
    throw CallError(fmt::format("--{}: this table has no column \"{}\"", option, column));
  }
  const auto at = static_cast<std::size_t>(found - table.header.begin());
  std::set<std::string> names;
  for (const auto& row : table.rows) names.insert(row[at]);
  for (const std::string& w : wanted) {
    const bool any = std::any_of(names.begin(), names.end(),
                                 [&w](const std::string& name) { return fits(w, name); });
    if (any) continue;
    throw CallError(fmt::format("--{}: \"{}\" is not in the results{}", option, w,
                                did_you_mean(w, {names.begin(), names.end()})));
  }
  std::erase_if(table.rows, [&](const std::vector<std::string>& row) {
    return std::none_of(wanted.begin(), wanted.end(),
                        [&](const std::string& w) { return fits(w, row[at]); });
  });
}

std::string for_people(const std::string& cell) {
  double value = 0;
  const auto end = cell.data() + cell.size();
  const auto [stop, error] = std::from_chars(cell.data(), end, value);
  const bool real =
      error == std::errc() && stop == end && cell.find_first_of(".e") != std::string::npos;
  return real ? significant(value, 5) : cell;
}

bool is_number(const std::string& cell) {
  double value = 0;
  const auto end = cell.data() + cell.size();
  const auto [stop, error] = std::from_chars(cell.data(), end, value);
  return error == std::errc() && stop == end;
}

void print_text(const CsvTable& table) {
  std::vector<TextTable::Align> align(table.header.size(), TextTable::Align::left);
  for (std::size_t i = 0; i < align.size(); ++i) {
    const bool numbers = !table.rows.empty() &&
                         std::all_of(table.rows.begin(), table.rows.end(), [i](const auto& row) {
                           return row[i].empty() || is_number(row[i]);
                         });
    if (numbers) align[i] = TextTable::Align::right;
  }
  TextTable text(align);
  text.add(table.header);
  for (const auto& row : table.rows) {
    std::vector<std::string> cells;
    for (const std::string& cell : row) cells.push_back(for_people(cell));
    text.add(cells);
  }
  fmt::print("{}", text.print());
}

void print_csv(const CsvTable& table) {
  const auto print_row = [](const std::vector<std::string>& row) {
    std::string line;
    for (std::size_t i = 0; i < row.size(); ++i) line += (i == 0 ? "" : ",") + csv_cell(row[i]);
    fmt::print("{}\n", line);
  };
  print_row(table.header);
  for (const auto& row : table.rows) print_row(row);
}

void list_tables() {
  TextTable text({TextTable::Align::left, TextTable::Align::left});
  for (const TableSpec& spec : table_specs())
    text.add({std::string(spec.name), std::string(spec.doc)});
  fmt::print("Tables of a results folder:\n{}", text.print(2));
}

}  // namespace

int command_table(const Arguments& arguments) {
  CommandOptions options("table", "RESULTS TABLE", "Prints a table of a results folder, filtered.",
                         "  ulterix table shed-results displacements --load U2 --node \"D*\"\n"
                         "      where the nodes D1, D2, … are under U2, in every analysis\n"
                         "  ulterix table shed-results\n"
                         "      lists the tables\n");
  using Names = std::vector<std::string>;
  const auto names = [] { return cxxopts::value<Names>(); };
  options.add()("analysis", "only this analysis; names and patterns, may be repeated", names(),
                "NAME")("load", "only these loads", names(), "NAME")(
      "node", "only these nodes", names(), "NAME")("member", "only these members", names(), "NAME")(
      "step", "only these steps", names(), "N")(
      "format", "text or csv", cxxopts::value<std::string>()->default_value("text"), "FORMAT");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  if (parsed->count("target") == 0) throw CallError("results folder is missing");
  const auto targets = (*parsed)["target"].as<Names>();
  if (targets.size() == 1) {
    require_results(targets[0]);
    list_tables();
    return kDone;
  }
  if (targets.size() > 2) throw CallError("a results folder and a table are wanted");
  const std::string format = (*parsed)["format"].as<std::string>();
  if (format != "text" && format != "csv") {
    throw CallError(fmt::format("--format: text or csv, not \"{}\"", format));
  }
  CsvTable table = open_table(targets[0], targets[1]);
  const std::vector<std::pair<std::string, std::string>> filters = {{"analysis", "analysis"},
                                                                    {"load", "loads"},
                                                                    {"node", "node"},
                                                                    {"member", "member"},
                                                                    {"step", "step"}};
  for (const auto& [option, column] : filters) {
    if (parsed->count(option) > 0) keep(table, option, column, (*parsed)[option].as<Names>());
  }
  format == "csv" ? print_csv(table) : print_text(table);
  return kDone;
}

}  // namespace ulterix
