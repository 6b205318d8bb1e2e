#pragma once

#include <Eigen/Core>
#include <functional>

#include "core/sparse/factorisation.hpp"

namespace ulterix {

/// Vectors φ with φᵀKφ <= kNoStrain·φᵀDφ: motions that strain nothing. `scale`: D, the diagonal of
/// K by node (size n, never zero); `product`: K·X, to more digits than the matrix that is
/// factorised has, since what tells a mechanism from a soft frame lies below its rounding. Found by
/// shifted block inverse iteration with a fixed start; columns are reduced so that each has a 1
/// where the others have 0, which parts independent mechanisms. Empty if K holds.
Eigen::MatrixXd null_space(const SymmetricPattern& pattern, const std::vector<double>& values,
                           const Eigen::VectorXd& scale,
                           const std::function<Eigen::MatrixXd(const Eigen::MatrixXd&)>& product);

/// A factor of K + shift·D with the smallest shift that makes it positive definite, for a K that
/// rounding has made indefinite; false if there is none up to 1e-6.
bool factorise_shifted(const SymmetricPattern& pattern, const std::vector<double>& values,
                       const Eigen::VectorXd& scale, Factorisation& factor);

/// The exact bound above: strain energy over φᵀDφ. A mechanism's is the square of rounding, 1e-30;
/// a cantilever of 10 000 pieces has 1e-17, one on a stub of 1/50 000 of its length 1e-15.
inline constexpr double kNoStrain = 1e-24;

}  // namespace ulterix
