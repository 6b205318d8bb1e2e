#pragma once

#include <Eigen/Core>
#include <functional>
#include <memory>
#include <vector>

#include "core/solve/factorisation.hpp"

namespace ulterix {

/// B·x = θ·K·x with K positive definite and factorised, B symmetric: vibration with B = M and
/// θ = 1/ω², buckling with B = −Kg and θ = 1/λ.
struct EigenProblem {
  int size = 0;
  std::function<Eigen::MatrixXd(const Eigen::MatrixXd&)> multiply_B;
  std::function<Eigen::MatrixXd(const Eigen::MatrixXd&)> multiply_K;
  std::function<Eigen::MatrixXd(const Eigen::MatrixXd&)> solve_K;
};

struct LanczosOptions {
  int block = 8;  ///< at least the multiplicity of any eigenvalue
  int most_vectors = 600;
  /// Vectors that are not to be found again, K-orthonormal.
  Eigen::MatrixXd known;
};

/// What is asked for.
struct PairsWanted {
  int count = 10;  ///< largest algebraic θ
  int guards = 0;  ///< further pairs, to kGuardTolerance only: what comes next
  /// ‖K⁻¹·B·x − θ·x‖ <= tolerance·|θ| in the norm of K; θ is then good to the square of it.
  double tolerance = 1e-8;
  int most_vectors = 1 << 30;  ///< ends there even so
};

inline constexpr double kGuardTolerance = 1e-3;

struct EigenPairs {
  Eigen::VectorXd theta;      ///< falling
  Eigen::MatrixXd vectors;    ///< K-orthonormal columns
  Eigen::VectorXd residuals;  ///< as bounded by the tolerance
  bool converged = false;
  double lowest_theta = 0;  ///< the smallest algebraic Ritz value: below 0 if B is indefinite
  int vectors_used = 0;
};

/// Block Lanczos in the inner product of K with full reorthogonalisation (Golub & Underwood 1977;
/// Grimes, Lewis & Simon 1994). Start vectors are fixed, so the same problem gives the same digits.
class BlockLanczos {
 public:
  explicit BlockLanczos(EigenProblem problem, LanczosOptions options = {});
  ~BlockLanczos();
  BlockLanczos(BlockLanczos&&) noexcept;
  BlockLanczos& operator=(BlockLanczos&&) noexcept;

  /// Goes on with the vectors that are there already. Fewer pairs than wanted where B has no more
  /// positive eigenvalues.
  EigenPairs find(const PairsWanted& wanted);

 private:
  struct Basis;
  std::unique_ptr<Basis> basis_;
};

/// Both sets of pairs in one, θ falling.
EigenPairs joined(const EigenPairs& a, const EigenPairs& b);

}  // namespace ulterix
