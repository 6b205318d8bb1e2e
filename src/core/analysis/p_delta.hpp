#pragma once

#include "core/analysis/elastic_frame.hpp"

namespace ulterix {

/// P-Delta: equilibrium with the axial forces acting on the bent shape, iterated until neither the
/// displacements nor the axial forces change. `baseline` holds the first-order step of every set in
/// spec.loads, in the same order: its axial forces start the iteration.
///
/// A result is given only for a tangent without negative pivots. Where the full load has some, the
/// load is brought up by bisection: the outcome then bounds the factor at which the frame gives way
/// and the state is the last good one.
std::vector<Step> p_delta(const ElasticFrame& frame, const AnalysisSpec& spec,
                          const std::vector<Step>& baseline, const Progress& progress = {});

}  // namespace ulterix
