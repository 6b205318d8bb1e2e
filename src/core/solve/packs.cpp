#include "core/solve/packs.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>

namespace ulterix {

namespace {

/// Shorter vectors are done before a thread has woken.
constexpr Eigen::Index kLong = 20000;

}  // namespace

void for_each_pack(Eigen::Index rows, Eigen::Index columns,
                   const std::function<void(Eigen::Index, Eigen::Index)>& act) {
  const auto one = [&](Eigen::Index pack) {
    act(pack * kPacked, std::min(kPacked, columns - pack * kPacked));
  };
  const Eigen::Index packs = (columns + kPacked - 1) / kPacked;
  if (packs > 1 && rows >= kLong) {
    tbb::parallel_for(Eigen::Index(0), packs, one);
  } else {
    for (Eigen::Index pack = 0; pack < packs; ++pack) one(pack);
  }
}

Eigen::Index columns_at_a_time(Eigen::Index rows) {
  return rows >= kLong ? 2 * kPacked : kPacked;
}

}  // namespace ulterix
