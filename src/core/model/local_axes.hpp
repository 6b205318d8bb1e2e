#pragma once

#include <Eigen/Geometry>

#include "core/model/model.hpp"

namespace ulterix {

/// Rows are the member's local axes x, y, z in global components, so local = R · global (3 x 3).
/// Local z lies in the vertical plane through the member, upwards; y = z × x. A member within 1:50
/// of vertical takes local y = the part of global y (global −z with vertical y) normal to it.
/// `roll` (rad) turns y and z about x, right hand. Precondition: start != end.
Matrix3d local_axes(const Vector3d& start, const Vector3d& end, double roll, int vertical);

Matrix3d local_axes(const Model& model, MemberId id);

/// The least rotation that takes the direction `from` to the direction `to`; neither is 0.
Eigen::Quaterniond least_turn(const Vector3d& from, const Vector3d& to);

}  // namespace ulterix
