#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/analysis/run.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// The step whose figures answer first what is asked first, and the member for which it governs.
struct GoverningStep {
  const Step* step = nullptr;
  MemberId member;
};

/// The step with the largest bending moment (in a truss: axial force), second-order where there is
/// one at the full load; none where no step has a state.
std::optional<GoverningStep> governing_step(const RunResult& result);

/// Draws a run into a folder, each figure as SVG and PNG: the model; deflected shape and moments of
/// the governing step, of a large space frame in the plane of the governing member; the first modes
/// of each buckling and modal analysis; for a frame that does not stand, each mechanism. Returns
/// the names of the figures, each of two files.
std::vector<std::string> draw_results(const RunResult& result, const UnitSystem& units,
                                      const std::filesystem::path& folder);

/// "buckling modes, stability, U1", and the name of such a figure's file.
std::string modes_heading(bool buckling, const std::string& analysis, const std::string& loads);
std::string modes_file_name(const std::string& analysis, const std::string& loads,
                            const std::vector<int>& modes);

/// A name as part of a file name, another for each name: letters of any alphabet, digits, - _ and .
/// stay, everything else is written %NN, and what is long ends in ~ and a checksum.
std::string as_file_name(const std::string& name);

}  // namespace ulterix
