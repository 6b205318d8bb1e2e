#include "draw/label_placer.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace ulterix {

namespace {

constexpr double kPad = 2.5;
/// Distances from the point, px; beyond kLeaderFrom a leader shows what is meant.
constexpr std::array<double, 8> kDistances = {6, 11, 18, 34, 50, 75, 100, 140};
constexpr double kLeaderFrom = 30, kFurthest = 50;
/// Right, left, above, below, then the corners.
const std::array<Vector2d, 8> kSides = {Vector2d(1, 0), Vector2d(-1, 0), Vector2d(0, -1),
                                        Vector2d(0, 1), Vector2d(1, -1), Vector2d(-1, -1),
                                        Vector2d(1, 1), Vector2d(-1, 1)};

/// Liang–Barsky: does the segment enter the box?
bool enters(const Vector2d& a, const Vector2d& b, const Vector2d& low, const Vector2d& high) {
  double from = 0, to = 1;
  const Vector2d d = b - a;
  for (int i = 0; i < 2; ++i) {
    for (const bool upper : {false, true}) {
      const double p = upper ? d[i] : -d[i];
      const double q = upper ? high[i] - a[i] : a[i] - low[i];
      if (p == 0) {
        if (q < 0) return false;
      } else if (p < 0) {
        from = std::max(from, q / p);
      } else {
        to = std::min(to, q / p);
      }
    }
  }
  return from <= to;
}

}  // namespace

/// Calls visit(index) for the squares that a box touches; what lies off the page has none.
template <class Visit>
void LabelPlacer::each_cell(const Box& box, const Visit& visit) {
  const auto index = [](double at, int count) {
    return static_cast<int>(std::clamp(std::floor(at / kCell), -1.0, double(count)));
  };
  const int left = std::max(0, index(box.low[0], kColumns)),
            right = std::min(kColumns - 1, index(box.high[0], kColumns));
  const int top = std::max(0, index(box.low[1], kRows)),
            bottom = std::min(kRows - 1, index(box.high[1], kRows));
  for (int y = top; y <= bottom; ++y) {
    for (int x = left; x <= right; ++x) visit(std::size_t(y) * kColumns + std::size_t(x));
  }
}

void LabelPlacer::avoid(const std::vector<Vector2d>& line) {
  for (std::size_t i = 1; i < line.size(); ++i) {
    const Vector2d &a = line[i - 1], &b = line[i];
    each_cell({a.cwiseMin(b), a.cwiseMax(b)}, [&](std::size_t cell) {
      const std::size_t column = cell % kColumns, row = cell / kColumns;
      const Vector2d low(double(column) * kCell, double(row) * kCell);
      if (enters(a, b, low, low + Vector2d::Constant(kCell))) {
        cells_[cell].segments.emplace_back(a, b);
      }
    });
  }
}

void LabelPlacer::add_box(const Box& box) {
  each_cell(box, [&](std::size_t cell) { cells_[cell].boxes.push_back(box); });
}

bool LabelPlacer::is_free(const Box& box) const {
  const bool inside = box.low[0] > 4 && box.low[1] > 60 && box.high[0] < Canvas::kWidth - 4 &&
                      box.high[1] < Canvas::kHeight - 30;
  if (!inside) return false;
  bool free = true;
  each_cell(box, [&](std::size_t index) {
    const Cell& cell = cells_[index];
    free = free && std::none_of(cell.boxes.begin(), cell.boxes.end(), [&box](const Box& o) {
             return box.low[0] < o.high[0] && o.low[0] < box.high[0] && box.low[1] < o.high[1] &&
                    o.low[1] < box.high[1];
           });
    free = free && std::none_of(cell.segments.begin(), cell.segments.end(), [&box](const auto& s) {
             return enters(s.first, s.second, box.low, box.high);
           });
  });
  return free;
}

void LabelPlacer::draw(const Box& box, const std::string& text, const TextStyle& style) {
  canvas_.text({box.low[0] + kPad, box.high[1] - kPad - 0.12 * style.size}, text, style);
  add_box(box);
}

bool LabelPlacer::place(const Vector2d& at, const std::string& text, const TextStyle& style,
                        bool governing) {
  const Vector2d size = canvas_.measure(text, style) + Vector2d(2 * kPad, 2 * kPad);
  for (const double distance : kDistances) {
    if (distance > kFurthest && !governing) break;
    for (const Vector2d& direction : kSides) {
      const Vector2d centre = at + direction * distance + direction.cwiseProduct(size / 2);
      const Box box{centre - size / 2, centre + size / 2};
      if (!is_free(box)) continue;
      if (distance > kLeaderFrom) {
        const Vector2d tip = centre - direction.cwiseProduct(size / 2);
        canvas_.line({at, tip}, {palette::kUndeformed, 0.7, {}});
      }
      draw(box, text, style);
      return true;
    }
  }
  ++dropped_;
  return false;
}

}  // namespace ulterix
