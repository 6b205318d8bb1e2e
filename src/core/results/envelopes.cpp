#include "core/results/envelopes.hpp"

#include <algorithm>

namespace ulterix {

namespace {

/// Equal values of two loads are the first one's, whatever the rounding.
constexpr double kReluctance = 1e-9;

void take(EnvelopeRow& row, bool first, double low, double x_low, double high, double x_high,
          const std::string& loads) {
  if (first || low < row.min - kReluctance * std::abs(row.min)) {
    row.min = low;
    row.x_min = x_low;
    row.loads_of_min = loads;
  }
  if (first || high > row.max + kReluctance * std::abs(row.max)) {
    row.max = high;
    row.x_max = x_high;
    row.loads_of_max = loads;
  }
}

class Envelope {
 public:
  Envelope(const Model& model, std::string analysis)
      : model_(model), analysis_(std::move(analysis)) {
    for (const NodeId n : model.nodes.ids()) add_six(EnvelopeRow::Kind::displacement, n, {});
    for (const Support& s : model.supports) add_six(EnvelopeRow::Kind::reaction, s.node, {});
    for (const MemberId m : model.members.ids()) {
      add_six(EnvelopeRow::Kind::internal_force, {}, m);
    }
  }

  void add(const Step& step, const StepExtremes& extremes) {
    for (std::size_t i = 0; i < rows_.size(); ++i) {
      EnvelopeRow& row = rows_[i];
      const bool there =
          row.member.valid() ? stands_in(step, row.member) : stands_in(step, row.node);
      if (!there) continue;
      const bool first = met_[i] == 0;
      met_[i] = 1;
      if (row.kind == EnvelopeRow::Kind::internal_force) {
        const Extreme& e = extremes[row.member][row.component];
        take(row, first, e.min, e.x_min, e.max, e.x_max, step.loads.name);
      } else {
        const double value = row.kind == EnvelopeRow::Kind::displacement
                                 ? step.state.nodes[row.node].vector()[row.component]
                                 : step.reactions[row.node][row.component];
        take(row, first, value, 0, value, 0, step.loads.name);
      }
    }
  }

  const std::vector<EnvelopeRow>& rows() const { return rows_; }

 private:
  void add_six(EnvelopeRow::Kind kind, NodeId node, MemberId member) {
    for (int i = 0; i < 6; ++i) {
      if (!used(kind, member, i)) continue;
      EnvelopeRow row;
      row.analysis = analysis_;
      row.kind = kind;
      row.node = node;
      row.member = member;
      row.component = i;
      rows_.push_back(row);
      met_.push_back(0);
    }
  }

  /// Directions outside the model's plane are 0 in every load.
  bool used(EnvelopeRow::Kind kind, MemberId member, int i) const {
    if (kind != EnvelopeRow::Kind::internal_force) return model_.uses_direction(i);
    return i == kN || model_.members[member].kind == MemberKind::frame;
  }

  const Model& model_;
  std::string analysis_;
  std::vector<EnvelopeRow> rows_;
  std::vector<char> met_;  // rows whose node or member stood in some step
};

}  // namespace

std::vector<EnvelopeRow> find_envelopes(const Model& model, const std::vector<Step>& steps,
                                        const std::vector<StepExtremes>& extremes) {
  std::vector<EnvelopeRow> all;
  const bool combinations =
      std::any_of(steps.begin(), steps.end(), [](const Step& s) { return s.loads.combination; });
  for (const std::string& analysis : analyses_of(steps)) {
    std::vector<std::size_t> counted;
    for (std::size_t i = 0; i < steps.size(); ++i) {
      const Step& step = steps[i];
      // Stages are combinations of their own.
      const bool kind = step.kind == AnalysisKind::staged || step.loads.combination == combinations;
      const bool counts = step.analysis == analysis && step.has_state && step.state.lambda == 1 &&
                          kind && !step.at_once && !extremes[i].empty();
      if (counts) counted.push_back(i);
    }
    if (counted.size() < 2) continue;
    Envelope envelope(model, analysis);
    for (const std::size_t i : counted) envelope.add(steps[i], extremes[i]);
    all.insert(all.end(), envelope.rows().begin(), envelope.rows().end());
  }
  return all;
}

}  // namespace ulterix
