#pragma once

#include <optional>

#include "core/analysis/mode_input.hpp"
#include "core/modes/mode_search.hpp"
#include "core/results/effective_lengths.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

/// What buckles: the axial forces that grow, and those that stay.
struct AxialState {
  const AxialForces* grows = nullptr;
  const AxialForces* stays = nullptr;  ///< may be missing
};

/// What one set of loads leaves to the next on the same frame.
struct FoundBefore {
  ModeProblem::Modes modes;
  std::optional<EffectiveLengths> lengths;
};

struct BucklingOptions {
  int wanted = 5;
  double tolerance = 1e-6;  ///< of a factor, by the functions left out
  int functions = 0;        ///< of each member and plane at the least
};

/// The `wanted` lowest positive factors with their shapes, with as many functions as they need,
/// proven complete; where there is none, the lowest negative one.
BucklingResult find_factors(const ElasticFrame& frame, const AxialState& axial,
                            const BucklingOptions& options, FoundBefore& before);

/// The lowest factor with its shape alone; in large frames without a proof. Empty where nothing is
/// compressed or none was found.
std::optional<BucklingMode> find_lowest_mode(const ElasticFrame& frame, const AxialState& axial);

}  // namespace ulterix
