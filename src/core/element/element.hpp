#pragma once

#include <Eigen/Core>
#include <array>
#include <optional>
#include <vector>

#include "core/element/bending_chain.hpp"
#include "core/element/catenary.hpp"
#include "core/element/end_motion.hpp"
#include "core/element/loading.hpp"
#include "core/element/member_line.hpp"
#include "core/model/model.hpp"

namespace ulterix {

/// A pivot at a hinge below this part of its size without the hinge is a free motion of the member.
inline constexpr double kFreePivot = 1e-12;

using Matrix12d = Eigen::Matrix<double, 12, 12>;

/// What the stiffness of a member is made of, after all factors. SI.
struct ElementProperties {
  MemberKind kind = MemberKind::frame;
  double length = 0;                                        ///< m
  double EA = 0, EIy = 0, EIz = 0, GJ = 0;                  ///< N, N·m²
  double shear_flexibility_y = 0, shear_flexibility_z = 0;  ///< 1/(G·Av), 1/N
  double r2 = 0;                                            ///< (Iy + Iz)/A, m²
  /// N at the drawn length, N: preload and lack of fit, less what a slack takes.
  double initial_force = 0;
  bool idle = false;        ///< a one-way member that carries nothing but hands its loads on
  double cable_length = 0;  ///< without force, m, of a cable that hangs; 0: straight
  /// At rest: load per that length (N/m) and relative displacement of the ends (m), local axes.
  Vector3d cable_load = Vector3d::Zero(), cable_reach = Vector3d::Zero();
  bool cable_placed = false;  ///< that is its place in a state; else as drawn
  double cable_limit = 0;     ///< N, the largest tension of a cable that yields
  /// Of its axis from the chord at mid length, along local y and z, m: a parabola.
  std::array<double, 2> bow = {0, 0};
  std::array<EndJoint, 2> joints = {kJoined, kJoined};

  bool operator==(const ElementProperties&) const = default;
};

/// The axial force that acts on the bent shape, and which motions it can act on.
struct GeometricEffect {
  bool acts = false;
  double axial_start = 0;     ///< N that the start node gives, N ...
  bool follows_loads = true;  ///< ... further on it follows the loads, else it is constant
  bool between_nodes = true;  ///< P-δ too; else only the chord turns (P-Δ)
  bool bends_in_z = true, bends_in_y = true, twists = true;  ///< false: out of the model's plane
  std::optional<Vector3d> reach;  ///< of a cable: as in MemberState; empty: at rest
  bool slack_resists = false;     ///< as in State; always so at rest as drawn
};

/// The cable that hangs between ends that have moved by `reach` (m, relative, local axes). Its
/// loads are uniform, those of `loading` in all.
Catenary hanging(const ElementProperties& properties, const MemberLoading& loading,
                 const Vector3d& reach);
/// Tension and shape of a cable whose start has moved by `start` (m, local axes); x counts per
/// length without force.
MemberLine hanging_line(const Catenary& cable, const Vector3d& start, double drawn_length);
/// Relative displacement of a member's ends, local axes, m.
Vector3d reach_of(const EndMotion& motion, double length);

/// N at the drawn length with what loads strain the member by, N; of what is not a cable.
double initial_force(const ElementProperties& properties, const MemberLoading& loading);
/// Length of a cable without force, heat included, m.
double cable_length(const ElementProperties& properties, const MemberLoading& loading);

/// Mean over a member of the axial force that its loads take up, N.
double mean_axial_load(const MemberLoading& loading);

/// N that the start node gives a member whose ends are joined along x, without the rest of the
/// element.
double axial_force_at_start(const ElementProperties& properties, const MemberLoading& loading,
                            const EndMotion& motion);

/// One member between two nodes in local axes; end order (u v w θx θy θz) at start, then at end.
/// A value made by pure functions of its arguments; end forces p = K·d + f are what the nodes put
/// on the member. They are taken from the deformed part of d, and the turn of the chord. Source of
/// the beam-column equations: bending_segment.hpp; they are solved exactly for any loading of the
/// model file, so nothing depends on how a member is split.
class Element {
 public:
  /// `split`: at least this many pieces (0: as many as the series needs).
  Element(const ElementProperties& properties, const MemberLoading& loading,
          const GeometricEffect& geometric, int split = 0);

