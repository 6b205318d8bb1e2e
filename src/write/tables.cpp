#include "write/tables.hpp"

#include <fmt/format.h>

#include <cmath>
#include <functional>
#include <map>

#include "core/results/cables.hpp"
#include "core/results/camber.hpp"
#include "write/mode_rows.hpp"
#include "write/row_writer.hpp"

namespace ulterix {

namespace {

using Q = Quantity;

/// Rows of what is known of states, table by table.
class StateRows : public RowWriter {
 public:
  using RowWriter::RowWriter;

  void steps() {
    for (const Step& step : result_.steps) {
      lead(step);
      sink_.text(step.label);
      sink_.real(step.has_state ? std::optional(step.state.lambda) : std::nullopt);
      sink_.text(word_of(kVerdicts, step.outcome.verdict));
      sink_.text(step.outcome.reason);
      sink_.real(step.reserve);
      sink_.end_row();
    }
  }

  void displacements() {
    for (const Step& step : result_.steps) {
      if (!step.has_state) continue;
      Largest largest;
      for (const NodeMotion& n : step.state.nodes) largest.take(n.vector());
      // A rotation over the frame's size, and the reverse: a kind may be nothing but rounding.
      const double size = model_.size();
      largest = {std::max(largest.linear, 1e-3 * size * largest.angular),
                 std::max(largest.angular, size > 0 ? 1e-3 * largest.linear / size : 0)};
      for (const NodeId n : model_.nodes.ids()) {
        if (!stands_in(step, n)) continue;
        lead(step);
        sink_.text(model_.nodes[n].name);
        six(step.state.nodes[n].vector(), largest);
        sink_.end_row();
      }
    }
  }

  void reactions() {
    for (const Step& step : result_.steps) {
      if (!step.has_state) continue;
      for (const Support& s : supports_of(step)) {
        lead(step);
        sink_.text(model_.nodes[s.node].name);
        six(step.reactions[s.node], Largest::of_forces(step, model_.size()));
        sink_.end_row();
      }
    }
  }

  /// The supports of a step, a node once.
  std::vector<Support> supports_of(const Step& step) const {
    if (step.kind != AnalysisKind::staged || !step.frame) return model_.supports;
    std::vector<Support> own;
    for (const Support& s : step.frame->situation().supports) {
      const bool known =
          std::any_of(own.begin(), own.end(), [&s](const Support& o) { return o.node == s.node; });
      if (!known) own.push_back(s);
    }
    return own;
  }

  void births() {
    for (const Step& step : result_.steps) {
      if (step.kind != AnalysisKind::staged || !step.frame) continue;
      const auto& stages = model_.find_analysis(step.analysis)->staged().stages;
      for (const MemberId id : stages[index_of(step)].erected) {
        const Birth* birth = step.frame->situation().birth(id);
        if (birth == nullptr) continue;
        ends(step, id, birth->start.vector(), birth->end.vector());
      }
    }
  }

  void creep() {
    for (const Step& step : result_.steps) {
      if (step.kind != AnalysisKind::staged || !step.frame) continue;
      if (model_.find_analysis(step.analysis)->staged().stages[index_of(step)].days == 0) continue;
      for (const MemberId id : model_.members.ids()) {
        const Aged* aged = step.frame->situation().aged_of(id);
        if (aged != nullptr) ends(step, id, aged->shift.head<6>(), aged->shift.tail<6>());
      }
    }
  }

  static std::size_t index_of(const Step& stage) {
    return static_cast<std::size_t>(stage.number) - 1;
  }

  void ends(const Step& step, MemberId id, const Vector6d& start, const Vector6d& end) {
    for (const bool first : {true, false}) {
      lead(step);
      sink_.text(model_.members[id].name);
      sink_.text(first ? "start" : "end");
      six(first ? start : end);
      sink_.end_row();
    }
  }

  void stages() {
    for (const Step& step : result_.steps) {
      if (step.kind != AnalysisKind::staged || step.at_once) continue;
      const bool known = step.frame != nullptr;
      int standing = 0;
      for (const MemberId id : model_.members.ids()) standing += stands_in(step, id) ? 1 : 0;
      lead(step);
      sink_.text(step.label);
      sink_.text(step.state.geometric ? "p-delta" : "first-order");
      sink_.integer(known ? standing : 0);
      sink_.real(step.has_state ? std::optional(-step.equilibrium.loads[model_.vertical])
                                : std::nullopt);
      sink_.text(word_of(kVerdicts, step.outcome.verdict));
      sink_.real(step.reserve);
      sink_.real(step.lowest_omega ? std::optional(*step.lowest_omega / (2 * M_PI)) : std::nullopt);
      sink_.end_row();
    }
  }

