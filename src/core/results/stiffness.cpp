#include "core/results/stiffness.hpp"

#include <algorithm>
#include <cmath>

#include "core/results/comparison.hpp"

namespace ulterix {

std::vector<StiffnessRow> lateral_stiffness(const Recovery& recovery) {
  std::vector<StiffnessRow> rows;
  const Step& step = recovery.step();
  if (!step.has_state || step.state.lambda != 1) return rows;
  const Model& model = recovery.frame().model();
  const Vector3d total = recovery.loads().total_force();
  for (const int direction : model.horizontal_axes()) {
    // Rounding of loads that cancel is no load.
    if (std::abs(total[direction]) <= 1e-9 * total.cwiseAbs().maxCoeff()) continue;
    std::vector<NodeId> nodes = {furthest_node(step, direction)};
    for (const Watch& w : model.watches) {
      const bool fits = w.place.kind == Place::Kind::displacement && w.place.component == direction;
      if (fits && std::find(nodes.begin(), nodes.end(), w.place.node) == nodes.end()) {
        nodes.push_back(w.place.node);
      }
    }
    for (const NodeId n : nodes) {
      const double u = step.state.nodes[n].translation[direction];
      if (u != 0) rows.push_back({direction, total[direction], model.nodes[n].name, u});
    }
  }
  return rows;
}

}  // namespace ulterix
