#pragma once

#include "core/solve/block_lanczos.hpp"

namespace ulterix {

/// B·x = θ·K·x with K positive definite, and what solves near the θ that matter.
struct NearProblem {
  using MatrixXd = Eigen::MatrixXd;
  int size = 0;
  std::function<MatrixXd(const MatrixXd&)> multiply_K, multiply_B;
  double shift = 0;  ///< σ
  /// X = (K − σB)⁻¹·X, or nearly: what it is off by takes more steps.
  std::function<void(MatrixXd&)> solve;
};

/// The largest θ in the span of `start`, which grows by d = (K − σB)⁻¹·(K·x − B·x/θ) of the x in it
/// that are not good enough (generalised Davidson: Morgan & Scott 1986). θ comes from below. The
/// tolerance is for d in the norm of K, where x has length 1, before the last step, which divides
/// it by ten or so; residuals are those, times θ (θ where there was no step).
/// With a shift, `wanted.count` is the number of pairs with σθ > 1: where some do not show, random
/// vectors look for them.
EigenPairs davidson(const NearProblem& problem, const Eigen::MatrixXd& start,
                    const PairsWanted& wanted);

}  // namespace ulterix
