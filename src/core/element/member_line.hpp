#pragma once

#include <array>
#include <memory>
#include <vector>

#include "core/element/bending_segment.hpp"
#include "core/model/model.hpp"

namespace ulterix {

/// One place on a member: internal forces (N Vy Vz Mx My Mz, SI, signs of docs/conventions.md) and
/// the displacement of the axis in the member's local axes (m).
struct LinePoint {
  double x = 0;
  Vector6d forces = Vector6d::Zero();
  Vector3d displacement = Vector3d::Zero();
};

struct Extreme {
  double min = 0, x_min = 0, max = 0, x_max = 0;
};

/// Forces and shape of a whole member, exact at any x. `u` is the displacement along the member.
class MemberLine {
 public:
  struct Span {
    double from = 0, to = 0;
    BendingCurve z, y;                    ///< bending in the local x–z and x–y planes
    std::array<double, 3> N = {0, 0, 0};  ///< polynomials in ξ
    std::array<double, 3> T = {0, 0, 0};
    double u_start = 0, axial_flexibility = 0;  ///< m; 1/(E·A), 1/N
    double strain = 0;                          ///< of the axis without force
    /// Of finite motion: five equal places, which a polynomial joins, instead of the above.
    std::shared_ptr<const std::array<LinePoint, 5>> sampled = nullptr;

    static Span through(const std::array<LinePoint, 5>& points);

    LinePoint at(double xi) const;
  };

  /// The forces of this line across the shape of another one with the same spans.
  MemberLine in_shape_of(const MemberLine& other) const;

  void add(const Span& span) { spans_.push_back(span); }
  const std::vector<Span>& spans() const { return spans_; }
  double length() const { return spans_.back().to; }

  /// At a jump: the value after it, at the end of the member the one before.
  LinePoint at(double x) const;

  /// At least `count` equal stations, the junctions of the loads (two rows where a force jumps) and
  /// the places of the true extremes, in order of x.
  std::vector<LinePoint> stations(int count = 11) const;

  /// The true extremes of N Vy Vz Mx My Mz.
  std::array<Extreme, 6> extremes() const;

  /// Displacement of the axis from the straight line between its two ends, local (m): what a
  /// straight edge held to the ends would show. The component along the member is 0 at both ends.
  Vector3d deflection_at(double x) const;

  /// The true extremes along the member of a component of the axis' displacement; `direction` in
  /// local axes (no need of unit length), the chord between the ends taken off or not.
  Extreme displacement_extremes(const Vector3d& direction, bool from_chord) const;

 private:
  std::vector<double> stationary_places(const Span& span) const;
  std::vector<LinePoint> sampled_stations(int count) const;
  std::vector<Span> spans_;
};

}  // namespace ulterix
