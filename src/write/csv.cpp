#include "write/csv.hpp"

#include <sstream>

#include "write/number_text.hpp"

namespace ulterix {

namespace {

constexpr std::size_t kFlushAt = 1 << 20;
/// Cells before those of a table's own columns.
constexpr std::size_t kLead = 3;

}  // namespace

std::string csv_cell(std::string_view value) {
  if (value.find_first_of(",\"\n\r") == std::string_view::npos) return std::string(value);
  std::string quoted = "\"";
  for (const char c : value) {
    if (c == '"') quoted += '"';
    quoted += c;
  }
  return quoted + "\"";
}

void CsvLines::begin(const TableSpec& table) {
  table_ = &table;
  factors_ = column_factors(table, units_);
  buffer_.clear();
  column_ = 0;
}

void CsvLines::separate() {
  if (column_ > 0) buffer_ += ',';
  ++column_;
}

void CsvLines::text(std::string_view value) {
  separate();
  if (value.find_first_of(",\"\n\r") == std::string_view::npos) {
    buffer_ += value;
  } else {
    buffer_ += csv_cell(value);
  }
}

void CsvLines::integer(int value) {
  separate();
  buffer_ += std::to_string(value);
}

void CsvLines::real(std::optional<double> value) {
  const std::size_t column = column_ - kLead;
  separate();
  const auto kept = kept_value(table_->columns[column], factors_[column], value);
  if (kept) append_number(buffer_, *kept);
}

void CsvLines::end_row() {
  buffer_ += '\n';
  column_ = 0;
}

void CsvSink::begin(const TableSpec& table) {
  CsvLines::begin(table);
  path_ = folder_ / (std::string(table.name) + ".csv");
  buffer() = "analysis,loads,step";
  for (const ColumnSpec& column : table.columns) buffer() += ',' + column_header(column, units());
  buffer() += '\n';
  header_ = buffer().size();
}

void CsvSink::end_row() {
  CsvLines::end_row();
  if (buffer().size() > kFlushAt) flush();
}

void CsvSink::add(std::string_view ready) {
  buffer() += ready;
  if (buffer().size() > kFlushAt) flush();
}

void CsvSink::flush() {
  if (!file_.is_open()) {
    file_.exceptions(std::ios::failbit | std::ios::badbit);
    file_.open(path_, std::ios::binary);
    ++files_;
  }
  file_.write(buffer().data(), static_cast<std::streamsize>(buffer().size()));
  buffer().clear();
}

void CsvSink::end() {
  if (!file_.is_open() && buffer().size() == header_) return;
  flush();
  file_.close();
}

CsvTable read_csv(const std::filesystem::path& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream all;
  all << in.rdbuf();
  const std::string content = all.str();
  CsvTable table;
  std::vector<std::string> row(1);
  bool quoted = false;
  for (std::size_t i = 0; i < content.size(); ++i) {
    const char c = content[i];
    if (quoted) {
      if (c != '"') {
        row.back() += c;
      } else if (i + 1 < content.size() && content[i + 1] == '"') {
        row.back() += '"';
        ++i;
      } else {
        quoted = false;
      }
    } else if (c == '"') {
      quoted = true;
    } else if (c == ',') {
      row.emplace_back();
    } else if (c == '\n') {
      if (table.header.empty()) {
        table.header = row;
      } else {
        table.rows.push_back(row);
      }
      row.assign(1, "");
    } else {
      row.back() += c;
    }
  }
  // A last line without its end was cut short.
  if (row.size() > 1 || !row[0].empty()) table.header.clear();
  return table;
}

}  // namespace ulterix
