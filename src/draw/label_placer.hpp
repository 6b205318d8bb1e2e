#pragma once

#include <string>
#include <vector>

#include "draw/canvas.hpp"

namespace ulterix {

/// Places labels so that none touches another, a line or a diagram's edge: tries places around the
/// point, then a little further off with a leader, then drops the label and counts it. Ask for the
/// important ones first. A grid over the page keeps the search short.
class LabelPlacer {
 public:
  explicit LabelPlacer(Canvas& canvas) : canvas_(canvas) {}

  void avoid(const std::vector<Vector2d>& line);
  void avoid_box(const Vector2d& low, const Vector2d& high) { add_box({low, high}); }

  /// Draws the label near the point; false if it had to be dropped. One that the figure is about
  /// (`governing`) may stand further off.
  bool place(const Vector2d& at, const std::string& text, const TextStyle& style,
             bool governing = false);
  int dropped() const { return dropped_; }

 private:
  struct Box {
    Vector2d low, high;
  };
  using Segment = std::pair<Vector2d, Vector2d>;
  /// What lies in one square of the page.
  struct Cell {
    std::vector<Segment> segments;
    std::vector<Box> boxes;
  };
  static constexpr double kCell = 40;  // px
  static constexpr int kColumns = int(Canvas::kWidth / kCell), kRows = int(Canvas::kHeight / kCell);

  template <class Visit>
  static void each_cell(const Box& box, const Visit& visit);
  void add_box(const Box& box);
  bool is_free(const Box& box) const;
  void draw(const Box& box, const std::string& text, const TextStyle& style);

  Canvas& canvas_;
  std::vector<Cell> cells_ = std::vector<Cell>(std::size_t(kColumns) * kRows);
  int dropped_ = 0;
};

}  // namespace ulterix
