#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "units/unit_system.hpp"

namespace ulterix {

/// A column of a results table. Text and whole numbers have no unit.
struct ColumnSpec {
  enum class Type { text, integer, real } type;
  std::string_view name;
  Quantity quantity;  ///< of a real
  std::string_view doc;
  double resolution = 0;  ///< of a packed real without unit: kept as a multiple of it; 0: whole
};

/// How the rows of a table are kept.
enum class Kept {
  rows,      ///< rows in the store and a CSV file
  packed,    ///< long lists: deflated columns of each step in the store, a CSV file on request
  recovered  ///< nowhere: recovered from the states when asked for, a CSV file on request
};

/// A results table; every row starts with analysis, loads, step.
struct TableSpec {
  std::string_view name;
  std::string_view doc;
  std::vector<ColumnSpec> columns;  ///< after the three leading ones
  Kept kept = Kept::rows;
};

/// The registry that all writers and the docs share.
std::span<const TableSpec> table_specs();
const TableSpec* find_table(std::string_view name);

/// Header of a column with its unit: `ux[mm]`.
std::string column_header(const ColumnSpec& column, const UnitSystem& units);

/// The tables as a Markdown page (docs/tables.md).
std::string tables_as_markdown();

}  // namespace ulterix
