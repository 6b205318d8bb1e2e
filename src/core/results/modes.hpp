#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "core/model/state.hpp"
#include "core/modes/certificate.hpp"

namespace ulterix {

/// The shape of a mode: largest translation 1 (or rotation, where nothing is displaced).
struct ModeShape {
  IndexedVector<NodeId, NodeMotion> nodes;
  /// Displacement (global) along each member at equal stations, its inner nodes too.
  IndexedVector<MemberId, std::vector<Vector3d>> axes;
  NodeId furthest;              ///< node of the largest translation ...
  int direction = 0;            ///< ... and its main direction
  NodeId turning;               ///< node of the largest rotation ...
  int rotation = 3;             ///< ... and its axis (3..5)
  bool only_rotations = false;  ///< no node is displaced
};

/// Strain energy of a mode in one member, as a part of the whole.
struct MemberShare {
  double whole = 0;
  double about_y = 0, about_z = 0;  ///< in bending about the section axes, shear in it
  double twist = 0;
};

/// One compressed member in one mode, both section axes; blank for an axis that the mode does not
/// bend it about.
struct EffectiveLength {
  MemberId member;
  double N = 0;  ///< mean compression at the mode's factor, N (negative)
  std::optional<double> length_y, length_z;            ///< π√(EI/P), m
  std::optional<double> K_y, K_z;                      ///< over the member's length
  std::optional<double> slenderness_y, slenderness_z;  ///< over the radius of gyration
  std::optional<double> euler_y, euler_z;              ///< π²EI/L² of the member alone, N
  /// Second opinion: K of the alignment equations, sway permitted and prevented.
  std::optional<double> sway_y, held_y, sway_z, held_z;
  bool concerns = false;  ///< the mode bends this member
  /// The lowest mode that bends it about y, about z.
  bool recommended_y = false, recommended_z = false;
  bool recommended() const { return recommended_y || recommended_z; }
};

struct BucklingMode {
  int equal = 1;   ///< modes of this factor, this one in
  int number = 0;  ///< from 1; −1: the negative factor nearest to zero
  double factor = 0;
  double error = 0;              ///< estimate of the error by the functions left out, relative
  double residual = 0;           ///< of the pair, relative
  std::string kind;              ///< words of kind_of()
  bool torsional_limit = false;  ///< torsion of one member between its ends: no shape of the frame
  ModeShape shape;
  double stiffness = 0;  ///< φᵀKφ with the scale of the shape, N/m
  IndexedVector<MemberId, MemberShare> shares;
  std::vector<EffectiveLength> lengths;
};

/// A spring added at a node and direction: how much it raises the lowest factor or frequency.
struct RestraintGain {
  NodeId node;
  int direction = 0;
  double derivative = 0;       ///< of factor or Hz by the spring's stiffness, per N/m
  std::optional<double> held;  ///< factor or Hz with the direction held
};

/// One load level of the incremental method, with the second-order state.
struct LoadLevel {
  double factor = 0;
  int rounds = 0;
  double residual = 0;
  bool stands = false;
  std::optional<int> negative_pivots;
};

/// Lower by more than factors and frequencies are sure to: of mirrored loads the first governs,
/// whatever the rounding.
inline bool clearly_lower(double a, double b) {
  return a < b * (1 - 1e-6);
}

struct BucklingResult {
  std::vector<BucklingMode> modes;       ///< positive factors, rising
  std::optional<BucklingMode> negative;  ///< where there is no positive one
  Certificate certificate;
  std::vector<RestraintGain> gains;  ///< the best first
  std::vector<LoadLevel> levels;     ///< of method = "incremental", in the order tried
  /// Where that ends: between the last factor that stands and the first that does not.
  std::optional<double> incremental_factor;
  int wanted = 0;
  /// Downward load at factor 1 that grows with it, and that stays, N.
  double vertical = 0, vertical_stays = 0;
  /// Factor at which the torsion of a member gives way between its ends; 0: nowhere.
  double torsion_limit = 0;
  std::vector<std::string> remarks;
  bool constant_too_large = false;  ///< what stays alone is above the critical load
  bool limited = false;             ///< fewer modes than asked for: they crowd below a shear limit
  bool unreliable = false;          ///< not sure to kReliable, or not converged

  double lowest() const {
    return incremental_factor ? *incremental_factor : modes.empty() ? 0 : modes.front().factor;
  }
};

/// Remark on modes that were taken short of the tolerance.
inline constexpr std::string_view kNotConverged =
    "the eigen solver did not reach its tolerance: look at the residuals, and ask for fewer modes";

/// Per cent of the mass that modes should reach in a direction (ASCE 7-22, 12.9.1.1; EN 1998-1,
/// 4.3.3.3.1).
inline constexpr double kEnoughMass = 90;

struct VibrationMode {
  int number = 0;
  double omega = 0;  ///< rad/s
  double error = 0;  ///< estimate of the error of omega by the functions left out, relative
  double residual = 0;
  std::array<std::optional<double>, 6> factor;  ///< participation Γ: kg or kg·m over modal mass
  std::array<std::optional<double>, 6> mass;    ///< effective mass, kg or kg·m²
  double modal_mass = 0;                        ///< φᵀMφ with the shape's scale, kg
  double rayleigh = 0;                          ///< rad/s: √(φᵀKφ/φᵀMφ)
  int equal = 1;                                ///< modes of this frequency, this one in
  ModeShape shape;
  IndexedVector<MemberId, MemberShare> shares;

  double frequency() const;  ///< Hz
  double period() const;     ///< s
};

struct ModalResult {
  std::vector<VibrationMode> modes;
  Certificate certificate;  ///< in rad/s
  int rigid = 0;            ///< modes of a free structure with ω = 0
  /// Whole mass by direction: kg along x, y, z, kg·m² about the origin's axes.
  std::array<double, 6> total = {};
  /// What of it the unheld directions can move (the exact sum of all effective masses).
  std::array<double, 3> movable = {};
  /// Rayleigh's method by hand, rad/s: the shape is the deflection under the weight turned along x,
  /// y or z; blank where nothing moves.
  std::array<std::optional<double>, 3> by_hand;
  /// How many modes reach kEnoughMass along x, y, z, where those asked for do not; 0: the modes do,
  /// or too many would be needed.
  std::array<int, 3> enough = {};
  std::vector<RestraintGain> gains;  ///< for the lowest frequency, the best first
  /// Mass at the joints alone: ω of mode 1 over that with mass along the members, less 1.
  std::optional<double> lumped_against_consistent;
  IndexedVector<NodeId, Vector3d> nodal_mass;  ///< kg, members' mass shared to their ends
  std::vector<std::string> remarks;
};

}  // namespace ulterix
