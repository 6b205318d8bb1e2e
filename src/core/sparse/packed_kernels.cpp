#include "core/sparse/packed_kernels.hpp"

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

/// N columns of A at once: enough sums to keep the multipliers busy, or enough products to each
/// row that is read and written.
template <int N>
[[gnu::always_inline]] inline void add_inner_of(const double* a, Index stride, const double* packed,
                                                Index rows, double* sums) {
  const Row* w = reinterpret_cast<const Row*>(packed);
  Row* sum = reinterpret_cast<Row*>(sums);
  Row s[N];
  for (int k = 0; k < N; ++k) s[k] = sum[k];
  for (Index r = 0; r < rows; ++r) {
    for (int k = 0; k < N; ++k) s[k] += a[k * stride + r] * w[r];
  }
  for (int k = 0; k < N; ++k) sum[k] = s[k];
}

template <int N>
[[gnu::always_inline]] inline void take_product_of(const double* a, Index stride, const double* c,
                                                   Index rows, double* packed) {
  const Row* own_rows = reinterpret_cast<const Row*>(c);
  Row* w = reinterpret_cast<Row*>(packed);
  Row own[N];
  for (int k = 0; k < N; ++k) own[k] = own_rows[k];
  for (Index r = 0; r < rows; ++r) {
    Row even = a[r] * own[0], odd{};
    for (int k = 1; k < N; ++k) (k % 2 == 0 ? even : odd) += a[k * stride + r] * own[k];
    w[r] -= even + odd;
  }
}

[[gnu::always_inline]] inline void add_inner_for(const double* a, Index stride, Index columns,
                                                 const double* packed, Index rows, double* sums) {
  const auto sum = [sums](Index j) { return sums + j * kPacked; };
  Index j = 0;
  for (; j + 8 <= columns; j += 8) add_inner_of<8>(a + j * stride, stride, packed, rows, sum(j));
  for (; j + 4 <= columns; j += 4) add_inner_of<4>(a + j * stride, stride, packed, rows, sum(j));
  for (; j < columns; ++j) add_inner_of<1>(a + j * stride, stride, packed, rows, sum(j));
}

[[gnu::always_inline]] inline void take_product_for(const double* a, Index stride, Index columns,
                                                    const double* c, Index rows, double* packed) {
  const auto own = [c](Index j) { return c + j * kPacked; };
  Index j = 0;
  for (; j + 8 <= columns; j += 8) take_product_of<8>(a + j * stride, stride, own(j), rows, packed);
  for (; j + 4 <= columns; j += 4) take_product_of<4>(a + j * stride, stride, own(j), rows, packed);
  for (; j < columns; ++j) take_product_of<1>(a + j * stride, stride, own(j), rows, packed);
}

}  // namespace

ULTERIX_VECTOR_CLONES
void add_inner(const double* A, Index stride, Index columns, const double* packed, Index rows,
               double* sums) {
  add_inner_for(A, stride, columns, packed, rows, sums);
}

ULTERIX_VECTOR_CLONES
void take_product(const double* A, Index stride, Index columns, const double* c, Index rows,
                  double* packed) {
  take_product_for(A, stride, columns, c, rows, packed);
}

ULTERIX_VECTOR_CLONES
void multiply_symmetric(const std::int64_t* column_start, const std::int64_t* rows,
                        const double* values, Index size, const double* x, double* y) {
  const Row* from = reinterpret_cast<const Row*>(x);
  Row* to = reinterpret_cast<Row*>(y);
  for (Index j = 0; j < size; ++j) to[j] = Row{};
  for (Index j = 0; j < size; ++j) {
    std::int64_t p = column_start[j];
    const Row xj = from[j];
    Row sum = values[p] * xj;  // the diagonal comes first
    for (++p; p < column_start[j + 1]; ++p) {
      const std::int64_t i = rows[p];
      to[i] += values[p] * xj;
      sum += values[p] * from[i];
    }
    to[j] += sum;
  }
}

}  // namespace ulterix
