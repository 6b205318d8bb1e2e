#include "core/solve/indefinite_factor.hpp"

#include <cmath>
#include <utility>
#include <variant>

#include "core/solve/cholmod_analysis.hpp"
#include "core/solve/multifrontal.hpp"
#include "core/solve/supernodal_solve.hpp"
#include "core/solve/tall_products.hpp"

namespace ulterix {

namespace {

/// What is left of a vector at the most where a factor in single numbers stands for its matrix.
constexpr double kMostLeft = 0.25;
constexpr unsigned kSeed = 20261126;

/// The analysis that is known, if it has blocks, or another.
std::shared_ptr<const Analysis> in_blocks(const SymmetricPattern& pattern,
                                          std::shared_ptr<const Analysis> known) {
  if (known && known->in_blocks()) return known;
  return std::make_shared<Analysis>(pattern, CHOLMOD_SUPERNODAL);
}

}  // namespace

struct IndefiniteFactor::Impl {
  Impl(const SymmetricPattern& pattern, std::shared_ptr<const Analysis> known)
      : analysis(in_blocks(pattern, std::move(known))) {}

  template <class Number>
  bool make(const SymmetricPattern& pattern, const std::vector<double>& values) {
    auto made = factorise_indefinite<Number>(pattern, values, analysis->blocks(), true);
    if (!made) return false;
    ldl = std::move(*made);
    plan = SolvePlan(analysis->blocks());
    return true;
  }

  /// X, a matrix or the rows of a pack, in place.
  template <class Columns>
  void solve(Columns X) const {
    const auto by = [&]<class Number>(const BlockLdl<Number>& made) {
      const SupernodalFactor<Number> factor{analysis->blocks(), made.values.get(), made.panel,
                                            plan};
      ulterix::solve(factor, X);
    };
    std::visit(by, ldl);
  }

  int negative() const {
    return std::visit([](const auto& made) { return made.negative; }, ldl);
  }

  /// True if the factor has as many negative eigenvalues as the matrix K. Its product F is K but
  /// for rounding, and as long as I − F⁻¹·K shrinks every vector, no matrix on the way from F to K
  /// is singular. Random vectors are drawn to what it shrinks least by a first step, and the second
  /// shows how much.
  bool stands_for(const SymmetricPattern& pattern, const std::vector<double>& values) const {
    Eigen::VectorXd weights(pattern.size);
    for (int j = 0; j < pattern.size; ++j) {
      weights[j] = std::abs(values[std::size_t(pattern.column_start[std::size_t(j)])]);
    }
    const auto step = [&](Eigen::MatrixXd& X) -> Eigen::RowVectorXd {
      Eigen::MatrixXd Y = multiply_block(pattern, values, X);
      solve<Eigen::Ref<Eigen::MatrixXd>>(Y);
      X -= Y;
      return weights.transpose() * X.cwiseAbs2();
    };
    const Eigen::VectorXd units =
        (weights.array() > 0).select(weights.cwiseSqrt().cwiseInverse(), 0);
    Eigen::MatrixXd X = units.asDiagonal() * random_block(pattern.size, kPacked, kSeed);
    const Eigen::RowVectorXd first = step(X), second = step(X);
    return (second.array() <= kMostLeft * kMostLeft * first.array()).all();
  }

  std::shared_ptr<const Analysis> analysis;
  std::variant<BlockLdl<double>, BlockLdl<float>> ldl;
  SolvePlan plan;
};

IndefiniteFactor::IndefiniteFactor(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
IndefiniteFactor::~IndefiniteFactor() = default;
IndefiniteFactor::IndefiniteFactor(IndefiniteFactor&&) noexcept = default;
IndefiniteFactor& IndefiniteFactor::operator=(IndefiniteFactor&&) noexcept = default;

std::optional<IndefiniteFactor> IndefiniteFactor::make(const SymmetricPattern& pattern,
                                                       const std::vector<double>& values,
                                                       Precision precision,
                                                       std::shared_ptr<const Analysis> analysis) {
  auto impl = std::make_unique<Impl>(pattern, std::move(analysis));
  const bool made = precision == Precision::single_numbers
                        ? impl->make<float>(pattern, values) && impl->stands_for(pattern, values)
                        : impl->make<double>(pattern, values);
  if (!made) return std::nullopt;
  return IndefiniteFactor(std::move(impl));
}

int IndefiniteFactor::negative_eigenvalues() const {
  return impl_->negative();
}

// NOLINTNEXTLINE(performance-unnecessary-value-param): a view, and written through
void IndefiniteFactor::solve(Eigen::Ref<Eigen::MatrixXd> X) const {
  impl_->solve<Eigen::Ref<Eigen::MatrixXd>>(X);
}

void IndefiniteFactor::solve_pack(double* rows) const {
  impl_->solve(rows);
}

std::optional<int> negative_eigenvalues(const SymmetricPattern& pattern,
                                        const std::vector<double>& values,
                                        std::shared_ptr<const Analysis> analysis) {
  if (pattern.size == 0) return 0;
  analysis = in_blocks(pattern, std::move(analysis));
  const auto ldl = factorise_indefinite<double>(pattern, values, analysis->blocks(), false);
  if (!ldl) return std::nullopt;
  return ldl->negative;
}

}  // namespace ulterix
