#pragma once

#include <string>

#include "write/results_store.hpp"

namespace ulterix {

/// The layout of what `--json` and `--format json` print; docs/json.md.
inline constexpr int kJsonLayout = 1;

/// {"program", "layout", "table", "columns": [{"name", "unit"}], "rows": [{column: value}]}.
std::string table_as_json(const StoredTable& table);

}  // namespace ulterix
