#include "core/sparse/elimination_tree.hpp"

#include <algorithm>
#include <numeric>

namespace ulterix {

namespace {

/// Fewer operations are done before another thread has started.
constexpr double kWorthSharing = 2e8;
/// No subtree has more than this part of the work.
constexpr double kLargestShare = 1.0 / 32;

/// Operations of a dense LDLᵀ of so many pivots in so many rows.
double operations(double pivots, double rows) {
  return pivots * (rows * (rows - pivots) + pivots * pivots / 3);
}

}  // namespace

SharedOut share_out(const EliminationBlocks& blocks) {
  const std::size_t count = blocks.count();
  SharedOut shared;
  if (count == 0) return shared;
  shared.parent.assign(count, count);
  std::vector<double> work(count + 1, 0.0);  // of a block and all below it
  std::vector<std::size_t> lowest(count + 1);
  for (std::size_t b = 0; b <= count; ++b) lowest[b] = b;
  for (std::size_t b = 0; b < count; ++b) {
    const auto below = blocks.below(b);
    work[b] += operations(blocks.pivots(b), double(blocks.rows_of(b).size()));
    if (!below.empty()) {
      const auto after = std::upper_bound(blocks.first.begin(), blocks.first.end(), below.front());
      shared.parent[b] = static_cast<std::size_t>(after - blocks.first.begin()) - 1;
    }
    work[shared.parent[b]] += work[b];
    lowest[shared.parent[b]] = std::min(lowest[shared.parent[b]], lowest[b]);
  }
  if (work[count] < kWorthSharing) {
    std::vector<std::size_t>& all = shared.subtrees.emplace_back(count);
    std::iota(all.begin(), all.end(), std::size_t{0});
    return shared;
  }
  const double share = work[count] * kLargestShare;
  for (std::size_t b = 0; b < count; ++b) {
    if (work[b] > share) {
      shared.above.push_back(b);
    } else if (shared.parent[b] == count || work[shared.parent[b]] > share) {
      std::vector<std::size_t>& subtree = shared.subtrees.emplace_back();
      for (std::size_t k = lowest[b]; k <= b; ++k) subtree.push_back(k);
    }
  }
  return shared;
}

}  // namespace ulterix
