#include "core/solve/supernodal_solve.hpp"

#include <algorithm>
#include <array>
#include <vector>

#include "core/solve/tall_products.hpp"

namespace ulterix {

namespace {

using Eigen::Index;

/// Columns of a triangle that are taken one by one before the rest is done at once.
constexpr Index kTriangle = 16;

class PackedSolve {
 public:
  explicit PackedSolve(const SupernodalFactor& factor)
      : factor_(factor), x_(factor.order.size() * kPacked) {}

  void solve(Eigen::Ref<Eigen::MatrixXd> X, Index column) {
    const Index width = std::min(kPacked, X.cols() - column);
    std::fill(x_.begin(), x_.end(), 0.0);
    for (Index k = 0; k < Index(factor_.order.size()); ++k) {
      for (Index c = 0; c < width; ++c) row(k)[c] = X(factor_.order[std::size_t(k)], column + c);
    }
    const std::size_t count = factor_.first.size() - 1;
    for (std::size_t s = 0; s < count; ++s) forward(view(s));
    for (std::size_t s = count; s-- > 0;) backward(view(s));
    for (Index k = 0; k < Index(factor_.order.size()); ++k) {
      for (Index c = 0; c < width; ++c) X(factor_.order[std::size_t(k)], column + c) = row(k)[c];
    }
  }

 private:
  struct View {
    Index first, columns, rows;
    const std::int64_t* below;  ///< rows under the triangle
    const double* L;
  };

  double* row(Index k) { return x_.data() + k * kPacked; }

  View view(std::size_t s) const {
    View v;
    v.first = factor_.first[s];
    v.columns = factor_.first[s + 1] - v.first;
    v.rows = factor_.row_start[s + 1] - factor_.row_start[s];
    v.below = factor_.rows.data() + factor_.row_start[s] + v.columns;
    v.L = factor_.values + factor_.value_start[s];
    return v;
  }

  void forward(const View& v) {
    for (Index j = 0; j < v.columns; j += kTriangle) {
      const Index width = std::min(kTriangle, v.columns - j), after = j + width;
      const double* L = v.L + j * v.rows;
      for (Index k = 0; k < width; ++k) {
        double* own = row(v.first + j + k);
        for (Index c = 0; c < kPacked; ++c) own[c] /= L[k * v.rows + j + k];
        take_product(L + k * v.rows + j + k + 1, v.rows, 1, own, width - k - 1, own + kPacked);
      }
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
    for (Index j = (v.columns - 1) / kTriangle * kTriangle; j >= 0; j -= kTriangle) {
      const Index width = std::min(kTriangle, v.columns - j), after = j + width;
      const double* L = v.L + j * v.rows;
      double* sums = sums_.data() + j * kPacked;
      add_inner(L + after, v.rows, width, row(v.first + after), v.columns - after, sums);
      for (Index k = width; k-- > 0;) {
        double* own = row(v.first + j + k);
        add_inner(L + k * v.rows + j + k + 1, v.rows, 1, own + kPacked, width - k - 1,
                  sums + k * kPacked);
        for (Index c = 0; c < kPacked; ++c) {
          own[c] = (own[c] - sums[k * kPacked + c]) / L[k * v.rows + j + k];
        }
      }
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
  std::vector<double> x_, sums_;
  std::array<double, kPackedRows * kPacked> chunk_;
};

}  // namespace

void solve(const SupernodalFactor& factor, Eigen::Ref<Eigen::MatrixXd> X) {
  PackedSolve packed(factor);
  for (Index column = 0; column < X.cols(); column += kPacked) packed.solve(X, column);
}

}  // namespace ulterix
