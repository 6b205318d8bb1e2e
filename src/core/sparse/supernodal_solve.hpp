#pragma once

#include <Eigen/Core>

#include "core/sparse/elimination_tree.hpp"

namespace ulterix {

/// How all cores solve with a large factor: subtree by subtree, then together in the blocks above
/// them. What a subtree brings to rows above it is summed up apart from them. Follows from the
/// blocks alone, so that no digit depends on the number of threads.
class SolvePlan {
 public:
  SolvePlan() = default;
  explicit SolvePlan(const EliminationBlocks& blocks);

  /// False: one thread is as fast.
  bool shares() const { return !targets_.empty(); }
  const SharedOut& shared() const { return shared_; }
  /// Where the rows of the blocks are worked on, as EliminationBlocks::rows: on themselves, or, if
  /// they are above a subtree, at its own places after all unknowns.
  const std::vector<std::int64_t>& targets() const { return targets_; }
  /// The first place of a subtree, for the first row below its last block.
  Eigen::Index first_place(std::size_t subtree) const { return first_place_[subtree]; }
  /// Unknowns and places.
  Eigen::Index size() const { return size_; }

 private:
  SharedOut shared_;
  std::vector<std::int64_t> targets_;
  std::vector<Eigen::Index> first_place_;
  Eigen::Index size_ = 0;
};

/// A factor by supernodes, which are the blocks.
struct SupernodalFactor {
  EliminationBlocks blocks;
  const double* values = nullptr;
  /// 0: L of LLᵀ. Else LDLᵀ with blocks of so many columns, which hold the inverse of D where L
  /// has an identity (BlockLdl).
  int panel = 0;
  const SolvePlan& plan;
};

/// (LLᵀ)⁻¹ or (LDLᵀ)⁻¹ of a pack, in place, worked out in the factor's numbers.
void solve(const SupernodalFactor& factor, double* rows);

/// X = (LLᵀ)⁻¹·X or (LDLᵀ)⁻¹·X for several columns: a pack at a time passes the factor, which is
/// read from memory twice for them all.
void solve(const SupernodalFactor& factor, Eigen::Ref<Eigen::MatrixXd> X);

}  // namespace ulterix
