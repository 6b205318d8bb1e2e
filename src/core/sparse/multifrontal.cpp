#include "core/sparse/multifrontal.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <memory>

#include "core/sparse/lapack.hpp"

namespace ulterix {

namespace {

/// Columns of the update that are made at once, fewer on the diagonal: only the lower triangle is.
constexpr int kUpdateWidth = 384, kSquare = 64;
/// Rows of a large front that one thread works on at once.
constexpr int kRowsAtOnce = 1536;
/// Smaller fronts are done before another thread has started.
constexpr int kSmallFront = 256;
/// Pivots are looked for within so many columns; where that fails, within the whole block.
constexpr int kPanel = 64;
/// Columns of panels that are gathered before those after them are updated.
constexpr int kGathered = 256;
/// Factors of more entries take so much memory that what their subtrees do not need is given back.
constexpr std::int64_t kLargeFactor = 16 << 20;

/// Lower triangle by columns in the order of elimination.
struct Permuted {
  std::vector<std::int64_t> start, rows;
  std::vector<double> values;
  double largest = 0;
};

Permuted permuted(const SymmetricPattern& pattern, const std::vector<double>& values,
                  std::span<const std::int64_t> order) {
  const auto n = static_cast<std::size_t>(pattern.size);
  std::vector<std::int64_t> place(n);
  for (std::size_t k = 0; k < n; ++k) place[static_cast<std::size_t>(order[k])] = std::int64_t(k);
  Permuted result;
  result.start.assign(n + 1, 0);
  const auto each = [&](const auto& visit) {
    for (std::size_t j = 0; j < n; ++j) {
      for (auto p = pattern.column_start[j]; p < pattern.column_start[j + 1]; ++p) {
        const auto at = static_cast<std::size_t>(p);
        const auto a = place[static_cast<std::size_t>(pattern.rows[at])], b = place[j];
        visit(std::min(a, b), std::max(a, b), values[at]);
      }
    }
  };
  each([&](std::int64_t column, std::int64_t, double) {
    ++result.start[static_cast<std::size_t>(column) + 1];
  });
  for (std::size_t k = 0; k < n; ++k) result.start[k + 1] += result.start[k];
  result.rows.resize(values.size());
  result.values.resize(values.size());
  std::vector<std::int64_t> next(result.start.begin(), result.start.end() - 1);
  each([&](std::int64_t column, std::int64_t row, double value) {
    const auto at = static_cast<std::size_t>(next[static_cast<std::size_t>(column)]++);
    result.rows[at] = row;
    result.values[at] = value;
    result.largest = std::max(result.largest, std::abs(value));
  });
  return result;
}

/// What is to be factorised, and where its factor goes.
struct Task {
  const Permuted& matrix;
  const EliminationBlocks& blocks;
  const SharedOut& shared;
  bool definite;
  int panel;       // of an indefinite matrix
  double* factor;  // none: it is not kept
};

/// Eliminates block after block; what a block leaves for its parent lies on a stack until then.
class Elimination {
 public:
  Elimination(const Task& task, const std::vector<std::size_t>& blocks) : task_(task) {
    make_room(blocks);
  }

  /// False at a pivot that is no good. Fronts of some size are worked on by all threads where
  /// these blocks are above subtrees, which hand over what they left.
  bool run(const std::vector<std::size_t>& blocks,
           const std::vector<std::unique_ptr<Elimination>>& subtrees = {}) {
    for (const std::size_t b : blocks) {
      begin(b);
      spread_ = !subtrees.empty() && rows_ >= kSmallFront;
      gather(b);
      while (leaves_for(b)) take_from(*this);
      for (const auto& subtree : subtrees) {
        if (!subtree->leaves_for(b)) continue;
        take_from(*subtree);
        subtree->stack_ = {};
      }
      if (!(task_.definite ? eliminate_definite() : eliminate_indefinite())) return false;
      leave(b);
    }
    own_room_ = {};
    rest_room_ = {};
    solved_room_ = {};
    return true;
  }

  int negative() const { return negative_; }

 private:
  using Blas = Lapack;
  struct Left {  // the update of an eliminated block: its lower triangle by columns
    std::size_t block;
    double* values;
    int size;
  };
  struct Run {  // rows of an update that lie side by side in the front, too
    int from, to, at;
  };

