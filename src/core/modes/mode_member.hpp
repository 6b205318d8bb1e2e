#pragma once

#include <array>
#include <memory>
#include <optional>
#include <vector>

#include "core/element/catenary.hpp"
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

  bool operator==(const ModeSpan& other) const = default;
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
  /// Axial kinds and cables in tension: the force that they vibrate as strings under, N; else 0.
  double string = 0;
  /// How a cable hangs meanwhile, local axes.
  std::shared_ptr<const Catenary> cable;

  bool operator==(const ModeMember& other) const = default;
  /// False: the model's plane leaves the family no motion.
  bool uses(Family family) const;
};

/// Functions on each span of the four families.
using FunctionCounts = std::array<int, 4>;

/// No member has more functions than this on a span.
inline constexpr int kMostFunctions = 140;

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

  /// A block of a symmetric matrix: shapes of two families, a's rows and b's columns.
  struct Block {
    Family a = Family::bending_z, b = Family::bending_z;
    Eigen::MatrixXd values;
  };
  struct Matrices {
    std::vector<Block> stays, drives;  ///< every pair of families that is coupled, both ways round
  };
  /// Those of a member that these shapes fit; the result stays until they are asked for another's.
  const Matrices& matrices(const ModeMember& member);
  /// The blocks of one matrix as a whole, (12 + inner)².
  Eigen::MatrixXd whole(const std::vector<Block>& blocks) const;

  /// Rows (of 12 + inner) of a family's shapes.
  const std::vector<int>& rows(Family family) const {
    return rows_[static_cast<std::size_t>(family)];
  }

  /// Displacements (local axes, a column each) at equal stations along the member, for every column
  /// of coefficients of the shapes.
  std::vector<Eigen::Matrix3Xd> displacements(const Eigen::MatrixXd& coefficients, int stations);

  const FamilyBasis& basis(Family family) const { return bases_[static_cast<std::size_t>(family)]; }

 private:
  void evaluate_at(int stations);
  Matrices integrated(const ModeMember& member) const;
  std::vector<Block> geometric(const ModeMember& member, double sign,
                               std::array<double, 3> ModeSpan::*force) const;
  std::vector<Block> mass(const ModeMember& member) const;
  std::vector<Block> lumped(const ModeMember& member) const;
  std::vector<Block> hanging(const ModeMember& member) const;

  Driver driver_;
  FunctionCounts counts_;
  ElementProperties properties_;
  std::vector<double> cuts_;
  bool rotary_;
  double string_;
  std::array<bool, 4> uses_ = {};
  std::vector<FamilyBasis> bases_;
  std::array<int, 4> inner_ = {};
  std::array<std::vector<int>, 4> rows_;
  std::vector<SpanPoint> points_;  // of integration
  std::vector<double> weights_;    // m
  std::array<FamilyValues, 4> values_;
  std::vector<FamilyValues> at_stations_;  // once they are asked for
  std::optional<ModeMember> last_;         // whose matrices are there
  Matrices matrices_;
};

/// Shapes of members met before: those of a frame are often alike.
class ShapeCache {
 public:
  MemberShapes& of(const ModeMember& member, Driver driver, const FunctionCounts& counts);
  /// Inner functions of each family that so many on each span make, joint shapes in.
  std::array<int, 4> inner_counts(const ModeMember& member, Driver driver,
                                  const FunctionCounts& counts);

 private:
  static constexpr std::size_t kMost = 48;
  std::vector<std::unique_ptr<MemberShapes>> shapes_;
  std::size_t last_ = 0, oldest_ = 0;
};

/// The end motion of an unloaded member by its nodes.
Matrix12d end_motion_of(const ElementProperties& properties);

}  // namespace ulterix
