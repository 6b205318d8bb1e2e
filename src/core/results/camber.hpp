#pragma once

#include <string>
#include <vector>

#include "core/results/step.hpp"

namespace ulterix {

/// What makes the frame end as drawn: a node is set higher than drawn by what it goes down from its
/// arrival to the last stage; a column is cut longer by what its top goes down after that, less
/// what its foot does.
struct CamberRow {
  const Step* last = nullptr;
  NodeId node;        ///< or
  MemberId member;    ///< a column
  std::string label;  ///< the stage in which it arrives
  double amount = 0;  ///< m
};

/// Of every staged analysis whose last stage stands; nodes and columns of the last stage.
std::vector<CamberRow> find_camber(const std::vector<Step>& steps);

}  // namespace ulterix
