#pragma once

#include "core/analysis/elastic_frame.hpp"

namespace ulterix {

/// First-order (linear) analysis of every set of loads on the frame as drawn; one step a set. All
/// right sides are solved together. A frame that does not stand gives steps that say why.
std::vector<Step> first_order(const ElasticFrame& frame, const AnalysisSpec& spec,
                              const Progress& progress = {});

/// A step of an analysis under a set of loads, before anything is known of it.
Step begin_step(const AnalysisSpec& spec, const LoadSet& loads);

/// A step that stands, but whose solution has a larger error than kReliable, becomes unreliable.
void judge(Step& step);

}  // namespace ulterix
