#pragma once

#include "core/results/modes.hpp"
#include "core/system/member_frame.hpp"

namespace ulterix {

/// The kind of a buckling mode in words: "sway along x", "out of plane, along y", "between the ends
/// about z, 2 half waves", "torsional".
std::string kind_of(const MemberFrame& frame, const BucklingMode& mode,
                    const std::vector<Vector3d>& axis_of_main, MemberId main);

/// The member with the largest share of the strain energy; of equal ones the first.
MemberId main_member(const IndexedVector<MemberId, MemberShare>& shares);

/// Half waves of a displaced axis beside its chord.
int half_waves(const std::vector<Vector3d>& axis);

}  // namespace ulterix