  void camber() {
    for (const CamberRow& row : find_camber(result_.steps)) {
      lead(*row.last);
      sink_.text(row.member.valid() ? model_.members[row.member].name
                                    : model_.nodes[row.node].name);
      sink_.text(row.label);
      sink_.real(row.node.valid() ? std::optional(row.amount) : std::nullopt);
      sink_.real(row.member.valid() ? std::optional(row.amount) : std::nullopt);
      sink_.end_row();
    }
  }

  void states() {
    for (const Step& step : result_.steps) {
      if (!step.state.one_way) continue;
      std::optional<Recovery> recovery;
      if (step.has_state) recovery.emplace(step);
      for (const MemberId id : model_.members.ids()) {
        const Activity activity = step.state.members[id].activity;
        const bool broken = activity == Activity::broken;
        if (!model_.has_states(id) || (!stands_in(step, id) && !broken)) continue;
        if (broken) {
          lead(step);
          sink_.text(model_.members[id].name);
          sink_.text("broken");
          sink_.real(0);
          sink_.real(std::nullopt);
          sink_.real(std::nullopt);
          sink_.end_row();
          continue;
        }
        const auto hung = recovery ? cable_values(*recovery, id) : std::nullopt;
        lead(step);
        sink_.text(model_.members[id].name);
        sink_.text(hung                           ? word_of(kCableStates, hung->state)
                   : activity == Activity::idle   ? "slack"
                   : activity == Activity::yields ? "yields"
                                                  : "taut");
        sink_.real(recovery ? std::optional(mean_axial_force(*recovery, id)) : std::nullopt);
        sink_.real(std::nullopt);
        const double stayed = step.state.members[id].permanent;
        sink_.real(stayed != 0 ? std::optional(stayed) : std::nullopt);
        sink_.end_row();
      }
      for (const Support& s : supports_of(step)) {
        for (int d = 0; d < 6; ++d) {
          if (s.directions[static_cast<std::size_t>(d)].only == 0) continue;
          const bool open = std::find(step.state.open.begin(), step.state.open.end(),
                                      std::pair(s.node, d)) != step.state.open.end();
          const auto reaction =
              step.has_state ? std::optional(step.reactions[s.node][d]) : std::nullopt;
          lead(step);
          sink_.text(model_.place_name(s.node, d));
          sink_.text(open ? "lifted" : "bears");
          sink_.real(d < 3 ? reaction : std::nullopt);
          sink_.real(d >= 3 ? reaction : std::nullopt);
          sink_.real(std::nullopt);
          sink_.end_row();
        }
      }
    }
  }

  void cables() {
    for (const Step& step : result_.steps) {
      if (!step.has_state || !model_.has_cables()) continue;
      const Recovery recovery(step);
      for (const MemberId id : model_.members.ids()) {
        const auto v = cable_values(recovery, id);
        if (!v) continue;
        lead(step);
        sink_.text(model_.members[id].name);
        sink_.text(word_of(kCableStates, v->state));
        const std::array<std::optional<double>, 13> values = {v->cut_length,
                                                              v->length,
                                                              v->span,
                                                              v->sag,
                                                              v->chord_force,
                                                              v->tension_start,
                                                              v->tension_end,
                                                              v->slope_start,
                                                              v->slope_end,
                                                              v->thrust,
                                                              v->parabola,
                                                              v->frequency,
                                                              own_frequency(recovery, id)};
        for (const auto& value : values) sink_.real(value);
        sink_.end_row();
      }
    }
  }

  void convergence() {
    for (const Step& step : result_.steps) {
      for (std::size_t i = 0; i < step.rounds.size(); ++i) {
        lead(step);
        sink_.integer(static_cast<int>(i) + 1);
        sink_.real(step.rounds[i].change_u);
        sink_.real(step.rounds[i].change_n);
        sink_.real(step.rounds[i].residual);
        sink_.end_row();
      }
    }
  }

  void comparison() {
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      for (const ComparisonRow& row : result_.comparisons[i]) {
        if (row.absent) continue;
        const Quantity q = quantity_of(row);
        lead(result_.steps[i]);
        sink_.text(row.name);
        sink_.text(units_.label(q));
        sink_.text(place_of(row, units_));
        sink_.real(units_.from_si(q, row.first_order));
        sink_.real(units_.from_si(q, row.value));
        sink_.real(row.ratio);
        sink_.end_row();
      }
    }
  }

