#include "core/sparse/column_block.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>

namespace ulterix {

namespace {

/// Shorter vectors take less time than a second thread needs to start.
constexpr Eigen::Index kLong = 1000;

}  // namespace

ColumnBlock::ColumnBlock(Eigen::Index rows)
    : rows_(rows), values_(pooled_buffer(static_cast<std::size_t>(rows * kPacked))) {}

ColumnBlock::ColumnBlock(const Eigen::Ref<const Eigen::MatrixXd>& X, Eigen::Index first,
                         Eigen::Index width)
    : ColumnBlock(X.rows()) {
  for (Eigen::Index i = 0; i < rows_; ++i) {
    for (Eigen::Index k = 0; k < kPacked; ++k) row(i)[k] = k < width ? X(i, first + k) : 0;
  }
}

// NOLINTNEXTLINE(performance-unnecessary-value-param): a view, and written through
void ColumnBlock::copy_to(Eigen::Ref<Eigen::MatrixXd> X, Eigen::Index first,
                          Eigen::Index width) const {
  for (Eigen::Index i = 0; i < rows_; ++i) {
    for (Eigen::Index k = 0; k < width; ++k) X(i, first + k) = row(i)[k];
  }
}

PackedColumns::PackedColumns(Eigen::Index rows, Eigen::Index columns)
    : rows_(rows), columns_(columns) {
  for (Eigen::Index first = 0; first < columns; first += kPacked) packs_.emplace_back(rows);
}

PackedColumns::PackedColumns(const Eigen::Ref<const Eigen::MatrixXd>& X)
    : rows_(X.rows()), columns_(X.cols()) {
  for (Eigen::Index first = 0; first < columns_; first += kPacked) {
    packs_.emplace_back(X, first, std::min(kPacked, columns_ - first));
  }
}

void PackedColumns::set_zero() {
  for (ColumnBlock& p : packs_) std::fill(p.row(0), p.row(rows_), 0.0);
}

// NOLINTNEXTLINE(performance-unnecessary-value-param): a view, and written through
void PackedColumns::copy_to(Eigen::Ref<Eigen::MatrixXd> X) const {
  for (Eigen::Index i = 0; i < packs(); ++i) pack(i).copy_to(X, i * kPacked, width(i));
}

Eigen::MatrixXd PackedColumns::matrix() const {
  Eigen::MatrixXd X(rows_, columns_);
  copy_to(X);
  return X;
}

void for_each_block(Eigen::Index rows, Eigen::Index columns,
                    const std::function<void(Eigen::Index, Eigen::Index)>& act) {
  const auto one = [&](Eigen::Index pack) {
    act(pack * kPacked, std::min(kPacked, columns - pack * kPacked));
  };
  const Eigen::Index packs = (columns + kPacked - 1) / kPacked;
  if (packs > 1 && rows >= kLong) {
    tbb::parallel_for(Eigen::Index(0), packs, one);
  } else {
    for (Eigen::Index pack = 0; pack < packs; ++pack) one(pack);
  }
}

void for_each_pack(const PackedColumns& X, const std::function<void(Eigen::Index)>& act) {
  for_each_block(X.rows(), X.cols(),
                 [&](Eigen::Index first, Eigen::Index) { act(first / kPacked); });
}

// NOLINTNEXTLINE(performance-unnecessary-value-param): a view, and written through
void change_in_blocks(Eigen::Ref<Eigen::MatrixXd> X, const std::function<void(ColumnBlock&)>& act) {
  for_each_block(X.rows(), X.cols(), [&](Eigen::Index first, Eigen::Index width) {
    ColumnBlock pack(X, first, width);
    act(pack);
    pack.copy_to(X, first, width);
  });
}

}  // namespace ulterix
