#pragma once

#include <cholmod.h>

#include <cassert>
#include <span>
#include <vector>

#include "core/sparse/blas_threads.hpp"
#include "core/sparse/elimination_tree.hpp"
#include "core/sparse/symmetric_pattern.hpp"

/// Of the OpenMP library that CHOLMOD calls, whichever one the compiler would bring.
extern "C" void omp_set_max_active_levels(int levels);

namespace ulterix {

inline void set_up(cholmod_common& common) {
  cholmod_l_start(&common);
  common.print = 0;
  common.nmethods = 1;
  common.method[0].ordering = CHOLMOD_NATURAL;
  common.postorder = 1;
  common.final_ll = 1;
  // CHOLMOD asks OpenMP for four threads, which without cores of their own only wait on each other.
  keep_blas_to_its_caller();
  omp_set_max_active_levels(0);
}

/// CHOLMOD's view of our matrix; it only reads.
inline cholmod_sparse view(const SymmetricPattern& pattern, const std::vector<double>* values) {
  cholmod_sparse A{};
  A.nrow = A.ncol = static_cast<std::size_t>(pattern.size);
  A.nzmax = pattern.rows.size();
  A.p = const_cast<std::int64_t*>(pattern.column_start.data());
  A.i = const_cast<std::int64_t*>(pattern.rows.data());
  A.x = values ? const_cast<double*>(values->data()) : nullptr;
  A.stype = -1;
  A.itype = CHOLMOD_LONG;
  A.xtype = values ? CHOLMOD_REAL : CHOLMOD_PATTERN;
  A.dtype = CHOLMOD_DOUBLE;
  A.sorted = 1;
  A.packed = 1;
  return A;
}

inline std::span<const std::int64_t> list(const void* data, std::size_t size) {
  return {static_cast<const std::int64_t*>(data), size};
}

/// The factor's structure.
struct Analysis {
  cholmod_common common;
  cholmod_factor* L = nullptr;

  Analysis(const SymmetricPattern& pattern, int supernodal) {
    set_up(common);
    common.supernodal = supernodal;
    cholmod_sparse A = view(pattern, nullptr);
    L = cholmod_l_analyze(&A, &common);
    assert(L != nullptr);
  }
  ~Analysis() {
    cholmod_l_free_factor(&L, &common);
    cholmod_l_finish(&common);
  }
  Analysis(const Analysis&) = delete;
  Analysis& operator=(const Analysis&) = delete;

  bool in_blocks() const { return L->is_super != 0; }
  /// Precondition: it is in blocks.
  EliminationBlocks blocks() const {
    return {list(L->super, L->nsuper + 1), list(L->pi, L->nsuper + 1), list(L->s, L->ssize),
            list(L->Perm, L->n), list(L->px, L->nsuper + 1)};
  }
};

}  // namespace ulterix
