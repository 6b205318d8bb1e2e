#include "app/digest_modes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "app/text.hpp"
#include "core/results/effective_lengths.hpp"
#include "core/results/modes.hpp"

namespace ulterix {

namespace {

/// Members with more than this part of the strain energy are named.
constexpr double kNamed = 0.05;
constexpr std::size_t kMostModes = 12;

std::string factor_text(double factor) {
  return factor < 1e4 ? fmt::format("{:.4g}", factor) : fmt::format("{:.3g}", factor);
}

/// What the thresholds of EN 1993-1-1, 5.2.1(3) and 5.2.2(5), say of a factor.
std::string what_it_means(double factor) {
  if (factor < 1) return "below 1: unstable under this load";
  if (factor < 3) return "below 3: second-order analysis";
  if (factor < 10) return "below 10: second-order effects count";
  return "above 10: second-order effects are small";
}

/// Members, the largest share of the strain energy first; of equal ones the first in the file.
std::vector<MemberId> by_share(const Model& model,
                               const IndexedVector<MemberId, MemberShare>& shares) {
  const auto rank = [&shares](MemberId id) { return std::round(shares[id].whole * 1e6); };
  std::vector<MemberId> order = model.members.ids();
  std::stable_sort(order.begin(), order.end(),
                   [&rank](MemberId a, MemberId b) { return rank(a) > rank(b); });
  return order;
}

/// "CE.1 62 %, CB.1 11 %": who carries the strain energy.
std::string who_buckles(const Model& model, const IndexedVector<MemberId, MemberShare>& shares) {
  const std::vector<MemberId> order = by_share(model, shares);
  std::string words;
  for (std::size_t i = 0; i < order.size() && i < 4; ++i) {
    const double share = shares[order[i]].whole;
    if (share < kNamed && i > 0) break;
    if (i > 0) words += ", ";
    words += fmt::format("{} {:.0f} %", model.members[order[i]].name, 100 * share);
  }
  return words;
}

std::string certificate_words(std::size_t modes, const Certificate& c, const std::string& below) {
  if (!c.count) {
    return fmt::format("{} modes; not known whether all below {} are found", modes, below);
  }
  if (c.complete()) return fmt::format("all {} modes below {} found (Sturm check)", c.found, below);
  return fmt::format("{} modes, but the Sturm check counts {} below {}: some are missing", modes,
                     *c.count, below);
}

/// The step of a buckling analysis with the lowest factor; nullptr if none has any.
const Step* worst_buckling(const RunResult& result, const std::string& analysis) {
  const Step* worst = nullptr;
  for (const Step& step : result.steps) {
    const bool counts = step.buckling && !step.buckling->modes.empty() &&
                        (analysis.empty() || step.analysis == analysis);
    if (!counts) continue;
    if (worst == nullptr || clearly_lower(step.buckling->lowest(), worst->buckling->lowest())) {
      worst = &step;
    }
  }
  return worst;
}

/// Where members bow between their nodes, no node stands for the mode.
bool nodes_matter(const BucklingMode& mode) {
  return mode.shape.furthest.valid() && !mode.shape.only_rotations &&
         !mode.kind.starts_with("between the ends");
}

/// The node that moves most, or the member that bows between its nodes.
std::string place_of(const Model& model, const BucklingMode& mode) {
  return nodes_matter(mode) ? model.nodes[mode.shape.furthest].name
                            : model.members[by_share(model, mode.shares).front()].name;
}

/// ", equal pair": how many modes share a value.
std::string equal_words(int equal) {
  if (equal < 2) return "";
  return equal == 2 ? ", equal pair" : fmt::format(", one of {} equal modes", equal);
}

std::string mode_words(const Model& model, const BucklingMode& mode) {
  std::string words = fmt::format("{}: {} {}{}", mode.number, factor_text(mode.factor), mode.kind,
                                  equal_words(mode.equal));
  if (nodes_matter(mode)) {
    words += fmt::format(", most at {}", model.nodes[mode.shape.furthest].name);
  }
  words += "; " + who_buckles(model, mode.shares);
  return words;
}

/// What holding really does, of the restraints that were tried.
std::string gain_words(const std::vector<RestraintGain>& gains, const Model& model,
                       const std::string& unit, int width, int indent) {
  std::string text;
  for (const RestraintGain& g : gains) {
    if (!g.held) break;
    text += wrapped(fmt::format("{}holding {} {} would raise it to {}{}",
                                std::string(std::size_t(indent), ' '), model.nodes[g.node].name,
                                kDisplacementNames[static_cast<std::size_t>(g.direction)],
                                factor_text(*g.held), unit),
                    width, indent) +
            '\n';
  }
  return text;
}

/// Says where the compression at a factor is more than the section yields at.
std::string beyond_yield(const Model& model, const BucklingMode& mode) {
  const EffectiveLength* worst = nullptr;
  double most = 1;
  for (const EffectiveLength& e : mode.lengths) {
    const Member& m = model.members[e.member];
    const double fy = model.materials[m.material].fy, A = model.sections[m.section].properties.A;
    if (fy <= 0 || -e.N / (fy * A) <= most) continue;
    most = -e.N / (fy * A);
    worst = &e;
  }
  if (worst == nullptr) return {};
  return fmt::format(
      " At that factor {} is compressed to {:.2g} times its squash load A*fy: it "
      "yields first.",
      model.members[worst->member].name, most);
}

/// One line a member: the lengths about both axes, each from the lowest mode that bends it so.
std::string length_lines(const RunResult& result, const BucklingResult& r, const UnitSystem& units,
                         bool full) {
  struct LengthRow {
    std::array<std::string, 2> length, K, mode;
    std::string run;  ///< K over the whole straight column, where the member is a piece of it
    double first = 0;
  };
  const Model& model = *result.model;
  const IndexedVector<MemberId, double> runs = run_lengths(model);
  std::map<int, LengthRow> rows;
  for (const BucklingMode& mode : r.modes) {
    for (const EffectiveLength& e : mode.lengths) {
      for (const bool about_y : {true, false}) {
        const auto& length = about_y ? e.length_y : e.length_z;
        const auto& K = about_y ? e.K_y : e.K_z;
        if (!(about_y ? e.recommended_y : e.recommended_z) || !length || !K) continue;
        LengthRow& row = rows[e.member.value];
        const std::size_t i = about_y ? 0 : 1;
        row.length[i] = in_units(units, Quantity::length, *length);
        row.K[i] = fmt::format("{:.2f}", *K);
        row.mode[i] = fmt::format("{}", mode.number);
        if (runs[e.member] > 1.001 * model.length(e.member)) {
          row.run += fmt::format("{}K{} {:.2f}", row.run.empty() ? "" : ", ", about_y ? "y" : "z",
                                 *length / runs[e.member]);
        }
        if (row.first == 0) row.first = mode.factor;
      }
    }
  }
  if (rows.empty()) return {};
  std::vector<std::pair<int, LengthRow>> sorted(rows.begin(), rows.end());
  std::stable_sort(sorted.begin(), sorted.end(),
                   [](const auto& a, const auto& b) { return a.second.first < b.second.first; });
  constexpr std::size_t kMostMembers = 4;
  const std::string& m = units.label(Quantity::length);
  TextTable table({Align::left, Align::right, Align::right, Align::right, Align::right,
                   Align::right, Align::right, Align::left});
  const bool pieces = std::any_of(sorted.begin(), sorted.end(),
                                  [](const auto& row) { return !row.second.run.empty(); });
  table.add({"Effective lengths", "Ly " + m, "Ky", "mode", "Lz " + m, "Kz", "mode",
             pieces ? "over the whole column" : ""});
  for (std::size_t i = 0; i < sorted.size() && (full || i < kMostMembers); ++i) {
    const LengthRow& row = sorted[i].second;
    table.add({"  " + model.members[MemberId(sorted[i].first)].name, row.length[0], row.K[0],
               row.mode[0], row.length[1], row.K[1], row.mode[1], row.run});
  }
  return table.print();
}

std::string buckling_analysis(const RunResult& result, const std::string& analysis,
                              const UnitSystem& units, int width, bool full) {
  const Step* worst = worst_buckling(result, analysis);
  if (worst == nullptr) return {};
  const Model& model = *result.model;
  TextTable table({Align::left, Align::right, Align::left, Align::left, Align::right});
  table.add({analysis, "factor", "lowest mode", "most at", "1/(1 - 1/f)"});
  for (const Step& step : result.steps) {
    if (step.analysis != analysis || !step.buckling) continue;
    if (step.buckling->modes.empty()) {
      table.add({step.loads.name, "0", "none positive", "", ""});
      continue;
    }
    const BucklingMode& m = step.buckling->modes.front();
    table.add({step.loads.name, factor_text(m.factor), m.kind, place_of(model, m),
               m.factor > 1 ? fmt::format("{:.2f}", 1 / (1 - 1 / m.factor)) : "-"});
  }
  // P-Delta's table has the factors beside.
  const bool beside = std::any_of(result.steps.begin(), result.steps.end(),
                                  [](const Step& s) { return s.reserve.has_value(); });
  std::string text = "\n";
  if (full || !beside) text += table.print();
  const BucklingResult& r = *worst->buckling;
  double error = 0;
  for (const BucklingMode& m : r.modes) error = std::max(error, m.error);
  const std::string lead = fmt::format(" Buckling {}  ", worst->loads.name);
  const int indent = static_cast<int>(lead.size());
  for (std::size_t i = 0; i < r.modes.size() && i < (full ? 5 : 3); ++i) {
    const std::string start = i == 0 ? lead : std::string(lead.size(), ' ');
    text += wrapped(start + mode_words(model, r.modes[i]), width, indent + 3) + '\n';
  }
  std::string found = fmt::format(
      "{}{}; discretisation error <= {:.2g} %", std::string(lead.size(), ' '),
      certificate_words(r.modes.size(), r.certificate, factor_text(r.certificate.below)),
      100 * error);
  if (!r.modes.empty() && r.vertical > 0) {
    found +=
        fmt::format("; vertical load at {}: {} {}", factor_text(r.lowest()),
                    in_units(units, Quantity::force, r.vertical_stays + r.lowest() * r.vertical),
                    units.label(Quantity::force));
  }
  text += wrapped(found, width, indent) + '\n';
  for (const std::string& remark : r.remarks) {
    text += wrapped(std::string(lead.size(), ' ') + remark, width, indent) + '\n';
  }
  text += gain_words(r.gains, model, "", width, indent);
  return text + length_lines(result, r, units, full);
}

std::string per_cent(const std::optional<double>& mass, double total) {
  return mass && total > 0 ? fmt::format("{:.1f}", 100 * *mass / total) : "-";
}

/// "x 99 %, z 37 %: z is short of 90 %": what the modes reach.
std::string participation_words(const Model& model, const ModalResult& r) {
  std::string reached, shortage;
  for (std::size_t d = 0; d < 3; ++d) {
    double sum = 0;
    bool any = false;
    for (const VibrationMode& m : r.modes) {
      any = any || m.mass[d].has_value();
      sum += m.mass[d].value_or(0);
    }
    if (!any || r.total[d] <= 0) continue;
    const double part = 100 * sum / r.total[d];
    if (!reached.empty()) reached += ", ";
    reached += fmt::format("{} {:.1f} %", kAxisNames[d], part);
    if (part >= kEnoughMass) continue;
    const double most = 100 * r.movable[d] / r.total[d];
    shortage += fmt::format("; {} below {:.0f} %", kAxisNames[d], kEnoughMass);
    if (most < kEnoughMass) {
      shortage += fmt::format(" and cannot get there: only {:.0f} % can move", most);
    } else if (r.enough[d] > 0) {
      shortage += fmt::format(": about {} more modes needed (modes = {})",
                              r.enough[d] - static_cast<int>(r.modes.size()), r.enough[d]);
    } else if (static_cast<int>(d) == model.vertical) {
      shortage += ", which needs the many modes of girders";
    } else {
      shortage +=
          fmt::format(": many more modes needed (until = {{ {} = 90 }} takes as many as that is)",
                      kAxisNames[d]);
    }
  }
  return reached + shortage;
}

/// The hand formula beside the mode that moves most mass in its direction.
std::string hand_words(const ModalResult& r, int width) {
  std::string words;
  for (std::size_t d = 0; d < 3; ++d) {
    if (!r.by_hand[d]) continue;
    const VibrationMode* main = nullptr;
    for (const VibrationMode& m : r.modes) {
      if (main == nullptr || m.mass[d].value_or(0) > main->mass[d].value_or(0)) main = &m;
    }
    if (main == nullptr || main->mass[d].value_or(0) < r.total[d] / 2) continue;
    words += fmt::format("{} along {} {:.4g} s (mode {}: {:.4g})", words.empty() ? "" : ",",
                         kAxisNames[d], 2 * M_PI / *r.by_hand[d], main->number, main->period());
  }
  if (words.empty()) return {};
  return wrapped("   Rayleigh estimate, from the deflection under the weight acting" + words, width,
                 3) +
         '\n';
}

/// The modes that are shown: the first, and those that carry mass, or the first dozen.
std::vector<std::size_t> shown_modes(const ModalResult& r, bool full) {
  constexpr std::size_t kMostShown = 6;
  constexpr double kCarries = 0.05;
  std::vector<std::size_t> all;
  for (std::size_t i = 0; i < r.modes.size(); ++i) {
    bool carries = i == 0;
    for (std::size_t d = 0; d < 3; ++d) {
      const double mass = r.modes[i].mass[d].value_or(0);
      carries = carries || (r.total[d] > 0 && mass > kCarries * r.total[d]);
    }
    if (full ? all.size() < kMostModes : carries && all.size() < kMostShown) all.push_back(i);
  }
  return all;
}

std::string modal_step(const Step& step, const Model& model, const UnitSystem& units, int width,
                       bool full) {
  const ModalResult& r = *step.modal;
  TextTable table({Align::left, Align::right, Align::right, Align::right, Align::right,
                   Align::right, Align::right, Align::left});
  const std::string about = step.loads.name.empty()
                                ? step.analysis
                                : fmt::format("{}, about {}", step.analysis, step.loads.name);
  table.add({about, "period s", "f Hz", "omega rad/s", "x %", "y %", "z %", "most at"});
  const std::vector<std::size_t> shown = shown_modes(r, full);
  for (const std::size_t i : shown) {
    const VibrationMode& m = r.modes[i];
    std::string where = m.shape.furthest.valid() ? model.nodes[m.shape.furthest].name : "";
    if (m.shape.furthest.valid()) {
      where += fmt::format(" {}", kDisplacementNames[static_cast<std::size_t>(m.shape.direction)]);
    }
    if (m.shape.only_rotations) where = "rotations only";
    where += equal_words(m.equal);
    table.add({fmt::format("  {}", m.number), m.omega > 0 ? significant(m.period()) : "rigid",
               significant(m.frequency()), significant(m.omega), per_cent(m.mass[0], r.total[0]),
               per_cent(m.mass[1], r.total[1]), per_cent(m.mass[2], r.total[2]), where});
  }
  std::string text = '\n' + table.print();
  const auto add = [&](const std::string& words) {
    text += wrapped("   " + words, width, 3) + '\n';
  };
  if (r.modes.size() > shown.size()) {
    add(fmt::format("... {} more{}: ulterix table RESULTS frequencies",
                    r.modes.size() - shown.size(),
                    full ? "" : " with less than 5 % of the mass in every direction"));
  }
  double error = 0;
  for (const VibrationMode& m : r.modes) error = std::max(error, m.error);
  add(fmt::format("{}; discretisation error <= {:.2g} %",
                  certificate_words(r.modes.size(), r.certificate,
                                    fmt::format("{:.4g} Hz", r.certificate.below / (2 * M_PI))),
                  100 * error));
  add(fmt::format("mass {} {}; {}",
                  in_units(units, Quantity::mass, r.total[0] > 0 ? r.total[0] : r.total[2]),
                  units.label(Quantity::mass), participation_words(model, r)));
  if (model.mass.lumped) {
    std::string words = "mass lumped at the joints";
    if (r.lumped_against_consistent) {
      const double part = 100 * *r.lumped_against_consistent;
      words += fmt::format(": mode 1 is {:.2g} % {} that of mass along the members", std::abs(part),
                           part < 0 ? "below" : "above");
    }
    add(words);
  }
  text += hand_words(r, width);
  text += gain_words(r.gains, model, " Hz", width, 3);
  for (const std::string& remark : r.remarks) add(remark);
  return text;
}

}  // namespace

std::string closest_to_buckling(const RunResult& result) {
  if (const Step* worst = worst_buckling(result, "")) {
    const BucklingMode& mode = worst->buckling->modes.front();
    std::string words =
        fmt::format("Lowest buckling factor {} ({}, {}, most at {}); {}.",
                    factor_text(worst->buckling->lowest()), worst->loads.name, mode.kind,
                    place_of(*result.model, mode), what_it_means(worst->buckling->lowest()));
    words += beyond_yield(*result.model, mode);
    // Torsion of one member never hides how the frame itself buckles.
    if (!mode.kind.starts_with("torsional")) return words;
    for (const BucklingMode& other : worst->buckling->modes) {
      if (other.kind.starts_with("torsional")) continue;
      return words + fmt::format(" Lowest factor without torsion {} ({}, most at {}).",
                                 factor_text(other.factor), other.kind,
                                 place_of(*result.model, other));
    }
    return words;
  }
  const Step* worst = nullptr;
  for (const Step& step : result.steps) {
    if (!step.reserve) continue;
    if (worst == nullptr || clearly_lower(*step.reserve, *worst->reserve)) worst = &step;
  }
  if (worst == nullptr) return {};
  return fmt::format("Lowest buckling factor {} ({}); {}.", factor_text(*worst->reserve),
                     worst->loads.name, what_it_means(*worst->reserve));
}

std::string buckling_digest(const RunResult& result, const UnitSystem& units, int width,
                            bool full) {
  std::string text;
  for (const std::string& analysis : result.analyses()) {
    text += buckling_analysis(result, analysis, units, width, full);
  }
  return text;
}

std::string modal_digest(const RunResult& result, const UnitSystem& units, int width, bool full) {
  std::string text;
  for (const Step& step : result.steps) {
    if (step.modal) text += modal_step(step, *result.model, units, width, full);
  }
  return text;
}

}  // namespace ulterix
