#pragma once

#include "core/analysis/elastic_frame.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

/// Elastic buckling, (K + λ·Kg)φ = 0 with the axial forces of first-order: the lowest positive
/// factors of every set in spec.loads, proven complete by a Sturm count. With spec.constant and
/// spec.scaled only a part of the loads grows. `baseline` holds the first-order step of each set.
/// `state`: a step of finite motion, whose axial forces stay; the frame is then displaced by it.
std::vector<Step> buckling(const ElasticFrame& frame, const AnalysisSpec& spec,
                           const std::vector<Step>& baseline, const Progress& progress = {},
                           const Step* state = nullptr);

/// The lowest mode on the axial forces of a state (first-order or P-Delta): what a second-order
/// result has in reserve. Empty where nothing is compressed or none was found.
std::optional<BucklingMode> lowest_mode(const ElasticFrame& frame, const Step& step);

}  // namespace ulterix
