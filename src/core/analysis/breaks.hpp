#pragma once

#include "core/analysis/one_way.hpp"
#include "core/results/recovery.hpp"

namespace ulterix {

/// The largest tension of a member in a state that it stands in, over the tension at which it
/// breaks; 0 of one that does not break.
double part_of_breaking(const Recovery& recovery, MemberId id);

/// How far a member that yields has gone in a state: its elongation, m; of a cable its length
/// without force or heat.
double yielded_to(const Step& step, MemberId id);
/// It is shorter than it has been, or a cable less tight, and would carry less than its force.
bool is_relieved(const Step& step, MemberId id, double reached);
/// Takes back a result in which a member that yields goes back: that is not followed.
void refuse_relieved(Step& step, MemberId id);

/// One-way items as in solve_one_way and solve_one_way_p_delta, with members that break or yield
/// on the way from nothing to the full load. The factor at which one does is located to 1e-6; those
/// that reach their force within that of it go together. What is left takes over and the load grows
/// on from there. The step has the events.
OneWayState solve_with_breaks(const OneWayFrames& frames, const AnalysisSpec& spec,
                              const LoadSet& loads, const IdleSet* start = nullptr);

/// The same at the full load alone: what is too small for it goes, the most overloaded first.
OneWayState break_at_full_load(const OneWayFrames& frames, const AnalysisSpec& spec,
                               const LoadSet& loads);

}  // namespace ulterix
