#include "core/system/ordering.hpp"

#include <metis.h>

#include <mutex>
#include <numeric>

namespace ulterix {

std::vector<int> elimination_order(const Graph& graph) {
  const auto n = static_cast<idx_t>(graph.size());
  std::vector<int> order(graph.size());
  std::iota(order.begin(), order.end(), 0);
  std::vector<idx_t> start = {0}, neighbours;
  for (const auto& list : graph) {
    neighbours.insert(neighbours.end(), list.begin(), list.end());
    start.push_back(static_cast<idx_t>(neighbours.size()));
  }
  if (n < 4 || neighbours.empty()) return order;

  // METIS draws from the C library's random numbers: one call at a time keeps the order repeatable.
  static std::mutex one_at_a_time;
  const std::scoped_lock lock(one_at_a_time);
  std::vector<idx_t> permutation(graph.size()), inverse(graph.size());
  idx_t vertices = n;
  idx_t options[METIS_NOPTIONS];
  METIS_SetDefaultOptions(options);
  const int status = METIS_NodeND(&vertices, start.data(), neighbours.data(), nullptr, options,
                                  permutation.data(), inverse.data());
  if (status == METIS_OK) order.assign(permutation.begin(), permutation.end());
  return order;
}

}  // namespace ulterix
