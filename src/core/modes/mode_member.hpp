#pragma once

#include <array>
#include <vector>

#include "core/modes/family_basis.hpp"

namespace ulterix {

/// A stretch of a member between two inner joints: axial force (N, tension positive) quadratic in
/// ξ = 0..1, mass (kg/m) linear.
struct ModeSpan {
  double from = 0, to = 0;  ///< m from the start
  std::array<double, 3> stays = {0, 0,
                                 0};  ///< N of a state or of loads that stay: c0 + c1·ξ + c2·ξ²
  std::array<double, 3> grows = {0, 0, 0};  ///< N of the loads whose factor is looked for
  LinearAlong mass;

  double length() const { return to - from; }
  static double at(const std::array<double, 3>& N, double xi) {
    return N[0] + xi * (N[1] + xi * N[2]);
  }
};

/// What vibrates or buckles of one member: its stiffness, N(x) and m(x), and nothing of the frame
/// around it. SI, local axes.
struct ModeMember {
  ElementProperties properties;
  std::vector<ModeSpan> spans;      ///< cover the member; cut where N or m jumps or kinks
  std::vector<double> point_mass;   ///< kg at the start, each inner joint and the end; may be empty
  double about_x = 0;               ///< ρ(Iy + Iz), kg·m
  double about_y = 0, about_z = 0;  ///< ρIy, ρIz where rotary inertia counts
  /// The directions that mass keeps, as a projection in local axes; the identity keeps all.
  Matrix3d keeps = Matrix3d::Identity();
  bool bends_in_z = true, bends_in_y = true, twists = true;  ///< false: out of the model's plane
  bool lumped = false;  ///< all mass at the nodes, by simple-beam statics

  /// False: the model's plane leaves the family no motion.
  bool uses(Family family) const;
};

/// Functions on each span of the four families.
using FunctionCounts = std::array<int, 4>;

/// Members with more functions than this are cut by the engineer.
inline constexpr int kMostFunctions = 60;

/// Which matrix drives the modes: K·φ = λ·B·φ.
enum class Driver {
  compression,  ///< B = −Kg of the axial forces that grow
  mass          ///< B = M
};

/// True if a member moves between its nodes in a family. In buckling torsion goes from end to end,
/// and nothing moves along the axis.
bool has_functions(const ModeMember& member, Driver driver, Family family);

/// Shapes of all families of a member, one after the other: 12 nodal ones, then the inner functions
/// in the order of kFamilies.
class MemberShapes {
 public:
  MemberShapes(const ModeMember& member, Driver driver, const FunctionCounts& counts);

  /// True if these shapes are those of another member too, whose loads and mass may differ.
  bool fit(const ModeMember& member, const FunctionCounts& counts) const;

  int inner() const;
  int inner(Family family) const { return inner_[static_cast<std::size_t>(family)]; }
  /// Place of a family's first inner function after the nodal shapes.
  int first_inner(Family family) const;

  struct Matrices {
    Eigen::MatrixXd stays, drives;  ///< (12 + inner)², symmetric
  };
  Matrices matrices(const ModeMember& member) const;

  /// Displacements along the member (local axes) at equal stations, for coefficients of the shapes.
  std::vector<Vector3d> displacements(const Eigen::VectorXd& coefficients, int stations) const;

  const FamilyBasis& basis(Family family) const { return bases_[static_cast<std::size_t>(family)]; }

 private:
  /// Rows (of 12 + inner) of a family's shapes.
  const std::vector<int>& rows(Family family) const {
    return rows_[static_cast<std::size_t>(family)];
  }
  void add(Family a, Family b, const Eigen::MatrixXd& block, Eigen::MatrixXd& whole) const;
  void add_geometric(const ModeMember& member, double sign, std::array<double, 3> ModeSpan::*force,
                     Eigen::MatrixXd& whole) const;
  void add_mass(const ModeMember& member, Eigen::MatrixXd& whole) const;

  Driver driver_;
  FunctionCounts counts_;
  ElementProperties properties_;
  std::vector<double> cuts_;
  bool rotary_;
  std::array<bool, 4> uses_ = {};
  std::vector<FamilyBasis> bases_;
  std::array<int, 4> inner_ = {};
  std::array<std::vector<int>, 4> rows_;
  std::vector<SpanPoint> points_;  // of integration
  std::vector<double> weights_;    // m
  std::array<FamilyValues, 4> values_;
};

/// The end motion of an unloaded member by its nodes.
Matrix12d end_motion_of(const ElementProperties& properties);

}  // namespace ulterix
