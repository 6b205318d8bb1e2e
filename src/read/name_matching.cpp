#include "read/name_matching.hpp"

#include <algorithm>
#include <cctype>
#include <map>
#include <numeric>

namespace ulterix {

namespace {

char lower(char c) {
  return static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
}

/// Slips between two words (insert, drop, replace, swap of neighbours); another case is half free.
std::size_t slips(std::string_view a, std::string_view b) {
  std::vector<std::size_t> before(b.size() + 1), last(b.size() + 1), now(b.size() + 1);
  std::iota(last.begin(), last.end(), std::size_t{0});
  for (std::size_t i = 1; i <= a.size(); ++i) {
    now[0] = i;
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const bool same = lower(a[i - 1]) == lower(b[j - 1]);
      now[j] = std::min({last[j] + 1, now[j - 1] + 1, last[j - 1] + (same ? 0 : 1)});
      const bool swapped = i > 1 && j > 1 && lower(a[i - 1]) == lower(b[j - 2]) &&
                           lower(a[i - 2]) == lower(b[j - 1]);
      if (swapped) now[j] = std::min(now[j], before[j - 2] + 1);
    }
    before = last;
    last = now;
  }
  return last[b.size()];
}

}  // namespace

std::string nearest(std::string_view name, const std::vector<std::string>& names) {
  const std::size_t allowed = name.size() < 3 ? 1 : std::min<std::size_t>(2, name.size() / 2);
  std::size_t best = allowed + 1;
  std::string found;
  for (const std::string& candidate : names) {
    const std::size_t distance = slips(name, candidate);
    // One-letter names are near to all others: only another case counts.
    if (name.size() == 1 && distance > 0) continue;
    if (distance < best) {
      best = distance;
      found = candidate;
    }
  }
  return found;
}

std::string did_you_mean(std::string_view name, const std::vector<std::string>& names) {
  const std::string near = nearest(name, names);
  return near.empty() ? "" : "; did you mean \"" + near + "\"?";
}

std::string one_of_those(std::string_view name, const std::vector<std::string>& words) {
  // What other notations call our keys.
  static const std::map<std::string_view, std::string_view> kOtherNames = {
      {"I", "Iy"},   {"Iyy", "Iy"},      {"Izz", "Iz"},       {"dia", "d"},    {"diameter", "d"},
      {"D", "d"},    {"It", "J"},        {"IT", "J"},         {"Wy", "Wely"},  {"Wz", "Welz"},
      {"area", "A"}, {"rho", "density"}, {"dens", "density"}, {"height", "h"}, {"width", "b"}};
  const auto other = kOtherNames.find(name);
  if (other != kOtherNames.end() &&
      std::find(words.begin(), words.end(), other->second) != words.end()) {
    return "; did you mean \"" + std::string(other->second) + "\"?";
  }
  std::string words_told = did_you_mean(name, words);
  if (!words_told.empty() || words.empty()) return words_told;
  for (const std::string& w : words) words_told += (words_told.empty() ? " (there are " : ", ") + w;
  return words_told + ")";
}

bool fits(std::string_view pattern, std::string_view name) {
  std::size_t p = 0, n = 0, star = std::string_view::npos, mark = 0;
  while (n < name.size()) {
    if (p < pattern.size() && (pattern[p] == '?' || pattern[p] == name[n])) {
      ++p;
      ++n;
    } else if (p < pattern.size() && pattern[p] == '*') {
      star = p++;
      mark = n;
    } else if (star != std::string_view::npos) {
      p = star + 1;
      n = ++mark;
    } else {
      return false;
    }
  }
  while (p < pattern.size() && pattern[p] == '*') ++p;
  return p == pattern.size();
}

bool fits_any(const std::vector<std::string>& patterns, std::string_view name) {
  return std::any_of(patterns.begin(), patterns.end(),
                     [name](const std::string& p) { return fits(p, name); });
}

bool fits_one_of(std::string_view pattern, const std::vector<std::string>& names) {
  return std::any_of(names.begin(), names.end(),
                     [pattern](const std::string& name) { return fits(pattern, name); });
}

}  // namespace ulterix
