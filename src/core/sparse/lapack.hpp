#pragma once

#include <cblas.h>

// LAPACK inside OpenBLAS, whose C header lacks the factorisations.
extern "C" {
void dpotrf_(const char* uplo, const int* n, double* a, const int* lda, int* info);
void dpotri_(const char* uplo, const int* n, double* a, const int* lda, int* info);
void dsytrf_(const char* uplo, const int* n, double* a, const int* lda, int* pivots, double* work,
             const int* work_size, int* info);
void dsytri_(const char* uplo, const int* n, double* a, const int* lda, const int* pivots,
             double* work, int* info);
void dsyevd_(const char* job, const char* uplo, const int* n, double* a, const int* lda,
             double* values, double* work, const int* work_size, int* integers,
             const int* integers_size, int* info);
}

namespace ulterix {

/// BLAS and LAPACK; matrices by columns.
struct Lapack {
  static constexpr auto gemm = cblas_dgemm;
  static constexpr auto trsm = cblas_dtrsm;
  static constexpr auto potrf = dpotrf_;
  static constexpr auto sytrf = dsytrf_;
  static constexpr auto sytri = dsytri_;
  static constexpr auto syevd = dsyevd_;
};

}  // namespace ulterix
