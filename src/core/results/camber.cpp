#include "core/results/camber.hpp"

#include "core/results/storeys.hpp"

namespace ulterix {

namespace {

class Camber {
 public:
  Camber(std::vector<const Step*> stages, std::vector<CamberRow>& rows)
      : stages_(std::move(stages)),
        last_(*stages_.back()),
        model_(last_.frame->model()),
        rows_(rows) {}

  void add() {
    for (const NodeId n : model_.nodes.ids()) {
      if (!stands_in(last_, n)) continue;
      const auto arrival = since(n);
      rows_.push_back({&last_, n, {}, stages_[arrival]->label, down(last_, n)});
    }
    for (const MemberId id : model_.members.ids()) {
      if (!stands_in(last_, id) || !is_column(model_, id)) continue;
      const Member& m = model_.members[id];
      const double rise =
          (model_.nodes[m.end].position - model_.nodes[m.start].position)[model_.vertical];
      const NodeId foot = rise > 0 ? m.start : m.end, top = rise > 0 ? m.end : m.start;
      const std::size_t arrival = since(id);
      // The foot has gone down already by what it had before the column came.
      const double before = arrival > 0 && stands_in(*stages_[arrival - 1], foot)
                                ? down(*stages_[arrival - 1], foot)
                                : 0;
      const double before_top = arrival > 0 && stands_in(*stages_[arrival - 1], top)
                                    ? down(*stages_[arrival - 1], top)
                                    : 0;
      const double longer = (down(last_, top) - before_top) - (down(last_, foot) - before);
      rows_.push_back({&last_, {}, id, stages_[arrival]->label, longer});
    }
  }

 private:
  double down(const Step& step, NodeId n) const {
    return -step.state.nodes[n].translation[model_.vertical];
  }
  /// The stage from which on a part stands without a break.
  template <class Id>
  std::size_t since(Id id) const {
    std::size_t k = stages_.size() - 1;
    while (k > 0 && stands_in(*stages_[k - 1], id)) --k;
    return k;
  }

  std::vector<const Step*> stages_;
  const Step& last_;
  const Model& model_;
  std::vector<CamberRow>& rows_;
};

}  // namespace

std::vector<CamberRow> find_camber(const std::vector<Step>& steps) {
  std::vector<CamberRow> rows;
  std::vector<const Step*> stages;
  for (std::size_t i = 0; i < steps.size(); ++i) {
    const Step& step = steps[i];
    if (step.kind != AnalysisKind::staged || step.at_once || step.frame == nullptr ||
        !step.has_state)
      continue;
    if (!stages.empty() && stages.back()->analysis != step.analysis) stages.clear();
    stages.push_back(&step);
    const bool last = i + 1 == steps.size() || steps[i + 1].analysis != step.analysis;
    if (last && static_cast<std::size_t>(step.number) == stages.size()) {
      Camber(stages, rows).add();
    }
  }
  return rows;
}

}  // namespace ulterix
