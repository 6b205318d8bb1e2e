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
  Elimination(const Permuted& matrix, const EliminationBlocks& blocks, int panel)
      : matrix_(matrix), blocks_(blocks), panel_(panel), local_(matrix.start.size(), -1) {}

  std::optional<int> run() {
    for (std::size_t b = 0; b + 1 < blocks_.first.size(); ++b) {
      gather(b);
      if (!eliminate()) return std::nullopt;
      leave(b);
    }
    return negative_;
  }

 private:
  struct Left {  // the update of an eliminated block
    std::size_t block, at;
    int size;
  };

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
    while (!waiting_.empty() && parent_of(waiting_.back()) == b) take_from(waiting_.back());
  }

  /// The block in which the first row of an update is eliminated.
  std::size_t parent_of(const Left& left) const {
    const auto below = rows_of(left.block).subspan(pivots_of(left.block));
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

  /// LDLᵀ of the pivots, and the update F22 − F21·F11⁻¹·F21ᵀ.
  bool eliminate() {
    const int below = rows_ - pivots_;
    solved_.resize(std::size_t(pivots_) * std::size_t(below));
    for (int first = 0; first < pivots_; first += panel_) {
      if (!eliminate_panel(first, std::min(panel_, pivots_ - first))) return false;
    }
    if (below == 0) return true;
    update(pivots_, rows_, 0, pivots_, solved_.data(), pivots_);
    return !grown(below);
  }

  /// Pivots within a panel: its factor, its inverse times its rows, and the pivot columns after it.
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
    if (after == 0) return true;
    dsytri_("L", &width, panel, &rows_, interchanges_.data(), work_.data(), &info);
    if (info != 0) return false;
    // The panel's inverse times its rows, transposed.
    scaled_.resize(std::size_t(width) * std::size_t(after));
    for (int j = 0; j < width; ++j) {
      for (int i = j + 1; i < width; ++i) front(first + j, first + i) = front(first + i, first + j);
    }
    cblas_dgemm(CblasColMajor, CblasNoTrans, CblasTrans, width, after, width, 1, panel, rows_,
                &front(first + width, first), rows_, 0, scaled_.data(), width);
    const int within = pivots_ - first - width;
    update(first + width, pivots_, first, width, scaled_.data(), width);
    for (int i = within; i < after; ++i) {
      std::copy_n(&scaled_[std::size_t(i) * std::size_t(width)], width,
                  &solved_[std::size_t(i - within) * std::size_t(pivots_) + std::size_t(first)]);
    }
    return true;
  }

  /// Columns from .. to, their lower triangle: less F(:, first ..)·S, S by columns.
  void update(int from, int to, int first, int width, const double* S, int stride) {
    for (int j = from; j < to; j += kUpdateWidth) {
      cblas_dgemm(CblasColMajor, CblasNoTrans, CblasNoTrans, rows_ - j,
                  std::min(kUpdateWidth, to - j), width, -1, &front(j, first), rows_,
                  S + std::size_t(j - from) * std::size_t(stride), stride, 1, &front(j, j), rows_);
    }
  }

  void count(int first, int width) {
    for (int j = 0; j < width; ++j) {
      if (interchanges_[std::size_t(j)] < 0) {  // a pivot of order 2 has one of each sign
        ++negative_;
        ++j;
      } else if (front(first + j, first + j) < 0) {
        ++negative_;
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
  int panel_;
  std::vector<int> local_;  // of a row, within the present block
  std::vector<double> front_, solved_, scaled_, work_, stack_;
  std::vector<int> interchanges_;
  std::vector<Left> waiting_;
  int rows_ = 0, pivots_ = 0;
  int negative_ = 0;
};

}  // namespace

std::optional<int> count_negative_eigenvalues(const SymmetricPattern& pattern,
                                              const std::vector<double>& values,
                                              const EliminationBlocks& blocks) {
  const Permuted matrix = permuted(pattern, values, blocks.order);
  const std::optional<int> count = Elimination(matrix, blocks, kPanel).run();
  return count ? count : Elimination(matrix, blocks, pattern.size).run();
}

}  // namespace ulterix
