#pragma once

#include <Eigen/Core>

#include "core/element/two_double.hpp"

namespace ulterix {

using Vector12d = Eigen::Matrix<double, 12, 1>;

/// Motion of a member's two nodes in local axes (u v w θx θy θz at each; m, rad), taken apart into
/// a rigid motion and what strains the member. Forces come from the second alone, so that a rigid
/// motion, however large, leaves nothing behind.
struct EndMotion {
  Vector12d nodes = Vector12d::Zero();
  /// Less the rigid motion that follows the start's displacement and twist and turns with the
  /// chord: both ends of the chord are undisplaced but for the elongation.
  Vector12d deformed = Vector12d::Zero();
  /// What the motion was strained like when the member was built in, which strains nothing; taken
  /// off `deformed`.
  Vector12d born = Vector12d::Zero();
  /// Turn of the chord: its slopes w' and v', rad.
  Eigen::Vector2d turn = Eigen::Vector2d::Zero();
};

/// The displacement (0..2) and rotation (3..5) of a node in local axes.
using NodeMotionParts = std::array<TwoDouble, 6>;

/// `length`: of the member, m.
inline EndMotion end_motion_of(const NodeMotionParts& start, const NodeMotionParts& end,
                               double length) {
  EndMotion m;
  for (int i = 0; i < 6; ++i) {
    m.nodes[i] = start[i].value();
    m.nodes[i + 6] = end[i].value();
  }
  const TwoDouble slope_w = (end[2] - start[2]) / length, slope_v = (end[1] - start[1]) / length;
  m.turn << slope_w.value(), slope_v.value();
  m.deformed[6] = (end[0] - start[0]).value();
  m.deformed[9] = (end[3] - start[3]).value();
  m.deformed[4] = (start[4] + slope_w).value();
  m.deformed[10] = (end[4] + slope_w).value();
  m.deformed[5] = (start[5] - slope_v).value();
  m.deformed[11] = (end[5] - slope_v).value();
  return m;
}

inline EndMotion end_motion_of(const Vector12d& nodes, double length) {
  NodeMotionParts start, end;
  for (int i = 0; i < 6; ++i) {
    start[i].high = nodes[i];
    end[i].high = nodes[i + 6];
  }
  return end_motion_of(start, end, length);
}

}  // namespace ulterix
