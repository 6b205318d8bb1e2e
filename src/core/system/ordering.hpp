#pragma once

#include <vector>

namespace ulterix {

/// Undirected graph: neighbours of each vertex, sorted, without the vertex itself.
using Graph = std::vector<std::vector<int>>;

/// Order of elimination of the vertices with little fill: METIS nested dissection on the graph of
/// the nodes. Returns the vertices in the order they are eliminated. Deterministic.
std::vector<int> elimination_order(const Graph& graph);

}  // namespace ulterix
