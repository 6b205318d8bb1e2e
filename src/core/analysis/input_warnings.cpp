#include "core/analysis/input_warnings.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/analysis/first_order.hpp"
#include "core/modes/frame_mass.hpp"
#include "core/results/recovery.hpp"

namespace ulterix {

namespace {

/// Tension and compression below this part of the largest axial force count as nothing.
constexpr double kNoAxialForce = 1e-6;

bool compresses(const FrameSystem& system, const Step& step) {
  double lowest = 0, largest = 0;
  for (const double N : system.mean_axial_forces(*step.applied, step.state)) {
    lowest = std::min(lowest, N);
    largest = std::max(largest, std::abs(N));
  }
  return lowest < -kNoAxialForce * largest;
}

void add_buckling(const ElasticFrame& frame, const AnalysisSpec& spec,
                  std::vector<std::string>& all) {
  AnalysisSpec linear;
  linear.loads = spec.loads;
  for (const Step& step : first_order(frame, linear)) {
    if (!step.has_state || compresses(*frame.system, step)) continue;
    all.push_back(fmt::format("{}: {} compresses nothing: there is no positive buckling factor",
                              spec.name, step.loads.name));
  }
}

void add_modal(const ElasticFrame& frame, const AnalysisSpec& spec, std::vector<std::string>& all) {
  const FrameMass mass(*frame.system);
  Vector3d sum = Vector3d::Zero();
  for (const Vector3d& m : mass.shared_to_nodes()) sum += m;
  if (sum.isZero(0)) {
    all.push_back(fmt::format("{}: nothing has mass: give density, or [mass] nodes or from_loads",
                              spec.name));
    return;
  }
  for (int d = 0; d < 3; ++d) {
    if (sum[d] > 0 || !frame.system->model().uses_direction(d)) continue;
    all.push_back(fmt::format("{}: there is no mass along {}", spec.name,
                              kAxisNames[static_cast<std::size_t>(d)]));
  }
}

}  // namespace

std::vector<std::string> input_warnings(const ElasticFrame& frame) {
  std::vector<std::string> all;
  for (const AnalysisSpec& spec : frame.system->model().analyses) {
    if (spec.kind() == AnalysisKind::buckling && frame.stands()) add_buckling(frame, spec, all);
    if (spec.kind() == AnalysisKind::modal) add_modal(frame, spec, all);
  }
  return all;
}

}  // namespace ulterix
