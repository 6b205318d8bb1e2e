#pragma once

#include <string>
#include <vector>

#include "core/results/modes.hpp"
#include "draw/figure.hpp"

namespace ulterix {

/// One mode as a figure shows it.
struct DrawnMode {
  IndexedVector<NodeId, NodeMotion> nodes;
  /// Displacements along the members at equal stations; empty: straight lines between the nodes.
  IndexedVector<MemberId, std::vector<Vector3d>> axes;
  std::string caption;  ///< "2: 11.8, sway along x" or "1: 0.59 s, 78 % of the mass in x"
};

/// Modes side by side at one scale over the undeformed frame, each with its caption. `swing`: the
/// part of the amplitude, −1..1.
void draw_modes(Canvas& canvas, const Model& model, const std::string& heading,
                const std::vector<DrawnMode>& modes, const FigureSettings& settings = {},
                double swing = 1);

/// A page that swings the modes, as SVG that a browser plays without anything else.
std::string animated_modes(const Model& model, const std::string& heading,
                           const std::vector<DrawnMode>& modes,
                           const FigureSettings& settings = {});

}  // namespace ulterix
