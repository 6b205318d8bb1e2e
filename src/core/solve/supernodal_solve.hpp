#pragma once

#include <Eigen/Core>

#include "core/solve/elimination_tree.hpp"

namespace ulterix {

/// A factor by supernodes, which are the blocks.
struct SupernodalFactor {
  EliminationBlocks blocks;
  const double* values = nullptr;
  /// 0: L of LLᵀ. Else LDLᵀ with blocks of so many columns, which hold the inverse of D where L
  /// has an identity (BlockLdl).
  int panel = 0;
};

/// (LLᵀ)⁻¹ or (LDLᵀ)⁻¹ of a pack, in place.
void solve(const SupernodalFactor& factor, double* rows);

/// X = (LLᵀ)⁻¹·X or (LDLᵀ)⁻¹·X for several columns: a pack at a time passes the factor, which is
/// read from memory twice for them all.
void solve(const SupernodalFactor& factor, Eigen::Ref<Eigen::MatrixXd> X);

}  // namespace ulterix
