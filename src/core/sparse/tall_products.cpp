#include "core/sparse/tall_products.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <random>
#include <vector>

#include "core/sparse/packed_kernels.hpp"

namespace ulterix {

namespace {

using Eigen::Index;
using Eigen::MatrixXd;

struct Chunk {
  Index first, rows;
};

/// So many rows of a pack stay in the innermost cache.
constexpr Index kChunk = 256;
/// So many rows at a time are one thread's. A sum over all rows adds theirs in order, so that it
/// does not depend on the number of threads.
constexpr Index kBand = 16 * kChunk;

template <class Act>
void each_chunk(Chunk band, const Act& act) {
  for (Index first = 0; first < band.rows; first += kChunk) {
    act(Chunk{band.first + first, std::min(kChunk, band.rows - first)});
  }
}

Index bands_of(Index rows) {
  return (rows + kBand - 1) / kBand;
}

template <class Act>
void each_band(Index rows, const Act& act) {
  const auto one = [&](Index band) {
    act(band, Chunk{band * kBand, std::min(kBand, rows - band * kBand)});
  };
  if (bands_of(rows) > 1) {
    tbb::parallel_for(Index(0), bands_of(rows), one);
  } else {
    for (Index band = 0; band < bands_of(rows); ++band) one(band);
  }
}

/// Takes a product with c from W: take(chunk, the rows of c for a pack, rows of the pack).
template <class Take>
void subtract(const MatrixXd& c, PackedColumns& W, const Take& take) {
  const Index one = c.rows() * kPacked;
  std::vector<double> rows(static_cast<std::size_t>(W.packs() * one), 0.0);
  for (Index k = 0; k < c.cols(); ++k) {
    double* to = rows.data() + k / kPacked * one + k % kPacked;
    for (Index j = 0; j < c.rows(); ++j) to[j * kPacked] = c(j, k);
  }
  each_band(W.rows(), [&](Index, Chunk band) {
    each_chunk(band, [&](Chunk chunk) {
      for (Index k = 0; k < W.packs(); ++k) {
        take(chunk, rows.data() + k * one, W.pack(k).row(chunk.first));
      }
    });
  });
}

/// Sums over all rows of what add(pack of B, chunk, sums) adds to those of the pack: columns x
/// kPacked.
template <class Add>
MatrixXd inner(Index columns, const PackedColumns& B, const Add& add) {
  const Index one = columns * kPacked;
  std::vector<std::vector<double>> parts(static_cast<std::size_t>(bands_of(B.rows())));
  each_band(B.rows(), [&](Index band, Chunk rows) {
    std::vector<double> sums(static_cast<std::size_t>(B.packs() * one), 0.0);
    each_chunk(rows, [&](Chunk chunk) {
      for (Index k = 0; k < B.packs(); ++k) add(B.pack(k), chunk, sums.data() + k * one);
    });
    parts[static_cast<std::size_t>(band)] = std::move(sums);
  });
  MatrixXd C = MatrixXd::Zero(columns, B.cols());
  for (const std::vector<double>& part : parts) {
    for (Index k = 0; k < B.cols(); ++k) {
      const double* sums = part.data() + k / kPacked * one + k % kPacked;
      for (Index j = 0; j < columns; ++j) C(j, k) += sums[j * kPacked];
    }
  }
  return C;
}

}  // namespace

MatrixXd random_block(Index rows, Index columns, unsigned seed) {
  std::mt19937_64 random(seed);
  MatrixXd block(rows, columns);
  for (Index j = 0; j < columns; ++j) {
    for (Index i = 0; i < rows; ++i) {
      block(i, j) = static_cast<double>(random() >> 11) / 9007199254740992.0 - 0.5;
    }
  }
  return block;
}

MatrixXd tall_inner(const MatrixXd& A, Index columns, const PackedColumns& B) {
  return inner(columns, B, [&](const ColumnBlock& pack, Chunk chunk, double* sums) {
    add_inner(A.data() + chunk.first, A.rows(), columns, pack.row(chunk.first), chunk.rows, sums);
  });
}

MatrixXd tall_inner(const PackedColumns& A, const PackedColumns& B) {
  return inner(A.cols(), B, [&](const ColumnBlock& pack, Chunk chunk, double* sums) {
    for (Index j = 0; j < A.packs(); ++j) {
      add_packed_inner(A.pack(j).row(chunk.first), A.width(j), pack.row(chunk.first), chunk.rows,
                       sums + j * kPacked * kPacked);
    }
  });
}

PackedColumns tall_product(const MatrixXd& A, const MatrixXd& c) {
  PackedColumns W(A.rows(), c.cols());
  W.set_zero();
  tall_subtract(A, 0, -c, W);
  return W;
}

PackedColumns tall_product(const PackedColumns& A, const MatrixXd& c) {
  PackedColumns W(A.rows(), c.cols());
  W.set_zero();
  subtract(-c, W, [&](Chunk chunk, const double* own, double* w) {
    for (Index j = 0; j < A.packs(); ++j) {
      take_packed_product(A.pack(j).row(chunk.first), A.width(j), own + j * kPacked * kPacked,
                          chunk.rows, w);
    }
  });
  return W;
}

void tall_subtract(const MatrixXd& A, Index first, const MatrixXd& c, PackedColumns& W) {
  subtract(c, W, [&](Chunk chunk, const double* own, double* w) {
    take_product(A.data() + first * A.rows() + chunk.first, A.rows(), c.rows(), own, chunk.rows, w);
  });
}

}  // namespace ulterix