  void storeys() {
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      for (const StoreyRow& row : result_.storeys[i]) {
        lead(result_.steps[i]);
        sink_.text(row.storey);
        sink_.text(kAxisNames[row.direction]);
        sink_.real(row.height);
        sink_.real(row.drift);
        sink_.real(row.ratio());
        sink_.real(row.shear);
        sink_.real(row.gravity);
        sink_.real(row.amplification);
        sink_.real(row.index);
        sink_.real(row.stiffness);
        sink_.end_row();
      }
    }
  }

  void storey_stability() {
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      for (const StoreyFormulas& row : result_.storey_formulas[i]) {
        lead(result_.steps[i]);
        sink_.text(row.storey);
        sink_.text(kAxisNames[row.direction]);
        for (const auto& value :
             {row.index, row.alpha_cr, row.theta, row.asce_factor, row.B2, row.amplification}) {
          sink_.real(value);
        }
        for (const auto& words : {row.en_1993, row.aisc_360, row.aci_318, row.asce_7}) {
          sink_.text(words);
        }
        sink_.end_row();
      }
    }
  }

  void member_amplification() {
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      for (const MemberFormulas& row : result_.member_formulas[i]) {
        lead(result_.steps[i]);
        sink_.text(model_.members[row.member].name);
        sink_.text(row.axis == 0 ? "y" : "z");
        sink_.real(row.N);
        sink_.real(row.Pe1);
        sink_.real(row.Cm);
        sink_.real(row.B1);
        sink_.real(row.B2);
        sink_.real(row.computed);
        sink_.end_row();
      }
    }
  }

  void stiffness() {
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      for (const StiffnessRow& row : result_.stiffness[i]) {
        lead(result_.steps[i]);
        sink_.text(kAxisNames[row.direction]);
        sink_.text(row.where);
        sink_.real(row.load);
        sink_.real(row.displacement);
        sink_.real(row.stiffness());
        sink_.end_row();
      }
    }
  }

  void acting_axial() {
    for (const Step& step : result_.steps) {
      if (!step.has_state || !step.state.geometric) continue;
      for (const MemberId id : model_.members.ids()) {
        if (!stands_in(step, id)) continue;
        lead(step);
        sink_.text(model_.members[id].name);
        sink_.real(step.state.members[id].axial_start);
        sink_.end_row();
      }
    }
  }

  void poses() {
    for (const Step& step : result_.steps) {
      if (!step.has_state || step.state.poses.empty()) continue;
      for (const MemberId id : model_.members.ids()) {
        const MemberPoses& own = step.state.poses[id];
        for (std::size_t i = 0; i < own.x.size(); ++i) {
          Vector6d motion;
          motion << own.poses[i].displacement, own.poses[i].vector;
          lead(step);
          sink_.text(model_.members[id].name);
          sink_.real(own.x[i]);
          six(motion);
          sink_.end_row();
        }
      }
    }
  }

  void coordinates() {
    for (const Step& step : result_.steps) {
      if (!step.frame) continue;
      const auto& offsets = step.frame->situation().offsets;
      const bool moved = std::any_of(offsets.begin(), offsets.end(),
                                     [](const Vector3d& o) { return !o.isZero(0); });
      if (!moved) continue;
      for (const NodeId n : model_.nodes.ids()) {
        lead(step);
        sink_.text(model_.nodes[n].name);
        for (const double x : step.frame->situation().position(n)) sink_.real(x);
        for (const double d : offsets[n]) sink_.real(d);
        sink_.end_row();
      }
    }
  }

  void envelopes() {
    for (const EnvelopeRow& row : result_.envelopes) {
      const bool along = row.kind == EnvelopeRow::Kind::internal_force;
      const Quantity q = quantity_of(row);
      sink_.text(row.analysis);
      sink_.text("");
      sink_.integer(1);
      sink_.text(along ? model_.members[row.member].name : model_.nodes[row.node].name);
      sink_.text(name_of(row));
      sink_.text(units_.label(q));
      sink_.real(units_.from_si(q, row.min));
      sink_.real(along ? std::optional(row.x_min) : std::nullopt);
      sink_.text(row.loads_of_min);
      sink_.real(units_.from_si(q, row.max));
      sink_.real(along ? std::optional(row.x_max) : std::nullopt);
      sink_.text(row.loads_of_max);
      sink_.end_row();
    }
  }
};

}  // namespace

