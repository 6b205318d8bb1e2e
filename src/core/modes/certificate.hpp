#pragma once

#include <optional>

namespace ulterix {

/// The proof that no mode is missing: a Sturm count just beyond the last one.
struct Certificate {
  double below = 0;          ///< factor, or rad/s, up to which the count was made
  std::optional<int> count;  ///< modes that there are below it; empty: not known
  int found = 0;             ///< modes that were found below it
  bool complete() const { return count && *count == found; }
};

}  // namespace ulterix
