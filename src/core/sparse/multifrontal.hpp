#pragma once

#include <optional>
#include <vector>

#include "core/sparse/buffer_pool.hpp"
#include "core/sparse/elimination_tree.hpp"
#include "core/sparse/symmetric_pattern.hpp"

namespace ulterix {

/// LDLᵀ by blocks: D has a dense block of up to `panel` unknowns after each other within a block,
/// L has identities there; in the place of an identity is the inverse of D.
struct BlockLdl {
  int negative = 0;  ///< eigenvalues of the matrix
  int panel = 0;
  PooledBuffer values;  ///< empty where the factor was not to be kept
};

/// LDLᵀ of a symmetric matrix, which may be indefinite, and by Sylvester's law the number of its
/// negative eigenvalues (multifrontal, Duff & Reid 1983; pivots of order 1 and 2 after Bunch &
/// Kaufman within a panel). Empty where a panel is singular or entries grow beyond kMostGrowth
/// times the largest of the matrix: not known. On all cores, with the same bits on any number.
std::optional<BlockLdl> factorise_indefinite(const SymmetricPattern& pattern,
                                             const std::vector<double>& values,
                                             const EliminationBlocks& blocks, bool keep);

/// LLᵀ in the same way, into L. False where a pivot is not positive.
bool factorise_definite(const SymmetricPattern& pattern, const std::vector<double>& values,
                        const EliminationBlocks& blocks, double* L);

inline constexpr double kMostGrowth = 1e8;

}  // namespace ulterix
