#pragma once

#include <filesystem>
#include <string>

#include "core/analysis/run.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// Draws a run into a folder, each figure as SVG and PNG: for each load the deflected shapes and
/// the moment diagrams of first-order and P-Delta; for a frame that does not stand, each mechanism.
/// Returns the number of files.
int draw_results(const RunResult& result, const UnitSystem& units,
                 const std::filesystem::path& folder, const Progress& progress = {});

/// A name as part of a file name, another for each name: letters of any alphabet, digits, - _ and .
/// stay, everything else is written %NN, and what is long ends in ~ and a checksum.
std::string as_file_name(const std::string& name);

}  // namespace ulterix
