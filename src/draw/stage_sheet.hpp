#pragma once

#include <deque>
#include <string>

#include "draw/figure.hpp"

namespace ulterix {

/// The stages of a staged analysis that stand, for the panels of a sheet or a moving picture: of
/// many some, evenly, and last the same loads at once.
class StageSheet {
 public:
  StageSheet(const std::vector<Step>& steps, const std::string& analysis);
  StageSheet(const StageSheet&) = delete;
  StageSheet& operator=(const StageSheet&) = delete;

  const DrawnSteps& steps() const { return steps_; }
  const std::string& heading() const { return heading_; }

 private:
  std::deque<Recovery> recoveries_;
  DrawnSteps steps_;
  std::string heading_;
};

}  // namespace ulterix
