#include "core/analysis/equal_modes.hpp"

#include <algorithm>
#include <numeric>

namespace ulterix {

namespace {

/// Turns the columns first .. first + count.
void turn_group(Eigen::MatrixXd& vectors, Eigen::Index first, Eigen::Index count,
                const Eigen::MatrixXd& works) {
  std::vector<Eigen::Index> order(static_cast<std::size_t>(works.cols()));
  std::iota(order.begin(), order.end(), 0);
  const Eigen::RowVectorXd squares = works.colwise().squaredNorm();
  const double most = squares.maxCoeff();
  if (most <= 0) return;
  // Nearly equal directions keep the order x, y, z.
  std::stable_sort(order.begin(), order.end(), [&](Eigen::Index a, Eigen::Index b) {
    return squares[a] > squares[b] * (1 + 1e-6) + 1e-12 * most;
  });
  Eigen::MatrixXd turned = Eigen::MatrixXd::Zero(count, count);
  Eigen::Index made = 0;
  const auto take = [&](Eigen::VectorXd v) {
    const double length = v.norm();
    for (int pass = 0; pass < 2; ++pass) {
      v -= turned.leftCols(made) * (turned.leftCols(made).transpose() * v);
    }
    if (made == count || v.norm() <= 1e-6 * length || length == 0) return;
    turned.col(made++) = v.normalized();
  };
  for (const Eigen::Index d : order) {
    if (squares[d] > 1e-12 * most) take(works.col(d));
  }
  for (Eigen::Index i = 0; i < count; ++i) take(Eigen::VectorXd::Unit(count, i));
  vectors.middleCols(first, count) = (vectors.middleCols(first, count) * turned).eval();
}

}  // namespace

std::vector<int> turn_equal_modes(FoundModes& found, const Eigen::MatrixXd& works) {
  std::vector<int> equal(static_cast<std::size_t>(found.count()), 1);
  for (Eigen::Index i = 0; i < found.count();) {
    Eigen::Index end = i + 1;
    while (end < found.count() && found.values[end] <= found.values[i] * (1 + kSameValue)) ++end;
    const Eigen::Index count = end - i;
    if (count > 1) turn_group(found.vectors, i, count, works.middleRows(i, count));
    for (Eigen::Index k = i; k < end; ++k)
      equal[static_cast<std::size_t>(k)] = static_cast<int>(count);
    i = end;
  }
  return equal;
}

}  // namespace ulterix
