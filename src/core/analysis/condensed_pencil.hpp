#pragma once

#include "core/analysis/eigen_frame.hpp"

namespace ulterix {

/// B·x = θ·K·x without the inner nodes of members. What is left of K − λB without them, S(λ), is no
/// straight line: it falls ever faster. N − λD is the line through S at two values of λ. As many of
/// its factors as of the frame are below each of the two, and between them they are nearly those of
/// the frame.
class CondensedPencil {
 public:
  /// `from` and `to` belong to two different λ, of which both have stable members between the nodes
  /// of the frame.
  CondensedPencil(const EigenFrame& frame, double lambda_from, Condensed from, double lambda_to,
                  Condensed to);

  /// N and D on the pattern of the unsplit frame.
  Pencil pencil() const { return {*outer_, N_, D_}; }

  /// Vectors of the split frame, with each inner node where the forces on it balance at the
  /// column's own λ (between the two values, in a straight line again).
  Eigen::MatrixXd expanded(const Eigen::MatrixXd& X, const VectorXd& lambdas) const;

 private:
  const SymmetricPattern* outer_;
  int inner_size_;
  double lambda_from_, lambda_to_;
  std::shared_ptr<const InnerElimination> from_, to_;
  std::vector<double> N_, D_;
};

}  // namespace ulterix