  /// The stack and the largest front.
  void make_room(const std::vector<std::size_t>& blocks) {
    const std::size_t first = blocks.front();
    std::vector<std::size_t> taken(task_.blocks.count() + 1 - first, 0);
    std::size_t on_stack = 0, most = 0, own = 0, rest = 0, solved = 0;
    for (const std::size_t b : blocks) {
      const auto pivots = std::size_t(task_.blocks.pivots(b));
      const std::size_t rows = task_.blocks.rows_of(b).size(), below = rows - pivots;
      own = std::max(own, rows * pivots);
      solved = std::max(solved, rows * std::min(pivots, std::size_t(gathered_at_once())));
      rest = std::max(rest, below * below);
      on_stack -= taken[b - first];
      const std::size_t size = below * (below + 1) / 2;
      on_stack += size;
      most = std::max(most, on_stack);
      taken[task_.shared.parent[b] - first] += size;
    }
    if (task_.factor == nullptr) own_room_ = pooled_buffer(own);
    rest_room_ = pooled_buffer(rest);
    if (!task_.definite) solved_room_ = pooled_buffer(solved);
    stack_ = pooled_buffer(most);
    top_ = stack_.get();
    local_.resize(task_.matrix.start.size());
  }

  void begin(std::size_t b) {
    rows_ = static_cast<int>(task_.blocks.rows_of(b).size());
    pivots_ = task_.blocks.pivots(b);
    below_ = rows_ - pivots_;
    own_ = task_.factor != nullptr ? task_.factor + task_.blocks.value_start[b] : own_room_.get();
  }

  /// Entry of the pivots' columns.
  double* own(int i, int j) const { return own_ + std::size_t(j) * std::size_t(rows_) + i; }
  /// Column j of the front from its diagonal on; the columns of the rest follow the pivots'.
  double* column(int j) const {
    if (j < pivots_) return own(j, j);
    return rest_room_.get() + std::size_t(j - pivots_) * std::size_t(below_ + 1);
  }
  /// What pivot k of row i became, of those gathered at present.
  double* solved(int k, int i) const {
    return solved_room_.get() + std::size_t(i) * std::size_t(gathered_) + (k - gathered_from_);
  }

  /// Calls act(first, last) for pieces of from .. to.
  template <class Act>
  void each_piece(int from, int to, int size, const Act& act) const {
    if (from >= to) return;
    const int count = (to - from + size - 1) / size;
    const auto one = [&](int k) { act(from + k * size, std::min(from + (k + 1) * size, to)); };
    if (spread_ && count > 1) {
      tbb::parallel_for(0, count, one, tbb::simple_partitioner());
    } else {
      for (int k = 0; k < count; ++k) one(k);
    }
  }

  /// The block's own entries.
  void gather(std::size_t b) {
    each_piece(0, rows_, kPanel, [&](int from, int to) {
      for (int j = from; j < to; ++j) std::fill_n(column(j), rows_ - j, 0.0);
    });
    const auto rows = task_.blocks.rows_of(b);
    for (int i = 0; i < rows_; ++i) local_[std::size_t(rows[std::size_t(i)])] = i;
    for (int j = 0; j < pivots_; ++j) {
      const auto column = static_cast<std::size_t>(task_.blocks.first[b] + j);
      for (auto p = task_.matrix.start[column]; p < task_.matrix.start[column + 1]; ++p) {
        const auto at = static_cast<std::size_t>(p);
        own(local_[std::size_t(task_.matrix.rows[at])], j)[0] += task_.matrix.values[at];
      }
    }
  }

  bool leaves_for(std::size_t b) const {
    return !waiting_.empty() && task_.shared.parent[waiting_.back().block] == b;
  }

  /// Adds the last update of a child to the front.
  void take_from(Elimination& child) {
    const Left left = child.waiting_.back();
    const auto below = task_.blocks.below(left.block);
    runs_.clear();
    for (int i = 0; i < left.size; ++i) {
      const int at = local_[std::size_t(below[std::size_t(i)])];
      if (runs_.empty() || at != runs_.back().at + i - runs_.back().from) {
        runs_.push_back({i, i, at});
      }
      runs_.back().to = i + 1;
    }
    each_piece(0, static_cast<int>(runs_.size()), kPanel / 8, [&](int first, int last) {
      for (int r = first; r < last; ++r) {
        for (int j = runs_[std::size_t(r)].from; j < runs_[std::size_t(r)].to; ++j) {
          add_column(left, j, r);
        }
      }
    });
    child.waiting_.pop_back();
    child.top_ = left.values;
  }

