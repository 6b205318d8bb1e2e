#include "core/solve/tall_products.hpp"

#include <algorithm>
#include <array>
#include <vector>

// Compiled for the vector units there are; not under a sanitizer, which starts too late for that.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && \
    !defined(__SANITIZE_ADDRESS__)
#define ULTERIX_VECTOR_CLONES __attribute__((target_clones("avx512f", "avx2", "default")))
#else
#define ULTERIX_VECTOR_CLONES
#endif

namespace ulterix {

namespace {

using Eigen::Index;
using Eigen::MatrixXd;

typedef double Row __attribute__((vector_size(kPacked * sizeof(double)), aligned(8)));
using Rows = std::array<double, kPackedRows * kPacked>;

struct Chunk {
  Index first, rows;
};

void pack(const MatrixXd& W, Index column, Index width, Chunk chunk, Rows& packed) {
  packed.fill(0);
  for (Index k = 0; k < width; ++k) {
    const double* from = W.data() + (column + k) * W.rows() + chunk.first;
    for (Index r = 0; r < chunk.rows; ++r)
      packed[static_cast<std::size_t>(r * kPacked + k)] = from[r];
  }
}

void unpack(const Rows& packed, Index column, Index width, Chunk chunk, MatrixXd& W) {
  for (Index k = 0; k < width; ++k) {
    double* to = W.data() + (column + k) * W.rows() + chunk.first;
    for (Index r = 0; r < chunk.rows; ++r)
      to[r] = packed[static_cast<std::size_t>(r * kPacked + k)];
  }
}

template <class Act>
void each_chunk(Index rows, const Act& act) {
  for (Index first = 0; first < rows; first += kPackedRows) {
    act(Chunk{first, std::min(kPackedRows, rows - first)});
  }
}

}  // namespace

ULTERIX_VECTOR_CLONES
void add_inner(const double* a, Index stride, Index columns, const double* packed, Index rows,
               double* sums) {
  const Row* w = reinterpret_cast<const Row*>(packed);
  Row* sum = reinterpret_cast<Row*>(sums);
  Index j = 0;
  for (; j + 4 <= columns; j += 4) {
    const double *a0 = a + j * stride, *a1 = a0 + stride, *a2 = a1 + stride, *a3 = a2 + stride;
    Row s0 = sum[j], s1 = sum[j + 1], s2 = sum[j + 2], s3 = sum[j + 3];
    for (Index r = 0; r < rows; ++r) {
      s0 += a0[r] * w[r];
      s1 += a1[r] * w[r];
      s2 += a2[r] * w[r];
      s3 += a3[r] * w[r];
    }
    sum[j] = s0, sum[j + 1] = s1, sum[j + 2] = s2, sum[j + 3] = s3;
  }
  for (; j < columns; ++j) {
    const double* aj = a + j * stride;
    Row s = sum[j];
    for (Index r = 0; r < rows; ++r) s += aj[r] * w[r];
    sum[j] = s;
  }
}

ULTERIX_VECTOR_CLONES
void take_product(const double* a, Index stride, Index columns, const double* c, Index rows,
                  double* packed) {
  Row* w = reinterpret_cast<Row*>(packed);
  const Row* coefficient = reinterpret_cast<const Row*>(c);
  Index j = 0;
  for (; j + 4 <= columns; j += 4) {
    const double *a0 = a + j * stride, *a1 = a0 + stride, *a2 = a1 + stride, *a3 = a2 + stride;
    const Row c0 = coefficient[j], c1 = coefficient[j + 1], c2 = coefficient[j + 2],
              c3 = coefficient[j + 3];
    for (Index r = 0; r < rows; ++r) {
      w[r] -= (a0[r] * c0 + a1[r] * c1) + (a2[r] * c2 + a3[r] * c3);
    }
  }
  for (; j < columns; ++j) {
    const double* aj = a + j * stride;
    const Row cj = coefficient[j];
    for (Index r = 0; r < rows; ++r) w[r] -= aj[r] * cj;
  }
}

MatrixXd tall_inner(const MatrixXd& A, Index columns, const MatrixXd& B) {
  MatrixXd C(columns, B.cols());
  for_each_pack(B.rows(), B.cols(), [&](Index column, Index width) {
    Rows packed;
    std::vector<double> sums(static_cast<std::size_t>(columns * kPacked), 0.0);
    each_chunk(B.rows(), [&](Chunk chunk) {
      pack(B, column, width, chunk, packed);
      add_inner(A.data() + chunk.first, A.rows(), columns, packed.data(), chunk.rows, sums.data());
    });
    for (Index k = 0; k < width; ++k) {
      for (Index j = 0; j < columns; ++j) {
        C(j, column + k) = sums[static_cast<std::size_t>(j * kPacked + k)];
      }
    }
  });
  return C;
}

MatrixXd tall_product(const MatrixXd& A, const MatrixXd& c) {
  MatrixXd W = MatrixXd::Zero(A.rows(), c.cols());
  tall_subtract(A, 0, -c, W);
  return W;
}

void tall_subtract(const MatrixXd& A, Index first, const MatrixXd& c, MatrixXd& W) {
  for_each_pack(W.rows(), W.cols(), [&](Index column, Index width) {
    Rows packed;
    std::vector<double> rows(static_cast<std::size_t>(c.rows() * kPacked), 0.0);
    for (Index j = 0; j < c.rows(); ++j) {
      for (Index k = 0; k < width; ++k) {
        rows[static_cast<std::size_t>(j * kPacked + k)] = c(j, column + k);
      }
    }
    each_chunk(W.rows(), [&](Chunk chunk) {
      pack(W, column, width, chunk, packed);
      take_product(A.data() + first * A.rows() + chunk.first, A.rows(), c.rows(), rows.data(),
                   chunk.rows, packed.data());
      unpack(packed, column, width, chunk, W);
    });
  });
}

}  // namespace ulterix
