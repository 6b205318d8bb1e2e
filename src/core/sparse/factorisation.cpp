#include "core/sparse/factorisation.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/sparse/cholmod_analysis.hpp"
#include "core/sparse/column_block.hpp"
#include "core/sparse/multifrontal.hpp"
#include "core/sparse/supernodal_solve.hpp"

namespace ulterix {

namespace {

using Packed = Eigen::Matrix<double, Eigen::Dynamic, kPacked, Eigen::RowMajor>;
using PackedRow = Eigen::Map<Eigen::Matrix<double, 1, kPacked>>;

/// x = A⁻¹·x for a factor by columns, L·Lᵀ = P·A·Pᵀ. CHOLMOD's own solve works in memory that its
/// callers share; frames are solved by many threads at once.
void solve_by_columns(const cholmod_factor& L, double* x) {
  const auto* perm = static_cast<const std::int64_t*>(L.Perm);
  const auto* start = static_cast<const std::int64_t*>(L.p);
  const auto* count = static_cast<const std::int64_t*>(L.nz);
  const auto* row = static_cast<const std::int64_t*>(L.i);
  const auto* value = static_cast<const double*>(L.x);
  const auto n = static_cast<std::int64_t>(L.n);
  Packed work(n, kPacked);
  const auto at = [&work](std::int64_t i) { return PackedRow(work.data() + i * kPacked); };
  for (std::int64_t j = 0; j < n; ++j) at(j) = PackedRow(x + perm[j] * kPacked);
  for (std::int64_t j = 0; j < n; ++j) {
    PackedRow own = at(j);
    own /= value[start[j]];
    for (std::int64_t p = start[j] + 1; p < start[j] + count[j]; ++p) at(row[p]) -= value[p] * own;
  }
  for (std::int64_t j = n; j-- > 0;) {
    PackedRow own = at(j);
    for (std::int64_t p = start[j] + 1; p < start[j] + count[j]; ++p) own -= value[p] * at(row[p]);
    own /= value[start[j]];
  }
  for (std::int64_t j = 0; j < n; ++j) PackedRow(x + perm[j] * kPacked) = at(j);
}

}  // namespace

struct Factorisation::Impl {
  std::shared_ptr<const FactorStructure> structure;
  const SymmetricPattern& pattern = structure->pattern();
  const Analysis& analysis = structure->quickest();
  double smallest_pivot = 1;
  PooledBuffer own;  ///< values of a factor in blocks
  SolvePlan plan;
  cholmod_common common{};
  cholmod_factor* L = nullptr;  ///< a factor by columns

  explicit Impl(std::shared_ptr<const FactorStructure> s) : structure(std::move(s)) {
    if (!analysis.in_blocks()) set_up(common);
  }
  ~Impl() {
    if (analysis.in_blocks()) return;
    cholmod_l_free_factor(&L, &common);
    cholmod_l_finish(&common);
  }
  Impl(const Impl&) = delete;
  Impl& operator=(const Impl&) = delete;

  bool factorise(const std::vector<double>& values) {
    if (analysis.in_blocks()) return factorise_in_blocks(values);
    if (L == nullptr) L = cholmod_l_copy_factor(analysis.L, &common);
    cholmod_sparse A = view(pattern, &values);
    cholmod_l_factorize(&A, L, &common);
    return common.status == CHOLMOD_OK && L->minor == L->n;
  }

  bool factorise_in_blocks(const std::vector<double>& values) {
    if (!own) {
      own = pooled_buffer(analysis.L->xsize);
      plan = SolvePlan(analysis.blocks());
    }
    return factorise_definite(pattern, values, analysis.blocks(), own.get());
  }

  SupernodalFactor supernodes() const { return {analysis.blocks(), own.get(), 0, plan}; }

  /// By any number of threads at once.
  void solve_pack(double* rows) const {
    if (analysis.in_blocks()) {
      ulterix::solve(supernodes(), rows);
    } else {
      solve_by_columns(*L, rows);
    }
  }

  void solve(Eigen::Ref<Eigen::MatrixXd> X) const {
    if (analysis.in_blocks()) {
      ulterix::solve(supernodes(), X);
    } else {
      change_in_blocks(X, [this](ColumnBlock& pack) { solve_by_columns(*L, pack.row(0)); });
    }
  }

  /// Calls visit(unknown, value of L at the diagonal) for every column of L.
  template <class Visit>
  void for_each_diagonal(const Visit& visit) const {
    const cholmod_factor& shape = *analysis.L;
    const auto* perm = static_cast<const std::int64_t*>(shape.Perm);
    if (analysis.in_blocks()) {
      const auto* super = static_cast<const std::int64_t*>(shape.super);
      const auto* pi = static_cast<const std::int64_t*>(shape.pi);
      const auto* px = static_cast<const std::int64_t*>(shape.px);
      for (std::size_t s = 0; s < shape.nsuper; ++s) {
        const std::int64_t rows = pi[s + 1] - pi[s];
        for (std::int64_t k = 0; k < super[s + 1] - super[s]; ++k) {
          visit(perm[super[s] + k], own.get()[px[s] + k * rows + k]);
        }
      }
    } else {
      const auto* p = static_cast<const std::int64_t*>(L->p);
      const auto* x = static_cast<const double*>(L->x);
      for (std::size_t j = 0; j < L->n; ++j) visit(perm[j], x[p[j]]);
    }
  }

  void find_smallest_pivot(const std::vector<double>& values) {
    smallest_pivot = 1;
    for_each_diagonal([&](std::int64_t unknown, double l) {
      const double diagonal =
          values[static_cast<std::size_t>(pattern.column_start[static_cast<std::size_t>(unknown)])];
      smallest_pivot = std::min(smallest_pivot, l * l / diagonal);
    });
  }
};

Factorisation::Factorisation(const SymmetricPattern& pattern)
    : Factorisation(std::make_shared<const FactorStructure>(pattern)) {}
Factorisation::Factorisation(std::shared_ptr<const FactorStructure> structure)
    : impl_(std::make_unique<Impl>(std::move(structure))) {}

Factorisation::~Factorisation() = default;
Factorisation::Factorisation(Factorisation&&) noexcept = default;
Factorisation& Factorisation::operator=(Factorisation&&) noexcept = default;

FactorStatus Factorisation::factorise(const std::vector<double>& values) {
  // CHOLMOD takes NaN for a good pivot.
  for (const double v : values) {
    if (!std::isfinite(v)) return FactorStatus::not_finite;
  }
  if (impl_->pattern.size == 0) return FactorStatus::positive_definite;
  if (!impl_->factorise(values)) return FactorStatus::not_positive_definite;
  impl_->find_smallest_pivot(values);
  return FactorStatus::positive_definite;
}

const std::shared_ptr<const FactorStructure>& Factorisation::structure() const {
  return impl_->structure;
}

double Factorisation::smallest_pivot() const {
  return impl_->smallest_pivot;
}

double Factorisation::flops() const {
  return impl_->analysis.common.fl;
}

// NOLINTNEXTLINE(performance-unnecessary-value-param): a view, and written through
void Factorisation::solve(Eigen::Ref<Eigen::MatrixXd> X) const {
  if (X.rows() == 0 || X.cols() == 0) return;
  impl_->solve(X);
}

void Factorisation::solve_pack(double* rows) const {
  if (impl_->pattern.size > 0) impl_->solve_pack(rows);
}

}  // namespace ulterix
