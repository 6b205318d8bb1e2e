#pragma once

#include "core/model/model.hpp"

namespace ulterix {

/// Where a node has gone. `rotation` is a rotation vector (rad, global); in linear theories it
/// adds. `rest` is what the motion has beyond the digits of a double (ux..rz): members that are
/// very short or very stiff beside the frame take their forces from it.
struct NodeMotion {
  Vector3d translation = Vector3d::Zero();
  Vector3d rotation = Vector3d::Zero();
  Vector6d rest = Vector6d::Zero();

  Vector6d vector() const {
    Vector6d v;
    v << translation, rotation;
    return v;
  }
};

enum class Activity { active, idle, broken };

/// What a member carries beside the motion of its ends.
struct MemberState {
  Activity activity = Activity::active;
  double tau = 1;          ///< reduction of EI by yielding
  double axial_start = 0;  ///< N at the start that its geometric stiffness is made with, N
};

/// A value: an analysis maps a State to a State.
struct State {
  IndexedVector<NodeId, NodeMotion> nodes;
  IndexedVector<MemberId, MemberState> members;
  double lambda = 1;       ///< factor on the scaled part of the loads
  bool geometric = false;  ///< the axial forces act on the bent shape (P-Delta)
  bool between_nodes = true;
  /// The axial forces that act are given, constant along each member; else they follow the loads.
  bool axial_given = false;
  bool one_way = false;  ///< one-way items act one way: members by their activity, and
  std::vector<std::pair<NodeId, int>> open;  ///< directions of one-way supports that do not bear

  State() = default;
  explicit State(const Model& m) : nodes(m.nodes.size()), members(m.members.size()) {}
};

}  // namespace ulterix
