#pragma once

#include <Eigen/Core>
#include <functional>
#include <memory>
#include <vector>

#include "core/sparse/column_block.hpp"

namespace ulterix {

/// A·x = θ·x with A symmetric in the inner product of K, which is positive definite.
struct EigenProblem {
  /// Columns W with K·W.
  struct Block {
    PackedColumns W, KW;
  };
  int size = 0;
  std::function<PackedColumns(const PackedColumns&)> multiply_K;
  /// A·X and K·A·X.
  std::function<Block(const PackedColumns& X)> apply;
};

struct LanczosOptions {
  int block = 8;  ///< at least the multiplicity of any eigenvalue
  int most_vectors = 600;
  /// Vectors that are not to be found again, K-orthonormal.
  Eigen::MatrixXd known;
  /// The first block comes from these instead of from random vectors; may be empty.
  Eigen::MatrixXd start;
  /// The start vectors are the first block themselves: A reaches all of them.
  bool start_reached = false;
};

/// What is asked for.
struct PairsWanted {
  int count = 10;  ///< largest algebraic θ
  int guards = 0;  ///< further pairs, to kGuardTolerance at best: what comes next
  int extra = 0;   ///< and after them as many as there are, however good
  /// ‖A·x − θ·x‖ <= tolerance·|θ| in the norm of K; θ is then good to the square of it. 0: all of
  /// most_vectors are taken, and whatever they give.
  double tolerance = 1e-8;
  int most_vectors = 1 << 30;  ///< ends there even so
};

inline constexpr double kGuardTolerance = 1e-3;

struct EigenPairs {
  Eigen::VectorXd theta;      ///< falling
  Eigen::MatrixXd vectors;    ///< K-orthonormal columns
  Eigen::VectorXd residuals;  ///< as bounded by the tolerance
  bool converged = false;
  double lowest_theta = 0;  ///< the smallest algebraic Ritz value: below 0 if A is indefinite
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

  /// Goes on with the vectors that are there already. Fewer pairs than wanted where A has no more
  /// positive eigenvalues.
  EigenPairs find(const PairsWanted& wanted);

 private:
  struct Basis;
  std::unique_ptr<Basis> basis_;
};

/// Both sets of pairs in one, θ falling.
EigenPairs joined(const EigenPairs& a, const EigenPairs& b);

}  // namespace ulterix
