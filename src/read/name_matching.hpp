#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace ulterix {

/// The name nearest to `name` (one or two slips, or another case); "" if none is near.
std::string nearest(std::string_view name, const std::vector<std::string>& names);

/// `; did you mean "rafter"?`, or "".
std::string did_you_mean(std::string_view name, const std::vector<std::string>& names);

/// The same for a short list of words that are allowed: all of them where none is near.
std::string one_of_those(std::string_view name, const std::vector<std::string>& words);

/// True if the name fits a pattern in which * stands for any text and ? for one character.
bool fits(std::string_view pattern, std::string_view name);
/// True if one of the names or patterns fits.
bool fits_any(const std::vector<std::string>& patterns, std::string_view name);
/// True if a name or pattern fits one of the names.
bool fits_one_of(std::string_view pattern, const std::vector<std::string>& names);

inline bool is_pattern(std::string_view text) {
  return text.find_first_of("*?") != std::string_view::npos;
}

}  // namespace ulterix
