#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/analysis/run.hpp"
#include "core/results/comparison.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// A column of a results table. Text and whole numbers have no unit.
struct ColumnSpec {
  enum class Type { text, integer, real } type;
  std::string_view name;
  Quantity quantity;  ///< of a real
  std::string_view doc;
};

/// A results table; every row starts with analysis, loads, step.
struct TableSpec {
  std::string_view name;
  std::string_view doc;
  std::vector<ColumnSpec> columns;  ///< after the three leading ones
  /// Many rows a member: the store keeps all rows of one member and step together.
  bool gathered = false;
};

/// The registry that all writers and the docs share.
std::span<const TableSpec> table_specs();
const TableSpec* find_table(std::string_view name);

/// Header of a column with its unit: `ux[mm]`.
std::string column_header(const ColumnSpec& column, const UnitSystem& units);

/// The kind of quantity that a row holds.
Quantity quantity_of(const ComparisonRow& row);
Quantity quantity_of(const EnvelopeRow& row);
/// "ux", "fx" or "N".
std::string_view name_of(const EnvelopeRow& row);

/// The place of a comparison row in words: "B1", or "G1@7.2 m".
std::string place_of(const ComparisonRow& row, const UnitSystem& units);

/// Takes rows cell by cell, in the order of the columns. Reals come in SI.
class TableSink {
 public:
  virtual ~TableSink() = default;
  virtual void begin(const TableSpec& table) = 0;
  virtual void text(std::string_view value) = 0;
  virtual void integer(int value) = 0;
  /// `blank` where there is no value.
  virtual void real(std::optional<double> value) = 0;
  virtual void end_row() = 0;
  virtual void end() = 0;
};

/// Streams one table of a run into the sink. Precondition: not a gathered table.
void write_table(const RunResult& result, const UnitSystem& units, const TableSpec& table,
                 TableSink& sink);

/// False for a step that has no rows in a gathered table.
bool has_rows(const TableSpec& table, const Step& step);

/// The rows of one member and step of a gathered table, without begin() and end().
void write_member_rows(const RunResult& result, const UnitSystem& units, const TableSpec& table,
                       std::size_t step, MemberId member, TableSink& sink);

/// The tables as a Markdown page (docs/tables.md).
std::string tables_as_markdown();

}  // namespace ulterix
