#pragma once

#include <Eigen/Core>
#include <memory>
#include <optional>
#include <vector>

#include "core/sparse/factor_structure.hpp"

namespace ulterix {

/// LDLᵀ of a symmetric matrix that may be indefinite, on the blocks that CHOLMOD's analysis of the
/// pattern finds: the signs of its eigenvalues, and solutions.
class IndefiniteFactor {
 public:
  /// Empty where a pivot vanished or entries grew too large.
  static std::optional<IndefiniteFactor> make(std::shared_ptr<const FactorStructure> structure,
                                              const std::vector<double>& values);
  static std::optional<IndefiniteFactor> make(const SymmetricPattern& pattern,
                                              const std::vector<double>& values);
  ~IndefiniteFactor();
  IndefiniteFactor(IndefiniteFactor&&) noexcept;
  IndefiniteFactor& operator=(IndefiniteFactor&&) noexcept;

  int negative_eigenvalues() const;
  /// X = K⁻¹·X, columns are right sides.
  void solve(Eigen::Ref<Eigen::MatrixXd> X) const;
  /// The same for a pack, in place.
  void solve_pack(double* rows) const;

 private:
  struct Impl;
  explicit IndefiniteFactor(std::unique_ptr<Impl> impl);
  std::unique_ptr<Impl> impl_;
};

/// Number of negative eigenvalues of a symmetric matrix, by the signs of the pivots of LDLᵀ
/// (Sylvester); nothing of the factor is kept. Empty where a pivot vanished: not known.
std::optional<int> negative_eigenvalues(const FactorStructure& structure,
                                        const std::vector<double>& values);

}  // namespace ulterix
