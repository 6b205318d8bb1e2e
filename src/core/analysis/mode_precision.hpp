#pragma once

#include "core/analysis/elastic_frame.hpp"
#include "core/modes/mode_search.hpp"

namespace ulterix {

/// Strain energies made from deformations tell whether the matrix that the modes were found with
/// had enough digits; where it had not, steps of inverse iteration with refined solutions mend the
/// modes (block Rayleigh–Ritz). Returns the relative error of the values that is left: above
/// kReliable they are not to be handed out.
double refine_by_deformations(const ElasticFrame& frame, const ModeProblem& problem,
                              FoundModes& found);

/// Says where the search ended short of its tolerances.
void remark_on_search(const FoundModes& found, std::vector<std::string>& remarks);

}  // namespace ulterix
