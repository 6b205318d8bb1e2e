#pragma once

#include <vector>

#include "core/element/beam_shape.hpp"
#include "core/modes/legendre.hpp"

namespace ulterix {

/// The four kinds of motion of a member that its own stiffness does not couple.
enum class Family { bending_z, bending_y, along, twist };
inline constexpr std::array<Family, 4> kFamilies = {Family::bending_z, Family::bending_y,
                                                    Family::along, Family::twist};
/// Its place in an array over kFamilies.
constexpr std::size_t at(Family family) {
  return static_cast<std::size_t>(family);
}

/// A place within a span: s runs from −1 to 1.
struct SpanPoint {
  int span = 0;
  double s = 0;
};

/// Values of all shapes of a family (rows: its nodal shapes, then its inner functions) at points
/// (columns): displacement (or twist), its derivative along the member, rotation of the section.
struct FamilyValues {
  Eigen::MatrixXd w, slope, psi;
};

/// Shapes of one family of motions: those that follow the nodes as in first-order, and inner
/// functions, which are static responses of the member with held nodes. For bending these are the
/// responses to loads P_j″ (moments P_j, j = 2 … n + 1) of each span between inner joints, of unit
/// motions of the inner joints, and where rotary inertia meets shear, bubbles w = ∫P_j; along and
/// in twist, forces P_j, j = 1 … n. They are orthonormal in the inner product of the stiffness, in
/// order of j, so that more of them leave the first ones as they are; by virtual work they are
/// orthogonal to every nodal shape. Formulas: docs/modes.md.
class FamilyBasis {
 public:
  struct Options {
    bool inner = true;  ///< false: nodal shapes alone
    int functions = 0;  ///< n, on each span
    bool bubbles = false;
    /// N of an axial kind that vibrates across as a string; its stiffness then is N∫w′². Else 0.
    double string = 0;
  };
  /// `cuts`: places of the inner joints, m from the start, rising. `ends`: motion of the member's
  /// ends by that of its nodes (12 x 12), the identity without hinges.
  FamilyBasis(Family family, const ElementProperties& properties, const std::vector<double>& cuts,
              const Matrix12d& ends, const Options& options);

  /// Directions (0..11, local) of its nodal shapes: 4 in bending, 2 else.
  const std::vector<int>& directions() const { return directions_; }
  int nodal() const { return static_cast<int>(directions_.size()); }
  int inner() const { return static_cast<int>(functions_.size()); }
  /// Inner functions with n = `functions` of them on each span: the first ones of those here.
  int inner_of(int functions) const;
  bool stiff() const { return stiffness_ > 0; }

  FamilyValues at(const std::vector<SpanPoint>& points) const;

 private:
  struct Function {
    Eigen::VectorXd joints;  // motion of every joint: (w, psi) each in bending, else one value
    int span = -1, degree = 0;
    bool bubble = false;
  };
  struct Local {  // one function at a point
    double w = 0, slope = 0, psi = 0;
    double force = 0;        // moment, axial force or torque
    double shear_angle = 0;  // w' − psi
  };
  bool bending() const {
    return !string_ && (family_ == Family::bending_z || family_ == Family::bending_y);
  }
  int per_joint() const { return bending() ? 2 : 1; }
  double span_length(int span) const { return joints_[span + 1] - joints_[span]; }
  Eigen::MatrixXd joint_stiffness() const;
  void find_releases();
  void add_joint_shapes();
  void add_functions(const Options& options);
  void follow_releases(Function& f, const Eigen::VectorXd& joint_forces) const;
  Eigen::VectorXd clamped_end_forces(int span, int degree) const;
  /// A point with the polynomials there.
  struct Place : SpanPoint {
    Place(const SpanPoint& at, int degree) : SpanPoint(at), P(degree, at.s) {}
    Legendre P;
  };
  Local clamped(const Function& f, const Place& at) const;
  Local by_joints(const Eigen::VectorXd& joints, const SpanPoint& at) const;
  Local local(const Function& f, const Place& at) const;
  void orthonormalise();
  void nodal_values(const std::vector<SpanPoint>& points, FamilyValues& values) const;

  Family family_;
  bool string_ = false;                      // a taut one, across
  double length_, stiffness_, flexibility_;  // EI, EA or GJ; 1/GAv
  std::vector<double> joints_;               // places of all joints, the ends too
  std::vector<int> directions_;
  Eigen::VectorXd signs_;
  Eigen::MatrixXd end_motion_;  // of the ends by the nodes, in (w, psi) or one value each
  std::vector<int> released_;   // joint unknowns behind hinges and end springs
  Eigen::VectorXd springs_;     // of them
  Eigen::MatrixXd release_;     // (K_rr + c)⁻¹
  Eigen::MatrixXd K_joints_;
  std::vector<Function> functions_;
  int joint_shapes_ = 0, spans_ = 1, each_ = 1, degree_ = 3;  // the last: that polynomials go to
  Eigen::MatrixXd combine_;  // lower triangular: functions of functions_
};

}  // namespace ulterix
