#pragma once

#include <Eigen/Core>
#include <vector>

namespace ulterix {

using Eigen::Vector3d;

/// Undirected graph: neighbours of each vertex, sorted, without the vertex itself.
using Graph = std::vector<std::vector<int>>;

/// Order of elimination of the vertices with little fill: METIS nested dissection and geometric
/// dissection are both tried on the graph of the nodes, and the one with less work is kept. Returns
/// the vertices in the order they are eliminated. Deterministic. `positions`: of the vertices, m.
std::vector<int> elimination_order(const Graph& graph, const std::vector<Vector3d>& positions);

/// Nested dissection by planes: each part is cut at the median of the direction, among the axes and
/// the diagonals of the grid that the coordinates make, which gives the smallest separator.
std::vector<int> geometric_dissection(const Graph& graph, const std::vector<Vector3d>& positions);

/// Work of a symmetric factorisation in the given order, in multiplications of vertex blocks.
double elimination_work(const Graph& graph, const std::vector<int>& order);

}  // namespace ulterix
