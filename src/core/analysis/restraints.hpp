#pragma once

#include "core/analysis/elastic_frame.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

/// Where a spring raises the value of a mode most: its derivative by a spring's stiffness at every
/// free direction of every node is `slope`·φ², with the shape's scale. The best first.
std::vector<RestraintGain> rank_restraints(const FrameSystem& frame, const ModeShape& shape,
                                           double slope);

/// The situation with further directions held.
Situation with_holds(const Situation& situation, const std::vector<Hold>& holds);

/// The frame with the direction of a gain held.
ElasticFrame with_restraint(const ElasticFrame& frame, const RestraintGain& gain);

}  // namespace ulterix
