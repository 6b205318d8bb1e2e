#include "core/analysis/condensed_pencil.hpp"

#include <algorithm>

namespace ulterix {

namespace {

/// Inner nodes where the rest, given, brings them.
Pack followed(const InnerElimination& inner, Eigen::Index inner_size, const Pack& rest) {
  Pack all(inner_size + rest.rows());
  std::fill(all.row(0), all.row(inner_size), 0.0);
  std::copy(rest.row(0), rest.row(rest.rows()), all.row(inner_size));
  inner.follow(all.row(0));
  return all;
}

}  // namespace

CondensedPencil::CondensedPencil(const EigenFrame& frame, double lambda_from, Condensed from,
                                 double lambda_to, Condensed to)
    : outer_(&frame.whole->system->pattern()),
      inner_size_(frame.system().inner_size()),
      lambda_from_(lambda_from),
      lambda_to_(lambda_to),
      from_(std::move(from.inner)),
      to_(std::move(to.inner)),
      N_(std::move(from.rest)),
      D_(std::move(to.rest)) {
  for (std::size_t i = 0; i < N_.size(); ++i) {
    D_[i] = (N_[i] - D_[i]) / (lambda_to - lambda_from);
    N_[i] += lambda_from * D_[i];
  }
}

Eigen::MatrixXd CondensedPencil::expanded(const Eigen::MatrixXd& X, const VectorXd& lambdas) const {
  Eigen::MatrixXd all(inner_size_ + X.rows(), X.cols());
  all.bottomRows(X.rows()) = X;
  const VectorXd weight =
      ((lambdas.array() - lambda_from_) / (lambda_to_ - lambda_from_)).cwiseMin(1).cwiseMax(0);
  for_each_pack(all.rows(), X.cols(), [&](Eigen::Index first, Eigen::Index width) {
    const Pack rest(X, first, width);
    const Pack a = followed(*from_, inner_size_, rest), b = followed(*to_, inner_size_, rest);
    for (Eigen::Index i = 0; i < inner_size_; ++i) {
      for (Eigen::Index k = 0; k < width; ++k) {
        all(i, first + k) = a.row(i)[k] + weight[first + k] * (b.row(i)[k] - a.row(i)[k]);
      }
    }
  });
  return all;
}

}  // namespace ulterix
