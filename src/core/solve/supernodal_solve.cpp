#include "core/solve/supernodal_solve.hpp"

#include <algorithm>
#include <array>
#include <vector>

#include "core/solve/packed_kernels.hpp"

namespace ulterix {

namespace {

using Eigen::Index;

/// The square on the diagonal of LLᵀ, a few of its columns at a time: the rest is done at once.
struct Triangle {
  static constexpr Index kColumns = 16;
  Index width = kColumns;

  explicit Triangle(const SupernodalFactor& /*factor*/) {}

  /// own: rows of the square, from right side to L⁻¹ of it.
  static void forward(const double* L, Index stride, Index columns, double* own) {
    for (Index k = 0; k < columns; ++k, own += kPacked) {
      for (Index c = 0; c < kPacked; ++c) own[c] /= L[k * stride + k];
      take_product(L + k * stride + k + 1, stride, 1, own, columns - k - 1, own + kPacked);
    }
  }

  /// `sums`: what the rows after the square take off.
  static void backward(const double* L, Index stride, Index columns, double* own, double* sums) {
    for (Index k = columns; k-- > 0;) {
      double* x = own + k * kPacked;
      double* sum = sums + k * kPacked;
      add_inner(L + k * stride + k + 1, stride, 1, x + kPacked, columns - k - 1, sum);
      for (Index c = 0; c < kPacked; ++c) x[c] = (x[c] - sum[c]) / L[k * stride + k];
    }
  }
};

/// The square of LDLᵀ: an identity in L, and the inverse of D is there.
struct InverseBlock {
  Index width;
  std::vector<double> product;

  explicit InverseBlock(const SupernodalFactor& factor) : width(factor.panel) {}

  static void forward(const double*, Index, Index, double*) {}

  void backward(const double* D, Index stride, Index columns, double* own, double* sums) {
    product.assign(std::size_t(columns * kPacked), 0.0);
    take_product(D, stride, columns, own, columns, product.data());
    for (Index i = 0; i < columns * kPacked; ++i) own[i] = -product[std::size_t(i)] - sums[i];
  }
};

template <class Square>
class PackedSolve {
 public:
  explicit PackedSolve(const SupernodalFactor& factor)
      : factor_(factor), square_(factor), x_(Index(factor.blocks.order.size())) {}

  void solve(double* rows) {
    const auto order = factor_.blocks.order;
    const Index size = x_.rows();
    for (Index k = 0; k < size; ++k) {
      std::copy_n(rows + order[std::size_t(k)] * kPacked, kPacked, row(k));
    }
    const std::size_t count = factor_.blocks.count();
    for (std::size_t s = 0; s < count; ++s) forward(view(s));
    for (std::size_t s = count; s-- > 0;) backward(view(s));
    for (Index k = 0; k < size; ++k) {
      std::copy_n(row(k), kPacked, rows + order[std::size_t(k)] * kPacked);
    }
  }

 private:
  struct View {
    Index first, columns, rows;
    const std::int64_t* below;  ///< rows under the triangle
    const double* L;
  };

  double* row(Index k) { return x_.row(k); }

  View view(std::size_t s) const {
    View v;
    const EliminationBlocks& blocks = factor_.blocks;
    v.first = blocks.first[s];
    v.columns = blocks.pivots(s);
    v.rows = Index(blocks.rows_of(s).size());
    v.below = blocks.below(s).data();
    v.L = factor_.values + blocks.value_start[s];
    return v;
  }

  void forward(const View& v) {
    for (Index j = 0; j < v.columns; j += square_.width) {
      const Index width = std::min(square_.width, v.columns - j), after = j + width;
      const double* L = v.L + j * v.rows;
      square_.forward(L + j, v.rows, width, row(v.first + j));
      take_product(L + after, v.rows, width, row(v.first + j), v.columns - after,
                   row(v.first + after));
    }
    each_chunk(v, [&](const double* L, const std::int64_t* rows, Index count) {
      gather(rows, count);
      take_product(L, v.rows, v.columns, row(v.first), count, chunk_.data());
      for (Index i = 0; i < count; ++i) {
        std::copy_n(chunk_.data() + i * kPacked, kPacked, row(rows[i]));
      }
    });
  }

  void backward(const View& v) {
    sums_.assign(std::size_t(v.columns * kPacked), 0.0);
    each_chunk(v, [&](const double* L, const std::int64_t* rows, Index count) {
      gather(rows, count);
      add_inner(L, v.rows, v.columns, chunk_.data(), count, sums_.data());
    });
    for (Index j = (v.columns - 1) / square_.width * square_.width; j >= 0; j -= square_.width) {
      const Index width = std::min(square_.width, v.columns - j), after = j + width;
      const double* L = v.L + j * v.rows;
      double* sums = sums_.data() + j * kPacked;
      add_inner(L + after, v.rows, width, row(v.first + after), v.columns - after, sums);
      square_.backward(L + j, v.rows, width, row(v.first + j), sums);
    }
  }

  template <class Act>
  void each_chunk(const View& v, const Act& act) {
    const Index below = v.rows - v.columns;
    for (Index i = 0; i < below; i += kPackedRows) {
      act(v.L + v.columns + i, v.below + i, std::min(kPackedRows, below - i));
    }
  }

  void gather(const std::int64_t* rows, Index count) {
    for (Index i = 0; i < count; ++i) {
      std::copy_n(row(rows[i]), kPacked, chunk_.data() + i * kPacked);
    }
  }

  const SupernodalFactor& factor_;
  Square square_;
  Pack x_;
  std::vector<double> sums_;
  alignas(64) std::array<double, kPackedRows * kPacked> chunk_;
};

}  // namespace

void solve(const SupernodalFactor& factor, double* rows) {
  if (factor.panel > 0) {
    PackedSolve<InverseBlock>(factor).solve(rows);
  } else {
    PackedSolve<Triangle>(factor).solve(rows);
  }
}

// NOLINTNEXTLINE(performance-unnecessary-value-param): a view, and written through
void solve(const SupernodalFactor& factor, Eigen::Ref<Eigen::MatrixXd> X) {
  change_in_packs(X, [&factor](Pack& pack) { solve(factor, pack.row(0)); });
}

}  // namespace ulterix
