#pragma once

#include "core/analysis/elastic_frame.hpp"
#include "core/system/piecewise_frame.hpp"

namespace ulterix {

/// How a path is followed, as an analysis asks for.
PathOptions path_options(const LargeDisplacementKeys& keys, const PiecewiseFrame& frame);

/// All that acts at a load factor, what an analysis keeps constant included.
LoadSet loads_at(const AnalysisSpec& spec, const LoadSet& loads, double factor);

/// A step as it stood at a point of its path; empty where the state is not kept. `members`: whose
/// loads are wanted; empty: all.
std::optional<Step> step_on_path(const Model& model, const Step& step, const PathPoint& point,
                                 const std::vector<MemberId>& members = {});

/// Value of a place at a point of the path, SI; empty where its state is not kept.
std::optional<double> value_on_path(const Model& model, const Step& step, const PathPoint& point,
                                    const Place& place);

/// Equilibrium of every set in spec.loads with finite displacements and rotations: members cut into
/// corotational pieces (corotational_piece.hpp), as many as the change from n to 2n asks for, the
/// load followed along its path. `frame`: the situation with the holds of the analysis.
std::vector<Step> large_displacement(const ElasticFrame& frame, const AnalysisSpec& spec,
                                     const std::vector<Step>& baseline,
                                     const Progress& progress = {});

}  // namespace ulterix
