#pragma once

#include <filesystem>
#include <string>

#include "core/analysis/run.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// Writes every table of a run into a results folder, as CSV files in `tables/` and into
/// `results.sqlite`. Numbers of the long tables are turned into text once, for both, on all cores.
void write_tables(const RunResult& result, const UnitSystem& units, const std::string& model_text,
                  const std::string& model_name, const std::filesystem::path& folder,
                  const Progress& progress = {});

}  // namespace ulterix
