#pragma once

#include "app/results_input.hpp"

namespace ulterix {

/// The rows of any table of a results folder that the filters leave; those of a table kept as
/// `recovered` come from the states. Throws CallError for a filter that fits nothing.
StoredTable any_table(const Results& results, const TableSpec& spec,
                      const std::vector<Results::Filter>& filters);

}  // namespace ulterix
