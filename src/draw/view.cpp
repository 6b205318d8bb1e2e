#include "draw/view.hpp"

#include <algorithm>
#include <cmath>

namespace ulterix {

namespace {

// The drawing's part of the page; the rest is for title, legend and note.
constexpr double kLeft = 110, kRight = Canvas::kWidth - 110, kTop = 125,
                 kBottom = Canvas::kHeight - 95;

}  // namespace

View::View(const Model& model, const std::vector<Vector3d>& points)
    : space_(model.plane == Plane::space), vertical_(model.vertical) {
  Vector2d low = Vector2d::Constant(1e300), high = -low;
  for (const Vector3d& p : points) {
    const Vector2d f = flat(p);
    low = low.cwiseMin(f);
    high = high.cwiseMax(f);
  }
  const Vector2d size = (high - low).cwiseMax(1e-9);
  scale_ = std::min((kRight - kLeft) / size[0], (kBottom - kTop) / size[1]);
  const Vector2d middle = (low + high) / 2;
  origin_ = Vector2d((kLeft + kRight) / 2, (kTop + kBottom) / 2) -
            scale_ * Vector2d(middle[0], -middle[1]);
}

/// Two coordinates with y upwards; isometric from the front right above.
Vector2d View::flat(const Vector3d& p) const {
  // As if z were up.
  const Vector3d q = vertical_ == 2 ? p : Vector3d(p[0], -p[2], p[1]);
  if (!space_) return {q[0], q[2]};
  return {(q[0] + q[1]) / std::sqrt(2.0), (q[1] - q[0] + 2 * q[2]) / std::sqrt(6.0)};
}

Vector2d View::direction(const Vector3d& world) const {
  const Vector2d f = flat(world);
  return {f[0], -f[1]};
}

Vector2d View::operator()(const Vector3d& world) const {
  return origin_ + scale_ * direction(world);
}

}  // namespace ulterix
