#include "core/analysis/start_shape.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/results/modes.hpp"

namespace ulterix {

namespace {

/// A place that moves by less than this part of the largest motion hardly moves at all.
constexpr double kMoves = 1e-6;

/// Motions of the nodes in a mode or a state; nothing where there is none.
const IndexedVector<NodeId, NodeMotion>* motions_of(const Step& step, int mode) {
  const auto index = static_cast<std::size_t>(mode - 1);
  if (step.buckling) {
    const auto& modes = step.buckling->modes;
    return index < modes.size() && !modes[index].torsional_limit ? &modes[index].shape.nodes
                                                                 : nullptr;
  }
  if (step.modal) {
    const auto& modes = step.modal->modes;
    return index < modes.size() ? &modes[index].shape.nodes : nullptr;
  }
  return step.has_state ? &step.state.nodes : nullptr;
}

}  // namespace

std::variant<IndexedVector<NodeId, Vector3d>, std::string> start_offsets(
    const Model& model, const StartShape& shape, const std::string& loads,
    const std::vector<Step>& steps) {
  const std::string& wanted = shape.loads.empty() ? loads : shape.loads;
  const auto step = std::find_if(steps.begin(), steps.end(), [&](const Step& s) {
    return s.analysis == shape.analysis && (s.modal != nullptr || s.loads.name == wanted);
  });
  if (step == steps.end()) {
    return fmt::format("start_shape: {} has no result under {}", shape.analysis, wanted);
  }
  const auto* motions = motions_of(*step, shape.mode);
  const bool modes = step->buckling != nullptr || step->modal != nullptr;
  if (motions == nullptr) {
    return modes ? fmt::format("start_shape: {} found no mode {} of the frame under {}",
                               shape.analysis, shape.mode, wanted)
                 : fmt::format("start_shape: {} has no result under {}", shape.analysis, wanted);
  }
  double largest = 0;
  for (const NodeMotion& n : *motions) {
    largest = std::max(largest, n.translation.cwiseAbs().maxCoeff());
  }
  const double there = (*motions)[shape.node].translation[shape.direction];
  if (!(std::abs(there) > kMoves * largest)) {
    return fmt::format("start_shape: {} does not move in {} of {}: name a place that does",
                       model.place_name(shape.node, shape.direction),
                       modes ? fmt::format("mode {}", shape.mode) : "the shape", shape.analysis);
  }
  IndexedVector<NodeId, Vector3d> offsets(model.nodes.size(), Vector3d::Zero());
  for (const NodeId n : model.nodes.ids()) {
    offsets[n] = shape.size / there * (*motions)[n].translation;
  }
  return offsets;
}

}  // namespace ulterix
