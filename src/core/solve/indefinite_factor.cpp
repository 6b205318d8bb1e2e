#include "core/solve/indefinite_factor.hpp"

#include <utility>

#include "core/solve/cholmod_analysis.hpp"
#include "core/solve/multifrontal.hpp"
#include "core/solve/supernodal_solve.hpp"

namespace ulterix {

namespace {

std::optional<BlockLdl> factorise(const Analysis& analysis, const SymmetricPattern& pattern,
                                  const std::vector<double>& values, bool keep) {
  return factorise_indefinite(pattern, values, elimination_blocks(*analysis.L), keep);
}

}  // namespace

struct IndefiniteFactor::Impl {
  explicit Impl(const SymmetricPattern& pattern) : analysis(pattern, CHOLMOD_SUPERNODAL) {}

  SupernodalFactor supernodes() const {
    return {elimination_blocks(*analysis.L), ldl.values.get(), ldl.panel, plan};
  }

  Analysis analysis;
  BlockLdl ldl;
  SolvePlan plan;
};

IndefiniteFactor::IndefiniteFactor(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
IndefiniteFactor::~IndefiniteFactor() = default;
IndefiniteFactor::IndefiniteFactor(IndefiniteFactor&&) noexcept = default;
IndefiniteFactor& IndefiniteFactor::operator=(IndefiniteFactor&&) noexcept = default;

std::optional<IndefiniteFactor> IndefiniteFactor::make(const SymmetricPattern& pattern,
                                                       const std::vector<double>& values) {
  auto impl = std::make_unique<Impl>(pattern);
  auto ldl = factorise(impl->analysis, pattern, values, true);
  if (!ldl) return std::nullopt;
  impl->ldl = std::move(*ldl);
  impl->plan = SolvePlan(elimination_blocks(*impl->analysis.L));
  return IndefiniteFactor(std::move(impl));
}

int IndefiniteFactor::negative_eigenvalues() const {
  return impl_->ldl.negative;
}

// NOLINTNEXTLINE(performance-unnecessary-value-param): a view, and written through
void IndefiniteFactor::solve(Eigen::Ref<Eigen::MatrixXd> X) const {
  ulterix::solve(impl_->supernodes(), X);
}

void IndefiniteFactor::solve_pack(double* rows) const {
  ulterix::solve(impl_->supernodes(), rows);
}

std::optional<int> negative_eigenvalues(const SymmetricPattern& pattern,
                                        const std::vector<double>& values) {
  if (pattern.size == 0) return 0;
  const auto ldl = factorise(Analysis(pattern, CHOLMOD_SUPERNODAL), pattern, values, false);
  if (!ldl) return std::nullopt;
  return ldl->negative;
}

}  // namespace ulterix
