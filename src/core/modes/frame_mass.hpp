#pragma once

#include <vector>

#include "core/modes/mode_member.hpp"
#include "core/system/member_frame.hpp"

namespace ulterix {

/// What a node at a position (m) does in the six rigid motions, a column each: unit translations
/// along the axes, unit rotations about the axes through the origin.
Matrix6d rigid_motions(const Vector3d& position);

/// The mass of a frame as `[mass]` says: along members (their own and that of loads), at places on
/// them, and on nodes. The mass of a load is its downward part over gravity, taken load by load;
/// where a line load changes its sign, up to there.
class FrameMass {
 public:
  explicit FrameMass(const MemberFrame& frame);

  /// Places (m from the start) where the mass along a member jumps or kinks, or a mass sits.
  std::vector<double> cuts(MemberId id) const;
  /// Sets everything of a member that has mass, on the spans that are there: they are cut at
  /// cuts().
  void fill(MemberId id, ModeMember& member) const;

  /// kg on a node by direction, without the members'.
  const Vector3d& on_node(NodeId id) const { return nodal_[id]; }
  bool on_nodes() const;
  /// kg of a member, what is concentrated on it too.
  double on_member(MemberId id) const;

  /// kg of every member shared to its ends by simple-beam statics, nodal mass in, by direction.
  IndexedVector<NodeId, Vector3d> shared_to_nodes() const;
  bool empty() const;

 private:
  struct Stretch {
    double from, to, start, end;  // m; kg/m
  };
  struct Point {
    double x, kg;
  };
  struct OnMember {
    std::vector<Stretch> stretches;
    std::vector<Point> points;
  };
  void add_case(const LoadCase& c, double factor);
  void add_line(MemberId id, const Stretch& downward);
  Vector3d kept() const;
  /// Between the nodes where they are, m.
  double length(MemberId id) const;
  void stretch(MemberId id);

  const MemberFrame& frame_;
  const Model& model_;
  IndexedVector<NodeId, Vector3d> nodal_;
  IndexedVector<MemberId, OnMember> members_;
};

}  // namespace ulterix
