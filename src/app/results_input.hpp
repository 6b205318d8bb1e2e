#pragma once

#include <string>

#include "write/csv.hpp"

namespace ulterix {

/// Throws CallError unless the folder holds results of this program.
void require_results(const std::string& folder);

/// One table of a results folder; throws CallError with the near names for an unknown one, and for
/// a file that is cut short.
CsvTable open_table(const std::string& folder, const std::string& name);

}  // namespace ulterix
