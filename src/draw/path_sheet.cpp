#include "draw/path_sheet.hpp"

#include <fmt/format.h>

#include <set>

#include "core/analysis/large_displacement.hpp"
#include "core/results/event_words.hpp"

namespace ulterix {

namespace {

/// Places on the path: events (of fy the first), the last, then the middle of the widest gap again
/// and again.
std::set<std::size_t> chosen(const Model& model, const std::vector<PathPoint>& path,
                             std::size_t most) {
  std::set<std::size_t> all = {0, path.size() - 1};
  bool yielded = false;
  for (std::size_t i = 0; i < path.size() && all.size() < most; ++i) {
    const bool fy = path[i].item && path[i].item->change == ItemChange::reaches_fy;
    if (event_words(model, path[i]).empty() || (fy && yielded)) continue;
    yielded = yielded || fy;
    all.insert(i);
  }
  while (all.size() < std::min(most, path.size())) {
    std::size_t from = 0, gap = 0;
    for (auto it = all.begin(); std::next(it) != all.end(); ++it) {
      if (*std::next(it) - *it > gap) gap = *std::next(it) - *it, from = *it;
    }
    if (gap < 2) break;
    all.insert(from + gap / 2);
  }
  all.erase(0);  // nothing has moved there
  return all;
}

}  // namespace

PathSheet::PathSheet(const Model& model, const Step& step, std::size_t most)
    : heading_(fmt::format("{}, {}", step.analysis, step.loads.name)) {
  if (step.path.size() < 3) return;
  for (const std::size_t i : chosen(model, step.path, most)) {
    const PathPoint& point = step.path[i];
    auto there = step_on_path(model, step, point);
    if (!there) continue;
    there_.push_back(std::move(*there));
    recoveries_.emplace_back(there_.back());
    std::string event = event_words(model, point);
    event = event.substr(0, event.find(" ("));  // the panel shows what moves
    steps_.push_back(
        {&recoveries_.back(), fmt::format("{:.4g} of {}{}{}", point.factor, step.loads.name,
                                          event.empty() ? "" : ": ", event)});
  }
}

}  // namespace ulterix
