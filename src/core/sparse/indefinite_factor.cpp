#include "core/sparse/indefinite_factor.hpp"

#include <utility>

#include "core/sparse/cholmod_analysis.hpp"
#include "core/sparse/multifrontal.hpp"
#include "core/sparse/supernodal_solve.hpp"

namespace ulterix {

struct IndefiniteFactor::Impl {
  explicit Impl(std::shared_ptr<const FactorStructure> s)
      : structure(std::move(s)), blocks(structure->in_blocks().blocks()) {}

  bool make(const std::vector<double>& values) {
    auto made = factorise_indefinite(structure->pattern(), values, blocks, true);
    if (!made) return false;
    ldl = std::move(*made);
    plan = SolvePlan(blocks);
    return true;
  }

  /// X, a matrix or the rows of a pack, in place.
  template <class Columns>
  void solve(Columns X) const {
    ulterix::solve(SupernodalFactor{blocks, ldl.values.get(), ldl.panel, plan}, X);
  }

  std::shared_ptr<const FactorStructure> structure;
  EliminationBlocks blocks;
  BlockLdl ldl;
  SolvePlan plan;
};

IndefiniteFactor::IndefiniteFactor(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
IndefiniteFactor::~IndefiniteFactor() = default;
IndefiniteFactor::IndefiniteFactor(IndefiniteFactor&&) noexcept = default;
IndefiniteFactor& IndefiniteFactor::operator=(IndefiniteFactor&&) noexcept = default;

std::optional<IndefiniteFactor> IndefiniteFactor::make(
    std::shared_ptr<const FactorStructure> structure, const std::vector<double>& values) {
  auto impl = std::make_unique<Impl>(std::move(structure));
  if (!impl->make(values)) return std::nullopt;
  return IndefiniteFactor(std::move(impl));
}

std::optional<IndefiniteFactor> IndefiniteFactor::make(const SymmetricPattern& pattern,
                                                       const std::vector<double>& values) {
  return make(std::make_shared<const FactorStructure>(pattern), values);
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

std::optional<int> negative_eigenvalues(const FactorStructure& structure,
                                        const std::vector<double>& values) {
  if (structure.pattern().size == 0) return 0;
  const auto ldl =
      factorise_indefinite(structure.pattern(), values, structure.in_blocks().blocks(), false);
  if (!ldl) return std::nullopt;
  return ldl->negative;
}

}  // namespace ulterix
