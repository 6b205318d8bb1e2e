#pragma once

#include "core/sparse/column_block.hpp"

namespace ulterix {

/// Entries of −0.5 .. 0.5, the same for the same seed.
Eigen::MatrixXd random_block(Eigen::Index rows, Eigen::Index columns, unsigned seed);

// Products of tall matrices with thin ones, on which BLAS spends most of its time copying.

/// Aᵀ·B with the first `columns` columns of A.
Eigen::MatrixXd tall_inner(const Eigen::MatrixXd& A, Eigen::Index columns, const PackedColumns& B);
Eigen::MatrixXd tall_inner(const PackedColumns& A, const PackedColumns& B);

/// A·c with the leading columns of A, as many as c has rows.
PackedColumns tall_product(const Eigen::MatrixXd& A, const Eigen::MatrixXd& c);
PackedColumns tall_product(const PackedColumns& A, const Eigen::MatrixXd& c);

/// W −= A·c with the columns of A from `first` on, as many as c has rows.
void tall_subtract(const Eigen::MatrixXd& A, Eigen::Index first, const Eigen::MatrixXd& c,
                   PackedColumns& W);

}  // namespace ulterix
