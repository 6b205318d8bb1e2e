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

/// How members are cut into pieces before anything is known of the modes.
struct FirstCut {
  IndexedVector<MemberId, int> counts;
  double near = 0;      ///< the lowest factor of a single member, hinged at both ends; 0: none
  bool chosen = false;  ///< the pieces are fine enough for factors up to `near`
};
/// Two pieces where there is compression worth it. In large frames as many as a member needs up to
/// the factor at which the first one would buckle, were it hinged at both ends.
FirstCut first_cut(const ElasticFrame& frame, const AxialState& axial);

/// What one set of loads leaves to the next on the same frame, with the same that stays.
struct FoundBefore {
  Eigen::MatrixXd modes;  ///< and what comes after them, columns of the frame's unknowns
  std::optional<EffectiveLengths> lengths;
  IndexedVector<MemberId, int> counts;
  std::shared_ptr<const EigenFrame> frame;       ///< cut into so many pieces
  IndexedVector<MemberId, LinearAlong> staying;  ///< axial force of each of them
};

/// The `wanted` lowest positive factors with their shapes, on a split that is fine enough for them,
/// proven complete; where there is none, the lowest negative one. `before` is used and renewed by
/// large frames; its lengths by all.
BucklingResult find_factors(const ElasticFrame& frame, const AxialState& axial, int wanted,
                            ModeAccuracy accuracy, const FirstCut& cut, FoundBefore& before);

/// Only the lowest factor. Empty where nothing is compressed or none was found.
std::optional<double> find_lowest_factor(const ElasticFrame& frame, const AxialState& axial,
                                         ModeAccuracy accuracy);

}  // namespace ulterix
