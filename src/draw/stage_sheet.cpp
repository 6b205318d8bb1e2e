#include "draw/stage_sheet.hpp"

#include "core/analysis/staged.hpp"

namespace ulterix {

namespace {

constexpr std::size_t kMostPanels = 8;

}  // namespace

StageSheet::StageSheet(const std::vector<Step>& steps, const std::string& analysis)
    : heading_("stages of " + analysis) {
  std::vector<const Step*> stages;
  const Step* at_once = nullptr;
  for (const Step& step : steps) {
    if (!step.has_state || step.state.lambda != 1) continue;
    if (step.analysis == analysis) stages.push_back(&step);
    if (step.analysis == at_once_name(analysis)) at_once = &step;
  }
  if (stages.empty()) return;
  const std::size_t most = at_once != nullptr ? kMostPanels - 1 : kMostPanels;
  const std::size_t count = std::min(stages.size(), most);
  for (std::size_t k = 0; k < count; ++k) {
    const std::size_t i = count == 1 ? 0 : k * (stages.size() - 1) / (count - 1);
    recoveries_.emplace_back(*stages[i]);
    steps_.push_back({&recoveries_.back(), stages[i]->label});
  }
  if (at_once == nullptr || at_once->loads.name != stages.back()->loads.name) return;
  recoveries_.emplace_back(*at_once);
  steps_.push_back({&recoveries_.back(), at_once->label + " at once"});
}

}  // namespace ulterix
