#pragma once

#include "core/sparse/column_block.hpp"

namespace ulterix {

/// Entries of −0.5 .. 0.5, the same for the same seed.
Eigen::MatrixXd random_block(Eigen::Index rows, Eigen::Index columns, unsigned seed);

/// Aᵀ·B with the first `columns` columns of A. For A tall and B tall and thin: BLAS spends most of
/// its time there on copying A.
Eigen::MatrixXd tall_inner(const Eigen::MatrixXd& A, Eigen::Index columns,
                           const Eigen::MatrixXd& B);

/// A·c with the leading columns of A, as many as c has rows.
Eigen::MatrixXd tall_product(const Eigen::MatrixXd& A, const Eigen::MatrixXd& c);

/// W −= A·c with the columns of A from `first` on, as many as c has rows.
void tall_subtract(const Eigen::MatrixXd& A, Eigen::Index first, const Eigen::MatrixXd& c,
                   Eigen::MatrixXd& W);

}  // namespace ulterix
