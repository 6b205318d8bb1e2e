#pragma once

#include <Eigen/Core>
#include <array>

#include "core/element/element.hpp"
#include "core/element/member_line.hpp"
#include "core/model/state.hpp"

namespace ulterix {

/// A straight stretch of a member as drawn, with what acts along it.
struct PieceProperties {
  ElementProperties stiffness;        ///< its length is that of the piece; joints at its two ends
  Vector3d drawn = Vector3d::Zero();  ///< from start to end, without force, global, m
  Quaterniond axes;                   ///< turns global axes into the section's, as drawn
  int normal = -1;  ///< of a plane frame: the global axis (0..2) about which alone it bends
  /// Force per drawn length at both ends, global, N/m: it keeps its direction.
  Vector3d load_start = Vector3d::Zero(), load_end = Vector3d::Zero();
  /// Moment per drawn length, global, N·m/m. What it makes of the two nodes by statics (2a + b)·L/6
  /// and (a + 2b)·L/6, acts there and not here.
  Vector3d moment_start = Vector3d::Zero(), moment_end = Vector3d::Zero();
  /// Moments that act on the piece's own ends behind its joints, global, N·m.
  Vector3d own_moment_start = Vector3d::Zero(), own_moment_end = Vector3d::Zero();
  /// What strains it without a load, as the force (N) and the moments (N·m, of w'' and v'') that
  /// would hold it: `held` grows with the loads, `standing_moments` is there from the start, as is
  /// the initial force of `stiffness`.
  double held_force = 0;
  std::array<double, 2> held_moments = {0, 0}, standing_moments = {0, 0};

  /// The axis of the piece as drawn is bent: the sections at its two ends (as `axes`) and their
  /// turns from the chord, whose own axes are `drawn_chord`.
  bool bowed = false;
  std::array<Quaterniond, 2> sections;
  Quaterniond drawn_chord;
  std::array<Vector3d, 2> drawn_turns = {Vector3d::Zero(), Vector3d::Zero()};

  /// What its two nodes had been displaced by when it was built in, global, m.
  std::array<Vector3d, 2> moved = {Vector3d::Zero(), Vector3d::Zero()};

  const Quaterniond& section(std::size_t end) const { return bowed ? sections[end] : axes; }
  bool has_releases() const {
    return stiffness.joints != std::array<EndJoint, 2>{kJoined, kJoined};
  }
};

/// Motion of the piece's own two ends against the nodes, in the axes of the section there:
/// displacement and rotation vector (3 + 3, twice). 0 where the joint is rigid.
using ReleaseMotion = Vector12d;

/// What a piece puts against its nodes (12: force and moment, global, at start and end; of nodes
/// with `by_vector` the moments work on the components of the vector), and the derivatives by the
/// same motions. Symmetric: a second derivative of the energy.
struct PieceResponse {
  Vector12d force = Vector12d::Zero();      ///< of strains
  Matrix12d stiffness = Matrix12d::Zero();  ///< of strains and loads
  Vector12d load = Vector12d::Zero();       ///< of the loads along the piece, at factor 1
  double axial = 0;                         ///< N, N
  /// How the release motion follows: its own step is -rest - follow·(step of the nodes); set where
  /// the piece has releases.
  ReleaseMotion rest = ReleaseMotion::Zero();
  Matrix12d follow = Matrix12d::Zero();
  int negative_pivots = 0;  ///< of the released motions
};

/// A corotational beam (Crisfield 1990; Battini & Pacoste 2002) with quaternions: a chord frame
/// that turns with the mean of the two ends, in it the linear shear-flexible beam, and an axial
/// strain that includes the mean square of the slopes (bowing) and r²/2·twist². Written as energy;
/// forces and tangent are its derivatives. In the limit of small motion it is exact. `factor`: on
/// the loads. N of axial kinds is EA·(l/L − 1) and what they are strained by without it.
PieceResponse respond(const PieceProperties& piece, const Pose& start, const Pose& end,
                      const ReleaseMotion& release, double factor);

/// Bends a piece as drawn: without force its sections stand as these do (as `axes`).
void bow(PieceProperties& piece, const Quaterniond& start, const Quaterniond& end);

/// The energy itself, J: strains less `factor` times the work of the loads.
double energy(const PieceProperties& piece, const Pose& start, const Pose& end,
              const ReleaseMotion& release, double factor);

/// Poses of the piece's own ends, beyond its releases.
std::array<Pose, 2> own_ends(const PieceProperties& piece, const Pose& start, const Pose& end,
                             const ReleaseMotion& release);

/// Forces in the axes of the section where they act (signs of docs/conventions.md) and the
/// displacement of the axis since it was built in (its own axes) at five equal places of a piece
/// that bends, from the poses of its own ends; `from`: its place along the member, m.
std::array<LinePoint, 5> sample(const PieceProperties& piece, const Pose& start, const Pose& end,
                                double factor, double from);

/// Turns a pose further by a step of its unknowns (displacement and rotation, 6).
void move(Pose& pose, const Vector6d& step);

/// exp: quaternion of a rotation vector, rad; and back, the one nearest to `near`.
Quaterniond turn_by(const Vector3d& vector);
Vector3d rotation_vector(const Quaterniond& q, const Vector3d& near);

}  // namespace ulterix
