#pragma once

#include <Eigen/Core>

namespace ulterix {

/// Aᵀ·B with the first `columns` columns of A. For A tall and B tall and thin: BLAS spends most of
/// its time there on copying A.
Eigen::MatrixXd tall_inner(const Eigen::MatrixXd& A, Eigen::Index columns,
                           const Eigen::MatrixXd& B);

/// W −= A·c with the columns of A from `first` on, as many as c has rows.
void tall_subtract(const Eigen::MatrixXd& A, Eigen::Index first, const Eigen::MatrixXd& c,
                   Eigen::MatrixXd& W);

/// Eight columns packed row by row, a row of them one vector: what the products above work on.
inline constexpr Eigen::Index kPacked = 8;
/// So many packed rows at a time stay in cache.
inline constexpr Eigen::Index kPackedRows = 128;

/// sums (columns x 8) += Aᵀ·packed over `rows` rows; A by columns, `stride` apart.
void add_inner(const double* A, Eigen::Index stride, Eigen::Index columns, const double* packed,
               Eigen::Index rows, double* sums);

/// packed −= A·c over `rows` rows; c: columns x 8, by rows.
void take_product(const double* A, Eigen::Index stride, Eigen::Index columns, const double* c,
                  Eigen::Index rows, double* packed);

}  // namespace ulterix
