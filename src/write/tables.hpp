#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/analysis/run.hpp"
#include "core/results/comparison.hpp"
#include "units/unit_system.hpp"
#include "write/table_specs.hpp"

namespace ulterix {

/// The kind of quantity that a row holds.
Quantity quantity_of(const ComparisonRow& row);
Quantity quantity_of(const EnvelopeRow& row);
/// The kind of quantity that is read at a place.
Quantity quantity_of(const Place& place);
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

/// SI value of one unit of each of a table's own columns; 1 for text and whole numbers.
std::vector<double> column_factors(const TableSpec& table, const UnitSystem& units);

/// The value that is kept of a real in SI: in the table's unit, to the column's resolution; empty
/// for what is no number; no negative zero.
std::optional<double> kept_value(const ColumnSpec& column, double factor,
                                 std::optional<double> value);

/// Streams one table of a run into the sink. Precondition: not one kept as `recovered`.
void write_table(const RunResult& result, const UnitSystem& units, const TableSpec& table,
                 TableSink& sink);

}  // namespace ulterix
