#pragma once

#include <Eigen/Core>
#include <algorithm>
#include <functional>
#include <vector>

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

/// A tall matrix in packs of eight columns; those that fill up the last one are 0.
class PackedColumns {
 public:
  PackedColumns() = default;
  /// Not set.
  PackedColumns(Eigen::Index rows, Eigen::Index columns);
  explicit PackedColumns(const Eigen::Ref<const Eigen::MatrixXd>& X);

  Eigen::Index rows() const { return rows_; }
  Eigen::Index cols() const { return columns_; }
  Eigen::Index packs() const { return static_cast<Eigen::Index>(packs_.size()); }
  /// Columns of a pack.
  Eigen::Index width(Eigen::Index pack) const {
    return std::min(kPacked, columns_ - pack * kPacked);
  }
  ColumnBlock& pack(Eigen::Index i) { return packs_[static_cast<std::size_t>(i)]; }
  const ColumnBlock& pack(Eigen::Index i) const { return packs_[static_cast<std::size_t>(i)]; }
  void set_zero();
  void copy_to(Eigen::Ref<Eigen::MatrixXd> X) const;
  Eigen::MatrixXd matrix() const;

 private:
  Eigen::Index rows_ = 0, columns_ = 0;
  std::vector<ColumnBlock> packs_;
};

/// Calls act(first, width) for every pack of columns, long ones on all cores. No result depends on
/// the number of threads, since packs share nothing.
void for_each_block(Eigen::Index rows, Eigen::Index columns,
                    const std::function<void(Eigen::Index, Eigen::Index)>& act);

/// Calls act(pack) for every pack of X in the same way.
void for_each_pack(const PackedColumns& X, const std::function<void(Eigen::Index)>& act);

/// The same for packs that are changed in place.
void change_in_blocks(Eigen::Ref<Eigen::MatrixXd> X, const std::function<void(ColumnBlock&)>& act);

}  // namespace ulterix
