#include "write/tables.hpp"

#include <fmt/format.h>

#include <functional>
#include <map>

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
        lead(step);
        sink_.text(model_.nodes[n].name);
        six(step.state.nodes[n].vector(), largest);
        sink_.end_row();
      }
    }
  }

  /// Forces and moments that reactions and members' forces are rounding beside.
  Largest largest_force(const Step& step) const {
    Largest largest;
    for (const Vector6d& r : step.reactions) largest.take(r);
    const double size = model_.size();
    largest.angular = std::max(largest.angular, 1e-3 * size * largest.linear);
    return largest;
  }
  Largest largest_force(const Step& step, MemberId id, const StepExtremes& extremes) const {
    Largest largest = largest_force(step);
    if (extremes.empty()) return largest;
    for (int i = 0; i < 6; ++i) {
      const Extreme& e = extremes[id][static_cast<std::size_t>(i)];
      double& most = i < 3 ? largest.linear : largest.angular;
      most = std::max({most, std::abs(e.min), std::abs(e.max)});
    }
    return largest;
  }

  void reactions() {
    for (const Step& step : result_.steps) {
      if (!step.has_state) continue;
      for (const Support& s : model_.supports) {
        lead(step);
        sink_.text(model_.nodes[s.node].name);
        six(step.reactions[s.node], largest_force(step));
        sink_.end_row();
      }
    }
  }

  void member_forces(std::size_t index, MemberId id) {
    const Step& step = result_.steps[index];
    const Recovery recovery(*result_.frame.system, step);
    const Largest largest = largest_force(step, id, result_.extremes[index]);
    for (const LinePoint& p : recovery.line(id).stations()) {
      lead(step);
      sink_.text(model_.members[id].name);
      sink_.real(p.x);
      six(p.forces, largest);
      sink_.end_row();
    }
  }

  void member_extremes(std::size_t index, MemberId id) {
    if (!result_.extremes[index].empty()) {
      extremes_of(result_.steps[index], id, result_.extremes[index][id]);
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
      for (const StoreyOpinion& row : result_.storey_opinions[i]) {
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
      for (const MemberOpinion& row : result_.member_opinions[i]) {
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
        lead(step);
        sink_.text(model_.members[id].name);
        sink_.real(step.state.members[id].axial_start);
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

 private:
  void extremes_of(const Step& step, MemberId id, const MemberExtremes& extremes) {
    Largest largest = largest_force(step);
    for (int i = 0; i < 6; ++i) {
      const Extreme& e = extremes[static_cast<std::size_t>(i)];
      double& most = i < 3 ? largest.linear : largest.angular;
      most = std::max({most, std::abs(e.min), std::abs(e.max)});
    }
    double deflection = 10;  // m: less than 1e-12 is rounding whatever the member does
    for (const int i : {kDy, kDz}) {
      const Extreme& e = extremes[static_cast<std::size_t>(i)];
      deflection = std::max({deflection, std::abs(e.min), std::abs(e.max)});
    }
    for (int i = 0; i < static_cast<int>(extremes.size()); ++i) {
      const Quantity q = i >= kDy ? Q::displacement : i < 3 ? Q::force : Q::moment;
      const double rounding = kRounding * (i >= kDy ? deflection
                                           : i < 3  ? largest.linear
                                                    : largest.angular);
      const auto real = [&](double v) {
        sink_.real(std::abs(v) <= rounding ? 0 : units_.from_si(q, v));
      };
      lead(step);
      sink_.text(model_.members[id].name);
      sink_.text(kExtremeNames[static_cast<std::size_t>(i)]);
      sink_.text(units_.label(q));
      real(extremes[i].min);
      sink_.real(extremes[i].x_min);
      real(extremes[i].max);
      sink_.real(extremes[i].x_max);
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

void write_table(const RunResult& result, const UnitSystem& units, const TableSpec& table,
                 TableSink& sink) {
  static const std::map<std::string_view, Part> kParts = {
      {"steps", part(&StateRows::steps)},
      {"displacements", part(&StateRows::displacements)},
      {"reactions", part(&StateRows::reactions)},
      {"convergence", part(&StateRows::convergence)},
      {"comparison", part(&StateRows::comparison)},
      {"storeys", part(&StateRows::storeys)},
      {"storey_stability", part(&StateRows::storey_stability)},
      {"member_amplification", part(&StateRows::member_amplification)},
      {"stiffness", part(&StateRows::stiffness)},
      {"acting_axial", part(&StateRows::acting_axial)},
      {"buckling", part(&ModeRows::buckling)},
      {"effective_lengths", part(&ModeRows::effective_lengths)},
      {"mode_shares", part(&ModeRows::mode_shares)},
      {"restraints", part(&ModeRows::restraints)},
      {"path", part(&ModeRows::path)},
      {"frequencies", part(&ModeRows::frequencies)},
      {"mode_shapes", part(&ModeRows::mode_shapes)},
      {"nodal_mass", part(&ModeRows::nodal_mass)},
      {"envelopes", part(&StateRows::envelopes)}};
  sink.begin(table);
  kParts.at(table.name)(result, units, sink);
  sink.end();
}

bool has_rows(const TableSpec& table, const Step& step) {
  if (table.name == "mode_axes") return step.buckling != nullptr || step.modal != nullptr;
  return step.has_state;
}

void write_member_rows(const RunResult& result, const UnitSystem& units, const TableSpec& table,
                       std::size_t step, MemberId member, TableSink& sink) {
  if (!has_rows(table, result.steps[step])) return;
  if (table.name == "mode_axes") {
    ModeRows(result, units, sink).mode_axes(step, member);
  } else if (table.name == "member_forces") {
    StateRows(result, units, sink).member_forces(step, member);
  } else {
    StateRows(result, units, sink).member_extremes(step, member);
  }
}

}  // namespace ulterix
