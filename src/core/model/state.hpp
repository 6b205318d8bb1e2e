#pragma once

#include <Eigen/Geometry>

#include "core/model/model.hpp"

namespace ulterix {

using Eigen::Quaterniond;

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

/// Where a node, or a place on a member, has gone by a finite motion.
struct Pose {
  Vector3d displacement = Vector3d::Zero();        ///< global, m
  Quaterniond rotation = Quaterniond::Identity();  ///< from the drawn position
  Vector3d vector = Vector3d::Zero();              ///< the same as a rotation vector, rad,
                                                   ///< continued beyond half a turn
  /// Unknowns are the components of the vector, not of a small further turn: where some of them
  /// are held or sprung.
  bool by_vector = false;
};

/// Poses along a member: of the ends of its pieces; the first and the last are those of the member
/// itself, beyond its joints.
struct MemberPoses {
  std::vector<double> x;  ///< m from the start, as drawn
  std::vector<Pose> poses;
};

/// Of a one-way or breakable member: `idle` carries nothing; `yields`: its breaking force.
enum class Activity { active, idle, broken, yields };

/// It has reached its breaking force.
inline bool has_failed(Activity a) {
  return a == Activity::broken || a == Activity::yields;
}

/// What becomes of a member or support as the load grows: it begins or ceases to carry, breaks,
/// carries no more than its breaking force, or has fy somewhere.
enum class ItemChange { carries, idle, breaks, yields, reaches_fy };

/// What a member carries beside the motion of its ends.
struct MemberState {
  Activity activity = Activity::active;
  double tau = 1;          ///< reduction of EI by yielding
  double axial_start = 0;  ///< N at the start that its geometric stiffness is made with, N
  double permanent = 0;    ///< elongation that has stayed since it yielded and was relieved, m
  /// Relative displacement of a cable's ends (m, local axes) that its tangent is taken at; empty:
  /// as drawn, under its own weight.
  std::optional<Vector3d> reach;
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
  /// Cables without force resist as if they were just taut: while their state is looked for.
  bool slack_resists = false;
  bool one_way = false;  ///< one-way items act one way: members by their activity, and
  std::vector<std::pair<NodeId, int>> open;  ///< directions of one-way supports that do not bear

  /// Finite motion: along every member; else empty.
  IndexedVector<MemberId, MemberPoses> poses;

  State() = default;
  explicit State(const Model& m) : nodes(m.nodes.size()), members(m.members.size()) {}
};

}  // namespace ulterix
