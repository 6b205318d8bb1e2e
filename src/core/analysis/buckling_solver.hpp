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

/// Modes of other loads on the same frame, columns of its unknowns: where the next look starts.
using KnownModes = Eigen::MatrixXd;

/// The `wanted` lowest positive factors with their shapes, on a split that is fine enough for them,
/// proven complete; where there is none, the lowest negative one. `known` is used by large frames,
/// and renewed.
BucklingResult find_factors(const ElasticFrame& frame, const AxialState& axial, int wanted,
                            ModeAccuracy accuracy, KnownModes& known);

/// Only the lowest factor. Empty where nothing is compressed or none was found.
std::optional<double> find_lowest_factor(const ElasticFrame& frame, const AxialState& axial,
                                         ModeAccuracy accuracy);

}  // namespace ulterix
