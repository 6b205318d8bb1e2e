#pragma once

#include <optional>
#include <string>
#include <vector>

#include "draw/canvas.hpp"

namespace ulterix {

/// A load factor over a watched value, in the order of the path.
struct PathCurve {
  std::string name;                 ///< of the analysis
  std::vector<Vector2d> points;     ///< value (in the unit shown), factor
  std::vector<std::string> events;  ///< of each point; "" where nothing happens
};

/// Everything on one chart of load factors over one watched place.
struct PathChart {
  std::string title, loads;
  std::string place, unit;  ///< on the horizontal axis
  std::vector<PathCurve> curves;
  std::optional<double> first_order;  ///< value at the full load: a straight line from nothing
  std::optional<Vector2d> p_delta;    ///< value and factor where P-Delta ends
  std::optional<double> buckling;     ///< the lowest linear buckling factor
};

void draw_path(Canvas& canvas, const PathChart& chart);

}  // namespace ulterix
