#pragma once

#include <string>

#include "core/system/mechanism.hpp"

namespace ulterix {

/// A mechanism told to the engineer: which nodes move, along or about what, which members and
/// hinges let them, and what would hold them.
std::string describe(const Model& model, const Mechanism& mechanism);

/// "A1", "A1 and B1", "A1, B1 and C1", "A1, B1, C1 and 4 more".
std::string listed(const std::vector<std::string>& names, std::size_t most = 4);

}  // namespace ulterix
