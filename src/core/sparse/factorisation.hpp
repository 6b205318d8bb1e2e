#pragma once

#include <Eigen/Core>
#include <memory>
#include <vector>

#include "core/sparse/factor_structure.hpp"

namespace ulterix {

enum class FactorStatus { positive_definite, not_positive_definite, not_finite };

/// Sparse symmetric factorisation (CHOLMOD; large ones on all cores) of matrices that share one
/// pattern, which is already in elimination order. Many right sides at a time.
class Factorisation {
 public:
  explicit Factorisation(const SymmetricPattern& pattern);
  explicit Factorisation(std::shared_ptr<const FactorStructure> structure);
  ~Factorisation();
  Factorisation(Factorisation&&) noexcept;
  Factorisation& operator=(Factorisation&&) noexcept;

  /// LLᵀ of the matrix. Positive definite means: every pivot was positive, no negative eigenvalue.
  [[nodiscard]] FactorStatus factorise(const std::vector<double>& values);

  /// Smallest pivot as a fraction of its diagonal entry. Near 1e-16 the matrix is singular.
  double smallest_pivot() const;

  /// X = K⁻¹·X, columns are right sides. Precondition: the last factorise was positive definite.
  void solve(Eigen::Ref<Eigen::MatrixXd> X) const;
  /// The same for a pack, in place; from several threads at once where there are several packs.
  void solve_pack(double* rows) const;

  double flops() const;  ///< of one factorisation

  /// For other matrices of the pattern.
  const std::shared_ptr<const FactorStructure>& structure() const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

}  // namespace ulterix
