#pragma once

#include <fmt/format.h>

#include <string>

#include "write/table_specs.hpp"

namespace ulterix {

// What the writer and the reader of results.sqlite agree on; docs/results-store.md.

/// The layout of results.sqlite; a file of another number is refused.
inline constexpr int kStoreVersion = 3;

/// "Ultx" in the file's header: whose file it is.
inline constexpr int kApplicationId = 0x556c7478;

/// The column by which places are looked up, if the table has one.
inline const ColumnSpec* place_column(const TableSpec& table) {
  for (const ColumnSpec& c : table.columns) {
    if (c.name == "node" || c.name == "member" || c.name == "item") return &c;
  }
  return nullptr;
}

/// Where the rows of a table lie; the view people read has the table's own name.
inline std::string data_name(const TableSpec& table) {
  return fmt::format("{}_data", table.name);
}

}  // namespace ulterix
