#pragma once

// LAPACK inside OpenBLAS, whose C header lacks the factorisations.
extern "C" {
void dpotrf_(const char* uplo, const int* n, double* a, const int* lda, int* info);
void dpotri_(const char* uplo, const int* n, double* a, const int* lda, int* info);
void dsytrf_(const char* uplo, const int* n, double* a, const int* lda, int* pivots, double* work,
             const int* work_size, int* info);
void dsytri_(const char* uplo, const int* n, double* a, const int* lda, const int* pivots,
             double* work, int* info);
}
