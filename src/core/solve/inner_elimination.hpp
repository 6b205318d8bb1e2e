#pragma once

#include <Eigen/Core>
#include <functional>
#include <memory>
#include <vector>

#include "core/solve/factorisation.hpp"

namespace ulterix {

/// K·x = b with the first unknowns, of inner nodes of members, eliminated before the rest, whose
/// factorisation is there already: it is that of K without the inner unknowns (its Schur
/// complement). The inner block falls into one small part a member.
class InnerElimination {
 public:
  /// The first `inner` unknowns of the pattern.
  InnerElimination(const SymmetricPattern& pattern, const std::vector<double>& values, int inner);

  /// False: a member is unstable between its ends.
  bool definite() const { return definite_; }

  /// X = K⁻¹·X, columns are right sides; `solve_rest` does the same for the unknowns left.
  void solve(Eigen::MatrixXd& X, const std::function<void(Eigen::MatrixXd&)>& solve_rest) const;

 private:
  Eigen::MatrixXd to_inner(const Eigen::MatrixXd& rest) const;                     ///< Kir·x
  void take_from_rest(const Eigen::MatrixXd& inner, Eigen::MatrixXd& rest) const;  ///< −= Kri·y

  int inner_, rest_;
  /// Columns of Kri, by the inner unknown.
  std::vector<std::int64_t> column_start_ = {0}, rows_;
  std::vector<double> coupling_;
  std::unique_ptr<SymmetricPattern> pattern_;
  std::unique_ptr<Factorisation> factor_;
  bool definite_ = true;
};

}  // namespace ulterix
