#pragma once

#include <deque>
#include <string>

#include "draw/figure.hpp"

namespace ulterix {

/// Equilibria along a path, at most so many, for the panels of a sheet or a moving picture: those
/// where something happens and the last one, and others evenly between.
class PathSheet {
 public:
  static constexpr std::size_t kPanels = 8, kMoving = 24;
  PathSheet(const Model& model, const Step& step, std::size_t most = kPanels);
  PathSheet(const PathSheet&) = delete;
  PathSheet& operator=(const PathSheet&) = delete;

  const DrawnSteps& steps() const { return steps_; }
  const std::string& heading() const { return heading_; }

 private:
  std::deque<Step> there_;
  std::deque<Recovery> recoveries_;
  DrawnSteps steps_;
  std::string heading_;
};

}  // namespace ulterix
