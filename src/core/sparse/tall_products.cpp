#include "core/sparse/tall_products.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <random>
#include <vector>

#include "core/sparse/packed_kernels.hpp"

namespace ulterix {

namespace {

using Eigen::Index;
using Eigen::MatrixXd;

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
void each_chunk(Chunk band, const Act& act) {
  for (Index first = 0; first < band.rows; first += kPackedRows) {
    act(Chunk{band.first + first, std::min(kPackedRows, band.rows - first)});
  }
}

/// So many rows at a time are one thread's. A sum over all rows adds theirs in order, so that it
/// does not depend on the number of threads.
constexpr Index kBand = 4 * kPackedRows;

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

Index blocks_of(Index columns) {
  return (columns + kPacked - 1) / kPacked;
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

MatrixXd tall_inner(const MatrixXd& A, Index columns, const MatrixXd& B) {
  const Index packs = blocks_of(B.cols()), one = columns * kPacked;
  std::vector<std::vector<double>> parts(static_cast<std::size_t>(bands_of(B.rows())));
  each_band(B.rows(), [&](Index band, Chunk rows) {
    Rows packed;
    std::vector<double> sums(static_cast<std::size_t>(packs * one), 0.0);
    each_chunk(rows, [&](Chunk chunk) {
      for (Index k = 0; k < packs; ++k) {
        pack(B, k * kPacked, std::min(kPacked, B.cols() - k * kPacked), chunk, packed);
        add_inner(A.data() + chunk.first, A.rows(), columns, packed.data(), chunk.rows,
                  sums.data() + k * one);
      }
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

MatrixXd tall_product(const MatrixXd& A, const MatrixXd& c) {
  MatrixXd W = MatrixXd::Zero(A.rows(), c.cols());
  tall_subtract(A, 0, -c, W);
  return W;
}

void tall_subtract(const MatrixXd& A, Index first, const MatrixXd& c, MatrixXd& W) {
  const Index packs = blocks_of(W.cols()), one = c.rows() * kPacked;
  std::vector<double> rows(static_cast<std::size_t>(packs * one), 0.0);
  for (Index k = 0; k < W.cols(); ++k) {
    double* to = rows.data() + k / kPacked * one + k % kPacked;
    for (Index j = 0; j < c.rows(); ++j) to[j * kPacked] = c(j, k);
  }
  each_band(W.rows(), [&](Index, Chunk band) {
    Rows packed;
    each_chunk(band, [&](Chunk chunk) {
      for (Index k = 0; k < packs; ++k) {
        const Index column = k * kPacked, width = std::min(kPacked, W.cols() - column);
        pack(W, column, width, chunk, packed);
        take_product(A.data() + first * A.rows() + chunk.first, A.rows(), c.rows(),
                     rows.data() + k * one, chunk.rows, packed.data());
        unpack(packed, column, width, chunk, W);
      }
    });
  });
}

}  // namespace ulterix
