#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "core/system/pattern.hpp"

namespace ulterix {

/// Columns of the factor gathered into dense blocks, in postorder: block b eliminates the permuted
/// unknowns first[b] .. first[b+1) and touches rows[row_start[b] .. row_start[b+1]), its own first.
struct EliminationBlocks {
  std::span<const std::int64_t> first, row_start, rows;
  std::span<const std::int64_t> order;  ///< order[k]: the unknown that is eliminated k-th
};

/// Number of negative eigenvalues of a symmetric matrix, which may be indefinite (Sylvester's law
/// on a multifrontal LDLᵀ, Duff & Reid 1983; pivots of order 1 and 2 after Bunch & Kaufman within a
/// block). Nothing of the factor is kept. Empty where a block is singular or entries grow beyond
/// kMostGrowth times the largest of the matrix: not known.
std::optional<int> count_negative_eigenvalues(const SymmetricPattern& pattern,
                                              const std::vector<double>& values,
                                              const EliminationBlocks& blocks);

inline constexpr double kMostGrowth = 1e8;

}  // namespace ulterix
