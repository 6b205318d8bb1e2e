#include "core/solve/null_space.hpp"

#include <Eigen/Eigenvalues>
#include <Eigen/QR>
#include <algorithm>
#include <random>

namespace ulterix {

namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

/// K + shift·D is positive definite and safely factorised, and K's own modes stand out after a few
/// rounds.
constexpr double kShift = 1e-8;
constexpr int kRounds = 4;

MatrixXd random_block(Eigen::Index rows, Eigen::Index columns) {
  std::mt19937_64 random(20260101);
  MatrixXd block(rows, columns);
  for (Eigen::Index j = 0; j < columns; ++j) {
    for (Eigen::Index i = 0; i < rows; ++i) {
      block(i, j) = static_cast<double>(random() >> 11) / 9007199254740992.0 - 0.5;
    }
  }
  return block;
}

MatrixXd orthonormal(const MatrixXd& X) {
  const Eigen::HouseholderQR<MatrixXd> qr(X);
  return qr.householderQ() * MatrixXd::Identity(X.rows(), X.cols());
}

/// The strainless part of the span found with a block of the given width, scaled by D^½.
MatrixXd strainless(const SymmetricPattern& pattern, const std::vector<double>& values,
                    const Factorisation& shifted, const VectorXd& root, Eigen::Index width) {
  MatrixXd X = orthonormal(random_block(pattern.size, width));
  for (int round = 0; round < kRounds; ++round) {
    MatrixXd Y = root.asDiagonal() * X;
    shifted.solve(Y);
    X = orthonormal(root.asDiagonal() * Y);
  }
  MatrixXd KX(pattern.size, width);
  const MatrixXd physical = root.cwiseInverse().asDiagonal() * X;
  for (Eigen::Index j = 0; j < width; ++j) KX.col(j) = multiply(pattern, values, physical.col(j));
  const MatrixXd small = physical.transpose() * KX;
  const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen((small + small.transpose()) / 2);
  const auto strainless = (eigen.eigenvalues().array() <= kNoStrain).count();
  return X * eigen.eigenvectors().leftCols(strainless);
}

/// Reduced echelon form with complete pivoting: each column alone at its pivot.
void reduce(MatrixXd& Z) {
  std::vector<bool> used(static_cast<std::size_t>(Z.rows()), false);
  for (Eigen::Index done = 0; done < Z.cols(); ++done) {
    Eigen::Index row = 0, column = done;
    double best = 0;
    for (Eigen::Index j = done; j < Z.cols(); ++j) {
      for (Eigen::Index i = 0; i < Z.rows(); ++i) {
        // A little reluctance keeps the first of equals, whatever the rounding.
        if (!used[static_cast<std::size_t>(i)] && std::abs(Z(i, j)) > best * (1 + 1e-9)) {
          best = std::abs(Z(i, j));
          row = i;
          column = j;
        }
      }
    }
    Z.col(done).swap(Z.col(column));
    used[static_cast<std::size_t>(row)] = true;
    Z.col(done) /= Z(row, done);
    for (Eigen::Index j = 0; j < Z.cols(); ++j) {
      if (j != done) Z.col(j) -= Z(row, j) * Z.col(done);
    }
  }
}

}  // namespace

MatrixXd null_space(const SymmetricPattern& pattern, const std::vector<double>& values,
                    const VectorXd& scale) {
  const Eigen::Index n = pattern.size;
  std::vector<double> shifted_values = values;
  for (int j = 0; j < pattern.size; ++j) {
    shifted_values[static_cast<std::size_t>(pattern.column_start[static_cast<std::size_t>(j)])] +=
        kShift * scale[j];
  }
  Factorisation shifted(pattern);
  if (shifted.factorise(shifted_values) != FactorStatus::positive_definite) return MatrixXd(n, 0);
  const VectorXd root = scale.cwiseSqrt();
  MatrixXd Z;
  for (Eigen::Index width = std::min<Eigen::Index>(8, n);; width = std::min(2 * width, n)) {
    Z = strainless(pattern, values, shifted, root, width);
    if (Z.cols() < width || width == n) break;
  }
  reduce(Z);
  return root.cwiseInverse().asDiagonal() * Z;
}

}  // namespace ulterix
