#pragma once

#include <Eigen/Core>
#include <functional>

#include "core/sparse/buffer_pool.hpp"

namespace ulterix {

/// Eight columns packed row by row, a row of them one vector: what products and solves work on.
inline constexpr Eigen::Index kPacked = 8;

/// Eight columns or fewer, packed; those that are missing are 0.
class ColumnBlock {
 public:
  /// Not set.
  explicit ColumnBlock(Eigen::Index rows);
  ColumnBlock(const Eigen::Ref<const Eigen::MatrixXd>& X, Eigen::Index first, Eigen::Index width);

  Eigen::Index rows() const { return rows_; }
  double* row(Eigen::Index i) { return values_.get() + i * kPacked; }
  const double* row(Eigen::Index i) const { return values_.get() + i * kPacked; }
  void copy_to(Eigen::Ref<Eigen::MatrixXd> X, Eigen::Index first, Eigen::Index width) const;

 private:
  Eigen::Index rows_;
  PooledBuffer values_;
};

/// Calls act(first, width) for every pack of columns, long ones on all cores. No result depends on
/// the number of threads, since packs share nothing.
void for_each_block(Eigen::Index rows, Eigen::Index columns,
                    const std::function<void(Eigen::Index, Eigen::Index)>& act);

/// The same for packs that are changed in place.
void change_in_blocks(Eigen::Ref<Eigen::MatrixXd> X, const std::function<void(ColumnBlock&)>& act);

}  // namespace ulterix
