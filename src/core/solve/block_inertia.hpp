#pragma once

#include <cstdint>
#include <memory>
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

/// LDLᵀ by those blocks: D has a dense block of up to `panel` unknowns after each other within a
/// block, L has identities there. Columns of block b lie dense by `rows` from value_start[b], as in
/// a SupernodalFactor; in the place of an identity is the inverse of D.
struct BlockLdl {
  int negative = 0;  ///< eigenvalues of the matrix
  int panel = 0;
  std::vector<std::int64_t> value_start;
  std::unique_ptr<double[]> values;  ///< empty where the factor was not to be kept
};

/// LDLᵀ of a symmetric matrix, which may be indefinite, and by Sylvester's law the number of its
/// negative eigenvalues (multifrontal, Duff & Reid 1983; pivots of order 1 and 2 after Bunch &
/// Kaufman within a panel). Empty where a panel is singular or entries grow beyond kMostGrowth
/// times the largest of the matrix: not known.
std::optional<BlockLdl> factorise_indefinite(const SymmetricPattern& pattern,
                                             const std::vector<double>& values,
                                             const EliminationBlocks& blocks, bool keep);

inline constexpr double kMostGrowth = 1e8;

}  // namespace ulterix
