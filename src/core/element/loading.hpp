#pragma once

#include <vector>

#include "core/model/model.hpp"

namespace ulterix {

/// Loads on one stretch of a member in local axes, linear between its ends:
/// (qx, qy, qz, mqx, mqy, mqz) in N/m and N·m/m.
struct LoadSpan {
  double from = 0, to = 0;
  Vector6d at_from = Vector6d::Zero(), at_to = Vector6d::Zero();

  double length() const { return to - from; }
  Vector6d at(double x) const { return at_from + (at_to - at_from) * ((x - from) / (to - from)); }
};

/// All that acts along one member, in local axes: spans that cover [0, L] without gaps, and a
/// concentrated action at each junction (junction 0 is the start, junction spans.size() the end).
struct MemberLoading {
  std::vector<LoadSpan> spans;
  std::vector<Vector6d> actions;  ///< spans.size() + 1 of (fx fy fz mx my mz), N and N·m
  double strain = 0;              ///< by which the member would lengthen without force,
  double cut_strain = 0;          ///< and the part of it that is another length cut, not heat
  double preload = 0;             ///< N at the drawn geometry
  /// Curvatures w'' (z plane) and v'' (y plane) that it would take without moment, 1/m.
  std::array<double, 2> curvature = {0, 0};

  static MemberLoading none(double length);
  double length() const { return spans.back().to; }
  bool empty() const;  ///< of forces

  /// Resultant: force and moment about the start, local axes, by statics.
  Vector6d resultant() const;
  /// Sum of force along the member times its distance from the start, N·m.
  double moment_of_axial() const;
};

/// Collects loads in any order and cuts the member at every jump and point load.
class MemberLoadingBuilder {
 public:
  explicit MemberLoadingBuilder(double length) : length_(length) {}
  void add_distributed(double from, double to, const Vector6d& at_from, const Vector6d& at_to);
  void add_point(double x, const Vector6d& action);
  MemberLoading build() const;

 private:
  std::vector<double> breaks() const;

  double length_;
  std::vector<LoadSpan> distributed_;
  std::vector<std::pair<double, Vector6d>> points_;
};

/// The same loading with further junctions (without action) at the given places.
MemberLoading cut_at(const MemberLoading& loading, const std::vector<double>& places);

}  // namespace ulterix