  const Matrix12d& stiffness() const { return K_; }  ///< symmetric, hinges condensed
  const Vector12d& fixed_end_forces() const { return f_; }
  /// Inner negative pivots: of eliminated inner joints, hinges, and twist.
  int negative_pivots() const { return negative_pivots_; }
  /// N/GAv or N·r²/GJ below −1 somewhere: the member has no stiffness left by itself.
  bool section_unstable() const { return section_unstable_; }
  /// A load works on a motion that hinges at both ends leave free; −1: none, else local direction.
  int loaded_free_motion() const { return loaded_free_motion_; }

  /// What the nodes put on the member (12, local); of a cable exact, wherever its tangent was
  /// taken.
  Vector12d end_forces(const EndMotion& motion) const;
  /// The same without its loads: K·d.
  Vector12d resistance(const EndMotion& motion) const {
    return K_ * motion.deformed + turn_ * motion.turn;
  }
  /// Forces and shape from the motion of the two nodes.
  MemberLine line(const EndMotion& motion) const;
  /// Rotation (and displacement) of the member's ends relative to the nodes at its hinges (12).
  Vector12d joint_motion(const EndMotion& motion) const;
  /// N that the start node gives the member for that motion, N.
  double axial_force_at_start(const EndMotion& motion) const;

  MemberLine line(const Vector12d& nodes) const { return line(motion_of(nodes)); }
  Vector12d joint_motion(const Vector12d& nodes) const { return joint_motion(motion_of(nodes)); }

 private:
  struct Release {  // e_r = (k·u_r − row·x − f)/pivot
    int direction;
    double spring, pivot, load;
    Eigen::Vector2d turn;
    Vector12d row;
  };
  /// End forces by the turn of the chord in the two planes (slopes w', v'), N per rad.
  using Turn = Eigen::Matrix<double, 12, 2>;
  EndMotion motion_of(const Vector12d& nodes) const {
    return end_motion_of(nodes, properties_.length);
  }
  void add_axial_and_twist();
  void add_bending(bool z_plane);
  void add_chord_turn();
  void hang();
  void spread_loads_to_ends();
  void release_joints();
  void release(int direction, double spring, double scale);
  BendingChain make_chain(bool z_plane, bool with_axial_force) const;
  void choose_pieces();
  /// N that acts on the bent shape along one span.
  std::array<double, 3> acting(const std::array<double, 3>& from_loads) const;
  /// The deformed part of the motion of the member's own ends.
  Vector12d member_ends(const EndMotion& motion) const;
  Vector4d chain_turn(const BendingChain& chain) const;

  ElementProperties properties_;
  GeometricEffect geometric_;
  MemberLoading loading_;  // cut at the piece joints
  int pieces_ = 1;
  std::vector<std::array<double, 3>> N_load_;  // per span: N from the loads, zero at the start
  std::vector<std::array<double, 3>> T_load_;
  /// z plane, y plane; none where the member does not bend (axial kinds, no second moment given).
  std::array<std::optional<BendingChain>, 2> chains_;
  Matrix12d K_ = Matrix12d::Zero();
  Vector12d f_ = Vector12d::Zero();
  Turn turn_ = Turn::Zero();
  std::array<Vector4d, 2> chain_turns_ = {Vector4d::Zero(), Vector4d::Zero()};
  Matrix12d K_joined_;  // before hinges
  Vector12d f_joined_;
  std::vector<Release> releases_;
  double twist_stiffness_ = 0;
  int negative_pivots_ = 0;
  bool section_unstable_ = false;
  int loaded_free_motion_ = -1;
};

}  // namespace ulterix
