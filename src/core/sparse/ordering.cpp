#include "core/sparse/ordering.hpp"

#include <metis.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>
#include <numeric>
#include <utility>

namespace ulterix {

namespace {

using GridPoint = std::array<int, 3>;

/// The axes, the face diagonals and the space diagonals of a grid.
constexpr std::array<GridPoint, 13> kLatticeDirections = {{{1, 0, 0},
                                                           {0, 1, 0},
                                                           {0, 0, 1},
                                                           {1, 1, 0},
                                                           {1, -1, 0},
                                                           {1, 0, 1},
                                                           {1, 0, -1},
                                                           {0, 1, 1},
                                                           {0, 1, -1},
                                                           {1, 1, 1},
                                                           {1, 1, -1},
                                                           {1, -1, 1},
                                                           {-1, 1, 1}}};
/// Parts this small are not cut further.
constexpr int kSmallPart = 6;
/// The smaller side of a cut holds at least this share.
constexpr double kLeastShare = 0.25;

/// Each coordinate by its rank among the different ones, so that storeys and bays count 1.
std::vector<GridPoint> grid_points(const std::vector<Vector3d>& positions) {
  std::vector<GridPoint> points(positions.size());
  for (int axis = 0; axis < 3; ++axis) {
    std::vector<double> values;
    for (const Vector3d& p : positions) values.push_back(p[axis]);
    std::sort(values.begin(), values.end());
    const double same = values.empty() ? 0 : 1e-6 * (values.back() - values.front());
    std::vector<double> ranks;
    for (const double v : values) {
      if (ranks.empty() || v - ranks.back() > same) ranks.push_back(v);
    }
    for (std::size_t i = 0; i < positions.size(); ++i) {
      const auto at = std::upper_bound(ranks.begin(), ranks.end(), positions[i][axis] + same);
      points[i][axis] = static_cast<int>(at - ranks.begin()) - 1;
    }
  }
  return points;
}

class Dissection {
 public:
  Dissection(const Graph& graph, const std::vector<Vector3d>& positions)
      : graph_(graph), points_(grid_points(positions)), part_(graph.size(), 0) {}

  std::vector<int> order() {
    std::vector<int> all(graph_.size());
    std::iota(all.begin(), all.end(), 0);
    order_.reserve(all.size());
    cut(all, 0);
    return order_;
  }

 private:
  struct Cut {
    std::vector<int> low, high, separator;
  };

  int along(int vertex, const GridPoint& direction) const {
    const GridPoint& p = points_[static_cast<std::size_t>(vertex)];
    return direction[0] * p[0] + direction[1] * p[1] + direction[2] * p[2];
  }

  /// The vertices of the upper half that touch the lower one separate the two.
  Cut try_direction(const std::vector<int>& part, const GridPoint& direction) {
    std::vector<int> values;
    for (const int v : part) values.push_back(along(v, direction));
    auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    const int at = *middle;
    Cut cut;
    for (const int v : part) {
      if (along(v, direction) < at) {
        cut.low.push_back(v);
        continue;
      }
      const auto& around = graph_[static_cast<std::size_t>(v)];
      const bool touches = std::any_of(around.begin(), around.end(), [&](int n) {
        return part_[static_cast<std::size_t>(n)] == current_ && along(n, direction) < at;
      });
      (touches ? cut.separator : cut.high).push_back(v);
    }
    return cut;
  }

  static bool balanced(const Cut& cut, std::size_t size) {
    return static_cast<double>(std::min(cut.low.size(), cut.high.size())) >=
           kLeastShare * static_cast<double>(size - cut.separator.size());
  }

