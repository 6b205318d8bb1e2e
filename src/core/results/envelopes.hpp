#pragma once

#include <string>
#include <vector>

#include "core/results/comparison.hpp"

namespace ulterix {

/// The smallest and the largest of one quantity over all loads of one analysis, and which loads
/// govern.
struct EnvelopeRow {
  std::string analysis;
  enum class Kind { displacement, reaction, internal_force } kind = Kind::displacement;
  NodeId node;      ///< of displacements and reactions
  MemberId member;  ///< of internal forces
  int component = 0;
  double min = 0, max = 0;      ///< SI
  double x_min = 0, x_max = 0;  ///< m along the member
  std::string loads_of_min, loads_of_max;
};

/// Over the loads of each analysis that stand in full; of combinations alone where the model has
/// any. Empty for an analysis with fewer than two.
/// `extremes`: of each step; empty where it has no state.
std::vector<EnvelopeRow> find_envelopes(const Model& model, const std::vector<Step>& steps,
                                        const std::vector<StepExtremes>& extremes);

}  // namespace ulterix
