#pragma once

#include <cstdint>

#include "core/sparse/column_block.hpp"

namespace ulterix {

// Inner loops on eight columns that lie row by row, compiled for the vector units there are.

/// So many packed rows at a time stay in cache.
inline constexpr Eigen::Index kPackedRows = 1024;

/// sums (columns x kPacked) += Aᵀ·packed over `rows` rows; A by columns, `stride` apart.
void add_inner(const double* A, Eigen::Index stride, Eigen::Index columns, const double* packed,
               Eigen::Index rows, double* sums);

/// packed −= A·c over `rows` rows; c: columns x kPacked, by rows.
void take_product(const double* A, Eigen::Index stride, Eigen::Index columns, const double* c,
                  Eigen::Index rows, double* packed);

/// The same two for A with at most eight columns that is packed itself.
void add_packed_inner(const double* A, Eigen::Index columns, const double* packed,
                      Eigen::Index rows, double* sums);
void take_packed_product(const double* A, Eigen::Index columns, const double* c, Eigen::Index rows,
                         double* packed);

/// y = K·x for K by its lower triangle as in a SymmetricPattern; x and y have `size` packed rows.
void multiply_symmetric(const std::int64_t* column_start, const std::int64_t* rows,
                        const double* values, Eigen::Index size, const double* x, double* y);

/// y += K·x for a K of which so many columns from `first` on are given, their rows on and below the
/// diagonal or before `first`.
void add_symmetric(const std::int64_t* column_start, const std::int64_t* rows, const double* values,
                   Eigen::Index first, Eigen::Index columns, const double* x, double* y);

}  // namespace ulterix
