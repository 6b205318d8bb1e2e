#include "app/table_text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "app/options.hpp"
#include "app/text.hpp"
#include "read/name_matching.hpp"
#include "write/csv.hpp"
#include "write/json.hpp"

namespace ulterix {

namespace {

using Row = std::vector<Cell>;

constexpr std::array<std::pair<const char*, TableFormat>, 4> kFormats = {
    {{"text", TableFormat::text},
     {"csv", TableFormat::csv},
     {"spreadsheet", TableFormat::spreadsheet},
     {"json", TableFormat::json}}};

bool is_blank(const Cell& cell) {
  return std::holds_alternative<std::monostate>(cell);
}

/// A column of reals, none of which says anything: a direction that a plane frame does not have.
bool says_nothing(const StoredTable& table, std::size_t column) {
  const auto* specs = table.spec != nullptr ? &table.spec->columns : nullptr;
  const bool real = specs != nullptr && column >= 3 && column - 3 < specs->size() &&
                    (*specs)[column - 3].type == ColumnSpec::Type::real &&
                    table.header[column].substr(0, table.header[column].find('[')) != "x";
  return real && !table.rows.empty() &&
         std::all_of(table.rows.begin(), table.rows.end(), [column](const Row& r) {
           return is_blank(r[column]) || (is_number(r[column]) && number_in(r[column]) == 0);
         });
}

std::string lined_up(const StoredTable& table) {
  std::vector<std::size_t> shown;
  std::string left_out;
  for (std::size_t i = 0; i < table.header.size(); ++i) {
    if (says_nothing(table, i)) {
      left_out +=
          (left_out.empty() ? "" : ", ") + table.header[i].substr(0, table.header[i].find('['));
    } else {
      shown.push_back(i);
    }
  }
  std::vector<Align> align;
  std::vector<std::string> head;
  for (const std::size_t i : shown) {
    const bool numbers =
        !table.rows.empty() && std::all_of(table.rows.begin(), table.rows.end(), [i](const Row& r) {
          return is_number(r[i]) || is_blank(r[i]);
        });
    align.push_back(numbers ? Align::right : Align::left);
    head.push_back(table.header[i]);
  }
  TextTable text(align);
  text.add(head);
  for (const Row& row : table.rows) {
    std::vector<std::string> cells;
    for (const std::size_t i : shown) cells.push_back(short_text(row[i]));
    text.add(cells);
  }
  std::string all = text.print();
  if (!left_out.empty()) {
    all += wrapped(fmt::format(" columns left out, all 0 or empty: {}", left_out), terminal_width(),
                   2) +
           "\n";
  }
  return all;
}

/// A spreadsheet takes text that begins so for a formula.
std::string without_formula(const std::string& text) {
  const bool formula = !text.empty() && std::string_view("=+-@").find(text[0]) != std::string::npos;
  return formula ? "'" + text : text;
}

std::string as_csv(const StoredTable& table, bool for_spreadsheets) {
  std::string all;
  const auto add_line = [&all](const std::vector<std::string>& cells) {
    for (std::size_t i = 0; i < cells.size(); ++i) all += (i == 0 ? "" : ",") + csv_cell(cells[i]);
    all += '\n';
  };
  add_line(table.header);
  for (const Row& row : table.rows) {
    std::vector<std::string> cells;
    for (const Cell& cell : row) {
      const bool text = for_spreadsheets && std::holds_alternative<std::string>(cell);
      cells.push_back(text ? without_formula(exact_text(cell)) : exact_text(cell));
    }
    add_line(cells);
  }
  return all;
}

}  // namespace

TableFormat parse_table_format(const std::string& word) {
  std::vector<std::string> words;
  for (const auto& [name, format] : kFormats) {
    if (word == name) return format;
    words.emplace_back(name);
  }
  throw CallError(fmt::format("--format: expected text, csv, spreadsheet or json, got \"{}\"{}",
                              word, did_you_mean(word, words)));
}

std::string table_text(const StoredTable& table, TableFormat format) {
  if (format == TableFormat::json) return table_as_json(table);
  if (format == TableFormat::text) return lined_up(table);
  return as_csv(table, format == TableFormat::spreadsheet);
}

}  // namespace ulterix
