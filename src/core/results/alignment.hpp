#pragma once

#include <optional>

#include "core/system/frame_system.hpp"

namespace ulterix {

/// Effective length factors of the alignment equations (AISC 360-22, commentary to Appendix 7),
/// from the stiffness ratios of the joints: Σ(EI/L) of the columns in line over Σ(EI/L) of the
/// girders.
struct AlignmentFactors {
  double sway = 0, held = 0;  ///< sway permitted, sway prevented
};

/// `about_y`: bending about the member's y axis, else z. A fixed foot counts as G = 0, a pinned one
/// and a hinged end as no girders at all. Empty where both ends are free to turn and sway is
/// permitted, or the member bends not at all.
std::optional<AlignmentFactors> alignment_factors(const MemberFrame& system, MemberId id,
                                                  bool about_y);

/// K of the two equations for the ratios of the ends; infinite ratios stand for no restraint.
double alignment_sway(double GA, double GB);
double alignment_held(double GA, double GB);

}  // namespace ulterix