std::string_view name_of(const EnvelopeRow& row) {
  const auto i = static_cast<std::size_t>(row.component);
  switch (row.kind) {
    case EnvelopeRow::Kind::displacement:
      return kDisplacementNames[i];
    case EnvelopeRow::Kind::reaction:
      return kForceNames[i];
    case EnvelopeRow::Kind::internal_force:
      break;
  }
  return kInternalForceNames[i];
}

Quantity quantity_of(const EnvelopeRow& row) {
  const bool first_three = row.component < 3;
  if (row.kind == EnvelopeRow::Kind::displacement) {
    return first_three ? Q::displacement : Q::rotation;
  }
  return first_three ? Q::force : Q::moment;
}

Quantity quantity_of(const Place& place) {
  const bool first_three = place.component < 3;
  if (place.is_displacement()) return first_three ? Q::displacement : Q::rotation;
  return first_three ? Q::force : Q::moment;
}

Quantity quantity_of(const ComparisonRow& row) {
  const bool first_three = row.component < 3;
  if (row.is_displacement) return first_three ? Q::displacement : Q::rotation;
  return first_three ? Q::force : Q::moment;
}

std::string place_of(const ComparisonRow& row, const UnitSystem& units) {
  if (!row.member.valid()) return row.where;
  // Six digits are a place that a tape measure finds; rounding of the extreme stays out of sight.
  return fmt::format("{}@{:.6g} {}", row.where, units.from_si(Q::length, row.x),
                     units.label(Q::length));
}

namespace {

/// The rows of one table of a run.
using Part = std::function<void(const RunResult&, const UnitSystem&, TableSink&)>;

template <class Rows>
Part part(void (Rows::*write)()) {
  return [write](const RunResult& result, const UnitSystem& units, TableSink& sink) {
    (Rows(result, units, sink).*write)();
  };
}

}  // namespace

std::vector<double> column_factors(const TableSpec& table, const UnitSystem& units) {
  std::vector<double> factors;
  for (const ColumnSpec& c : table.columns) {
    factors.push_back(c.type == ColumnSpec::Type::real ? units.to_si(c.quantity, 1) : 1);
  }
  return factors;
}

std::optional<double> kept_value(const ColumnSpec& column, double factor,
                                 std::optional<double> value) {
  if (!value || !std::isfinite(*value)) return std::nullopt;
  double shown = *value / factor;
  if (column.resolution > 0) {
    const double steps = 1 / column.resolution;
    shown = std::round(shown * steps) / steps;
  }
  return shown == 0 ? 0.0 : shown;
}

void write_table(const RunResult& result, const UnitSystem& units, const TableSpec& table,
                 TableSink& sink) {
  static const std::map<std::string_view, Part> kParts = {
      {"steps", part(&StateRows::steps)},
      {"displacements", part(&StateRows::displacements)},
      {"reactions", part(&StateRows::reactions)},
      {"states", part(&StateRows::states)},
      {"cables", part(&StateRows::cables)},
      {"births", part(&StateRows::births)},
      {"creep", part(&StateRows::creep)},
      {"stages", part(&StateRows::stages)},
      {"camber", part(&StateRows::camber)},
      {"convergence", part(&StateRows::convergence)},
      {"comparison", part(&StateRows::comparison)},
      {"storeys", part(&StateRows::storeys)},
      {"storey_stability", part(&StateRows::storey_stability)},
      {"member_amplification", part(&StateRows::member_amplification)},
      {"stiffness", part(&StateRows::stiffness)},
      {"acting_axial", part(&StateRows::acting_axial)},
      {"buckling", part(&ModeRows::buckling)},
      {"effective_lengths", part(&ModeRows::effective_lengths)},
      {"buckling_lengths", part(&ModeRows::buckling_lengths)},
      {"mode_shares", part(&ModeRows::mode_shares)},
      {"restraints", part(&ModeRows::restraints)},
      {"path", part(&ModeRows::path)},
      {"watched", part(&ModeRows::watched)},
      {"poses", part(&StateRows::poses)},
      {"coordinates", part(&StateRows::coordinates)},
      {"frequencies", part(&ModeRows::frequencies)},
      {"mode_shapes", part(&ModeRows::mode_shapes)},
      {"mode_axes", part(&ModeRows::mode_axes)},
      {"nodal_mass", part(&ModeRows::nodal_mass)},
      {"envelopes", part(&StateRows::envelopes)}};
  sink.begin(table);
  kParts.at(table.name)(result, units, sink);
  sink.end();
}

}  // namespace ulterix
