#pragma once

#include <Eigen/Core>
#include <memory>
#include <optional>
#include <vector>

#include "core/sparse/symmetric_pattern.hpp"

namespace ulterix {

struct Analysis;

/// LDLᵀ of a symmetric matrix that may be indefinite, on the blocks that CHOLMOD's analysis of the
/// pattern finds: the signs of its eigenvalues, and solutions.
class IndefiniteFactor {
 public:
  /// Empty where a pivot vanished or entries grew too large. `analysis`: of the pattern, where
  /// there is one.
  static std::optional<IndefiniteFactor> make(const SymmetricPattern& pattern,
                                              const std::vector<double>& values,
                                              std::shared_ptr<const Analysis> analysis = nullptr);
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
std::optional<int> negative_eigenvalues(const SymmetricPattern& pattern,
                                        const std::vector<double>& values,
                                        std::shared_ptr<const Analysis> analysis = nullptr);

}  // namespace ulterix
