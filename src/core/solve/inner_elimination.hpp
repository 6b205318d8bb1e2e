#pragma once

#include <Eigen/Core>
#include <functional>
#include <vector>

#include "core/system/pattern.hpp"

namespace ulterix {

/// K·x = b with the first unknowns, of inner nodes of members, eliminated before the rest. They
/// fall into one small group a member, which is coupled to the unknowns of its two ends alone, so
/// that what is left (the Schur complement) lives on the pattern of the unsplit frame. K may be
/// indefinite.
class InnerElimination {
 public:
  /// The first `inner` unknowns of the pattern.
  InnerElimination(const SymmetricPattern& pattern, const std::vector<double>& values, int inner);

  /// False: some group is singular, and nothing below can be asked for.
  bool regular() const { return regular_; }
  /// Negative eigenvalues of the eliminated part.
  int negative() const { return negative_; }
  /// False: a member is unstable between its ends.
  bool definite() const { return regular_ && negative_ == 0; }

  /// The same of other values, without anything else being made of them.
  static bool definite(const SymmetricPattern& pattern, const std::vector<double>& values,
                       int inner);

  /// The Schur complement, on the pattern of the unknowns left. `pattern` and `values` as before.
  std::vector<double> rest(const SymmetricPattern& pattern, const std::vector<double>& values,
                           const SymmetricPattern& outer) const;

  /// K⁻¹ of a pack, in place; `solve_rest` does the same for the Schur complement, whose rows are
  /// the last.
  void solve_pack(double* rows, const std::function<void(double*)>& solve_rest) const;

  /// Less what the rows of the rest, which come last, bring the first rows to: from 0, a solution
  /// of the rows of inner nodes that is free of forces there.
  void follow(double* rows) const;

 private:
  struct Group {
    int first = 0, negative = 0;
    std::vector<int> ends;     ///< unknowns left that it is coupled to, from 0
    Eigen::MatrixXd coupling;  ///< Kir
    Eigen::MatrixXd inverse;   ///< Kii⁻¹; empty if it is singular
    Eigen::MatrixXd follows;   ///< Kii⁻¹·Kir
  };
  static Group make_group(const SymmetricPattern& pattern, const std::vector<double>& values,
                          int inner, int from, int to);

  int inner_;
  std::vector<Group> groups_;
  bool regular_ = true;
  int negative_ = 0;
};

}  // namespace ulterix
