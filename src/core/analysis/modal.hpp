#pragma once

#include "core/analysis/elastic_frame.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

/// Undamped free vibration, (K − ω²·M)φ = 0: the lowest modes, or as many as reach a participation
/// (spec.until), proven complete by a Sturm count. `state`: the P-Delta step about which the frame
/// vibrates; nullptr: no loads. A free structure has its rigid motions first, with ω = 0.
Step modal(const ElasticFrame& frame, const AnalysisSpec& spec, const Step* state,
           const Progress& progress = {});

/// Only the lowest frequency of a frame about a state, rad/s, without those of ties and cables as
/// strings; empty: nothing has mass, or it is not sure to six digits.
std::optional<double> lowest_omega(const ElasticFrame& frame, const Step& state);

}  // namespace ulterix
