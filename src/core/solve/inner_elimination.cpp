#include "core/solve/inner_elimination.hpp"

namespace ulterix {

using Eigen::MatrixXd;

InnerElimination::InnerElimination(const SymmetricPattern& pattern,
                                   const std::vector<double>& values, int inner)
    : inner_(inner), rest_(pattern.size - inner) {
  if (inner == 0) return;
  pattern_ = std::make_unique<SymmetricPattern>();
  pattern_->size = inner;
  std::vector<double> own;
  for (int j = 0; j < inner; ++j) {
    for (auto p = pattern.column_start[j]; p < pattern.column_start[j + 1]; ++p) {
      const std::int64_t row = pattern.rows[static_cast<std::size_t>(p)];
      const double value = values[static_cast<std::size_t>(p)];
      if (row < inner) {
        pattern_->rows.push_back(row);
        own.push_back(value);
      } else {
        rows_.push_back(row - inner);
        coupling_.push_back(value);
      }
    }
    pattern_->column_start.push_back(static_cast<std::int64_t>(pattern_->rows.size()));
    column_start_.push_back(static_cast<std::int64_t>(rows_.size()));
  }
  factor_ = std::make_unique<Factorisation>(*pattern_);
  definite_ = factor_->factorise(own) == FactorStatus::positive_definite;
}

MatrixXd InnerElimination::to_inner(const MatrixXd& rest) const {
  MatrixXd inner(inner_, rest.cols());
  for (Eigen::Index c = 0; c < rest.cols(); ++c) {
    for (int j = 0; j < inner_; ++j) {
      double sum = 0;
      for (auto p = column_start_[j]; p < column_start_[j + 1]; ++p) {
        const auto at = static_cast<std::size_t>(p);
        sum += coupling_[at] * rest(rows_[at], c);
      }
      inner(j, c) = sum;
    }
  }
  return inner;
}

void InnerElimination::take_from_rest(const MatrixXd& inner, MatrixXd& rest) const {
  for (Eigen::Index c = 0; c < rest.cols(); ++c) {
    for (int j = 0; j < inner_; ++j) {
      for (auto p = column_start_[j]; p < column_start_[j + 1]; ++p) {
        const auto at = static_cast<std::size_t>(p);
        rest(rows_[at], c) -= coupling_[at] * inner(j, c);
      }
    }
  }
}

void InnerElimination::solve(MatrixXd& X, const std::function<void(MatrixXd&)>& solve_rest) const {
  if (inner_ == 0) return solve_rest(X);
  MatrixXd inner = X.topRows(inner_);
  factor_->solve(inner);
  MatrixXd rest = X.bottomRows(rest_);
  take_from_rest(inner, rest);
  solve_rest(rest);
  MatrixXd moved = to_inner(rest);
  factor_->solve(moved);
  X.topRows(inner_) = inner - moved;
  X.bottomRows(rest_) = rest;
}

}  // namespace ulterix
