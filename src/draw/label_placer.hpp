#pragma once

#include <string>
#include <vector>

#include "draw/canvas.hpp"

namespace ulterix {

/// Places labels so that none touches another, a line or a diagram's edge: tries places around the
/// point, then further off with a leader, then drops the label and counts it. Ask for the important
/// ones first.
class LabelPlacer {
 public:
  explicit LabelPlacer(Canvas& canvas) : canvas_(canvas) {}

  void avoid(const std::vector<Vector2d>& line);
  void avoid_box(const Vector2d& low, const Vector2d& high) { boxes_.push_back({low, high}); }

  /// Draws the label near the point; false if it had to be dropped.
  bool place(const Vector2d& at, const std::string& text, const TextStyle& style);
  int dropped() const { return dropped_; }

 private:
  struct Box {
    Vector2d low, high;
  };
  bool is_free(const Box& box) const;
  void draw(const Box& box, const std::string& text, const TextStyle& style);

  Canvas& canvas_;
  std::vector<std::pair<Vector2d, Vector2d>> segments_;
  std::vector<Box> boxes_;
  int dropped_ = 0;
};

}  // namespace ulterix
