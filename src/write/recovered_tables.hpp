#pragma once

#include "core/results/recovery.hpp"
#include "write/tables.hpp"

namespace ulterix {

/// The rows of one member in one step of a table kept as `recovered`, without begin() and end().
/// The reactions of the step tell what is rounding beside them.
void write_recovered(const Recovery& recovery, MemberId member, const UnitSystem& units,
                     const TableSpec& table, TableSink& sink);

}  // namespace ulterix
