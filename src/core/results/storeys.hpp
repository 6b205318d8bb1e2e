#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/results/recovery.hpp"

namespace ulterix {

/// An elevation that the engineer reads drifts at.
struct Level {
  std::string name;
  double elevation = 0;      ///< m: the mean of what counts as the level
  double low = 0, high = 0;  ///< m: of what counts as the level
};

/// The levels of a model, lowest first: the named ones, or where there are none the elevations of
/// near-horizontal members, and below them the lowest support. Elevations closer than a tenth of
/// the median storey height, or 0.3 m, are one level.
std::vector<Level> find_levels(const Model& model);

/// One storey in one horizontal direction.
struct StoreyRow {
  std::string storey;      ///< name of its upper level
  int direction = 0;       ///< global axis
  double height = 0;       ///< m
  double drift = 0;        ///< m: largest over the columns, signed
  double shear = 0;        ///< N: horizontal loads above, in the direction
  double gravity = 0;      ///< N: vertical loads above, down positive
  double first_drift = 0;  ///< m: the same of first-order
  /// N/m: shear over drift; blank where either is nothing.
  std::optional<double> stiffness;
  /// Drift over that of first-order; blank without one to compare.
  std::optional<double> amplification;
  /// ACI 318-19, 6.6.4.4.1: Q = ΣP·Δ/(V·h) with the first-order drift; blank without shear.
  std::optional<double> index;

  double ratio() const { return drift / height; }
};

/// Columns that pass through a storey, cut at its two levels; leaning ones carry gravity and resist
/// no sway: axial kinds, and those hinged at both ends about the axis that the direction bends.
struct StoreyColumn {
  MemberId member;
  double x_low = 0, x_high = 0;  ///< m along the member
};
/// True of a member that leans less than 1/5 over its height.
bool is_column(const Model& model, MemberId id);
std::vector<StoreyColumn> columns_between(const Model& model, double low, double high);
bool is_leaning(const MemberFrame& system, MemberId id, int direction);

/// Storeys from below; `first_order` is the baseline of the same loads (may be the step itself).
/// Empty if the step has no state at the full load.
std::vector<StoreyRow> find_storeys(const Recovery& first_order, const Recovery& step);

}  // namespace ulterix