  void cut(const std::vector<int>& part, int depth) {
    if (static_cast<int>(part.size()) <= kSmallPart || depth > 60) {
      order_.insert(order_.end(), part.begin(), part.end());
      return;
    }
    current_ = ++parts_;
    for (const int v : part) part_[static_cast<std::size_t>(v)] = current_;
    Cut best;
    bool found = false;
    for (const GridPoint& direction : kLatticeDirections) {
      Cut trial = try_direction(part, direction);
      if (!balanced(trial, part.size())) continue;
      if (!found || trial.separator.size() < best.separator.size()) best = std::move(trial);
      found = true;
    }
    if (!found) {  // a shape that no plane halves
      order_.insert(order_.end(), part.begin(), part.end());
      return;
    }
    cut(best.low, depth + 1);
    cut(best.high, depth + 1);
    order_.insert(order_.end(), best.separator.begin(), best.separator.end());
  }

  const Graph& graph_;
  std::vector<GridPoint> points_;
  std::vector<int> part_;  // which part a vertex belongs to at the moment
  std::vector<int> order_;
  int parts_ = 0, current_ = 0;
};

std::vector<int> metis_order(const Graph& graph) {
  std::vector<idx_t> start = {0}, neighbours;
  for (const auto& list : graph) {
    neighbours.insert(neighbours.end(), list.begin(), list.end());
    start.push_back(static_cast<idx_t>(neighbours.size()));
  }
  std::vector<int> order(graph.size());
  std::iota(order.begin(), order.end(), 0);
  if (graph.size() < 4 || neighbours.empty()) return order;
  // METIS draws from the C library's random numbers: one call at a time keeps the order repeatable.
  static std::mutex one_at_a_time;
  const std::scoped_lock lock(one_at_a_time);
  std::vector<idx_t> permutation(graph.size()), inverse(graph.size());
  auto vertices = static_cast<idx_t>(graph.size());
  idx_t options[METIS_NOPTIONS];
  METIS_SetDefaultOptions(options);
  const int status = METIS_NodeND(&vertices, start.data(), neighbours.data(), nullptr, options,
                                  permutation.data(), inverse.data());
  if (status == METIS_OK) order.assign(permutation.begin(), permutation.end());
  return order;
}

}  // namespace

std::vector<int> geometric_dissection(const Graph& graph, const std::vector<Vector3d>& positions) {
  return Dissection(graph, positions).order();
}

/// Column structures by merging children (row lists of the elimination tree).
double elimination_work(const Graph& graph, const std::vector<int>& order) {
  const std::size_t n = graph.size();
  std::vector<int> rank(n);
  for (std::size_t i = 0; i < n; ++i)
    rank[static_cast<std::size_t>(order[i])] = static_cast<int>(i);
  std::vector<std::vector<int>> structure(n), children(n);
  std::vector<int> mark(n, -1);
  double work = 0;
  for (std::size_t j = 0; j < n; ++j) {
    std::vector<int>& rows = structure[j];
    mark[j] = static_cast<int>(j);
    const auto add = [&](int row) {
      if (row <= static_cast<int>(j) || mark[static_cast<std::size_t>(row)] == static_cast<int>(j))
        return;
      mark[static_cast<std::size_t>(row)] = static_cast<int>(j);
      rows.push_back(row);
    };
    for (const int v : graph[static_cast<std::size_t>(order[j])])
      add(rank[static_cast<std::size_t>(v)]);
    for (const int child : children[j]) {
      for (const int row : structure[static_cast<std::size_t>(child)]) add(row);
      std::vector<int>().swap(structure[static_cast<std::size_t>(child)]);
    }
    if (!rows.empty()) {
      const int parent = *std::min_element(rows.begin(), rows.end());
      children[static_cast<std::size_t>(parent)].push_back(static_cast<int>(j));
    }
    work += static_cast<double>(rows.size() + 1) * static_cast<double>(rows.size() + 1);
  }
  return work;
}

std::vector<int> elimination_order(const Graph& graph, const std::vector<Vector3d>& positions) {
  std::vector<int> by_metis = metis_order(graph);
  std::vector<int> by_planes = geometric_dissection(graph, positions);
  return elimination_work(graph, by_planes) < elimination_work(graph, by_metis) ? by_planes
                                                                                : by_metis;
}

}  // namespace ulterix
