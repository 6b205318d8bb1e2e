#pragma once

#include <string>
#include <vector>

#include "core/analysis/elastic_frame.hpp"

namespace ulterix {

/// What an analysis of the model would trip over, in words: loads that compress nothing in a
/// buckling analysis, no mass, or none in some direction, in a modal one. Empty if there is nothing
/// to tell.
std::vector<std::string> input_warnings(const ElasticFrame& frame);

}  // namespace ulterix
