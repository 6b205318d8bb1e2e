#pragma once

#include <optional>

#include "core/model/situation.hpp"
#include "core/results/step.hpp"

namespace ulterix {

/// Members were followed in pieces.
inline bool is_of_finite_motion(const Step& step) {
  return step.has_state && !step.state.poses.empty();
}

/// What stands in a state of finite motion, with the nodes where they are: members straight between
/// them, turned as their ends are, and without force; one-way items that carry nothing do not. The
/// axial forces of the state act on it (axial_forces_along) where it vibrates or buckles.
Situation displaced(const Step& state);

/// The bow of a member of a state of finite motion between its ends, which its straight chord does
/// not have.
struct ChordError {
  MemberId member;
  double sag = 0;      ///< largest distance from the chord, m
  double softens = 0;  ///< part of the chord's axial stiffness: 8/15·e²·A/I of a parabola
};
/// The member whose bow softens it most; empty where no member bends.
std::optional<ChordError> largest_chord_error(const Step& state);

}  // namespace ulterix
