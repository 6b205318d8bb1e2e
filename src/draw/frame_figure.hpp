#pragma once

#include <functional>

#include "core/results/recovery.hpp"
#include "draw/label_placer.hpp"
#include "draw/view.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// First-order and, beside it, the second-order step of the same loads; `second` may be missing.
struct Pair {
  const Recovery* first = nullptr;
  const Recovery* second = nullptr;

  const Recovery& main() const { return second != nullptr ? *second : *first; }
};

/// Deflected shapes at one scale over the undeformed frame.
void draw_deflected(Canvas& canvas, const Pair& pair, const UnitSystem& units);

/// Moment diagrams of both, on the tension side, values at the extremes.
void draw_moments(Canvas& canvas, const Pair& pair, const UnitSystem& units);

/// The motion of a frame that does not stand, with what would hold it.
void draw_mechanism(Canvas& canvas, const FrameSystem& system, const Mechanism& mechanism,
                    int number, int count);

}  // namespace ulterix
