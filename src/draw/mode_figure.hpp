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
  std::string caption = {};  ///< "2: 11.8, sway along x" or "1: 0.59 s, 78 % of the mass in x"
  /// Times the motion, which then goes one way; none: a mode, whose size is arbitrary.
  std::optional<double> scale = std::nullopt;
};

/// A deflected shape as a figure that moves shows it, from nothing to the whole.
DrawnMode drawn_deflection(const Recovery& recovery, double scale, const std::string& caption);

/// Where a frame begins: its start shape and the bows of its members, magnified; nothing where it
/// is as drawn.
std::optional<DrawnMode> drawn_start(const MemberFrame& frame, const std::string& whose);

/// "2: 11.8, sway along x".
std::string buckling_caption(int number, double factor, const std::string& kind);
/// "1: 0.885 s, 90 % of the mass in x"; `mass`: per cent of the whole in x, y, z. Without a period
/// it is a rigid motion.
std::string vibration_caption(int number, std::optional<double> period,
                              const std::array<double, 3>& mass);

/// The modes of a buckling or modal analysis as figures show them, with their captions.
DrawnMode drawn_mode(const BucklingMode& mode);
DrawnMode drawn_mode(const VibrationMode& mode, const ModalResult& result);

/// Modes side by side at one scale over the undeformed frame, each with its caption. `swing`: the
/// part of the amplitude, −1..1.
void draw_modes(Canvas& canvas, const Model& model, const std::string& heading,
                const std::vector<DrawnMode>& modes, const FigureSettings& settings = {},
                double swing = 1);

/// A page that swings the modes, as SVG that a browser plays without anything else.
std::string animated_modes(const Model& model, const std::string& heading,
                           const std::vector<DrawnMode>& modes,
                           const FigureSettings& settings = {});

/// Deflected shapes one after the other, as stages or equilibria along a path follow each other,
/// at one scale: SVG that a browser plays. What does not stand yet is faint.
std::string moving_states(const Model& model, const std::string& heading, const DrawnSteps& states,
                          double scale, const FigureSettings& settings = {});

}  // namespace ulterix
