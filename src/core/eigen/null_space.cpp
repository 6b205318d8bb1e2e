#include "core/eigen/null_space.hpp"

#include <algorithm>
#include <random>

#include "core/dense/orthogonal.hpp"
#include "core/dense/symmetric_eigen.hpp"

namespace ulterix {

namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

/// Shifts that are tried, from the smallest that rounding may leave positive definite.
constexpr double kLeastShift = 1e-14, kMostShift = 1e-6;
constexpr int kRounds = 8;

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

using Product = std::function<MatrixXd(const MatrixXd&)>;

/// The strainless part of the span found with a block of the given width, scaled by D^½.
MatrixXd strainless(const Factorisation& shifted, const VectorXd& root, const Product& product,
                    Eigen::Index width) {
  MatrixXd X = orthonormal_columns(random_block(root.size(), width));
  for (int round = 0; round < kRounds; ++round) {
    MatrixXd Y = root.asDiagonal() * X;
    shifted.solve(Y);
    X = orthonormal_columns(root.asDiagonal() * Y);
  }
  const MatrixXd physical = root.cwiseInverse().asDiagonal() * X;
  const MatrixXd small = physical.transpose() * product(physical);
  const MatrixXd turned = symmetric_eigen((small + small.transpose()) / 2).vectors;
  // The small matrix has rounding of its own: the energy of each vector is made anew.
  const MatrixXd ritz = root.cwiseInverse().asDiagonal() * (X * turned);
  const MatrixXd forces = product(ritz);
  std::vector<Eigen::Index> kept;
  for (Eigen::Index i = 0; i < width; ++i) {
    if (std::abs(ritz.col(i).dot(forces.col(i))) <= kNoStrain) kept.push_back(i);
  }
  MatrixXd found(root.size(), static_cast<Eigen::Index>(kept.size()));
  for (std::size_t k = 0; k < kept.size(); ++k) {
    found.col(static_cast<Eigen::Index>(k)) = X * turned.col(kept[k]);
  }
  return found;
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

bool factorise_shifted(const SymmetricPattern& pattern, const std::vector<double>& values,
                       const VectorXd& scale, Factorisation& factor) {
  for (double shift = kLeastShift; shift <= kMostShift; shift *= 10) {
    std::vector<double> shifted = values;
    for (int j = 0; j < pattern.size; ++j) {
      shifted[static_cast<std::size_t>(pattern.column_start[static_cast<std::size_t>(j)])] +=
          shift * scale[j];
    }
    if (factor.factorise(shifted) == FactorStatus::positive_definite) return true;
  }
  return false;
}

MatrixXd null_space(const SymmetricPattern& pattern, const std::vector<double>& values,
                    const VectorXd& scale, const Product& product) {
  const Eigen::Index n = pattern.size;
  Factorisation shifted(pattern);
  if (!factorise_shifted(pattern, values, scale, shifted)) return MatrixXd(n, 0);
  const VectorXd root = scale.cwiseSqrt();
  MatrixXd Z;
  for (Eigen::Index width = std::min<Eigen::Index>(8, n);; width = std::min(2 * width, n)) {
    Z = strainless(shifted, root, product, width);
    if (Z.cols() < width || width == n) break;
  }
  reduce(Z);
  return root.cwiseInverse().asDiagonal() * Z;
}

}  // namespace ulterix
