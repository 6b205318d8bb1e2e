#pragma once

#include <Eigen/Core>
#include <functional>

namespace ulterix {

/// Eight columns packed row by row, a row of them one vector: what products and solves work on.
inline constexpr Eigen::Index kPacked = 8;

/// Calls act(first, width) for every pack of columns, long ones on all cores. No result depends on
/// the number of threads, since packs share nothing.
void for_each_pack(Eigen::Index rows, Eigen::Index columns,
                   const std::function<void(Eigen::Index, Eigen::Index)>& act);

/// So many columns of long vectors are worked on at a time: a pack for each of two cores.
Eigen::Index columns_at_a_time(Eigen::Index rows);

}  // namespace ulterix
