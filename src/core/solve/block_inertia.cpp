#include "core/solve/block_inertia.hpp"

#include <cblas.h>

#include <algorithm>
#include <cmath>

// LAPACK inside OpenBLAS; its C header lacks the factorisations.
extern "C" {
void dsytrf_(const char* uplo, const int* n, double* a, const int* lda, int* pivots, double* work,
             const int* work_size, int* info);
void dsytri_(const char* uplo, const int* n, double* a, const int* lda, const int* pivots,
             double* work, int* info);
}

namespace ulterix {

namespace {

/// Columns of the update that are made at once; only the lower triangle is.
constexpr int kUpdateWidth = 96;
/// Pivots are looked for within so many columns; where that fails, within the whole block.
constexpr int kPanel = 64;
/// Columns of panels that are gathered before those after them are updated.
constexpr int kGathered = 256;

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

/// Eliminates block after block; what a block leaves for its parent lies on a stack until then.
class Elimination {
 public:
  Elimination(const Permuted& matrix, const EliminationBlocks& blocks, int panel, bool keep)
      : matrix_(matrix), blocks_(blocks), local_(matrix.start.size(), -1) {
    result_.panel = panel;
    make_room();
    if (keep) make_room_for_factor();
  }

  std::optional<BlockLdl> run() {
    for (std::size_t b = 0; b + 1 < blocks_.first.size(); ++b) {
      gather(b);
      kept_ = result_.values ? &result_.values[std::size_t(value_start(b))] : nullptr;
      if (!eliminate()) return std::nullopt;
      leave(b);
    }
    return std::move(result_);
  }

 private:
  struct Left {  // the update of an eliminated block
    std::size_t block, at;
    int size;
  };

  /// The stack and the largest front, which would be copied as they grow.
  void make_room() {
    std::vector<std::size_t> taken(blocks_.first.size(), 0);
    std::size_t on_stack = 0, most = 0, front = 0;
    for (std::size_t b = 0; b + 1 < blocks_.first.size(); ++b) {
      const std::size_t rows = rows_of(b).size(), below = rows - pivots_of(b);
      front = std::max(front, rows * rows);
      on_stack -= taken[b];
      if (below == 0) continue;
      const std::size_t size = below * (below + 1) / 2;
      on_stack += size;
      most = std::max(most, on_stack);
      taken[parent_of(b)] += size;
    }
    front_.reserve(front);
    stack_.reserve(most);
  }

  void make_room_for_factor() {
    result_.value_start = {0};
    for (std::size_t b = 0; b + 1 < blocks_.first.size(); ++b) {
      result_.value_start.push_back(value_start(b) +
                                    std::int64_t(pivots_of(b) * rows_of(b).size()));
    }
    result_.values.reset(new double[std::size_t(result_.value_start.back())]);
  }
  std::int64_t value_start(std::size_t b) const { return result_.value_start[b]; }

  double& front(int i, int j) {
    return front_[std::size_t(j) * std::size_t(rows_) + std::size_t(i)];
  }

  std::span<const std::int64_t> rows_of(std::size_t b) const {
    const auto from = static_cast<std::size_t>(blocks_.row_start[b]);
    return blocks_.rows.subspan(from, static_cast<std::size_t>(blocks_.row_start[b + 1]) - from);
  }

  /// The block's own entries and what its children left.
  void gather(std::size_t b) {
    const auto rows = rows_of(b);
    rows_ = static_cast<int>(rows.size());
    pivots_ = static_cast<int>(blocks_.first[b + 1] - blocks_.first[b]);
    front_.resize(std::size_t(rows_) * std::size_t(rows_));
    for (int j = 0; j < rows_; ++j) std::fill(&front(j, j), &front(j, j) + (rows_ - j), 0.0);
    for (int i = 0; i < rows_; ++i) local_[static_cast<std::size_t>(rows[std::size_t(i)])] = i;
    for (int j = 0; j < pivots_; ++j) {
      const auto column = static_cast<std::size_t>(blocks_.first[b] + j);
      for (auto p = matrix_.start[column]; p < matrix_.start[column + 1]; ++p) {
        const auto at = static_cast<std::size_t>(p);
        front(local_[static_cast<std::size_t>(matrix_.rows[at])], j) += matrix_.values[at];
      }
    }
    while (!waiting_.empty() && parent_of(waiting_.back().block) == b) take_from(waiting_.back());
  }

  /// The block in which the first row of an update is eliminated.
  std::size_t parent_of(std::size_t b) const {
    const auto below = rows_of(b).subspan(pivots_of(b));
    const auto after = std::upper_bound(blocks_.first.begin(), blocks_.first.end(), below.front());
    return static_cast<std::size_t>(after - blocks_.first.begin()) - 1;
  }

  std::size_t pivots_of(std::size_t b) const {
    return static_cast<std::size_t>(blocks_.first[b + 1] - blocks_.first[b]);
  }

  void take_from(const Left left) {
    const auto below = rows_of(left.block).subspan(pivots_of(left.block));
    const double* update = stack_.data() + left.at;
    for (int j = 0; j < left.size; ++j) {
      const int to = local_[static_cast<std::size_t>(below[std::size_t(j)])];
      for (int i = j; i < left.size; ++i) {
        front(local_[static_cast<std::size_t>(below[std::size_t(i)])], to) += *update++;
      }
    }
    stack_.resize(left.at);
    waiting_.pop_back();
  }

