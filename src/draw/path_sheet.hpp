#pragma once

#include <deque>
#include <string>

#include "draw/figure.hpp"

namespace ulterix {

/// Equilibria along a path for one sheet of panels: those where something happens and the last one,
/// and others evenly between.
class PathSheet {
 public:
  PathSheet(const Model& model, const Step& step);
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
