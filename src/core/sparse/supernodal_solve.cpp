#include "core/sparse/supernodal_solve.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <vector>

#include "core/sparse/packed_kernels.hpp"

namespace ulterix {

namespace {

using Eigen::Index;

/// Smaller factors are solved with before another thread has started.
constexpr std::int64_t kSolveWorthSharing = 4'000'000;
/// Columns of a block that all threads work behind at a time, whole squares, and what one of them
/// takes.
constexpr Index kTogether = 128, kPieceRows = 512, kPieceColumns = 32;

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
      : factor_(factor),
        square_(factor),
        together_(std::max(kTogether, square_.width)),
        size_(Index(factor.blocks.order.size())),
        all_(factor.plan.shares() ? factor.plan.size() : size_),
        x_(pooled_buffer(std::size_t(all_ * kPacked))) {}

  void solve(double* rows) {
    const auto order = factor_.blocks.order;
    for (Index k = 0; k < size_; ++k) {
      std::copy_n(rows + order[std::size_t(k)] * kPacked, kPacked, row(k));
    }
    if (factor_.plan.shares()) {
      solve_together();
    } else {
      solve_alone();
    }
    for (Index k = 0; k < size_; ++k) {
      std::copy_n(row(k), kPacked, rows + order[std::size_t(k)] * kPacked);
    }
  }

 private:
  struct View {
    Index first, columns, rows;
    const std::int64_t* below;    ///< rows under the triangle
    const std::int64_t* targets;  ///< where those are worked on
    const double* L;
  };
  /// What one thread needs.
  struct Room {
    explicit Room(const SupernodalFactor& factor) : square(factor) {}
    Square square;
    std::vector<double> sums;
    alignas(64) std::array<double, kPackedRows * kPacked> chunk;
  };

  void solve_alone() {
    const std::size_t count = factor_.blocks.count();
    Room room(factor_);
    for (std::size_t b = 0; b < count; ++b) forward(view(b), room);
    for (std::size_t b = count; b-- > 0;) backward(view(b), room);
  }

  void solve_together() {
    const SolvePlan& plan = factor_.plan;
    const auto& subtrees = plan.shared().subtrees;
    const auto& above = plan.shared().above;
    std::fill(row(size_), row(all_), 0.0);
    each(Index(subtrees.size()), [&](Index s) {
      Room room(factor_);
      for (const std::size_t b : subtrees[std::size_t(s)]) forward(view(b), room);
    });
    for (std::size_t s = 0; s < subtrees.size(); ++s) add_brought(s);
    for (const std::size_t b : above) forward_together(view(b));
    for (std::size_t k = above.size(); k-- > 0;) backward_together(view(above[k]));
    each(Index(subtrees.size()), [&](Index s) {
      const auto& blocks = subtrees[std::size_t(s)];
      Room room(factor_);
      for (std::size_t k = blocks.size(); k-- > 0;) backward(view(blocks[k]), room);
    });
  }

  /// What a subtree has brought to the rows above it.
  void add_brought(std::size_t subtree) {
    const double* brought = row(factor_.plan.first_place(subtree));
    for (const std::int64_t k :
         factor_.blocks.below(factor_.plan.shared().subtrees[subtree].back())) {
      for (Index c = 0; c < kPacked; ++c) row(k)[c] += *brought++;
    }
  }

  double* row(Index k) { return x_.get() + k * kPacked; }

  View view(std::size_t b) const {
    View v;
    const EliminationBlocks& blocks = factor_.blocks;
    v.first = blocks.first[b];
    v.columns = blocks.pivots(b);
    v.rows = Index(blocks.rows_of(b).size());
    v.below = blocks.below(b).data();
    v.targets = factor_.plan.shares()
                    ? factor_.plan.targets().data() + blocks.row_start[b] + v.columns
                    : v.below;
    v.L = factor_.values + blocks.value_start[b];
    return v;
  }

  void forward(const View& v, Room& room) {
    forward_square(v, 0, v.columns);
    each_chunk(v.rows - v.columns,
               [&](Index from, Index count) { forward_below(v, from, count, room.chunk.data()); });
  }

  /// The columns from .. to within their own rows.
  void forward_square(const View& v, Index from, Index to) {
    for (Index j = from; j < to; j += square_.width) {
      const Index width = std::min(square_.width, to - j), after = j + width;
      const double* L = v.L + j * v.rows;
      Square::forward(L + j, v.rows, width, row(v.first + j));
      take_product(L + after, v.rows, width, row(v.first + j), to - after, row(v.first + after));
    }
  }

  /// Some of the rows below the triangle less what the columns bring.
  void forward_below(const View& v, Index from, Index count, double* chunk) {
    const std::int64_t* targets = v.targets + from;
    gather(targets, count, chunk);
    take_product(v.L + v.columns + from, v.rows, v.columns, row(v.first), count, chunk);
    for (Index i = 0; i < count; ++i) {
      std::copy_n(chunk + i * kPacked, kPacked, row(targets[i]));
    }
  }

