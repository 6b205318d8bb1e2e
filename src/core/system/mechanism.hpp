#pragma once

#include <string>
#include <vector>

#include "core/system/frame_system.hpp"

namespace ulterix {

/// One way in which the frame is a mechanism: a motion without stiffness.
struct Mechanism {
  std::vector<NodeId> nodes;                 ///< that move, the furthest first
  IndexedVector<NodeId, NodeMotion> motion;  ///< largest translation (or rotation) 1
  std::vector<MemberId> members;             ///< around the moving nodes, that fail to hold them
  std::vector<std::pair<MemberId, int>> turning_hinges;  ///< member, end (0, 1), that let it move
  NodeId hold;                                           ///< holding this node ...
  int hold_direction;                                    ///< ... in this global direction stops it
  std::string words;                                     ///< the whole story in one sentence
  /// Nothing is displaced: members turn about their own axes, their nodes with them.
  bool spin = false;
  Vector3d spin_axis = Vector3d::Zero();
};

/// Stiffness of each unknown's kind at its node, never zero.
VectorXd stiffness_scale(const FrameSystem& system, const std::vector<double>& values);

/// Every independent mechanism of a stiffness (values on the system's pattern) that does not hold.
/// Empty if the stiffness holds, however weakly.
std::vector<Mechanism> find_mechanisms(const FrameSystem& system,
                                       const std::vector<double>& values);

}  // namespace ulterix