  /// Column j of an update, which is in run r.
  void add_column(const Left& left, int j, int r) const {
    const double* update = left.values + packed_start(j, left.size) - j;
    const int at = runs_[std::size_t(r)].at + j - runs_[std::size_t(r)].from;
    double* front = column(at) - at;
    for (std::size_t k = std::size_t(r); k < runs_.size(); ++k) {
      const int from = std::max(runs_[k].from, j), to = runs_[k].to;
      double* sum = front + runs_[k].at - runs_[k].from;
      for (int i = from; i < to; ++i) sum[i] += update[i];
    }
  }

  /// Where column j of a packed lower triangle begins.
  static std::size_t packed_start(int j, int size) {
    return std::size_t(j) * std::size_t(2 * size - j + 1) / 2;
  }

  /// LLᵀ of the pivots, and the rest F22 − L21·L21ᵀ.
  bool eliminate_definite() {
    for (int first = 0; first < pivots_; first += kGathered) {
      const int width = std::min(kGathered, pivots_ - first), after = first + width;
      int info = 0;
      Blas::potrf("L", &width, own(first, first), &rows_, &info);
      if (info != 0) return false;
      each_piece(after, rows_, pieces_of_rows(), [&](int from, int to) {
        Blas::trsm(CblasColMajor, CblasRight, CblasLower, CblasTrans, CblasNonUnit, to - from,
                   width, 1, own(first, first), rows_, own(from, first), rows_);
      });
      update(after, pivots_, first, width);
    }
    update(pivots_, rows_, 0, pivots_);
    return true;
  }

  int gathered_at_once() const { return std::max(task_.panel, kGathered); }

  /// LDLᵀ of the pivots, and the rest F22 − F21·F11⁻¹·F21ᵀ. Panels are gathered, since wide
  /// products are faster; what their rows became is kept aside no longer than that.
  bool eliminate_indefinite() {
    const int panel = task_.panel;
    for (int from = 0; from < pivots_; from += gathered_) {
      gathered_from_ = from;
      gathered_ = std::min(gathered_at_once(), pivots_ - from);
      const int to = from + gathered_;
      for (int first = from; first < to; first += panel) {
        const int width = std::min(panel, to - first);
        if (!eliminate_panel(first, width)) return false;
        update(first + width, to, first, width);
      }
      update(to, pivots_, from, gathered_);
      update(pivots_, rows_, from, gathered_);
      if (task_.factor != nullptr) keep(from, to);
    }
    return !grown();
  }

  /// Pivots within a panel: its inverse, and that times its rows.
  bool eliminate_panel(int first, int width) {
    const int after = first + width;
    interchanges_.resize(std::size_t(width));
    const int work_size = 64 * width;
    work_.resize(std::size_t(work_size));
    double* panel = own(first, first);
    int info = 0;
    Blas::sytrf("L", &width, panel, &rows_, interchanges_.data(), work_.data(), &work_size, &info);
    if (info != 0) return false;
    count(first, width);
    if (after == rows_ && task_.factor == nullptr) return true;
    Blas::sytri("L", &width, panel, &rows_, interchanges_.data(), work_.data(), &info);
    if (info != 0) return false;
    for (int j = first; j < after; ++j) {
      for (int i = j + 1; i < after; ++i) *own(j, i) = *own(i, j);
    }
    each_piece(after, rows_, pieces_of_rows(), [&](int from, int to) {
      Blas::gemm(CblasColMajor, CblasNoTrans, CblasTrans, width, to - from, width, 1, panel, rows_,
                 own(from, first), rows_, 0, solved(first, from), gathered_);
    });
    return true;
  }

  /// Columns from .. to, their lower triangle: less what the pivots from `first` on take.
  void update(int from, int to, int first, int width) const {
    each_piece(from, to, kUpdateWidth, [&](int j, int end) {
      for (int k = j; k < end; k += kSquare) {
        take_off(k, end, k, std::min(k + kSquare, end), first, width);
      }
      each_piece(end, rows_, pieces_of_rows(),
                 [&](int i, int last) { take_off(i, last, j, end, first, width); });
    });
  }

  /// Rows i .. last of the columns j .. end less what some pivots take.
  void take_off(int i, int last, int j, int end, int first, int width) const {
    const double* right = task_.definite ? own(j, first) : solved(first, j);
    Blas::gemm(CblasColMajor, CblasNoTrans, task_.definite ? CblasTrans : CblasNoTrans, last - i,
               end - j, width, -1, own(i, first), rows_, right, task_.definite ? rows_ : gathered_,
               1, column(j) + (i - j), j < pivots_ ? rows_ : below_);
  }

