#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include "core/model/model.hpp"
#include "draw/canvas.hpp"

namespace ulterix {

/// Where the reader stands: turned about the vertical from the front (looking along +y, x to the
/// right) and raised, both in rad.
struct ViewDirection {
  double turned = 0, raised = 0;
};

/// "front", "side" (from +x), "plan", "iso", or "TURNED,RAISED" in degrees; empty if it is none.
std::optional<ViewDirection> parse_view(std::string_view text);

/// The front for a plane frame, isometric for a space frame.
ViewDirection default_view(const Model& model);

/// A part of the page, px.
struct Area {
  Vector2d low, high;
};

/// The drawing's part of the page; the rest is for title, legend and note. Half of it for two
/// pictures: side by side, or one `above` the other.
Area whole_page();
Area half_page(bool first, bool above = false);

/// True if two pictures of these points are larger above each other than side by side.
bool is_wide(const Model& model, const std::vector<Vector3d>& points,
             const ViewDirection& direction);

/// From the frame to the page: seen from far away in one direction, fitted into an area with room
/// for labels and symbols.
class View {
 public:
  /// `points`: everything that has to fit.
  View(const Model& model, const std::vector<Vector3d>& points, const ViewDirection& direction,
       const Area& area = whole_page());

  Vector2d operator()(const Vector3d& world) const;
  /// Direction on the page of a direction in the frame; shorter than it if it points away.
  Vector2d direction(const Vector3d& world) const;
  double scale() const { return scale_; }  ///< px per metre
  /// 0 for what is nearest to the reader among the points, 1 for what is furthest.
  double depth(const Vector3d& world) const;

 private:
  Vector3d right_, up_, away_;  // in the frame's axes
  double scale_ = 1;
  double nearest_ = 0, furthest_ = 0;
  Vector2d origin_ = Vector2d::Zero();
};

}  // namespace ulterix
