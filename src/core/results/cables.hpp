#pragma once

#include <optional>

#include "core/results/recovery.hpp"

namespace ulterix {

/// How a cable hangs in a state.
enum class CableState {
  taut,   ///< shorter without force than its ends are apart: it is stretched
  hangs,  ///< longer: what force it has comes from the loads along it
  slack   ///< longer, without load and without force
};
inline constexpr std::array<Word<CableState>, 3> kCableStates = {
    {{CableState::taut, "taut"}, {CableState::hangs, "hangs"}, {CableState::slack, "slack"}}};

/// What is read of a cable in one state, SI. Slopes are those of the tangent from the start on
/// (rad, up positive).
struct CableValues {
  CableState state = CableState::taut;
  double cut_length = 0;  ///< without force
  double length = 0;      ///< under force
  double span = 0;        ///< distance of the ends
  double sag = 0;         ///< largest distance from the chord
  double tension_start = 0, tension_end = 0;
  double slope_start = 0, slope_end = 0;
  double chord_force = 0;  ///< along the chord, the mean of the two ends
  double thrust = 0;       ///< the horizontal part at the start
  /// The hand formula q·L²/(8·sag), q the load across the chord.
  std::optional<double> parabola;
  /// Of the lowest lateral mode as a taut string, √(N/m)/2L, Hz; without mass none.
  std::optional<double> frequency;

  double largest_tension() const { return std::max(tension_start, tension_end); }
};

/// Frequency of the lowest mode of a cable between ends that do not move, by string functions, Hz;
/// of its own mass. Nothing where it is slack, weighs nothing, or is taken as straight.
std::optional<double> own_frequency(const Recovery& recovery, MemberId id);

/// The cable of a member in a state, local axes; nothing where it does not hang or does not stand.
std::optional<Catenary> cable_in(const Recovery& recovery, MemberId id);

/// Nothing where the member is no cable, does not stand, or is taken as straight in this step.
std::optional<CableValues> cable_values(const Recovery& recovery, MemberId id);

}  // namespace ulterix
