#include "write/table_specs.hpp"

#include <fmt/format.h>

#include <array>

#include "core/model/vocabulary.hpp"

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

constexpr double kShapeResolution = 1e-7;

/// A component of a shape whose largest translation is 1.
ColumnSpec shape_column(std::string_view name) {
  ColumnSpec column = real_column(name, Q::number, "global, to 1e-7");
  column.resolution = kShapeResolution;
  return column;
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
  specs.push_back(
      {"buckling",
       "buckling factors and what buckles",
       {integer_column("mode", "from 1; -1: the loads reversed"),
        real_column("factor", Q::number, "on the loads"),
        real_column("vertical", Q::force, "downward load of all at that factor"),
        real_column("error", Q::number, "estimate of the discretisation error, relative"),
        text_column("kind", "sway, out of plane, between the ends, torsional"),
        text_column("place",
                    "of the largest translation, or of the largest rotation: E5.ux, C1.ry"),
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
        text_column("recommended", "axes whose lowest mode this is: y, z")},
       Kept::packed});
  specs.push_back(
      {"buckling_lengths",
       "effective lengths to use: of the lowest mode that bends the member about each axis",
       {text_column("member", ""), real_column("length", Q::length, "of the member"),
        real_column("run", Q::length, "of the straight column that it is a piece of"),
        real_column("Ly", Q::length, "about y"), real_column("Ky", Q::number, "over the length"),
        real_column("Ky_run", Q::number, "over the run"),
        real_column("slenderness_y", Q::number, "over the radius of gyration"),
        real_column("factor_y", Q::number, "of that mode"), text_column("mode_y", "its number"),
        real_column("Lz", Q::length, "about z"), real_column("Kz", Q::number, "over the length"),
        real_column("Kz_run", Q::number, "over the run"),
        real_column("slenderness_z", Q::number, "over the radius of gyration"),
        real_column("factor_z", Q::number, "of that mode"), text_column("mode_z", "its number")}});
  specs.push_back({"mode_shares",
                   "strain energy of each mode by member",
                   {integer_column("mode", ""), text_column("member", ""),
                    real_column("share", Q::number, "of the whole"),
                    real_column("share_y", Q::number, "in bending about y"),
                    real_column("share_z", Q::number, "in bending about z"),
                    real_column("share_twist", Q::number, "in twist")},
                   Kept::packed});
  specs.push_back(
      {"restraints",
       "where a restraint raises the lowest buckling factor or frequency most",
       {integer_column("rank", "the best first"), text_column("node", ""),
        text_column("direction", "ux, uy, uz"),
        real_column("gain", Q::number, "of the factor or of Hz, per unit of the spring"),
        real_column("held", Q::number, "factor or Hz with the direction held")}});
  specs.push_back(
      {"path",
       "equilibria of a large-displacement analysis in order, load levels of a buckling analysis "
       "by increments in "
       "the order tried, and switches of one-way items",
       {real_column("factor", Q::number, "on the loads"), integer_column("iterations", ""),
        real_column("residual", Q::number, "unbalanced over largest nodal force"),
        real_column("negative_pivots", Q::number, "of the tangent; blank: not counted"),
        text_column("event", "limit point or branch point; stands, gives way; X2 slack")}});
  specs.push_back(
      {"watched",
       "watched places along the path of a large-displacement analysis",
       {integer_column("point", "of the path"), real_column("factor", Q::number, ""),
        text_column("item", ""), real_column("value", Q::number, "in the unit beside it"),
        text_column("unit", "")}});
  TableSpec frequencies{"frequencies", "modes of free vibration", {}};
  frequencies.columns = {
      integer_column("mode", ""),
      real_column("omega", Q::number, "rad/s"),
      real_column("frequency", Q::number, "Hz"),
      real_column("period", Q::number, "s"),
      real_column("error", Q::number, "estimate of the discretisation error, relative"),
      real_column("rayleigh", Q::number, "rad/s, of the shape found"),
      real_column("modal_mass", Q::mass, "with the scale of the shape")};
  static constexpr std::array<std::string_view, 6> kFactors = {
      "factor_x", "factor_y", "factor_z", "factor_rx", "factor_ry", "factor_rz"};
  static constexpr std::array<std::string_view, 6> kMasses = {"mass_x",  "mass_y",  "mass_z",
                                                              "mass_rx", "mass_ry", "mass_rz"};
  static constexpr std::array<std::string_view, 6> kSums = {"cumulative_x",  "cumulative_y",
                                                            "cumulative_z",  "cumulative_rx",
                                                            "cumulative_ry", "cumulative_rz"};
  add_six(frequencies.columns, kFactors, Q::number, Q::length, "participation factor");
  add_six(frequencies.columns, kMasses, Q::number, Q::number, "per cent of the whole mass");
  add_six(frequencies.columns, kSums, Q::number, Q::number, "per cent, running sum");
  frequencies.columns.push_back(real_column("residual", Q::number, "of the pair, relative"));
  specs.push_back(frequencies);
  TableSpec shapes{"mode_shapes", "shapes of the modes, largest translation 1", {}, Kept::packed};
  shapes.columns = {integer_column("mode", ""), text_column("node", "")};
  add_six(shapes.columns, kDisplacementNames, Q::number, Q::rotation_per_displacement, "global");
  specs.push_back(shapes);
  specs.push_back({"mode_axes",
                   "shapes of the modes along the members; not for thousands of members",
                   {text_column("member", ""), integer_column("mode", ""),
                    real_column("x", Q::length, "from the start"), shape_column("ux"),
                    shape_column("uy"), shape_column("uz")},
                   Kept::packed});
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
  forces.kept = Kept::recovered;
  specs.push_back(forces);
  specs.push_back({"member_extremes",
                   "true extremes along each member",
                   {text_column("member", ""),
                    text_column("quantity", "N, Vy, Vz, Mx, My, Mz; dy, dz from the chord"),
                    text_column("unit", ""), real_column("min", Q::number, "in the unit beside it"),
                    real_column("x_min", Q::length, "from the start"),
                    real_column("max", Q::number, "in the unit beside it"),
                    real_column("x_max", Q::length, "from the start")},
                   Kept::recovered});
  specs.push_back(
      {"deflections",
       "displacements along the members",
       {text_column("member", ""), real_column("x", Q::length, "from the start"),
        real_column("ux", Q::displacement, "of the axis, global"),
        real_column("uy", Q::displacement, "global"), real_column("uz", Q::displacement, "global"),
        real_column("dy", Q::displacement, "from the chord between the ends, local"),
        real_column("dz", Q::displacement, "from the chord, local")},
       Kept::recovered});
  specs.push_back(
      {"states",
       "one-way members and supports and cables of each result: what carries and what does not",
       {text_column("item", "member, or node and direction of a support"),
        text_column("state", "taut, hangs, slack; bears, lifted"),
        real_column("force", Q::force,
                    "mean N of a member, of a cable along its chord; reaction of a support"),
        real_column("moment", Q::moment, "reaction of a support that turns"),
        real_column("permanent", Q::displacement,
                    "elongation that stays of a member that yielded and was relieved")}});
  specs.push_back(
      {"cables",
       "cables that hang: lengths, sag, forces at both ends",
       {text_column("cable", ""),
        text_column("state", "taut, hangs (longer without force than its ends are apart), slack"),
        real_column("cut_length", Q::length, "without force"),
        real_column("length", Q::length, "under force"),
        real_column("span", Q::length, "distance of its ends"),
        real_column("sag", Q::displacement, "largest distance from the chord"),
        real_column("N", Q::force, "along the chord, mean of the two ends"),
        real_column("tension_start", Q::force, "along the cable"),
        real_column("tension_end", Q::force, "along the cable"),
        real_column("slope_start", Q::angle, "of the tangent, up positive"),
        real_column("slope_end", Q::angle, "of the tangent, up positive"),
        real_column("thrust", Q::force, "horizontal part at the start"),
        real_column("parabola", Q::force, "hand check of N: load across times span²/(8 sag)"),
        real_column("frequency", Q::number, "Hz, lowest as a taut string: sqrt(N/m)/(2 span)"),
        real_column("own_frequency", Q::number,
                    "Hz, lowest between ends that do not move, by string functions")}});
  specs.push_back(
      {"stages",
       "stages of an erection: what stands, what acts, how far it is from buckling",
       {text_column("stage", ""), text_column("theory", ""),
        integer_column("members", "that stand"),
        real_column("down", Q::force, "all loads so far, down positive"),
        text_column("verdict", ""),
        real_column("factor", Q::number, "lowest buckling factor on the state's axial forces"),
        real_column("frequency", Q::number, "Hz, lowest about the state")}});
  specs.push_back(
      {"camber",
       "how high nodes are to be set, and how much longer columns are to be cut, so that all ends "
       "as drawn after the last stage",
       {text_column("item", "node or column"), text_column("stage", "in which it arrives"),
        real_column("set_higher", Q::displacement, "of a node, above its drawn place"),
        real_column("cut_longer", Q::displacement, "of a column, than drawn")}});
  TableSpec births{"births",
                   "staged: where the ends of a member were when it was built in without force",
                   {text_column("member", ""), text_column("at", "start, end")}};
  add_six(births.columns, kDisplacementNames, Q::displacement, Q::rotation, "from the drawn place");
  specs.push_back(std::move(births));
  TableSpec creep{"creep",
                  "staged: how the ends of a member would lie against its chord if no force held "
                  "it, by creep and shrinkage so far",
                  {text_column("member", ""), text_column("at", "start, end")}};
  add_six(creep.columns, kDisplacementNames, Q::displacement, Q::rotation, "local axes");
  specs.push_back(std::move(creep));
  specs.push_back({"convergence",
                   "the iterations on axial forces",
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
  TableSpec poses{
      "poses",
      "large displacement: where the ends of the pieces of every member have gone",
      {text_column("member", ""), real_column("x", Q::length, "from the start, as drawn")},
      Kept::packed};
  TableSpec coordinates{"coordinates",
                        "the nodes that an analysis with a start shape began from",
                        {text_column("node", "")}};
  for (const std::string_view axis : {"x", "y", "z"}) {
    coordinates.columns.push_back(real_column(axis, Q::length, "used"));
  }
  for (const std::string_view axis : {"dx", "dy", "dz"}) {
    coordinates.columns.push_back(real_column(axis, Q::displacement, "from the drawn place"));
  }
  for (std::size_t d = 0; d < 6; ++d) {
    poses.columns.push_back(real_column(kDisplacementNames[d],
                                        d < 3 ? Q::displacement : Q::rotation,
                                        d < 3 ? "global" : "of the rotation vector"));
  }
  specs.push_back(std::move(poses));
  specs.push_back(std::move(coordinates));
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

}  // namespace

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

std::string tables_as_markdown() {
  std::string page =
      "# Tables of the results folder\n\n"
      "One CSV file each in `tables/`, none for a table without rows, and none for long tables "
      "unless asked for; every row starts with "
      "`analysis`, `loads`, `step`. Units "
      "stand in "
      "the header, numbers read back to the same double.\n";
  for (const TableSpec& spec : table_specs()) {
    const std::string_view kept =
        spec.kept == Kept::packed      ? " No CSV file by itself: `run --tables all`."
        : spec.kept == Kept::recovered ? " Recovered from the states by `table`; a CSV file with "
                                         "`run --tables all`."
                                       : "";
    page += fmt::format("\n## {}\n\n{}.{}\n\n| column | unit | what |\n| --- | --- | --- |\n",
                        spec.name, spec.doc, kept);
    for (const ColumnSpec& c : spec.columns) {
      const bool unit = c.type == Type::real && c.quantity != Q::number;
      page += fmt::format("| `{}` | {} | {} |\n", c.name, unit ? words_of(c.quantity) : "", c.doc);
    }
  }
  return page;
}

}  // namespace ulterix
