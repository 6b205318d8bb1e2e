#pragma once

#include <vector>

#include "core/model/model.hpp"
#include "draw/canvas.hpp"

namespace ulterix {

/// From the frame to the page: the plane of a plane frame, a space frame isometric, fitted into the
/// page with room for labels and symbols.
class View {
 public:
  /// `points`: everything that has to fit.
  View(const Model& model, const std::vector<Vector3d>& points);

  Vector2d operator()(const Vector3d& world) const;
  /// Direction on the page of a direction in the frame (not normalised).
  Vector2d direction(const Vector3d& world) const;
  double scale() const { return scale_; }  ///< px per metre
  bool space() const { return space_; }

 private:
  Vector2d flat(const Vector3d& world) const;

  bool space_;
  int vertical_;
  double scale_ = 1;
  Vector2d origin_ = Vector2d::Zero();
};

}  // namespace ulterix
