#include "core/solve/inner_elimination.hpp"

#include <tbb/parallel_for.h>

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <atomic>

#include "core/solve/lapack.hpp"
#include "core/solve/packed_kernels.hpp"

namespace ulterix {

using Eigen::MatrixXd;

namespace {

/// A group with an eigenvalue below this part of its largest is singular.
constexpr double kSingular = 1e-11;
/// Columns of the rest that one thread adds to.
constexpr int kColumnsAtOnce = 8192;

/// Unknowns that no entry couples to later ones end a group.
std::vector<int> group_starts(const SymmetricPattern& pattern, int inner) {
  std::vector<int> starts;
  std::int64_t reach = -1;
  for (int j = 0; j < inner; ++j) {
    if (j > reach) starts.push_back(j);
    for (auto p = pattern.column_start[j]; p < pattern.column_start[j + 1]; ++p) {
      const std::int64_t row = pattern.rows[static_cast<std::size_t>(p)];
      if (row < inner) reach = std::max(reach, row);
    }
  }
  starts.push_back(inner);
  return starts;
}

/// Calls visit(row, column, value) for every entry of the columns from .. to.
template <class Visit>
void each_entry(const SymmetricPattern& pattern, const std::vector<double>& values, int from,
                int to, const Visit& visit) {
  for (int j = from; j < to; ++j) {
    for (auto p = pattern.column_start[j]; p < pattern.column_start[j + 1]; ++p) {
      const auto at = static_cast<std::size_t>(p);
      visit(static_cast<int>(pattern.rows[at]), j, values[at]);
    }
  }
}

/// The entries of the group's unknowns with each other.
MatrixXd own_part(const SymmetricPattern& pattern, const std::vector<double>& values, int from,
                  int to) {
  MatrixXd K = MatrixXd::Zero(to - from, to - from);
  each_entry(pattern, values, from, to, [&](int row, int column, double value) {
    if (row < to) K(row - from, column - from) = K(column - from, row - from) = value;
  });
  return K;
}

/// K to its factor of LLᵀ; false where it is not positive definite.
bool factorise(MatrixXd& K) {
  const auto size = static_cast<int>(K.rows());
  int info = 0;
  dpotrf_("L", &size, K.data(), &size, &info);
  return info == 0;
}

/// False where K is not positive definite.
bool invert_definite(const MatrixXd& K, MatrixXd& inverse) {
  inverse = K;
  const auto size = static_cast<int>(K.rows());
  int info = 1;
  if (factorise(inverse)) dpotri_("L", &size, inverse.data(), &size, &info);
  if (info != 0) inverse.resize(0, 0);
  inverse.triangularView<Eigen::StrictlyUpper>() = inverse.transpose();
  return info == 0;
}

}  // namespace

InnerElimination::InnerElimination(const SymmetricPattern& pattern,
                                   const std::vector<double>& values, int inner)
    : inner_(inner) {
  const std::vector<int> starts = group_starts(pattern, inner);
  groups_.resize(starts.size() - 1);
  tbb::parallel_for(std::size_t{0}, groups_.size(), [&](std::size_t g) {
    groups_[g] = make_group(pattern, values, inner, starts[g], starts[g + 1]);
  });
  for (const Group& group : groups_) {
    negative_ += group.negative;
    regular_ = regular_ && group.inverse.size() > 0;
  }
}

bool InnerElimination::definite(const SymmetricPattern& pattern, const std::vector<double>& values,
                                int inner) {
  const std::vector<int> starts = group_starts(pattern, inner);
  std::atomic<bool> all = true;
  tbb::parallel_for(std::size_t{1}, starts.size(), [&](std::size_t g) {
    MatrixXd K = own_part(pattern, values, starts[g - 1], starts[g]);
    if (!factorise(K)) all = false;
  });
  return all;
}

InnerElimination::Group InnerElimination::make_group(const SymmetricPattern& pattern,
                                                     const std::vector<double>& values, int inner,
                                                     int from, int to) {
  Group group;
  group.first = from;
  std::vector<int>& ends = group.ends;
  each_entry(pattern, values, from, to, [&](int row, int, double) {
    if (row >= inner) ends.push_back(row - inner);
  });
  std::sort(ends.begin(), ends.end());
  ends.erase(std::unique(ends.begin(), ends.end()), ends.end());
  group.coupling.setZero(to - from, static_cast<Eigen::Index>(ends.size()));
  each_entry(pattern, values, from, to, [&](int row, int column, double value) {
    if (row < inner) return;
    const auto place = std::lower_bound(ends.begin(), ends.end(), row - inner);
    group.coupling(column - from, place - ends.begin()) = value;
  });
  const MatrixXd K = own_part(pattern, values, from, to);
  if (!invert_definite(K, group.inverse)) {
    const Eigen::SelfAdjointEigenSolver<MatrixXd> eigen(K);
    const Eigen::VectorXd& d = eigen.eigenvalues();
    if (d.cwiseAbs().minCoeff() <= kSingular * d.cwiseAbs().maxCoeff()) return group;
    group.negative = static_cast<int>((d.array() < 0).count());
    group.inverse =
        eigen.eigenvectors() * d.cwiseInverse().asDiagonal() * eigen.eigenvectors().transpose();
  }
  group.follows = group.inverse * group.coupling;
  return group;
}

std::vector<double> InnerElimination::rest(const SymmetricPattern& pattern,
                                           const std::vector<double>& values,
                                           const SymmetricPattern& outer) const {
  std::vector<double> result(outer.rows.size(), 0.0);
  // Each thread has its own columns and adds to them in the order of the groups.
  const int pieces = (outer.size + kColumnsAtOnce - 1) / kColumnsAtOnce;
  tbb::parallel_for(0, pieces, [&](int piece) {
    const int from = piece * kColumnsAtOnce, to = std::min(from + kColumnsAtOnce, outer.size);
    const auto entry = [&](int row, int column) -> double& {
      const auto first = outer.rows.begin() + outer.column_start[column];
      const auto last = outer.rows.begin() + outer.column_start[column + 1];
      return result[static_cast<std::size_t>(std::lower_bound(first, last, row) -
                                             outer.rows.begin())];
    };
    each_entry(pattern, values, inner_ + from, inner_ + to, [&](int row, int column, double value) {
      entry(row - inner_, column - inner_) += value;
    });
    Eigen::VectorXd taken;
    for (const Group& group : groups_) {
      const std::vector<int>& ends = group.ends;
      const auto first = std::lower_bound(ends.begin(), ends.end(), from);
      for (auto end = first; end != ends.end() && *end < to; ++end) {
        const auto j = static_cast<Eigen::Index>(end - ends.begin());
        taken.noalias() = group.coupling.transpose() * group.follows.col(j);
        for (auto i = j; i < taken.size(); ++i) entry(ends[std::size_t(i)], *end) -= taken[i];
      }
    }
  });
  return result;
}

void InnerElimination::solve_pack(double* rows,
                                  const std::function<void(double*)>& solve_rest) const {
  double* rest = rows + std::size_t(inner_) * kPacked;
  std::vector<double> sums;
  const auto times = [&sums](const MatrixXd& A, const double* packed) {  // Aᵀ·packed
    sums.assign(static_cast<std::size_t>(A.cols() * kPacked), 0.0);
    add_inner(A.data(), A.rows(), A.cols(), packed, A.rows(), sums.data());
  };
  for (const Group& group : groups_) {
    double* own = rows + std::size_t(group.first) * kPacked;
    times(group.follows, own);
    for (std::size_t i = 0; i < group.ends.size(); ++i) {
      double* end = rest + std::size_t(group.ends[i]) * kPacked;
      for (std::size_t k = 0; k < kPacked; ++k) end[k] -= sums[i * kPacked + k];
    }
    times(group.inverse, own);  // symmetric
    std::copy(sums.begin(), sums.end(), own);
  }
  solve_rest(rest);
  follow(rows);
}

void InnerElimination::follow(double* rows) const {
  const double* rest = rows + std::size_t(inner_) * kPacked;
  std::vector<double> sums;
  for (const Group& group : groups_) {
    sums.resize(group.ends.size() * kPacked);
    for (std::size_t i = 0; i < group.ends.size(); ++i) {
      std::copy_n(rest + std::size_t(group.ends[i]) * kPacked, kPacked, &sums[i * kPacked]);
    }
    take_product(group.follows.data(), group.follows.rows(), group.follows.cols(), sums.data(),
                 group.follows.rows(), rows + std::size_t(group.first) * kPacked);
  }
}

}  // namespace ulterix
