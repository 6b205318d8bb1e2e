#include "core/sparse/indefinite_factor.hpp"

#include <utility>

#include "core/sparse/cholmod_analysis.hpp"
#include "core/sparse/multifrontal.hpp"
#include "core/sparse/supernodal_solve.hpp"

namespace ulterix {

namespace {

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

  bool make(const SymmetricPattern& pattern, const std::vector<double>& values) {
    auto made = factorise_indefinite(pattern, values, analysis->blocks(), true);
    if (!made) return false;
    ldl = std::move(*made);
    plan = SolvePlan(analysis->blocks());
    return true;
  }

  /// X, a matrix or the rows of a pack, in place.
  template <class Columns>
  void solve(Columns X) const {
    ulterix::solve(SupernodalFactor{analysis->blocks(), ldl.values.get(), ldl.panel, plan}, X);
  }

  std::shared_ptr<const Analysis> analysis;
  BlockLdl ldl;
  SolvePlan plan;
};

IndefiniteFactor::IndefiniteFactor(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
IndefiniteFactor::~IndefiniteFactor() = default;
IndefiniteFactor::IndefiniteFactor(IndefiniteFactor&&) noexcept = default;
IndefiniteFactor& IndefiniteFactor::operator=(IndefiniteFactor&&) noexcept = default;

std::optional<IndefiniteFactor> IndefiniteFactor::make(const SymmetricPattern& pattern,
                                                       const std::vector<double>& values,
                                                       std::shared_ptr<const Analysis> analysis) {
  auto impl = std::make_unique<Impl>(pattern, std::move(analysis));
  if (!impl->make(pattern, values)) return std::nullopt;
  return IndefiniteFactor(std::move(impl));
}

int IndefiniteFactor::negative_eigenvalues() const {
  return impl_->ldl.negative;
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
  const auto ldl = factorise_indefinite(pattern, values, analysis->blocks(), false);
  if (!ldl) return std::nullopt;
  return ldl->negative;
}

}  // namespace ulterix
