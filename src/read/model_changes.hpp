#pragma once

#include <string>
#include <vector>

namespace ulterix {

/// One key of a model file that differs: `members.CB.roll`, before, after; "" where it is not
/// there.
struct KeyChange {
  std::string key, before, after;
};

/// What changed between two model texts, key by key, in the order of the files. Comments, spacing
/// and the order of keys do not count.
std::vector<KeyChange> model_changes(const std::string& before, const std::string& after);

}  // namespace ulterix
