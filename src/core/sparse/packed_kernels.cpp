#include "core/sparse/packed_kernels.hpp"

#include <algorithm>
#include <type_traits>

// Compiled for the vector units there are; not under a sanitizer, which starts too late for that.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && \
    !defined(__SANITIZE_ADDRESS__)
#define ULTERIX_VECTOR_CLONES __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define ULTERIX_VECTOR_CLONES
#endif

namespace ulterix {

using Eigen::Index;

namespace {

/// A packed row, which may begin anywhere (a template argument of its type would lose that).
typedef double Row __attribute__((vector_size(kPacked * sizeof(double)), aligned(8)));

/// N columns of A at once: enough sums to keep the multipliers busy (of few columns, those of even
/// and odd rows apart), or enough products to each row that is read and written. Entries of A are
/// `step` apart along a column.
template <int N>
[[gnu::always_inline]] inline void add_inner_of(const double* a, Index stride, Index step,
                                                const double* packed, Index rows, double* sums) {
  constexpr int kApart = N == 1 ? 4 : N < 4 ? 2 : 1;
  const Row* w = reinterpret_cast<const Row*>(packed);
  Row* sum = reinterpret_cast<Row*>(sums);
  Row s[kApart * N];
  for (int k = 0; k < kApart * N; ++k) s[k] = k < N ? sum[k] : Row{};
  Index r = 0;
  for (; r + kApart <= rows; r += kApart) {
    for (int i = 0; i < kApart; ++i) {
      for (int k = 0; k < N; ++k) s[i * N + k] += a[k * stride + (r + i) * step] * w[r + i];
    }
  }
  for (; r < rows; ++r) {
    for (int k = 0; k < N; ++k) s[k] += a[k * stride + r * step] * w[r];
  }
  for (int k = 0; k < N; ++k) {
    for (int i = 1; i < kApart; ++i) s[k] += s[i * N + k];
    sum[k] = s[k];
  }
}

template <int N>
[[gnu::always_inline]] inline void take_product_of(const double* a, Index stride, Index step,
                                                   const double* c, Index rows, double* packed) {
  const Row* own_rows = reinterpret_cast<const Row*>(c);
  Row* w = reinterpret_cast<Row*>(packed);
  Row own[N];
  for (int k = 0; k < N; ++k) own[k] = own_rows[k];
  for (Index r = 0; r < rows; ++r) {
    Row even = a[r * step] * own[0], odd{};
    for (int k = 1; k < N; ++k) (k % 2 == 0 ? even : odd) += a[k * stride + r * step] * own[k];
    w[r] -= even + odd;
  }
}

template <int N>
using Columns = std::integral_constant<int, N>;

/// act(first, Columns<left>) where at most N columns are left, their number known when compiled.
template <int N, class Act>
[[gnu::always_inline]] inline void act_on_rest(Index first, Index left, const Act& act) {
  if constexpr (N > 0) {
    if (left == N) return act(first, Columns<N>());
    act_on_rest<N - 1>(first, left, act);
  }
}

/// Eight columns at a time, then all that are left at once.
template <class Act>
[[gnu::always_inline]] inline void in_eights(Index columns, const Act& act) {
  Index j = 0;
  for (; j + 8 <= columns; j += 8) act(j, Columns<8>());
  act_on_rest<7>(j, columns - j, act);
}

[[gnu::always_inline]] inline void add_inner_for(const double* a, Index stride, Index step,
                                                 Index columns, const double* packed, Index rows,
                                                 double* sums) {
  in_eights(
      columns, [=](Index j, auto n) __attribute__((always_inline)) {
        add_inner_of<n>(a + j * stride, stride, step, packed, rows, sums + j * kPacked);
      });
}

[[gnu::always_inline]] inline void take_product_for(const double* a, Index stride, Index step,
                                                    Index columns, const double* c, Index rows,
                                                    double* packed) {
  in_eights(
      columns, [=](Index j, auto n) __attribute__((always_inline)) {
        take_product_of<n>(a + j * stride, stride, step, c + j * kPacked, rows, packed);
      });
}

}  // namespace

ULTERIX_VECTOR_CLONES
void add_inner(const double* A, Index stride, Index columns, const double* packed, Index rows,
               double* sums) {
  add_inner_for(A, stride, 1, columns, packed, rows, sums);
}

ULTERIX_VECTOR_CLONES
void take_product(const double* A, Index stride, Index columns, const double* c, Index rows,
                  double* packed) {
  take_product_for(A, stride, 1, columns, c, rows, packed);
}

ULTERIX_VECTOR_CLONES
void add_packed_inner(const double* A, Index columns, const double* packed, Index rows,
                      double* sums) {
  add_inner_for(A, 1, kPacked, columns, packed, rows, sums);
}

ULTERIX_VECTOR_CLONES
void take_packed_product(const double* A, Index columns, const double* c, Index rows,
                         double* packed) {
  take_product_for(A, 1, kPacked, columns, c, rows, packed);
}

ULTERIX_VECTOR_CLONES
void add_symmetric(const std::int64_t* column_start, const std::int64_t* rows, const double* values,
                   Index first, Index columns, const double* x, double* y) {
  const Row* from = reinterpret_cast<const Row*>(x);
  Row* to = reinterpret_cast<Row*>(y);
  for (Index k = 0; k < columns; ++k) {
    const Index j = first + k;
    std::int64_t p = column_start[k];
    const Row xj = from[j];
    Row sum = values[p] * xj;  // the diagonal comes first
    for (++p; p < column_start[k + 1]; ++p) {
      const std::int64_t i = rows[p];
      to[i] += values[p] * xj;
      sum += values[p] * from[i];
    }
    to[j] += sum;
  }
}

void multiply_symmetric(const std::int64_t* column_start, const std::int64_t* rows,
                        const double* values, Index size, const double* x, double* y) {
  std::fill(y, y + size * kPacked, 0.0);
  add_symmetric(column_start, rows, values, 0, size, x, y);
}

}  // namespace ulterix
