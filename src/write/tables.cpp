#include "write/tables.hpp"

#include <fmt/format.h>

#include <map>

#include "core/results/modes.hpp"

namespace ulterix {

namespace {

using Q = Quantity;

/// Rows of one run, table by table.
class Writer {
 public:
  Writer(const RunResult& result, const UnitSystem& units, TableSink& sink)
      : result_(result), model_(*result.model), units_(units), sink_(sink) {}

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
      for (const NodeId n : model_.nodes.ids()) {
        lead(step);
        sink_.text(model_.nodes[n].name);
        six(step.state.nodes[n].vector());
        sink_.end_row();
      }
    }
  }

  void reactions() {
    for (const Step& step : result_.steps) {
      if (!step.has_state) continue;
      for (const Support& s : model_.supports) {
        lead(step);
        sink_.text(model_.nodes[s.node].name);
        six(step.reactions[s.node]);
        sink_.end_row();
      }
    }
  }

  void member_forces(std::size_t index, MemberId id) {
    const Step& step = result_.steps[index];
    const Recovery recovery(*result_.frame.system, step);
    for (const LinePoint& p : recovery.line(id).stations()) {
      lead(step);
      sink_.text(model_.members[id].name);
      sink_.real(p.x);
      six(p.forces);
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

  void buckling() {
    each_buckling([this](const Step& step, const BucklingMode& m) {
      lead(step);
      sink_.integer(m.number);
      sink_.real(m.factor);
      sink_.real(step.buckling->vertical_stays + m.factor * step.buckling->vertical);
      sink_.real(m.error);
      sink_.text(m.kind);
      sink_.text(m.shape.furthest.valid() ? model_.nodes[m.shape.furthest].name : "");
      sink_.text(m.shape.furthest.valid()
                     ? kDisplacementNames[static_cast<std::size_t>(m.shape.direction)]
                     : "");
      sink_.text(m.shape.turning.valid() ? model_.nodes[m.shape.turning].name : "");
      sink_.real(m.residual);
      sink_.end_row();
    });
  }

  void effective_lengths() {
    each_buckling([this](const Step& step, const BucklingMode& m) {
      for (const EffectiveLength& e : m.lengths) {
        lead(step);
        sink_.integer(m.number);
        sink_.text(model_.members[e.member].name);
        sink_.real(m.factor);
        sink_.real(e.N);
        for (const auto& v :
             {e.length_y, e.K_y, e.slenderness_y, e.length_z, e.K_z, e.slenderness_z}) {
          sink_.real(v);
        }
        sink_.real(e.euler_y);
        sink_.real(e.euler_z);
        for (const auto& v : {e.sway_y, e.held_y, e.sway_z, e.held_z}) sink_.real(v);
        sink_.text(e.concerns ? "yes" : "no");
        sink_.text(e.recommended ? "yes" : "no");
        sink_.end_row();
      }
    });
  }

  void mode_shares() {
    each_buckling(
        [this](const Step& step, const BucklingMode& m) { shares_of(step, m.number, m.shares); });
    each_vibration([this](const Step& step, const ModalResult&, const VibrationMode& m) {
      shares_of(step, m.number, m.shares);
    });
  }

  void restraints() {
    for (const Step& step : result_.steps) {
      if (!step.buckling && !step.modal) continue;
      int rank = 0;
      for (const RestraintGain& g : step.buckling ? step.buckling->gains : step.modal->gains) {
        lead(step);
        sink_.integer(++rank);
        sink_.text(model_.nodes[g.node].name);
        sink_.text(kDisplacementNames[static_cast<std::size_t>(g.direction)]);
        sink_.real(g.derivative * 1e3);
        sink_.real(g.held);
        sink_.end_row();
      }
    }
  }

  void path() {
    for (const Step& step : result_.steps) {
      if (!step.buckling) continue;
      for (const MarchStep& m : step.buckling->march) {
        lead(step);
        sink_.real(m.factor);
        sink_.integer(m.rounds);
        sink_.real(m.residual);
        sink_.real(m.negative_pivots ? std::optional<double>(*m.negative_pivots) : std::nullopt);
        sink_.text(m.stands ? "stands" : "gives way");
        sink_.end_row();
      }
    }
  }

  void frequencies() {
    std::array<double, 6> sums{};
    each_vibration([&](const Step& step, const ModalResult& r, const VibrationMode& m) {
      if (m.number == 1) sums = {};
      lead(step);
      sink_.integer(m.number);
      sink_.real(m.omega);
      sink_.real(m.frequency());
      sink_.real(m.omega > 0 ? std::optional(m.period()) : std::nullopt);
      sink_.real(m.error);
      sink_.real(m.rayleigh);
      sink_.real(m.modal_mass);
      for (const auto& factor : m.factor) sink_.real(factor);
      for (std::size_t d = 0; d < 6; ++d) {
        sink_.real(m.mass[d] ? std::optional(100 * *m.mass[d] / r.total[d]) : std::nullopt);
      }
      for (std::size_t d = 0; d < 6; ++d) {
        sums[d] += m.mass[d].value_or(0);
        sink_.real(m.mass[d] ? std::optional(100 * sums[d] / r.total[d]) : std::nullopt);
      }
      sink_.real(m.residual);
      sink_.end_row();
    });
  }

  void mode_shapes() {
    each_buckling(
        [this](const Step& step, const BucklingMode& m) { shape_of(step, m.number, m.shape); });
    each_vibration([this](const Step& step, const ModalResult&, const VibrationMode& m) {
      shape_of(step, m.number, m.shape);
    });
  }

  void mode_axes(std::size_t index, MemberId id) {
    const Step& step = result_.steps[index];
    const auto rows_of = [&](int mode, const ModeShape& shape) {
      if (shape.axes.empty()) return;
      const auto& axis = shape.axes[id];
      for (std::size_t i = 0; i < axis.size(); ++i) {
        lead(step);
        sink_.text(model_.members[id].name);
        sink_.integer(mode);
        sink_.real(model_.length(id) * double(i) / double(axis.size() - 1));
        for (const double u : axis[i]) sink_.real(u);
        sink_.end_row();
      }
    };
    if (step.buckling) {
      if (step.buckling->negative) rows_of(-1, step.buckling->negative->shape);
      for (const BucklingMode& m : step.buckling->modes) rows_of(m.number, m.shape);
    }
    if (step.modal) {
      for (const VibrationMode& m : step.modal->modes) rows_of(m.number, m.shape);
    }
  }

  void nodal_mass() {
    for (const Step& step : result_.steps) {
      if (!step.modal) continue;
      for (const NodeId n : model_.nodes.ids()) {
        lead(step);
        sink_.text(model_.nodes[n].name);
        for (const double m : step.modal->nodal_mass[n]) sink_.real(m);
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
  template <class Visit>
  void each_buckling(const Visit& visit) const {
    for (const Step& step : result_.steps) {
      if (!step.buckling) continue;
      if (step.buckling->negative) visit(step, *step.buckling->negative);
      for (const BucklingMode& m : step.buckling->modes) visit(step, m);
    }
  }

  template <class Visit>
  void each_vibration(const Visit& visit) const {
    for (const Step& step : result_.steps) {
      if (!step.modal) continue;
      for (const VibrationMode& m : step.modal->modes) visit(step, *step.modal, m);
    }
  }

  void shares_of(const Step& step, int mode, const IndexedVector<MemberId, MemberShare>& shares) {
    for (const MemberId id : model_.members.ids()) {
      lead(step);
      sink_.integer(mode);
      sink_.text(model_.members[id].name);
      for (const double v :
           {shares[id].whole, shares[id].about_y, shares[id].about_z, shares[id].twist}) {
        sink_.real(v);
      }
      sink_.end_row();
    }
  }

  void shape_of(const Step& step, int mode, const ModeShape& shape) {
    for (const NodeId n : model_.nodes.ids()) {
      lead(step);
      sink_.integer(mode);
      sink_.text(model_.nodes[n].name);
      six(shape.nodes[n].vector());
      sink_.end_row();
    }
  }

  void lead(const Step& step) {
    sink_.text(step.analysis);
    sink_.text(step.loads.name);
    sink_.integer(step.number);
  }
  void six(const Vector6d& values) {
    for (const double v : values) sink_.real(v);
  }
  void extremes_of(const Step& step, MemberId id, const std::array<Extreme, 6>& extremes) {
    for (int i = 0; i < 6; ++i) {
      const Quantity q = i < 3 ? Q::force : Q::moment;
      lead(step);
      sink_.text(model_.members[id].name);
      sink_.text(kInternalForceNames[i]);
      sink_.text(units_.label(q));
      sink_.real(units_.from_si(q, extremes[i].min));
      sink_.real(extremes[i].x_min);
      sink_.real(units_.from_si(q, extremes[i].max));
      sink_.real(extremes[i].x_max);
      sink_.end_row();
    }
  }

  const RunResult& result_;
  const Model& model_;
  const UnitSystem& units_;
  TableSink& sink_;
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

void write_table(const RunResult& result, const UnitSystem& units, const TableSpec& table,
                 TableSink& sink) {
  using Part = void (Writer::*)();
  static const std::map<std::string_view, Part> kParts = {
      {"steps", &Writer::steps},
      {"displacements", &Writer::displacements},
      {"reactions", &Writer::reactions},
      {"convergence", &Writer::convergence},
      {"comparison", &Writer::comparison},
      {"storeys", &Writer::storeys},
      {"storey_stability", &Writer::storey_stability},
      {"member_amplification", &Writer::member_amplification},
      {"stiffness", &Writer::stiffness},
      {"acting_axial", &Writer::acting_axial},
      {"buckling", &Writer::buckling},
      {"effective_lengths", &Writer::effective_lengths},
      {"mode_shares", &Writer::mode_shares},
      {"restraints", &Writer::restraints},
      {"path", &Writer::path},
      {"frequencies", &Writer::frequencies},
      {"mode_shapes", &Writer::mode_shapes},
      {"nodal_mass", &Writer::nodal_mass},
      {"envelopes", &Writer::envelopes}};
  Writer writer(result, units, sink);
  sink.begin(table);
  (writer.*kParts.at(table.name))();
  sink.end();
}

bool has_rows(const TableSpec& table, const Step& step) {
  if (table.name == "mode_axes") return step.buckling != nullptr || step.modal != nullptr;
  return step.has_state;
}

void write_member_rows(const RunResult& result, const UnitSystem& units, const TableSpec& table,
                       std::size_t step, MemberId member, TableSink& sink) {
  if (!has_rows(table, result.steps[step])) return;
  Writer writer(result, units, sink);
  if (table.name == "mode_axes") {
    writer.mode_axes(step, member);
  } else if (table.name == "member_forces") {
    writer.member_forces(step, member);
  } else {
    writer.member_extremes(step, member);
  }
}

}  // namespace ulterix
