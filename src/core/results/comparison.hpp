#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/results/storeys.hpp"

namespace ulterix {

/// One number beside its first-order value.
struct ComparisonRow {
  enum class Kind {
    watched,
    displacement,
    drift,
    reaction,
    internal_force
  } kind = Kind::displacement;
  int component = 0;  ///< of displacements, reactions or internal forces
  /// What is measured: a displacement (a rotation from component 3 on), else a force (a moment).
  bool is_displacement = false;
  std::string name;   ///< "displacement ux", "moment My, section col", or the watch's name
  std::string where;  ///< "B1" or "G1"
  MemberId member;    ///< with x, for internal forces
  double x = 0;       ///< m
  double first_order = 0, value = 0;  ///< SI
  bool absent = false;                ///< a watched place of what does not stand
  /// Blank where |first_order| is below 1e-9 of the largest of its kind.
  std::optional<double> ratio;
};

/// The true extremes along a member: N Vy Vz Mx My Mz, and dy dz, the deflections from the chord
/// between its ends (local, m).
using MemberExtremes = std::array<Extreme, 8>;
inline constexpr std::array<std::string_view, 8> kExtremeNames = {"N",  "Vy", "Vz", "Mx",
                                                                  "My", "Mz", "dy", "dz"};
inline constexpr int kDy = 6, kDz = 7;

MemberExtremes extremes_of(const MemberLine& line);

/// Those of every member in one step.
using StepExtremes = IndexedVector<MemberId, MemberExtremes>;
StepExtremes find_extremes(const Recovery& recovery);

/// The member and place of the largest |force| of some kinds; x in m.
struct LargestForce {
  MemberId member;
  double x = 0, value = 0;
};
LargestForce largest_of(const StepExtremes& all, const std::vector<InternalForce>& forces,
                        const std::vector<MemberId>& members);

/// A step beside its first-order baseline at the places that matter: watched places, the largest
/// displacement of each direction, storey drifts, the largest reactions, and the largest forces of
/// each section and group. `extremes` and `storeys` belong to the step. Empty if either has no
/// state at the full load.
std::vector<ComparisonRow> compare_to_first_order(const Recovery& first_order, const Recovery& step,
                                                  const StepExtremes& extremes,
                                                  const std::vector<StoreyRow>& storeys);

/// The node that moves furthest in a direction (0..5), by magnitude.
NodeId furthest_node(const Step& step, int direction);

}  // namespace ulterix
