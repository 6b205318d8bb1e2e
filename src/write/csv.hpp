#pragma once

#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

#include "write/tables.hpp"

namespace ulterix {

/// Rows as lines of CSV; reals in the results' units, as the shortest text that reads back to the
/// same double.
class CsvLines : public TableSink {
 public:
  explicit CsvLines(const UnitSystem& units) : units_(units) {}

  void begin(const TableSpec& table) override;
  void text(std::string_view value) override;
  void integer(int value) override;
  void real(std::optional<double> value) override;
  void end_row() override;
  void end() override {}

  const std::string& lines() const { return buffer_; }

 protected:
  std::string& buffer() { return buffer_; }
  const UnitSystem& units() const { return units_; }

 private:
  void separate();

  UnitSystem units_;
  std::string buffer_;
  const TableSpec* table_ = nullptr;
  std::vector<double> factors_;  ///< of each column after the lead; 1 for text
  std::size_t column_ = 0;
};

/// One CSV file a table in a folder, none for a table without rows. Throws std::ios_base::failure
/// when the disk does not take it.
class CsvSink : public CsvLines {
 public:
  CsvSink(std::filesystem::path folder, const UnitSystem& units)
      : CsvLines(units), folder_(std::move(folder)) {}

  void begin(const TableSpec& table) override;
  void end_row() override;
  void end() override;
  /// Whole lines made elsewhere.
  void add(std::string_view ready);
  int files() const { return files_; }  ///< written

 private:
  void flush();

  std::filesystem::path folder_;
  std::filesystem::path path_;
  std::ofstream file_;
  std::size_t header_ = 0;  ///< its size, while nothing of the table is on disk
  int files_ = 0;
};

/// A CSV file read back: cells as text. Empty header if the file cannot be read or is cut short.
struct CsvTable {
  std::vector<std::string> header;
  std::vector<std::vector<std::string>> rows;
};
CsvTable read_csv(const std::filesystem::path& path);

/// A cell as CSV writes it: quoted if it holds a comma, a quote or a line break.
std::string csv_cell(std::string_view value);

}  // namespace ulterix
