#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace ulterix {

/// Columns of a factor gathered into dense blocks, in postorder: block b eliminates the permuted
/// unknowns first[b] .. first[b+1) and touches rows[row_start[b] .. row_start[b+1]), its own first.
struct EliminationBlocks {
  std::span<const std::int64_t> first, row_start, rows;
  std::span<const std::int64_t> order = {};  ///< order[k]: the unknown that is eliminated k-th
  /// The columns of block b of a factor lie dense, by its rows, from value_start[b].
  std::span<const std::int64_t> value_start = {};

  std::size_t count() const { return first.size() - 1; }
  int pivots(std::size_t b) const { return static_cast<int>(first[b + 1] - first[b]); }
  std::span<const std::int64_t> rows_of(std::size_t b) const {
    const auto from = static_cast<std::size_t>(row_start[b]);
    return rows.subspan(from, static_cast<std::size_t>(row_start[b + 1]) - from);
  }
  /// The rows that are left for later blocks.
  std::span<const std::int64_t> below(std::size_t b) const {
    return rows_of(b).subspan(static_cast<std::size_t>(pivots(b)));
  }
};

/// The blocks shared out: subtrees that have nothing to do with each other, and the blocks above
/// them. Follows from the blocks alone, so that no result depends on the number of threads.
struct SharedOut {
  std::vector<std::size_t> parent;                 ///< the block next above, count() over the last
  std::vector<std::vector<std::size_t>> subtrees;  ///< their blocks, in order
  std::vector<std::size_t> above;                  ///< in order
};

SharedOut share_out(const EliminationBlocks& blocks);

}  // namespace ulterix
