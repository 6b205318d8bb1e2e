#include "write/tables.hpp"

#include <fmt/format.h>

#include <map>

#include "core/results/modes.hpp"

namespace ulterix {

namespace {

using Type = ColumnSpec::Type;
using Q = Quantity;

ColumnSpec text_column(std::string_view name, std::string_view doc) {
  return {Type::text, name, Q::number, doc};
}
ColumnSpec integer_column(std::string_view name, std::string_view doc) {
  return {Type::integer, name, Q::number, doc};
}
ColumnSpec real_column(std::string_view name, Quantity q, std::string_view doc) {
  return {Type::real, name, q, doc};
}

/// The six displacements, forces or internal forces as columns.
template <std::size_t N>
void add_six(std::vector<ColumnSpec>& columns, const std::array<std::string_view, N>& names,
             Quantity first, Quantity last, std::string_view doc) {
  for (std::size_t i = 0; i < N; ++i) {
    columns.push_back(real_column(names[i], i < 3 ? first : last, doc));
  }
}

/// Tables of the eigenproblems.
void add_mode_tables(std::vector<TableSpec>& specs) {
  specs.push_back({"buckling",
                   "buckling factors and what buckles",
                   {integer_column("mode", "from 1; -1: the loads reversed"),
                    real_column("factor", Q::number, "on the loads"),
                    real_column("vertical", Q::force, "downward load of all at that factor"),
                    real_column("error", Q::number, "estimate of the split error, relative"),
                    text_column("kind", "sway, no sway, out of plane, torsional, one member"),
                    text_column("node", "of the largest translation"),
                    text_column("direction", "its main direction"),
                    text_column("turning", "node of the largest rotation"),
                    real_column("residual", Q::number, "of the pair, relative")}});
  specs.push_back(
      {"effective_lengths",
       "effective lengths of compressed members in each mode",
       {integer_column("mode", ""), text_column("member", ""),
        real_column("factor", Q::number, "of the mode"),
        real_column("N", Q::force, "mean at that factor"),
        real_column("Ly", Q::length, "about y, pi sqrt(EI/P)"),
        real_column("Ky", Q::number, "over the member's length"),
        real_column("slenderness_y", Q::number, "over the radius of gyration"),
        real_column("Lz", Q::length, "about z"),
        real_column("Kz", Q::number, "over the member's length"),
        real_column("slenderness_z", Q::number, "over the radius of gyration"),
        real_column("euler_y", Q::force, "pi² EI/L² of the member alone"),
        real_column("euler_z", Q::force, "about z"),
        real_column("Ky_sway", Q::number, "alignment equation, sway permitted"),
        real_column("Ky_held", Q::number, "alignment equation, sway prevented"),
        real_column("Kz_sway", Q::number, "about z"), real_column("Kz_held", Q::number, "about z"),
        text_column("concerns", "yes: the mode bends this member"),
        text_column("recommended", "yes: the lowest mode that concerns it")}});
  specs.push_back({"mode_shares",
                   "strain energy of each mode by member",
                   {integer_column("mode", ""), text_column("member", ""),
                    real_column("share", Q::number, "of the whole"),
                    real_column("share_y", Q::number, "in bending about y"),
                    real_column("share_z", Q::number, "in bending about z"),
                    real_column("share_twist", Q::number, "in twist")}});
  specs.push_back(
      {"restraints",
       "where a restraint raises the lowest buckling factor or frequency most",
       {integer_column("rank", "the best first"), text_column("node", ""),
        text_column("direction", "ux, uy, uz"),
        real_column("gain", Q::number, "of the factor or of Hz by a spring of 1 kN/m"),
        real_column("held", Q::number, "factor or Hz with the direction really held")}});
  specs.push_back({"path",
                   "load levels of a march, in the order tried",
                   {real_column("factor", Q::number, "on the loads"),
                    integer_column("iterations", "rounds on the axial forces"),
                    real_column("residual", Q::number, "unbalanced over largest nodal force"),
                    real_column("negative_pivots", Q::number, "of the tangent; blank: not counted"),
                    text_column("event", "stands, or gives way")}});
  TableSpec frequencies{"frequencies", "modes of free vibration", {}};
  frequencies.columns = {integer_column("mode", ""),
                         real_column("omega", Q::number, "rad/s"),
                         real_column("frequency", Q::number, "Hz"),
                         real_column("period", Q::number, "s"),
                         real_column("error", Q::number, "estimate of the split error, relative"),
                         real_column("rayleigh", Q::number, "rad/s, of the shape found"),
                         real_column("modal_mass", Q::mass, "with the scale of the shape")};
  static constexpr std::array<std::string_view, 6> kFactors = {
      "factor_x", "factor_y", "factor_z", "factor_rx", "factor_ry", "factor_rz"};
  static constexpr std::array<std::string_view, 6> kMasses = {"mass_x",  "mass_y",  "mass_z",
                                                              "mass_rx", "mass_ry", "mass_rz"};
  static constexpr std::array<std::string_view, 6> kSums = {"cumulative_x",  "cumulative_y",
                                                            "cumulative_z",  "cumulative_rx",
                                                            "cumulative_ry", "cumulative_rz"};
  add_six(frequencies.columns, kFactors, Q::number, Q::number, "participation factor");
  add_six(frequencies.columns, kMasses, Q::number, Q::number, "per cent of the whole mass");
  add_six(frequencies.columns, kSums, Q::number, Q::number, "per cent, running sum");
  frequencies.columns.push_back(real_column("residual", Q::number, "of the pair, relative"));
  specs.push_back(frequencies);
  TableSpec shapes{"mode_shapes", "shapes of the modes, largest translation 1", {}};
  shapes.columns = {integer_column("mode", ""), text_column("node", "")};
  add_six(shapes.columns, kDisplacementNames, Q::number, Q::number,
          "global; rotations per length unit 1 m");
  specs.push_back(shapes);
  specs.push_back(
      {"mode_axes",
       "shapes of the modes along the members; not for thousands of members",
       {text_column("member", ""), integer_column("mode", ""),
        real_column("x", Q::length, "from the start"), real_column("ux", Q::number, "global"),
        real_column("uy", Q::number, "global"), real_column("uz", Q::number, "global")},
       true});
  specs.push_back({"nodal_mass",
                   "mass shared to the nodes, by direction",
                   {text_column("node", ""), real_column("mx", Q::mass, "along x"),
                    real_column("my", Q::mass, "along y"), real_column("mz", Q::mass, "along z")}});
}

std::vector<TableSpec> make_specs() {
  std::vector<TableSpec> specs;
  specs.push_back(
      {"steps",
       "how each analysis of each load ended",
       {text_column("label", "name of the step"),
        real_column("factor", Q::number, "part of the loads that the state stands for"),
        text_column("outcome", "stands, or why not"), text_column("reason", "in words"),
        real_column("reserve", Q::number, "P-Delta: buckling factor of its axial forces")}});
  TableSpec displacements{"displacements", "displacements of the nodes", {}};
  displacements.columns = {text_column("node", "")};
  add_six(displacements.columns, kDisplacementNames, Q::displacement, Q::rotation, "global");
  specs.push_back(displacements);
  TableSpec reactions{"reactions", "forces of the ground on the structure", {}};
  reactions.columns = {text_column("node", "")};
  add_six(reactions.columns, kForceNames, Q::force, Q::moment, "global");
  specs.push_back(reactions);
  TableSpec forces{"member_forces", "internal forces along the members", {}};
  forces.columns = {text_column("member", ""), real_column("x", Q::length, "from the start")};
  const std::array<Quantity, 6> kinds = {Q::force,  Q::force,  Q::force,
                                         Q::moment, Q::moment, Q::moment};
  for (std::size_t i = 0; i < 6; ++i) {
    forces.columns.push_back(real_column(kInternalForceNames[i], kinds[i], "local"));
  }
  forces.gathered = true;
  specs.push_back(forces);
  specs.push_back({"member_extremes",
                   "true extremes along each member",
                   {text_column("member", ""), text_column("quantity", "N, Vy, Vz, Mx, My, Mz"),
                    text_column("unit", ""), real_column("min", Q::number, "in the unit beside it"),
                    real_column("x_min", Q::length, "from the start"),
                    real_column("max", Q::number, "in the unit beside it"),
                    real_column("x_max", Q::length, "from the start")},
                   true});
  specs.push_back({"convergence",
                   "rounds of the iteration on axial forces",
                   {integer_column("round", ""),
                    real_column("change_u", Q::number, "of the largest displacement, relative"),
                    real_column("change_n", Q::number, "of the largest axial force, relative"),
                    real_column("residual", Q::number, "unbalanced over largest nodal force")}});
  specs.push_back({"comparison",
                   "beside first-order at the places that matter",
                   {text_column("quantity", ""), text_column("unit", ""),
                    text_column("where", "node, or member and distance"),
                    real_column("first_order", Q::number, "in the unit beside it"),
                    real_column("value", Q::number, "in the unit beside it"),
                    real_column("ratio", Q::number, "blank where first-order is nothing")}});
  specs.push_back({"storeys",
                   "drifts, shears and stability of the storeys",
                   {text_column("storey", "its upper level"), text_column("direction", "x, y or z"),
                    real_column("height", Q::length, ""),
                    real_column("drift", Q::displacement, "largest over the columns"),
                    real_column("ratio", Q::number, "drift over height"),
                    real_column("shear", Q::force, "horizontal loads above"),
                    real_column("gravity", Q::force, "vertical loads above, down positive"),
                    real_column("amplification", Q::number, "drift over that of first-order"),
                    real_column("index", Q::number,
                                "sum of P times drift over V times h, ACI 318-19 6.6.4.4.1"),
                    real_column("stiffness", Q::spring, "shear over drift")}});
  specs.push_back(
      {"storey_stability",
       "hand formulas of the standards beside the computed amplification of each storey",
       {text_column("storey", "its upper level"), text_column("direction", "x, y or z"),
        real_column("index", Q::number, "Q of ACI 318-19 6.6.4.4.1"),
        real_column("alpha_cr", Q::number, "EN 1993-1-1:2005 (5.2)"),
        real_column("theta", Q::number, "ASCE 7-22 (12.8-17), elastic drift"),
        real_column("asce_factor", Q::number, "1/(1 - theta), ASCE 7-22 12.8.7"),
        real_column("B2", Q::number, "AISC 360-22 (A-8-6) to (A-8-8)"),
        real_column("amplification", Q::number, "computed: drift over that of first-order"),
        text_column("en_1993", "class"), text_column("aisc_360", "class"),
        text_column("aci_318", "class"), text_column("asce_7", "class")}});
  specs.push_back(
      {"member_amplification",
       "hand formulas of AISC 360-22 Appendix 8 beside the computed moments",
       {text_column("member", ""), text_column("axis", "y or z, bending about it"),
        real_column("N", Q::force, "mean over the member"),
        real_column("Pe1", Q::force, "pi^2 E I / L^2"),
        real_column("Cm", Q::number, "(A-8-4); 1 with loads between the ends"),
        real_column("B1", Q::number, "(A-8-3)"), real_column("B2", Q::number, "of its storey"),
        real_column("computed", Q::number, "largest moment over that of first-order")}});
  specs.push_back({"stiffness",
                   "lateral stiffness: the horizontal load over a displacement",
                   {text_column("direction", "x, y or z"), text_column("node", ""),
                    real_column("load", Q::force, "all loads in the direction"),
                    real_column("displacement", Q::displacement, "of the node"),
                    real_column("stiffness", Q::spring, "load over displacement")}});
  specs.push_back(
      {"acting_axial",
       "axial forces that act on the bent shape",
       {text_column("member", ""),
        real_column("N", Q::force, "at its start; with axial_from the mean over the member")}});
  add_mode_tables(specs);
  specs.push_back(
      {"envelopes",
       "smallest and largest over all loads of an analysis, and which loads govern",
       {text_column("item", "node or member"), text_column("quantity", "ux..rz, fx..mz, N..Mz"),
        text_column("unit", ""), real_column("min", Q::number, "in the unit beside it"),
        real_column("x_min", Q::length, "along a member"), text_column("min_loads", "that govern"),
        real_column("max", Q::number, "in the unit beside it"),
        real_column("x_max", Q::length, "along a member"),
        text_column("max_loads", "that govern")}});
  return specs;
}

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

std::span<const TableSpec> table_specs() {
  static const std::vector<TableSpec> specs = make_specs();
  return specs;
}

const TableSpec* find_table(std::string_view name) {
  for (const TableSpec& spec : table_specs()) {
    if (spec.name == name) return &spec;
  }
  return nullptr;
}

std::string column_header(const ColumnSpec& column, const UnitSystem& units) {
  const std::string& unit = units.label(column.quantity);
  if (column.type != Type::real || unit.empty()) return std::string(column.name);
  return fmt::format("{}[{}]", column.name, unit);
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

std::string tables_as_markdown() {
  std::string page =
      "# Tables of the results folder\n\n"
      "One CSV file each in `tables/`; every row starts with `analysis`, `loads`, `step`. Units "
      "stand in "
      "the header, numbers read back to the same double.\n";
  for (const TableSpec& spec : table_specs()) {
    page += fmt::format("\n## {}\n\n{}\n\n| column | unit | what |\n| --- | --- | --- |\n",
                        spec.name, spec.doc);
    for (const ColumnSpec& c : spec.columns) {
      const bool unit = c.type == Type::real && c.quantity != Q::number;
      page += fmt::format("| `{}` | {} | {} |\n", c.name, unit ? words_of(c.quantity) : "", c.doc);
    }
  }
  return page;
}

}  // namespace ulterix