  /// LDLᵀ of the pivots, and the update F22 − F21·F11⁻¹·F21ᵀ. Panels are gathered, since
  /// wide products are faster.
  bool eliminate() {
    solved_.resize(std::size_t(pivots_) * std::size_t(rows_));
    const int panel = result_.panel, gathered = std::max(panel, kGathered);
    for (int from = 0; from < pivots_; from += gathered) {
      const int to = std::min(from + gathered, pivots_);
      for (int first = from; first < to; first += panel) {
        const int width = std::min(panel, to - first);
        if (!eliminate_panel(first, width)) return false;
        update(first + width, to, first, width);
      }
      update(to, pivots_, from, to - from);
    }
    update(pivots_, rows_, 0, pivots_);
    return !grown(rows_ - pivots_);
  }

  /// Pivots within a panel: its factor, and its inverse times its rows.
  bool eliminate_panel(int first, int width) {
    const int after = rows_ - first - width;
    interchanges_.resize(std::size_t(width));
    const int work_size = 64 * width;
    work_.resize(std::size_t(work_size));
    double* panel = &front(first, first);
    int info = 0;
    dsytrf_("L", &width, panel, &rows_, interchanges_.data(), work_.data(), &work_size, &info);
    if (info != 0) return false;
    count(first, width);
    if (after == 0 && kept_ == nullptr) return true;
    dsytri_("L", &width, panel, &rows_, interchanges_.data(), work_.data(), &info);
    if (info != 0) return false;
    for (int j = 0; j < width; ++j) {
      for (int i = j + 1; i < width; ++i) front(first + j, first + i) = front(first + i, first + j);
    }
    if (after > 0) {  // the panel's inverse times its rows, transposed
      cblas_dgemm(CblasColMajor, CblasNoTrans, CblasTrans, width, after, width, 1, panel, rows_,
                  &front(first + width, first), rows_, 0, solved(first, first + width), pivots_);
    }
    if (kept_ != nullptr) keep(first, width);
    return true;
  }

  /// The panel's inverse, and below it what its rows became.
  void keep(int first, int width) {
    const int after = rows_ - first - width;
    double* panel = kept_ + std::size_t(first) * std::size_t(rows_) + std::size_t(first);
    const auto column = [&](int j) { return panel + std::size_t(j) * std::size_t(rows_); };
    for (int j = 0; j < width; ++j) std::copy_n(&front(first, first + j), width, column(j));
    for (int from = 0; from < after; from += kPanel) {  // transposed piece by piece, in cache
      for (int j = 0; j < width; ++j) {
        for (int i = from; i < std::min(from + kPanel, after); ++i) {
          column(j)[width + i] = solved(first + j, first + width + i)[0];
        }
      }
    }
  }

  /// What pivot k of row i became.
  double* solved(int k, int i) {
    return &solved_[std::size_t(i) * std::size_t(pivots_) + std::size_t(k)];
  }

  /// Columns from .. to, their lower triangle: less what the pivots from `first` on take.
  void update(int from, int to, int first, int width) {
    for (int j = from; j < to; j += kUpdateWidth) {
      cblas_dgemm(CblasColMajor, CblasNoTrans, CblasNoTrans, rows_ - j,
                  std::min(kUpdateWidth, to - j), width, -1, &front(j, first), rows_,
                  solved(first, j), pivots_, 1, &front(j, j), rows_);
    }
  }

  void count(int first, int width) {
    for (int j = 0; j < width; ++j) {
      if (interchanges_[std::size_t(j)] < 0) {  // a pivot of order 2 has one of each sign
        ++result_.negative;
        ++j;
      } else if (front(first + j, first + j) < 0) {
        ++result_.negative;
      }
    }
  }

  bool grown(int below) {
    double largest = 0;
    for (int i = 0; i < below; ++i) {
      largest = std::max(largest, std::abs(front(pivots_ + i, pivots_ + i)));
    }
    return !(largest <= kMostGrowth * matrix_.largest);
  }

  void leave(std::size_t b) {
    const int below = rows_ - pivots_;
    if (below == 0) return;
    waiting_.push_back({b, stack_.size(), below});
    for (int j = pivots_; j < rows_; ++j) {
      stack_.insert(stack_.end(), &front(j, j), &front(j, j) + (rows_ - j));
    }
  }

  const Permuted& matrix_;
  const EliminationBlocks& blocks_;
  std::vector<int> local_;  // of a row, within the present block
  std::vector<double> front_, solved_, work_, stack_;
  std::vector<int> interchanges_;
  std::vector<Left> waiting_;
  int rows_ = 0, pivots_ = 0;
  double* kept_ = nullptr;  // of the present block
  BlockLdl result_;
};

}  // namespace

std::optional<BlockLdl> factorise_indefinite(const SymmetricPattern& pattern,
                                             const std::vector<double>& values,
                                             const EliminationBlocks& blocks, bool keep) {
  const Permuted matrix = permuted(pattern, values, blocks.order);
  std::optional<BlockLdl> factor = Elimination(matrix, blocks, kPanel, keep).run();
  return factor ? std::move(factor) : Elimination(matrix, blocks, pattern.size, keep).run();
}

}  // namespace ulterix
