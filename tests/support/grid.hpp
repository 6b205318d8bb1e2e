#pragma once

#include <algorithm>
#include <cmath>
#include <functional>
#include <vector>

#include "core/sparse/ordering.hpp"
#include "core/system/scatter_map.hpp"

namespace ulterix::testing {

/// n x n x n points, each joined to its neighbours along the axes.
inline Graph grid(int n, std::vector<Vector3d>& positions) {
  Graph graph(static_cast<std::size_t>(n * n * n));
  const auto at = [n](int x, int y, int z) { return (z * n + y) * n + x; };
  for (int z = 0; z < n; ++z) {
    for (int y = 0; y < n; ++y) {
      for (int x = 0; x < n; ++x) {
        positions.emplace_back(5.0 * x, 6.1 * y, 3.3 * z);
        const auto join = [&](int other) {
          graph[at(x, y, z)].push_back(other);
          graph[other].push_back(at(x, y, z));
        };
        if (x > 0) join(at(x - 1, y, z));
        if (y > 0) join(at(x, y - 1, z));
        if (z > 0) join(at(x, y, z - 1));
      }
    }
  }
  return graph;
}

/// The same vertices, numbered in the given order.
inline Graph renumbered(const Graph& graph, const std::vector<int>& order) {
  std::vector<int> place(order.size());
  for (int k = 0; k < static_cast<int>(order.size()); ++k) place[order[k]] = k;
  Graph result(graph.size());
  for (std::size_t v = 0; v < graph.size(); ++v) {
    for (const int w : graph[v]) result[place[v]].push_back(place[w]);
  }
  return result;
}

/// The given diagonal and −1 between neighbours.
inline SymmetricPattern grid_matrix(const Graph& graph, const std::function<double(int)>& diagonal,
                                    std::vector<double>& values) {
  SymmetricPattern pattern;
  pattern.size = static_cast<int>(graph.size());
  for (int j = 0; j < pattern.size; ++j) {
    pattern.rows.push_back(j);
    values.push_back(diagonal(j));
    std::vector<int> below = graph[static_cast<std::size_t>(j)];
    std::sort(below.begin(), below.end());
    for (const int i : below) {
      if (i < j) continue;
      pattern.rows.push_back(i);
      values.push_back(-1);
    }
    pattern.column_start.push_back(static_cast<std::int64_t>(pattern.rows.size()));
  }
  return pattern;
}

/// Eigenvalues below a bound of the grid's matrix with 6 on the diagonal: second differences with
/// held ends along each axis, so that they are sums of three 2 - 2cos(i*pi/(n + 1)).
inline int grid_eigenvalues_below(int n, double bound) {
  const auto one = [n](int i) { return 2 - 2 * std::cos(i * M_PI / (n + 1)); };
  int below = 0;
  for (int i = 1; i <= n; ++i) {
    for (int j = 1; j <= n; ++j) {
      for (int k = 1; k <= n; ++k) below += one(i) + one(j) + one(k) < bound ? 1 : 0;
    }
  }
  return below;
}

}  // namespace ulterix::testing
