#pragma once

#include <optional>

#include "core/analysis/eigen_frame.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

/// What buckles: the axial forces that grow, and those that stay.
struct AxialState {
  const Recovery* grows = nullptr;
  const Recovery* stays = nullptr;  ///< may be missing
};

/// The `wanted` lowest positive factors with their shapes, on a split that is fine enough for them,
/// proven complete; where there is none, the lowest negative one.
BucklingResult find_factors(const ElasticFrame& frame, const AxialState& axial, int wanted,
                            ModeAccuracy accuracy);

/// Only the lowest factor. Empty where nothing is compressed or none was found.
std::optional<double> find_lowest_factor(const ElasticFrame& frame, const AxialState& axial,
                                         ModeAccuracy accuracy);

}  // namespace ulterix
