#pragma once

#include "core/model/situation.hpp"
#include "core/system/dof_map.hpp"

namespace ulterix {

/// How much warping helps a member against torsional buckling between its ends: GJ over
/// GJ + π²·E·Iw/L² (Timoshenko & Gere 1961, 5.3), warping free at the ends. L is the length of the
/// run of collinear members of one section between nodes where something else holds the twist; at a
/// free end of a run the twist is linear and warping holds nothing. 1 without warping.
IndexedVector<MemberId, double> warping_relief(
    const Situation& situation,
    const IndexedVector<NodeId, std::array<SupportDirection, 6>>& supports,
    const std::vector<std::vector<MemberId>>& members_at);

}  // namespace ulterix
