#pragma once

#include <Eigen/Core>
#include <cstdint>
#include <span>

namespace ulterix {

/// A factor by supernodes: columns first[s] .. first[s+1) share the rows rows[row_start[s] ..
/// row_start[s+1]), their own first, and lie dense by columns from values[value_start[s]].
struct SupernodalFactor {
  std::span<const std::int64_t> first, row_start, rows, value_start;
  const double* values = nullptr;
  std::span<const std::int64_t> order;  ///< order[k]: the unknown that is eliminated k-th
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
