#include "core/model/local_axes.hpp"

#include <cmath>

namespace ulterix {

namespace {

/// A member leans less than this (horizontal : vertical) to count as vertical.
constexpr double kVerticalSlope = 1.0 / 50;

}  // namespace

Matrix3d local_axes(const Vector3d& start, const Vector3d& end, double roll, int vertical) {
  const Vector3d x = (end - start).normalized();
  const Vector3d up = Vector3d::Unit(vertical);
  const double rise = std::abs(x.dot(up));
  const double run = (x - x.dot(up) * up).norm();
  Vector3d y, z;
  if (run < kVerticalSlope * rise) {
    const Vector3d guide = vertical == 2 ? Vector3d::UnitY() : Vector3d(-Vector3d::UnitZ());
    y = (guide - guide.dot(x) * x).normalized();
    z = x.cross(y);
  } else {
    z = (up - up.dot(x) * x).normalized();
    y = z.cross(x);
  }
  Matrix3d axes;
  const double c = std::cos(roll), s = std::sin(roll);
  axes.row(0) = x;
  axes.row(1) = c * y + s * z;
  axes.row(2) = -s * y + c * z;
  if (roll == 0) {  // keep exact zeros and ones
    axes.row(1) = y;
    axes.row(2) = z;
  }
  return axes;
}

Matrix3d local_axes(const Model& model, MemberId id) {
  const Member& m = model.members[id];
  return local_axes(model.nodes[m.start].position, model.nodes[m.end].position, m.roll,
                    model.vertical);
}

Eigen::Quaterniond least_turn(const Vector3d& from, const Vector3d& to) {
  return Eigen::Quaterniond::FromTwoVectors(from, to);
}

}  // namespace ulterix
