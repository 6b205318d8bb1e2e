#pragma once

#include "core/analysis/elastic_frame.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

/// Undamped free vibration, (K − ω²·M)φ = 0: the lowest modes, or as many as reach a participation
/// (spec.until), proven complete by a Sturm count. `state`: the P-Delta step about which the frame
/// vibrates; nullptr: no loads. A free structure has its rigid motions first, with ω = 0.
Step modal(const ElasticFrame& frame, const AnalysisSpec& spec, const Step* state,
           const Progress& progress = {});

}  // namespace ulterix
