#pragma once

#include <Eigen/Core>
#include <cmath>

#include "core/sparse/lapack.hpp"

namespace ulterix {

/// True if the products and factorisations that the solver uses give what plain loops give on a
/// fixed matrix of 53 rows, to 1e-10; takes less than a millisecond. Builds of OpenBLAS are known
/// to compute wrong on processors that are newer than they.
template <class Library = Lapack>
class BlasCheck {
 public:
  bool passes() { return products() && definite() && indefinite(); }

 private:
  using MatrixXd = Eigen::MatrixXd;
  static constexpr int kRows = 53;

  static MatrixXd fixed(unsigned seed) {
    MatrixXd A(kRows, kRows);
    for (int j = 0; j < kRows; ++j) {
      for (int i = 0; i < kRows; ++i) {
        seed = seed * 1664525U + 1013904223U;
        A(i, j) = double(seed >> 8) / 16777216.0 - 0.5;
      }
    }
    return A;
  }

  /// Without any library.
  static MatrixXd by_loops(const MatrixXd& A, const MatrixXd& B) {
    MatrixXd C = MatrixXd::Zero(A.rows(), B.cols());
    for (int j = 0; j < C.cols(); ++j) {
      for (int k = 0; k < A.cols(); ++k) {
        for (int i = 0; i < C.rows(); ++i) C(i, j) += A(i, k) * B(k, j);
      }
    }
    return C;
  }

  static bool same(const MatrixXd& A, const MatrixXd& B) {
    return (A - B).cwiseAbs().maxCoeff() <= 1e-10 * B.cwiseAbs().maxCoeff();  // false for NaN
  }

  static MatrixXd both_triangles(MatrixXd A) {
    for (int j = 0; j < A.cols(); ++j) {
      for (int i = 0; i < j; ++i) A(i, j) = A(j, i);
    }
    return A;
  }

  bool products() const {
    const MatrixXd A = fixed(1), B = fixed(2);
    MatrixXd C = MatrixXd::Zero(kRows, kRows), D = C;
    Library::gemm(CblasColMajor, CblasNoTrans, CblasNoTrans, kRows, kRows, kRows, 1, A.data(),
                  kRows, B.data(), kRows, 0, C.data(), kRows);
    Library::gemm(CblasColMajor, CblasNoTrans, CblasTrans, kRows, kRows, kRows, -1, A.data(), kRows,
                  B.data(), kRows, 1, D.data(), kRows);
    return same(C, by_loops(A, B)) && same(-D, by_loops(A, B.transpose()));
  }

  bool definite() const {
    const MatrixXd A = fixed(3), I = MatrixXd::Identity(kRows, kRows);
    const MatrixXd S = by_loops(A, A.transpose()) + I;
    MatrixXd L = S, X = fixed(4);
    const int n = kRows;
    int info = 0;
    Library::potrf("L", &n, L.data(), &n, &info);
    if (info != 0) return false;
    const MatrixXd lower = L.template triangularView<Eigen::Lower>();
    Library::trsm(CblasColMajor, CblasLeft, CblasLower, CblasNoTrans, CblasNonUnit, kRows, kRows, 1,
                  L.data(), kRows, X.data(), kRows);
    return same(by_loops(lower, lower.transpose()), S) && same(by_loops(lower, X), fixed(4));
  }

  bool indefinite() const {
    const MatrixXd A = fixed(5);
    const MatrixXd S = A + A.transpose();
    MatrixXd F = S;
    Eigen::VectorXi pivots(kRows);
    const int n = kRows, size = 64 * kRows;
    Eigen::VectorXd work(size);
    int info = 0;
    Library::sytrf("L", &n, F.data(), &n, pivots.data(), work.data(), &size, &info);
    if (info != 0) return false;
    Library::sytri("L", &n, F.data(), &n, pivots.data(), work.data(), &info);
    return info == 0 && same(by_loops(S, both_triangles(F)), MatrixXd::Identity(kRows, kRows));
  }
};

}  // namespace ulterix
