#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/results/step.hpp"
#include "core/sparse/factorisation.hpp"
#include "core/system/frame_system.hpp"
#include "core/system/mechanism.hpp"

namespace ulterix {

/// Called with a phase and how much of it is done (0..1); may be empty.
using Progress = std::function<void(const std::string& phase, double done)>;

/// The unloaded elastic frame, factorised once: what first-order solves with and every other
/// analysis starts from. Free spins of members about their own axes are held, with a remark.
struct ElasticFrame {
  std::shared_ptr<FrameSystem> system;
  std::unique_ptr<Factorisation> factor;
  std::vector<double> stiffness;      ///< values on the system's pattern
  std::vector<Mechanism> mechanisms;  ///< not empty: the frame does not stand
  std::vector<Mechanism> spins;       ///< held, since no load can tell
  std::string trouble;                ///< numbers that are not finite

  bool stands() const { return mechanisms.empty() && trouble.empty(); }
};

ElasticFrame make_elastic_frame(const Model& model, const Progress& progress = {});
/// `near`: of a frame of the same model, if there is one, as FrameSystem takes it.
ElasticFrame make_elastic_frame(Situation situation, const Progress& progress = {},
                                const std::shared_ptr<const Topology>& near = nullptr);

/// The frame of a step with the tangents that its cables have in the step's state (which includes
/// what their tension does), all else unloaded; nothing where no cable hangs.
std::optional<ElasticFrame> frame_about(const ElasticFrame& frame, const Step& step);

/// Complaint in words if a load works on a rotation or a member motion that nothing holds; else "".
std::string loads_on_free_motions(const ElasticFrame& frame, const AppliedLoads& loads,
                                  const std::vector<std::pair<MemberId, int>>& loaded_free_motions);

}  // namespace ulterix
