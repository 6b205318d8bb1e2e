#pragma once

#include <vector>

#include "core/modes/mode_search.hpp"

namespace ulterix {

/// Modes of one value may be turned among themselves: each group is turned so that its first vector
/// has all of what `works` (modes x directions: what each does along x, y, z) has in the direction
/// of the largest sum of squares, and so on. Returns for every mode how many have its value.
std::vector<int> turn_equal_modes(FoundModes& found, const Eigen::MatrixXd& works);

}  // namespace ulterix
