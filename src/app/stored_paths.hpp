#pragma once

#include <vector>

#include "app/results_input.hpp"
#include "draw/path_figure.hpp"

namespace ulterix {

/// Charts of the paths of some loads, one a watched place, from the tables of a results folder.
std::vector<PathChart> stored_paths(const Results& results, const std::string& loads);

}  // namespace ulterix
