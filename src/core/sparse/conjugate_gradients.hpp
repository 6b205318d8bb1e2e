#pragma once

#include <functional>

#include "core/sparse/factorisation.hpp"

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

/// What takes the place of K⁻¹.
using Preconditioner = std::function<VectorXd(const VectorXd&)>;

/// The factorisation of a matrix near K, which has to outlive the result.
Preconditioner inverse_of(const Factorisation& factor);
/// 1 over the diagonal of K; nothing where that is 0.
Preconditioner inverse_diagonal(const SymmetricPattern& pattern, const std::vector<double>& values);

/// x -> K·x.
using LinearOperator = std::function<VectorXd(const VectorXd&)>;

/// The same for a matrix that is given by its products.
CgEnd conjugate_gradients(const LinearOperator& multiply_by, const Preconditioner& precondition,
                          const VectorXd& b, VectorXd& x, const CgOptions& options = {});

/// Solves K·x = b by conjugate gradients. `x` holds the start and the answer. Convergence says
/// nothing about definiteness: a symmetric load never meets an antisymmetric negative mode.
CgEnd conjugate_gradients(const SymmetricPattern& pattern, const std::vector<double>& values,
                          const Preconditioner& precondition, const VectorXd& b, VectorXd& x,
                          const CgOptions& options = {});

}  // namespace ulterix
