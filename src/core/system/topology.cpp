#include "core/system/topology.hpp"

#include <algorithm>

#include "core/sparse/ordering.hpp"

namespace ulterix {

namespace {

Graph node_graph(const Situation& situation) {
  const Model& model = *situation.model;
  Graph graph(static_cast<std::size_t>(model.nodes.size()));
  IndexedVector<NodeId, NodeId> leader(model.nodes.size());
  for (const FloorGroup& floor : standing_floors(situation)) {
    for (const NodeId n : floor.nodes) {
      if (n != floor.leader()) leader[n] = floor.leader();
    }
  }
  for (const MemberId id : model.members.ids()) {
    if (!situation.present[id]) continue;
    const Member& m = model.members[id];
    // A member on floors meets the unknowns of the nodes that lead them as well.
    std::vector<int> meet = {m.start.value, m.end.value};
    for (const NodeId n : {m.start, m.end}) {
      if (leader[n].valid()) meet.push_back(leader[n].value);
    }
    for (const int a : meet) {
      for (const int b : meet) {
        if (a != b) graph[static_cast<std::size_t>(a)].push_back(b);
      }
    }
  }
  for (const NodeId n : model.nodes.ids()) {  // springs and masses of nodes on floors
    if (!leader[n].valid()) continue;
    graph[static_cast<std::size_t>(n.value)].push_back(leader[n].value);
    graph[static_cast<std::size_t>(leader[n].value)].push_back(n.value);
  }
  for (auto& list : graph) {
    std::sort(list.begin(), list.end());
    list.erase(std::unique(list.begin(), list.end()), list.end());
  }
  return graph;
}

/// The order in which the nodes that stand are eliminated, as if there were no others; then those.
std::vector<int> order_of_nodes(const Situation& situation) {
  std::vector<int> standing, absent,
      number(static_cast<std::size_t>(situation.standing.size()), -1);
  std::vector<Vector3d> positions;
  for (const NodeId n : situation.model->nodes.ids()) {
    if (situation.standing[n] == 0) {
      absent.push_back(n.value);
      continue;
    }
    number[static_cast<std::size_t>(n.value)] = static_cast<int>(standing.size());
    standing.push_back(n.value);
    positions.push_back(situation.position(n));
  }
  const Graph whole = node_graph(situation);
  Graph graph(standing.size());
  for (std::size_t i = 0; i < standing.size(); ++i) {
    graph[i] = whole[static_cast<std::size_t>(standing[i])];
    for (int& n : graph[i]) n = number[static_cast<std::size_t>(n)];
  }
  std::vector<int> order = elimination_order(graph, positions);
  for (int& n : order) n = standing[static_cast<std::size_t>(n)];
  order.insert(order.end(), absent.begin(), absent.end());
  return order;
}

}  // namespace

Topology::Topology(const Situation& situation, DofMap dofs, const Topology* near)
    : model_(situation.model),
      present_(situation.present),
      dofs_(std::move(dofs)),
      node_order_(near != nullptr ? near->node_order() : order_of_nodes(situation)),
      structure_(pattern_) {
  dofs_.number(node_order_);
  pattern_ = make_pattern(dofs_, node_order_, node_graph(situation));
  scatter_ = std::make_unique<ScatterMap>(*model_, dofs_, pattern_);
}

bool Topology::serves(const Situation& situation, const DofMap& dofs) const {
  return situation.model == model_ &&
         std::equal(present_.begin(), present_.end(), situation.present.begin()) &&
         dofs_.has_constraints_of(dofs);
}

std::shared_ptr<const Topology> topology_of(const Situation& situation, DofMap dofs,
                                            const std::shared_ptr<const Topology>& near) {
  if (near && near->serves(situation, dofs)) return near;
  return std::make_shared<const Topology>(situation, std::move(dofs), near.get());
}

}  // namespace ulterix
