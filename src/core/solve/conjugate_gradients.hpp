#pragma once

#include "core/solve/factorisation.hpp"

namespace ulterix {

enum class CgEnd {
  converged,
  negative_curvature,  ///< a direction with xᵀKx <= 0: K is not positive definite
  iteration_limit
};

struct CgOptions {
  int iterations = 60;
  /// ‖b − K·x‖ <= tolerance·‖b‖ in the norm of the preconditioner's inverse.
  double tolerance = 1e-11;
};

/// Solves K·x = b by conjugate gradients, preconditioned with the factorisation of a matrix near K.
/// `x` holds the start and the answer. Convergence says nothing about definiteness: a symmetric
/// load never meets an antisymmetric negative mode.
CgEnd conjugate_gradients(const SymmetricPattern& pattern, const std::vector<double>& values,
                          const Factorisation& preconditioner, const VectorXd& b, VectorXd& x,
                          const CgOptions& options = {});

}  // namespace ulterix
