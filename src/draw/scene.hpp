#pragma once

#include <vector>

#include "core/model/model.hpp"
#include "draw/label_placer.hpp"
#include "draw/view.hpp"

namespace ulterix {

/// What every figure of a frame is drawn into: canvas, view, and the members that it shows.
class Scene {
 public:
  /// `members`: empty for all.
  Scene(Canvas& canvas, const View& view, const Model& model, std::vector<MemberId> members = {});

  Canvas& canvas() const { return *canvas_; }
  const View& view() const { return view_; }
  const Model& model() const { return *model_; }
  LabelPlacer& labels() { return labels_; }

  /// The members shown, those behind first.
  const std::vector<MemberId>& members() const { return members_; }
  /// Pieces to draw a curve along a member with: `fine` of them, fewer where thousands are shown.
  int pieces(int fine) const;
  bool all_members() const { return members_.size() == std::size_t(model_->members.size()); }
  bool shows(NodeId node) const { return shown_[node] != 0; }

  Vector2d operator()(const Vector3d& world) const { return view_(world); }
  std::vector<Vector2d> on_page(const std::vector<Vector3d>& points) const;

  /// What is behind is lighter and thinner.
  Stroke at_depth(const Stroke& stroke, const Vector3d& where) const;
  Colour at_depth(const Colour& colour, const Vector3d& where) const;

  /// Straight lines of the members.
  void draw_undeformed(const Stroke& stroke);
  /// Curves of the members shown, the furthest first and at_depth() of their middles; their lines
  /// on the page, for labels to keep away from.
  std::vector<std::vector<Vector2d>> draw_curves(const std::vector<std::vector<Vector3d>>& curves,
                                                 const Stroke& stroke);
  /// Labels then keep away from members and supports.
  void avoid_frame();

 private:
  static Stroke faded(const Stroke& stroke, double depth);
  void draw_at_depths(const std::vector<std::vector<Vector2d>>& lines,
                      const std::vector<double>& depths, const Stroke& stroke);

  Canvas* canvas_;
  View view_;
  const Model* model_;
  LabelPlacer labels_;
  std::vector<MemberId> members_;
  IndexedVector<NodeId, char> shown_;
};

}  // namespace ulterix
