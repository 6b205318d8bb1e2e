#pragma once

#include <optional>

#include "core/analysis/eigen_frame.hpp"
#include "core/results/effective_lengths.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

/// What buckles: the axial forces that grow, and those that stay.
struct AxialState {
  const Recovery* grows = nullptr;
  const Recovery* stays = nullptr;  ///< may be missing
};

/// What one set of loads leaves to the next on the same frame.
struct FoundBefore {
  Eigen::MatrixXd modes;  ///< and what comes after them, columns of the frame's unknowns
  std::optional<EffectiveLengths> lengths;
};

/// The `wanted` lowest positive factors with their shapes, on a split that is fine enough for them,
/// proven complete; where there is none, the lowest negative one. `before` is used and renewed;
/// only large frames start from its modes.
BucklingResult find_factors(const ElasticFrame& frame, const AxialState& axial, int wanted,
                            ModeAccuracy accuracy, FoundBefore& before);

/// Only the lowest factor. Empty where nothing is compressed or none was found.
std::optional<double> find_lowest_factor(const ElasticFrame& frame, const AxialState& axial,
                                         ModeAccuracy accuracy);

}  // namespace ulterix
