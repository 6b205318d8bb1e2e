#include "core/solve/factorisation.hpp"

#include <algorithm>
#include <cmath>

#include "core/solve/cholmod_analysis.hpp"
#include "core/solve/multifrontal.hpp"
#include "core/solve/packs.hpp"
#include "core/solve/supernodal_solve.hpp"

namespace ulterix {

namespace {

/// From so many right sides on CHOLMOD, which hands them to BLAS, spends more time on copies. In a
/// large factor it is slower with one, since it reads it with one core.
constexpr Eigen::Index kSeveral = 2;

}  // namespace

struct Factorisation::Impl {
  std::shared_ptr<Analysis> analysis;
  cholmod_common& common = analysis->common;
  cholmod_factor* L = analysis->L;
  const SymmetricPattern* pattern;
  double smallest_pivot = 1, flops = 0;
  cholmod_dense *solution = nullptr, *Y = nullptr, *E = nullptr;
  LargeBlock own;  ///< values of L where it has supernodes
  SolvePlan plan;

  explicit Impl(const SymmetricPattern& p)
      : analysis(std::make_shared<Analysis>(p, CHOLMOD_AUTO)), pattern(&p) {
    flops = common.fl;
  }
  ~Impl() {
    if (own) {
      L->x = nullptr;
      L->xtype = CHOLMOD_PATTERN;
    }
    cholmod_l_free_dense(&solution, &common);
    cholmod_l_free_dense(&Y, &common);
    cholmod_l_free_dense(&E, &common);
  }

  bool factorise(const std::vector<double>& values) {
    if (analysis->in_blocks()) return factorise_here(values);
    cholmod_sparse A = view(*pattern, &values);
    common.final_ll = 1;
    cholmod_l_factorize(&A, L, &common);
    return common.status == CHOLMOD_OK && L->minor == L->n;
  }

  bool factorise_here(const std::vector<double>& values) {
    if (!own) {
      own = large_block(L->xsize);
      L->x = own.get();
      L->xtype = CHOLMOD_REAL;
      plan = SolvePlan(analysis->blocks());
    }
    return factorise_definite(*pattern, values, analysis->blocks(), own.get());
  }

  SupernodalFactor supernodes() const { return {analysis->blocks(), own.get(), 0, plan}; }

  void solve_pack(double* rows) {
    if (analysis->in_blocks()) {
      ulterix::solve(supernodes(), rows);
      return;
    }
    using Packed = Eigen::Matrix<double, Eigen::Dynamic, kPacked, Eigen::RowMajor>;
    Eigen::Map<Packed> packed(rows, pattern->size, kPacked);
    Eigen::MatrixXd X = packed;
    solve(X);
    packed = X;
  }

  void solve(Eigen::Ref<Eigen::MatrixXd> X) {
    if (analysis->in_blocks() && (X.cols() >= kSeveral || plan.shares())) {
      ulterix::solve(supernodes(), X);
      return;
    }
    cholmod_dense B{};
    B.nrow = static_cast<std::size_t>(X.rows());
    B.ncol = static_cast<std::size_t>(X.cols());
    B.d = static_cast<std::size_t>(X.outerStride());
    B.nzmax = B.d * B.ncol;
    B.x = X.data();
    B.xtype = CHOLMOD_REAL;
    B.dtype = CHOLMOD_DOUBLE;
    cholmod_l_solve2(CHOLMOD_A, L, &B, nullptr, &solution, nullptr, &Y, &E, &common);
    assert(solution != nullptr);
    X = Eigen::Map<const Eigen::MatrixXd>(static_cast<const double*>(solution->x), X.rows(),
                                          X.cols());
  }

  /// Calls visit(unknown, value of L at the diagonal) for every column of L.
  template <class Visit>
  void for_each_diagonal(const Visit& visit) const {
    const auto* perm = static_cast<const std::int64_t*>(L->Perm);
    const auto* x = static_cast<const double*>(L->x);
    if (analysis->in_blocks()) {
      const auto* super = static_cast<const std::int64_t*>(L->super);
      const auto* pi = static_cast<const std::int64_t*>(L->pi);
      const auto* px = static_cast<const std::int64_t*>(L->px);
      for (std::size_t s = 0; s < L->nsuper; ++s) {
        const std::int64_t rows = pi[s + 1] - pi[s];
        for (std::int64_t k = 0; k < super[s + 1] - super[s]; ++k) {
          visit(perm[super[s] + k], x[px[s] + k * rows + k]);
        }
      }
    } else {
      const auto* p = static_cast<const std::int64_t*>(L->p);
      for (std::size_t j = 0; j < L->n; ++j) visit(perm[j], x[p[j]]);
    }
  }

  void find_smallest_pivot(const std::vector<double>& values) {
    smallest_pivot = 1;
    for_each_diagonal([&](std::int64_t unknown, double l) {
      const double diagonal = values[static_cast<std::size_t>(
          pattern->column_start[static_cast<std::size_t>(unknown)])];
      smallest_pivot = std::min(smallest_pivot, l * l / diagonal);
    });
  }
};

Factorisation::Factorisation(const SymmetricPattern& pattern)
    : impl_(std::make_unique<Impl>(pattern)) {}

Factorisation::~Factorisation() = default;
Factorisation::Factorisation(Factorisation&&) noexcept = default;
Factorisation& Factorisation::operator=(Factorisation&&) noexcept = default;

FactorStatus Factorisation::factorise(const std::vector<double>& values) {
  // CHOLMOD takes NaN for a good pivot.
  for (const double v : values) {
    if (!std::isfinite(v)) return FactorStatus::not_finite;
  }
  if (impl_->pattern->size == 0) return FactorStatus::positive_definite;
  if (!impl_->factorise(values)) return FactorStatus::not_positive_definite;
  impl_->find_smallest_pivot(values);
  return FactorStatus::positive_definite;
}

std::shared_ptr<const Analysis> Factorisation::analysis() const {
  return impl_->analysis;
}

double Factorisation::smallest_pivot() const {
  return impl_->smallest_pivot;
}

double Factorisation::flops() const {
  return impl_->flops;
}

// NOLINTNEXTLINE(performance-unnecessary-value-param): a view, and written through
void Factorisation::solve(Eigen::Ref<Eigen::MatrixXd> X) const {
  if (X.rows() == 0 || X.cols() == 0) return;
  impl_->solve(X);
}

void Factorisation::solve_pack(double* rows) const {
  if (impl_->pattern->size > 0) impl_->solve_pack(rows);
}

}  // namespace ulterix
