#include "app/mode_pairs.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "app/text.hpp"
#include "read/model_file.hpp"

namespace ulterix {

namespace {

/// Shapes less alike than this are not called the same mode.
constexpr double kAlike = 0.5;

StoredMode& mode_of(ModeSet& set, int number) {
  for (StoredMode& m : set.modes) {
    if (m.number == number) return m;
  }
  set.modes.emplace_back();
  set.modes.back().number = number;
  return set.modes.back();
}

ModeSet& set_of(std::vector<ModeSet>& sets, const std::vector<Cell>& row) {
  for (ModeSet& s : sets) {
    if (s.analysis == text_in(row[0]) && s.loads == text_in(row[1])) return s;
  }
  sets.push_back({text_in(row[0]), text_in(row[1]), false, {}});
  return sets.back();
}

/// Displacements along the members, weighted by their length between stations, or in vibration by
/// mass: `line_mass` of each member.
void add_axes(const Results& results, const std::unordered_map<std::string, double>& line_mass,
              std::vector<ModeSet>& sets) {
  const StoredTable axes = results.table("mode_axes");
  const auto same_axis = [](const std::vector<Cell>& a, const std::vector<Cell>& b) {
    return std::equal(a.begin(), a.begin() + 5, b.begin());
  };
  for (std::size_t first = 0, next = 0; first < axes.rows.size(); first = next) {
    const auto& row = axes.rows[first];
    for (next = first + 1; next < axes.rows.size() && same_axis(row, axes.rows[next]);) ++next;
    if (number_in(row[4]) < 0) continue;
    ModeSet& set = set_of(sets, row);
    StoredMode& mode = mode_of(set, static_cast<int>(number_in(row[4])));
    const std::string name = text_in(row[3]);
    const double length = number_in(axes.rows[next - 1][5]);
    const auto known = line_mass.find(name);
    const double each = length / double(std::max<std::size_t>(next - first - 1, 1)) *
                        (set.buckling || known == line_mass.end() ? 1 : known->second);
    for (std::size_t i = first; i < next; ++i) {
      StoredMode::Place place;
      for (int d = 0; d < 3; ++d) {
        place.u[d] = number_in(axes.rows[i][static_cast<std::size_t>(6 + d)]);
      }
      // Trapezoids: half a station's share at each end.
      place.weight = i == first || i + 1 == next ? each / 2 : each;
      mode.places[fmt::format("{} {}", name, i - first)] = place;
    }
  }
}

std::string label(const ModeSet& set) {
  return set.loads.empty() ? set.analysis : fmt::format("{}, {}", set.analysis, set.loads);
}

/// Nodes count with the mass on them in vibration, where members are known along their axes, and
/// not at all in buckling then.
void weigh(const Results& results, std::vector<ModeSet>& sets) {
  std::unordered_map<std::string, double> line_mass, nodal;
  const ModelFile& file = results.model();
  const Model& model = file.model;
  for (const Member& m : model.members) {
    line_mass[m.name] = model.mass.self ? model.materials[m.material].density *
                                              model.sections[m.section].properties.A
                                        : 0;
  }
  for (const NodalMass& m : model.mass.nodes) {
    nodal[model.nodes[m.node].name] += m.mass.maxCoeff();
  }
  double sum = 0;
  for (const auto& [name, kg] : line_mass) sum += kg;
  for (const auto& [name, kg] : nodal) sum += kg;
  const bool known = sum > 0;
  std::vector<ModeSet> along = sets;
  for (ModeSet& set : along) {
    for (StoredMode& m : set.modes) m.places.clear();
  }
  add_axes(results, known ? line_mass : std::unordered_map<std::string, double>(), along);
  for (std::size_t s = 0; s < sets.size() && s < along.size(); ++s) {
    for (std::size_t k = 0; k < sets[s].modes.size() && k < along[s].modes.size(); ++k) {
      StoredMode& mode = sets[s].modes[k];
      if (along[s].modes[k].places.empty()) continue;
      for (auto& [name, place] : mode.places) {
        const auto own = nodal.find(name);
        place.weight = !sets[s].buckling && known && own != nodal.end() ? own->second : 0;
      }
      mode.places.merge(along[s].modes[k].places);
    }
  }
}

}  // namespace

std::vector<ModeSet> mode_sets(const Results& results) {
  std::vector<ModeSet> sets;
  const StoredTable buckling = results.table("buckling");
  const std::size_t kind = buckling.column("kind");
  for (const auto& row : buckling.rows) {
    if (number_in(row[3]) < 0) continue;
    ModeSet& set = set_of(sets, row);
    set.buckling = true;
    StoredMode& mode = mode_of(set, static_cast<int>(number_in(row[3])));
    mode.value = number_in(row[4]);
    mode.words = text_in(row[kind]);
  }
  const StoredTable frequencies = results.table("frequencies");
  const std::size_t period = frequencies.column("period");
  for (const auto& row : frequencies.rows) {
    mode_of(set_of(sets, row), static_cast<int>(number_in(row[3]))).value = number_in(row[period]);
  }
  for (const auto& row : results.table("mode_shapes").rows) {
    if (number_in(row[3]) < 0) continue;
    StoredMode& mode = mode_of(set_of(sets, row), static_cast<int>(number_in(row[3])));
    mode.places[text_in(row[4])] = {{number_in(row[5]), number_in(row[6]), number_in(row[7])}, 1};
  }
  weigh(results, sets);
  return sets;
}

double assurance(const StoredMode& a, const StoredMode& b) {
  double ab = 0, aa = 0, bb = 0;
  for (const auto& [name, place] : b.places) {
    const auto found = a.places.find(name);
    if (found == a.places.end()) continue;
    ab += place.weight * place.u.dot(found->second.u);
    aa += place.weight * found->second.u.squaredNorm();
    bb += place.weight * place.u.squaredNorm();
  }
  return aa > 0 && bb > 0 ? ab * ab / (aa * bb) : 0;
}

std::vector<ModePair> pair_modes(const ModeSet& before, const ModeSet& after) {
  struct Candidate {
    double mac;
    std::size_t a, b;
  };
  std::vector<Candidate> all;
  for (std::size_t b = 0; b < after.modes.size(); ++b) {
    for (std::size_t a = 0; a < before.modes.size(); ++a) {
      const double mac = assurance(before.modes[a], after.modes[b]);
      if (mac >= kAlike) all.push_back({mac, a, b});
    }
  }
  std::stable_sort(all.begin(), all.end(),
                   [](const Candidate& x, const Candidate& y) { return x.mac > y.mac; });
  std::vector<ModePair> pairs(after.modes.size());
  for (std::size_t b = 0; b < pairs.size(); ++b) pairs[b].after = &after.modes[b];
  std::vector<bool> used(before.modes.size(), false);
  for (const Candidate& c : all) {
    if (used[c.a] || pairs[c.b].before != nullptr) continue;
    used[c.a] = true;
    pairs[c.b].before = &before.modes[c.a];
    pairs[c.b].mac = c.mac;
  }
  for (std::size_t a = 0; a < used.size(); ++a) {
    if (!used[a]) pairs.push_back({&before.modes[a], nullptr, 0});
  }
  return pairs;
}

std::string pairs_text(const ModeSet& before, const ModeSet& after) {
  const std::string what = after.buckling ? "factor" : "period s";
  const std::string name = label(before) == label(after)
                               ? label(after)
                               : fmt::format("{} -> {}", label(before), label(after));
  TextTable table({Align::left, Align::right, Align::right, Align::right, Align::right,
                   Align::right, Align::left});
  table.add({"modes of " + name, "was mode", what, "now", "ratio", "MAC", ""});
  for (const ModePair& p : pair_modes(before, after)) {
    if (p.after == nullptr) {
      table.add(
          {"  -", fmt::format("{}", p.before->number), significant(p.before->value), "-", "-", "-",
           p.before->words + (p.before->words.empty() ? "" : ", ") + "no matching mode after"});
      continue;
    }
    if (p.before == nullptr) {
      table.add(
          {fmt::format("  {}", p.after->number), "-", "-", significant(p.after->value), "-", "-",
           p.after->words + (p.after->words.empty() ? "" : ", ") + "no matching mode before"});
      continue;
    }
    table.add({fmt::format("  {}", p.after->number), fmt::format("{}", p.before->number),
               significant(p.before->value), significant(p.after->value),
               p.before->value > 0 ? fmt::format("{:.3f}", p.after->value / p.before->value) : "-",
               fmt::format("{:.3f}", p.mac), p.after->words});
  }
  return table.print() + "\n";
}

}  // namespace ulterix
