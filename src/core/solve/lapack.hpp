#pragma once

#include <cblas.h>

// LAPACK inside OpenBLAS, whose C header lacks the factorisations.
extern "C" {
void dpotrf_(const char* uplo, const int* n, double* a, const int* lda, int* info);
void spotrf_(const char* uplo, const int* n, float* a, const int* lda, int* info);
void dpotri_(const char* uplo, const int* n, double* a, const int* lda, int* info);
void dsytrf_(const char* uplo, const int* n, double* a, const int* lda, int* pivots, double* work,
             const int* work_size, int* info);
void ssytrf_(const char* uplo, const int* n, float* a, const int* lda, int* pivots, float* work,
             const int* work_size, int* info);
void dsytri_(const char* uplo, const int* n, double* a, const int* lda, const int* pivots,
             double* work, int* info);
void ssytri_(const char* uplo, const int* n, float* a, const int* lda, const int* pivots,
             float* work, int* info);
}

namespace ulterix {

/// BLAS and LAPACK for numbers of either size; matrices by columns.
template <class Number>
struct Lapack;

template <>
struct Lapack<double> {
  static constexpr auto gemm = cblas_dgemm;
  static constexpr auto trsm = cblas_dtrsm;
  static constexpr auto potrf = dpotrf_;
  static constexpr auto sytrf = dsytrf_;
  static constexpr auto sytri = dsytri_;
};

template <>
struct Lapack<float> {
  static constexpr auto gemm = cblas_sgemm;
  static constexpr auto trsm = cblas_strsm;
  static constexpr auto potrf = spotrf_;
  static constexpr auto sytrf = ssytrf_;
  static constexpr auto sytri = ssytri_;
};

}  // namespace ulterix
