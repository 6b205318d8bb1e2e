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
    for (EnvelopeRow& row : rows_) {
      if (row.kind == EnvelopeRow::Kind::internal_force) {
        const Extreme& e = extremes[row.member][row.component];
        take(row, count_ == 0, e.min, e.x_min, e.max, e.x_max, step.loads.name);
      } else {
        const double value = row.kind == EnvelopeRow::Kind::displacement
                                 ? step.state.nodes[row.node].vector()[row.component]
                                 : step.reactions[row.node][row.component];
        take(row, count_ == 0, value, 0, value, 0, step.loads.name);
      }
    }
    ++count_;
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
  int count_ = 0;
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
      const bool counts = step.analysis == analysis && step.has_state && step.state.lambda == 1 &&
                          step.loads.combination == combinations && !extremes[i].empty();
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
