#pragma once

#include <string>
#include <vector>

#include "core/results/recovery.hpp"

namespace ulterix {

/// A lateral stiffness: the horizontal load of a step over a displacement in its direction.
struct StiffnessRow {
  int direction = 0;        ///< global axis
  double load = 0;          ///< N: sum of all loads in the direction
  std::string where;        ///< node
  double displacement = 0;  ///< m
  double stiffness() const { return load / displacement; }
};

/// For each horizontal direction that is loaded: at the node that moves furthest, and at every
/// watched displacement in that direction. Empty where the step has no state at the full load.
std::vector<StiffnessRow> lateral_stiffness(const Recovery& step);

}  // namespace ulterix
