#include "core/solve/block_inertia.hpp"

#include <cblas.h>

#include <algorithm>
#include <cmath>

// LAPACK inside OpenBLAS; its C header lacks the factorisations.
extern "C" {
void dsytrf_(const char* uplo, const int* n, double* a, const int* lda, int* pivots, double* work,
             const int* work_size, int* info);
void dsytrs2_(const char* uplo, const int* n, const int* columns, double* a, const int* lda,
              const int* pivots, double* b, const int* ldb, double* work, int* info);
}

namespace ulterix {

namespace {

/// Columns of the update that are made at once; only the lower triangle is.
constexpr int kUpdateWidth = 96;

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
  Elimination(const Permuted& matrix, const EliminationBlocks& blocks)
      : matrix_(matrix), blocks_(blocks), local_(matrix.start.size(), -1) {}

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
    front_.assign(std::size_t(rows_) * std::size_t(rows_), 0.0);
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
    interchanges_.resize(std::size_t(pivots_));
    const int work_size = 64 * std::max(pivots_, rows_);
    work_.resize(std::size_t(work_size));
    int info = 0;
    dsytrf_("L", &pivots_, front_.data(), &rows_, interchanges_.data(), work_.data(), &work_size,
            &info);
    if (info != 0) return false;
    count();
    const int below = rows_ - pivots_;
    if (below == 0) return true;
    solved_.resize(std::size_t(pivots_) * std::size_t(below));
    for (int j = 0; j < pivots_; ++j) {
      for (int i = 0; i < below; ++i) {
        solved_[std::size_t(i) * std::size_t(pivots_) + std::size_t(j)] = front(pivots_ + i, j);
      }
    }
    dsytrs2_("L", &pivots_, &below, front_.data(), &rows_, interchanges_.data(), solved_.data(),
             &pivots_, work_.data(), &info);
    for (int j = 0; j < below; j += kUpdateWidth) {
      cblas_dgemm(CblasColMajor, CblasNoTrans, CblasNoTrans, below - j,
                  std::min(kUpdateWidth, below - j), pivots_, -1, &front(pivots_ + j, 0), rows_,
                  solved_.data() + std::size_t(j) * std::size_t(pivots_), pivots_, 1,
                  &front(pivots_ + j, pivots_ + j), rows_);
    }
    return !grown(below);
  }

  void count() {
    for (int j = 0; j < pivots_; ++j) {
      if (interchanges_[std::size_t(j)] < 0) {  // a pivot of order 2 has one of each sign
        ++negative_;
        ++j;
      } else if (front(j, j) < 0) {
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
  std::vector<int> local_;  // of a row, within the present block
  std::vector<double> front_, solved_, work_, stack_;
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
  return Elimination(matrix, blocks).run();
}

}  // namespace ulterix