  int pieces_of_rows() const { return spread_ ? kRowsAtOnce : rows_; }

  /// What the rows of the panels in first .. end became, beneath their inverses: transposed piece
  /// by piece, in cache.
  void keep(int first, int end) const {
    each_piece(first, rows_, kPanel, [&](int from, int to) {
      for (int j = first; j < std::min(to, end); ++j) {
        const int after = std::min((j / task_.panel + 1) * task_.panel, pivots_);
        for (int i = std::max(from, after); i < to; ++i) *own(i, j) = *solved(j, i);
      }
    });
  }

  void count(int first, int width) {
    for (int j = 0; j < width; ++j) {
      if (interchanges_[std::size_t(j)] < 0) {  // a pivot of order 2 has one of each sign
        ++negative_;
        ++j;
      } else if (*own(first + j, first + j) < 0) {
        ++negative_;
      }
    }
  }

  bool grown() const {
    double largest = 0;
    for (int j = pivots_; j < rows_; ++j) largest = std::max(largest, std::abs(*column(j)));
    return !(largest <= kMostGrowth * task_.matrix.largest);
  }

  void leave(std::size_t b) {
    if (below_ == 0) return;
    waiting_.push_back({b, top_, below_});
    each_piece(0, below_, kPanel, [&](int from, int to) {
      for (int j = from; j < to; ++j) {
        std::copy_n(column(pivots_ + j), below_ - j, top_ + packed_start(j, below_));
      }
    });
    top_ += packed_start(below_, below_);
  }

  const Task& task_;
  std::vector<int> local_;  // of a row, within the present block
  PooledBuffer own_room_, rest_room_, solved_room_, stack_;
  double *own_ = nullptr, *top_ = nullptr;
  std::vector<double> work_;
  std::vector<int> interchanges_;
  std::vector<Run> runs_;
  std::vector<Left> waiting_;
  int rows_ = 0, pivots_ = 0, below_ = 0, negative_ = 0;
  int gathered_from_ = 0, gathered_ = 0;  // pivots whose rows are in solved_room_
  bool spread_ = false;
};

/// The number of negative pivots; empty at one that is no good.
std::optional<int> eliminate(const Task& task) {
  const std::vector<std::vector<std::size_t>>& subtrees = task.shared.subtrees;
  const std::vector<std::size_t>& above = task.shared.above;
  std::vector<std::unique_ptr<Elimination>> parts(subtrees.size());
  std::atomic<bool> good = true;
  const auto one = [&](std::size_t s) {
    parts[s] = std::make_unique<Elimination>(task, subtrees[s]);
    if (!parts[s]->run(subtrees[s])) good = false;
  };
  if (subtrees.size() == 1) {
    one(0);
  } else {
    tbb::parallel_for(std::size_t{0}, subtrees.size(), one, tbb::simple_partitioner());
  }
  if (!good) return std::nullopt;
  int negative = 0;
  for (const auto& part : parts) negative += part->negative();
  if (above.empty()) return negative;
  if (task.blocks.value_start.back() > kLargeFactor) release_kept_buffers();
  Elimination last(task, above);
  if (!last.run(above, parts)) return std::nullopt;
  return negative + last.negative();
}

}  // namespace

std::optional<BlockLdl> factorise_indefinite(const SymmetricPattern& pattern,
                                             const std::vector<double>& values,
                                             const EliminationBlocks& blocks, bool keep) {
  const Permuted matrix = permuted(pattern, values, blocks.order);
  const SharedOut shared = share_out(blocks);
  BlockLdl ldl;
  if (keep) ldl.values = pooled_buffer(std::size_t(blocks.value_start.back()));
  for (const int panel : {kPanel, pattern.size}) {
    const std::optional<int> negative =
        eliminate({matrix, blocks, shared, false, panel, ldl.values.get()});
    if (!negative) continue;
    ldl.negative = *negative;
    ldl.panel = panel;
    return ldl;
  }
  return std::nullopt;
}

bool factorise_definite(const SymmetricPattern& pattern, const std::vector<double>& values,
                        const EliminationBlocks& blocks, double* L) {
  const Permuted matrix = permuted(pattern, values, blocks.order);
  const SharedOut shared = share_out(blocks);
  return eliminate({matrix, blocks, shared, true, 0, L}).has_value();
}

}  // namespace ulterix
