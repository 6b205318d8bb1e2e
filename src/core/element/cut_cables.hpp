#pragma once

#include <string>
#include <vector>

#include "core/model/model.hpp"

namespace ulterix {

/// Why the length of a cable does not follow from what is given.
struct CableTrouble {
  MemberId member;
  std::string reason;
};

/// Fills in what follows once per model for every cable, under its own weight if any load case has
/// it: the length without force where a preload (or nothing) is given, and the chord force at the
/// drawn geometry where a length is. A cable without either is cut to the distance drawn and its
/// slack.
std::vector<CableTrouble> cut_cables(Model& model);

}  // namespace ulterix
