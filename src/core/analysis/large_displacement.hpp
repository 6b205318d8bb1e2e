#pragma once

#include "core/analysis/elastic_frame.hpp"

namespace ulterix {

/// All that acts at a load factor, what an analysis keeps constant included.
LoadSet loads_at(const AnalysisSpec& spec, const LoadSet& loads, double factor);

/// Equilibrium of every set in spec.loads with finite displacements and rotations: members cut into
/// corotational pieces (corotational_piece.hpp), as many as the change from n to 2n asks for, the
/// load followed along its path. `frame`: the situation with the holds of the analysis.
std::vector<Step> large_displacement(const ElasticFrame& frame, const AnalysisSpec& spec,
                                     const std::vector<Step>& baseline,
                                     const Progress& progress = {});

}  // namespace ulterix
