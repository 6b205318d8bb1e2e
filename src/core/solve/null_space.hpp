#pragma once

#include <Eigen/Core>

#include "core/solve/factorisation.hpp"

namespace ulterix {

/// Motions that strain nothing: vectors φ with φᵀKφ <= kNoStrain·φᵀDφ, D the diagonal of K by node
/// (never zero). Found by shifted block inverse iteration with a fixed start; columns are reduced
/// so that each has a 1 where the others have 0, which parts independent mechanisms. `scale`: the
/// diagonal D (size n). Empty if K holds.
Eigen::MatrixXd null_space(const SymmetricPattern& pattern, const std::vector<double>& values,
                           const Eigen::VectorXd& scale);

/// The exact bound above: strain energy over φᵀDφ.
inline constexpr double kNoStrain = 1e-13;

}  // namespace ulterix
