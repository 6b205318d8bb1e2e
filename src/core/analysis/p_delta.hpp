#pragma once

#include "core/analysis/elastic_frame.hpp"
#include "core/results/modes.hpp"

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

/// Axial force over EI/L² of a frame member, and the value beyond which the bent shape has more
/// waves than a model can mean.
double waves_of(const ElementProperties& properties, double N);
inline constexpr double kMostWaves = 1e7;

/// Steps the load with the second-order state and bisects on the inertia of its tangent until the
/// factor at which the frame gives way is known to kLevelTolerance. `guess`: where to look first.
/// Steps in the order tried; empty where the baseline has no state.
std::vector<LoadLevel> load_levels(const ElasticFrame& frame, const Step& baseline, double guess);
inline constexpr double kLevelTolerance = 1e-5;

}  // namespace ulterix
