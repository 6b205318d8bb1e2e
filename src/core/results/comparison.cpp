#include "core/results/comparison.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/parallel.hpp"

namespace ulterix {

namespace {

/// First-order values below this fraction of the largest of their kind give no ratio.
constexpr double kNoRatio = 1e-9;

std::optional<double> ratio(double first, double value, double largest) {
  if (std::abs(first) < kNoRatio * largest || first == 0) return std::nullopt;
  return value / first;
}

/// The largest value of a place's kind in a step: what a watched one may be rounding beside.
double largest_like(const Step& step, const Place& place, double size) {
  const int from = place.component < 3 ? 0 : 3;
  double largest = 0;
  if (place.is_displacement()) {
    for (const NodeMotion& n : step.state.nodes) {
      largest = std::max(largest, n.vector().segment<3>(from).cwiseAbs().maxCoeff());
    }
    return largest;
  }
  double force = 0;
  for (const Vector6d& r : step.reactions) {
    force = std::max(force, r.head<3>().cwiseAbs().maxCoeff());
    largest = std::max(largest, r.segment<3>(from).cwiseAbs().maxCoeff());
  }
  return place.component < 3 ? largest : std::max(largest, 1e-3 * force * size);
}

void add_watches(const Recovery& first, const Recovery& step, std::vector<ComparisonRow>& rows) {
  const double size = step.frame().model().size();
  for (const Watch& watch : step.frame().model().watches) {
    ComparisonRow row;
    row.kind = ComparisonRow::Kind::watched;
    row.component = watch.place.component;
    row.is_displacement = watch.place.is_displacement();
    row.name = watch.name;
    row.where = watch.place.text;
    row.first_order = value_at(first, watch.place).value_or(0);
    const auto value = value_at(step, watch.place);
    row.value = value.value_or(0);
    row.absent = !value;
    row.ratio = ratio(row.first_order, row.value,
                      std::max(std::abs(row.value), largest_like(first.step(), watch.place, size)));
    rows.push_back(row);
  }
}

void add_displacements(const Recovery& first, const Recovery& step,
                       std::vector<ComparisonRow>& rows) {
  const Model& model = step.frame().model();
  double largest = 0;
  for (const NodeMotion& n : step.step().state.nodes) {
    largest = std::max(largest, n.translation.cwiseAbs().maxCoeff());
  }
  for (int d = 0; d < 3; ++d) {
    if (!model.uses_direction(d)) continue;
    const NodeId n = furthest_node(step.step(), d);
    ComparisonRow row;
    row.kind = ComparisonRow::Kind::displacement;
    row.is_displacement = true;
    row.component = d;
    row.name = fmt::format("displacement {}", kDisplacementNames[d]);
    row.where = model.nodes[n].name;
    row.first_order = first.step().state.nodes[n].vector()[d];
    row.value = step.step().state.nodes[n].vector()[d];
    row.ratio = ratio(row.first_order, row.value, largest);
    if (row.value != 0) rows.push_back(row);
  }
}

void add_reactions(const Recovery& first, const Recovery& step, std::vector<ComparisonRow>& rows) {
  const Model& model = step.frame().model();
  std::array<double, 2> largest = {0, 0};
  for (const Vector6d& r : step.step().reactions) {
    largest[0] = std::max(largest[0], r.head<3>().cwiseAbs().maxCoeff());
    largest[1] = std::max(largest[1], r.tail<3>().cwiseAbs().maxCoeff());
  }
  for (int d = 0; d < 6; ++d) {
    NodeId best;
    double value = 0;
    for (const NodeId n : model.nodes.ids()) {
      const double r = step.step().reactions[n][d];
      if (std::abs(r) > std::abs(value) * (1 + 1e-9)) {
        value = r;
        best = n;
      }
    }
    if (!best.valid() || std::abs(value) < kNoRatio * largest[d / 3]) continue;
    ComparisonRow row;
    row.kind = ComparisonRow::Kind::reaction;
    row.component = d;
    row.name = fmt::format("reaction {}", kForceNames[d]);
    row.where = model.nodes[best].name;
    row.first_order = first.step().reactions[best][d];
    row.value = value;
    row.ratio = ratio(row.first_order, row.value, largest[d / 3]);
    rows.push_back(row);
  }
}

/// Sections in use, then groups with members, by name.
std::vector<std::pair<std::string, std::vector<MemberId>>> member_sets(const Model& model) {
  std::vector<std::pair<std::string, std::vector<MemberId>>> sets;
  for (const Section& s : model.sections) sets.emplace_back(s.name, std::vector<MemberId>());
  for (const MemberId m : model.members.ids()) {
    sets[static_cast<std::size_t>(model.members[m].section.value)].second.push_back(m);
  }
  for (const Group& g : model.groups) {
    // A group of all members of a section would only say the same again.
    const bool repeats = std::any_of(sets.begin(), sets.end(),
                                     [&g](const auto& set) { return set.second == g.members; });
    if (!repeats) sets.emplace_back("group " + g.name, g.members);
  }
  std::erase_if(sets, [](const auto& set) { return set.second.empty(); });
  return sets;
}

void add_storeys(const std::vector<StoreyRow>& storeys, std::vector<ComparisonRow>& rows) {
  double largest = 0;
  for (const StoreyRow& s : storeys) largest = std::max(largest, std::abs(s.drift));
  for (const StoreyRow& s : storeys) {
    if (std::abs(s.drift) <= kNoRatio * largest) continue;
    ComparisonRow row;
    row.kind = ComparisonRow::Kind::drift;
    row.is_displacement = true;
    row.component = s.direction;
    row.name = fmt::format("storey drift {}, {}", kAxisNames[static_cast<std::size_t>(s.direction)],
                           s.storey);
    row.where = fmt::format("storey {}", s.storey);
    row.first_order = s.first_drift;
    row.value = s.drift;
    row.ratio = ratio(s.first_drift, s.drift, largest);
    rows.push_back(row);
  }
}

void add_forces(const Recovery& first, const Recovery& step, const StepExtremes& extremes,
                std::vector<ComparisonRow>& rows) {
  const Model& model = step.frame().model();
  const std::vector<MemberId> everyone = model.members.ids();
  const double largest_N = std::abs(largest_of(extremes, {kN}, everyone).value);
  const double largest_M = std::abs(largest_of(extremes, {kMy, kMz}, everyone).value);
  for (const auto& [name, members] : member_sets(model)) {
    for (const InternalForce component : {kMy, kMz, kN}) {
      const LargestForce found = largest_of(extremes, {component}, members);
      const double largest = component == kN ? largest_N : largest_M;
      if (std::abs(found.value) <= kNoRatio * largest) continue;
      ComparisonRow row;
      row.kind = ComparisonRow::Kind::internal_force;
      row.component = component;
      row.name = fmt::format("{} {}, {}", component == kN ? "axial force" : "moment",
                             kInternalForceNames[component], name);
      row.where = model.members[found.member].name;
      row.member = found.member;
      row.x = found.x;
      row.first_order = first.line(found.member).at(found.x).forces[component];
      row.value = found.value;
      row.ratio = ratio(row.first_order, row.value, largest);
      rows.push_back(row);
    }
  }
}

}  // namespace

NodeId furthest_node(const Step& step, int direction) {
  NodeId best(0);
  double furthest = -1;
  for (int i = 0; i < step.state.nodes.size(); ++i) {
    const double u = std::abs(step.state.nodes[NodeId(i)].vector()[direction]);
    if (u > furthest * (1 + 1e-9)) {
      furthest = u;
      best = NodeId(i);
    }
  }
  return best;
}

MemberExtremes extremes_of(const MemberLine& line) {
  MemberExtremes all;
  const std::array<Extreme, 6> forces = line.extremes();
  std::copy(forces.begin(), forces.end(), all.begin());
  all[kDy] = line.displacement_extremes(Vector3d::UnitY(), true);
  all[kDz] = line.displacement_extremes(Vector3d::UnitZ(), true);
  return all;
}

namespace {

/// A moment that is only rounding beside the forces over the frame's size, m, is 0.
void clear_rounding(double size, StepExtremes& all) {
  constexpr double kRounding = 1e-13;
  double force = 0;
  for (const MemberExtremes& own : all) {
    for (std::size_t i = kN; i <= kVz; ++i) {
      force = std::max({force, std::abs(own[i].min), std::abs(own[i].max)});
    }
  }
  const double least = kRounding * force * size;
  for (MemberExtremes& own : all) {
    for (std::size_t i = kMx; i <= kMz; ++i) {
      if (std::abs(own[i].min) <= least) own[i].min = 0;
      if (std::abs(own[i].max) <= least) own[i].max = 0;
    }
  }
}

}  // namespace

StepExtremes find_extremes(const Recovery& recovery) {
  const Model& model = recovery.frame().model();
  StepExtremes all(model.members.size());
  const Situation& situation = recovery.frame().situation();
  for_each_index(model.members.size(), [&](int i) {
    const MemberId id(i);
    if (situation.present[id] != 0) all[id] = extremes_of(recovery.line(id));
  });
  clear_rounding(model.size(), all);
  return all;
}

LargestForce largest_of(const StepExtremes& all, const std::vector<InternalForce>& forces,
                        const std::vector<MemberId>& members) {
  LargestForce found;
  for (const MemberId id : members) {
    for (const InternalForce force : forces) {
      const Extreme& e = all[id][force];
      const bool low = std::abs(e.min) > std::abs(e.max);
      const double value = low ? e.min : e.max;
      if (!found.member.valid() || std::abs(value) > std::abs(found.value) * (1 + 1e-9)) {
        found = {id, low ? e.x_min : e.x_max, value};
      }
    }
  }
  return found;
}

std::vector<ComparisonRow> compare_to_first_order(const Recovery& first, const Recovery& step,
                                                  const StepExtremes& extremes,
                                                  const std::vector<StoreyRow>& storeys) {
  std::vector<ComparisonRow> rows;
  const bool whole = step.step().has_state && step.step().state.lambda == 1;
  if (!whole || !first.step().has_state) return rows;
  add_watches(first, step, rows);
  add_displacements(first, step, rows);
  add_storeys(storeys, rows);
  add_reactions(first, step, rows);
  add_forces(first, step, extremes, rows);
  return rows;
}

}  // namespace ulterix
