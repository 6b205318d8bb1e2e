#pragma once

#include <map>

#include "core/analysis/one_way.hpp"
#include "core/results/comparison.hpp"
#include "core/results/envelopes.hpp"
#include "core/results/standard_formulas.hpp"
#include "core/results/stiffness.hpp"
#include "core/results/storeys.hpp"

namespace ulterix {

/// The name of the baseline, which runs for every load that any analysis uses.
inline constexpr std::string_view kBaseline = "first-order";

struct RunResult {
  std::unique_ptr<Model> model;  ///< what was run; kept in place for the references into it
  ElasticFrame frame;
  std::vector<Step> steps;             ///< baseline first, then the analyses in order
  std::vector<StepExtremes> extremes;  ///< of each step; empty where it has no state
  /// Each step beside first-order; empty for the baseline and where there is nothing to compare.
  std::vector<std::vector<ComparisonRow>> comparisons;
  std::vector<std::vector<StoreyRow>> storeys;  ///< of each step
  std::vector<std::vector<StiffnessRow>> stiffness;
  /// Hand formulas beside each second-order step.
  std::vector<std::vector<StoreyFormulas>> storey_formulas;
  std::vector<std::vector<MemberFormulas>> member_formulas;
  std::vector<EnvelopeRow> envelopes;
  /// The frame under the holds of an analysis that has some, and first-order on it; by its name.
  struct Held {
    ElasticFrame frame;  ///< loads of its steps refer to it
    std::vector<Step> baseline;
  };
  std::map<std::string, Held> held;
  /// What one-way members and supports leave of the frame, by the name of the analysis whose holds
  /// it has; "" for those without. Loads of steps refer to it.
  std::map<std::string, std::unique_ptr<OneWayFrames>> one_way;
  std::vector<std::string> remarks;
  double seconds = 0;

  /// The baseline step for a set of loads.
  const Step& baseline(const std::string& loads) const;
  std::size_t baseline_index(const std::string& loads) const;
  const Step* find(const std::string& analysis, const std::string& loads) const;
  /// First-order under the same loads and holds as a step, of a stage the same at once; nullptr:
  /// the step has none of its own.
  const Step* own_baseline(const Step& step) const;
  /// The frame that a step with a state was solved on.
  const ElasticFrame& frame_of(const Step& step) const;
  /// Nothing is supported and only vibration was asked for: moving freely is no failure.
  bool free_structure() const;
  /// Names of the analyses in `steps`, in order, each once.
  std::vector<std::string> analyses() const;
};

/// Runs the baseline and the analyses of the model, or only those named in `asked` and what they
/// stand on (all if empty).
RunResult run(Model model, const std::vector<std::string>& asked = {},
              const Progress& progress = {});

}  // namespace ulterix
