#include "core/analysis/restraints.hpp"

#include <algorithm>
#include <cmath>

namespace ulterix {

std::vector<RestraintGain> rank_restraints(const FrameSystem& frame, const ModeShape& shape,
                                           double slope) {
  constexpr std::size_t kMost = 10;
  constexpr double kRounding = 1e-6;  // of the largest translation, 1
  /// Equal but for rounding: the first in the file goes first.
  constexpr double kDigits = 1e6;
  const Model& model = frame.model();
  std::vector<RestraintGain> gains;
  double largest = 0;
  for (const NodeId n : model.nodes.ids()) {
    for (int d = 0; d < 3; ++d) {
      if (!model.uses_direction(d) || frame.support(n)[d].stiffness == kRigid) continue;
      const double u = shape.nodes[n].translation[d];
      if (std::abs(u) < kRounding) continue;
      gains.push_back({n, d, slope * u * u, {}});
      largest = std::max(largest, gains.back().derivative);
    }
  }
  const auto rank = [largest](const RestraintGain& g) {
    return std::round(g.derivative / largest * kDigits);
  };
  std::stable_sort(gains.begin(), gains.end(),
                   [&rank](const auto& a, const auto& b) { return rank(a) > rank(b); });
  gains.resize(std::min(gains.size(), kMost));
  return gains;
}

Situation with_holds(const Situation& situation, const std::vector<Hold>& holds) {
  Situation held = situation;
  for (const Hold& h : holds) {
    for (int d = 0; d < kDirections; ++d) {
      if (h.directions[static_cast<std::size_t>(d)]) {
        held.restraints.push_back({h.node, Vector6d::Unit(d)});
      }
    }
  }
  return held;
}

ElasticFrame with_restraint(const ElasticFrame& frame, const RestraintGain& gain) {
  Hold hold;
  hold.node = gain.node;
  hold.directions[static_cast<std::size_t>(gain.direction)] = true;
  return make_elastic_frame(with_holds(frame.system->situation(), {hold}));
}

}  // namespace ulterix