  void backward(const View& v, Room& room) {
    room.sums.assign(std::size_t(v.columns * kPacked), 0.0);
    each_chunk(v.rows - v.columns, [&](Index from, Index count) {
      gather(v.below + from, count, room.chunk.data());
      add_inner(v.L + v.columns + from, v.rows, v.columns, room.chunk.data(), count,
                room.sums.data());
    });
    backward_square(v, 0, v.columns, room.sums.data(), room.square);
  }

  /// The columns from .. to, whose `sums` have the rows after them.
  void backward_square(const View& v, Index from, Index to, double* sums, Square& square) {
    for (Index j = from + (to - from - 1) / square.width * square.width; j >= from;
         j -= square.width) {
      const Index width = std::min(square.width, to - j), after = j + width;
      const double* L = v.L + j * v.rows;
      double* own = sums + (j - from) * kPacked;
      add_inner(L + after, v.rows, width, row(v.first + after), to - after, own);
      square.backward(L + j, v.rows, width, row(v.first + j), own);
    }
  }

  /// The same as forward, by all threads.
  void forward_together(const View& v) {
    for (Index from = 0; from < v.columns; from += together_) {
      const Index to = std::min(from + together_, v.columns);
      forward_square(v, from, to);
      each_piece(v.columns - to, kPieceRows, [&](Index first, Index count) {
        take_product(v.L + from * v.rows + to + first, v.rows, to - from, row(v.first + from),
                     count, row(v.first + to + first));
      });
    }
    each_piece(v.rows - v.columns, kPieceRows, [&](Index first, Index count) {
      alignas(64) std::array<double, kPieceRows * kPacked> chunk;
      forward_below(v, first, count, chunk.data());
    });
  }

  void backward_together(const View& v) {
    const Index below = v.rows - v.columns;
    below_.resize(std::size_t(below * kPacked));
    gather(v.below, below, below_.data());
    for (Index from = (v.columns - 1) / together_ * together_; from >= 0; from -= together_) {
      const Index to = std::min(from + together_, v.columns);
      std::vector<double> sums(std::size_t((to - from) * kPacked), 0.0);
      each_piece(to - from, kPieceColumns, [&](Index first, Index count) {
        const double* L = v.L + (from + first) * v.rows;
        double* own = sums.data() + first * kPacked;
        add_inner(L + v.columns, v.rows, count, below_.data(), below, own);
        add_inner(L + to, v.rows, count, row(v.first + to), v.columns - to, own);
      });
      backward_square(v, from, to, sums.data(), square_);
    }
  }

  template <class Act>
  static void each(Index count, const Act& act) {
    tbb::parallel_for(Index(0), count, act, tbb::simple_partitioner());
  }

  template <class Act>
  static void each_chunk(Index rows, const Act& act) {
    for (Index i = 0; i < rows; i += kPackedRows) act(i, std::min(kPackedRows, rows - i));
  }

  /// act(first, count) for pieces of `size`, side by side.
  template <class Act>
  static void each_piece(Index all, Index size, const Act& act) {
    const Index pieces = (all + size - 1) / size;
    const auto one = [&](Index k) { act(k * size, std::min(size, all - k * size)); };
    if (pieces > 1) {
      each(pieces, one);
    } else if (pieces == 1) {
      one(0);
    }
  }

  void gather(const std::int64_t* rows, Index count, double* to) {
    for (Index i = 0; i < count; ++i) std::copy_n(row(rows[i]), kPacked, to + i * kPacked);
  }

  const SupernodalFactor& factor_;
  Square square_;
  Index together_, size_, all_;
  PooledBuffer x_;
  std::vector<double> below_;
};

}  // namespace

SolvePlan::SolvePlan(const EliminationBlocks& blocks) {
  if (blocks.value_start.back() < kSolveWorthSharing) return;
  shared_ = share_out(blocks);
  if (shared_.subtrees.size() < 2) return;
  targets_.assign(blocks.rows.begin(), blocks.rows.end());
  size_ = Index(blocks.order.size());
  std::vector<std::int64_t> place(blocks.order.size());
  for (const std::vector<std::size_t>& subtree : shared_.subtrees) {
    const std::int64_t end = blocks.first[subtree.back() + 1];
    first_place_.push_back(size_);
    for (const std::int64_t row : blocks.below(subtree.back())) {
      place[std::size_t(row)] = size_++;
    }
    for (const std::size_t b : subtree) {
      const auto from = targets_.begin() + blocks.row_start[b];
      for (auto t = from; t != targets_.begin() + blocks.row_start[b + 1]; ++t) {
        if (*t >= end) *t = place[std::size_t(*t)];
      }
    }
  }
}

void solve(const SupernodalFactor& factor, double* rows) {
  if (factor.panel > 0) {
    PackedSolve<InverseBlock>(factor).solve(rows);
  } else {
    PackedSolve<Triangle>(factor).solve(rows);
  }
}

// NOLINTNEXTLINE(performance-unnecessary-value-param): a view, and written through
void solve(const SupernodalFactor& factor, Eigen::Ref<Eigen::MatrixXd> X) {
  change_in_blocks(X, [&factor](ColumnBlock& pack) { solve(factor, pack.row(0)); });
}

}  // namespace ulterix
