// Load cases and combinations.
#include <algorithm>
#include <array>
#include <cmath>

#include "read/name_matching.hpp"
#include "read/reading.hpp"

namespace ulterix {

namespace {

constexpr std::array<std::string_view, 6> kLineLoadNames = {"qx", "qy", "qz", "mqx", "mqy", "mqz"};
constexpr std::array<std::string_view, 3> kReserved = {"first-order", "notional", "generate"};

bool out_of_plane(const Model& model, int direction) {
  return model.plane != Plane::space && !model.uses_direction(direction);
}

std::optional<Vector6d> read_force(Reading& r, const Value& t, const std::string& who,
                                   bool global) {
  Vector6d force = Vector6d::Zero();
  bool any = false;
  for (int d = 0; d < 6; ++d) {
    const Quantity q = d < 3 ? Quantity::force : Quantity::moment;
    const auto v = r.quantity(t, kForceNames[d], q, who);
    any = any || t.find(kForceNames[d]) != nullptr;  // one that is refused has its own complaint
    if (!v) continue;
    force[d] = *v;
    if (global && out_of_plane(r.model, d) && *v != 0) {
      r.complain(t.find(kForceNames[d])->at, "{}: {} acts out of the plane of the frame", who,
                 kForceNames[d]);
    }
  }
  if (!any) return std::nullopt;
  return force;
}

void read_nodal_load(Reading& r, const Value& t, const std::string& who, LoadCase& load_case) {
  if (!r.is_table(t, who) || !r.check_keys(t, "nodal-load", who)) return;
  const Value* on = t.find("on");
  if (on == nullptr) return r.complain(t.at, "{}: on is missing", who);
  const auto force = read_force(r, t, who, true);
  if (!force) return r.complain(t.at, "{}: no force or moment given", who);
  for (const NodeId id : r.select_nodes(*on, who)) {
    load_case.nodal.push_back({id, *force, t.at.line});
  }
}

/// A place along a member of length L: a fraction, or text with a unit.
std::optional<double> read_along(Reading& r, const Value& v, double L, const std::string& who,
                                 std::string_view key, const std::string& member) {
  double x = 0;
  if (v.is_number()) {
    if (v.number < 0 || v.number > 1) {
      r.complain(v.at,
                 "{}: {} = {} is a fraction of the length, so it lies between 0 and 1; a "
                 "distance needs its unit: \"{} m\"",
                 who, key, v.number, v.number);
      return std::nullopt;
    }
    x = v.number * L;
  } else {
    const auto length = r.quantity(v, Quantity::length, fmt::format("{}: {}", who, key));
    if (!length) return std::nullopt;
    x = *length;
    if (x < 0 || x > L * (1 + 1e-9)) {
      r.complain(v.at, "{}: {} lies beyond the end of {}, which is {:.4g} {} long", who, key,
                 member, r.units.from_si(Quantity::length, L), r.units.label(Quantity::length));
      return std::nullopt;
    }
  }
  return std::min(x, L);
}

struct LineLoad {
  Vector6d at_from = Vector6d::Zero(), at_to = Vector6d::Zero();
  bool any = false;
};

LineLoad read_line_load(Reading& r, const Value& t, const std::string& who) {
  LineLoad load;
  for (int d = 0; d < 6; ++d) {
    const Value* v = t.find(kLineLoadNames[d]);
    if (v == nullptr) continue;
    const Quantity q = d < 3 ? Quantity::force_per_length : Quantity::moment_per_length;
    const std::string place = fmt::format("{}: {}", who, kLineLoadNames[d]);
    load.any = true;
    if (v->is_array()) {
      if (v->items.size() != 2) {
        r.complain(v->at, "{}: expected a number or [at from, at to]", place);
        continue;
      }
      load.at_from[d] = r.quantity(v->items[0], q, place).value_or(0);
      load.at_to[d] = r.quantity(v->items[1], q, place).value_or(0);
    } else {
      load.at_from[d] = load.at_to[d] = r.quantity(*v, q, place).value_or(0);
    }
  }
  return load;
}

/// The axial kinds take no moments, a cable no load on a part of it, and a plane frame no load out
/// of its plane.
void check_member_load(Reading& r, const Value& t, const std::string& who, MemberId id,
                       const Vector6d& a, const Vector6d& b, LoadAxes axes, bool part) {
  const Member& m = r.model.members[id];
  const bool moments = !a.tail<3>().isZero(0) || !b.tail<3>().isZero(0);
  if (m.kind != MemberKind::frame && moments) {
    r.complain(t.at, "{}: {} is axial and takes no moments", who, m.name);
  }
  if (m.kind == MemberKind::cable && (part || a != b)) {
    r.complain(t.at,
               "{}: {} is a cable, which takes uniform loads over all of its length; for a load at "
               "a place put a node there",
               who, m.name);
  }
  if (axes == LoadAxes::local) return;
  for (int d = 0; d < 6; ++d) {
    if (!out_of_plane(r.model, d) || (a[d] == 0 && b[d] == 0)) continue;
    r.complain(t.at, "{}: a load along or about {} acts out of the plane of the frame", who,
               kAxisNames[d % 3]);
    return;
  }
}

void read_member_load(Reading& r, const Value& t, const std::string& who, LoadCase& load_case) {
  if (!r.is_table(t, who) || !r.check_keys(t, "member-load", who)) return;
  const Value* on = t.find("on");
  if (on == nullptr) return r.complain(t.at, "{}: on is missing", who);
  LoadAxes axes = LoadAxes::global;
  if (const Value* v = t.find("axes")) {
    const auto word = r.text(*v, who + ": axes");
    const auto found = word ? value_of(kLoadAxes, *word) : std::nullopt;
    if (word && !found) {
      r.complain(v->at, "{}: axes are global, local or projected, not \"{}\"", who, *word);
    }
    if (found) axes = *found;
  }
  const LineLoad line = read_line_load(r, t, who);
  const auto force = read_force(r, t, who, false);
  const Value *at = t.find("at"), *over = t.find("over");
  const bool strained = read_member_strain(r, t, who, load_case);
  if (!line.any && !force && strained) {
    for (const Value* place : {at, over}) {
      if (place != nullptr) r.complain(place->at, "{}: strains act along all of a member", who);
    }
    return;
  }
  if (!line.any && !force) return r.complain(t.at, "{}: no load given", who);
  if (force && at == nullptr) return r.complain(t.at, "{}: a point load needs at", who);
  if (!force && at != nullptr) return r.complain(at->at, "{}: at without a point load fx..mz", who);
  if (over != nullptr && (!over->is_array() || over->items.size() != 2)) {
    return r.complain(over->at, "{}: over is [from, to]", who);
  }
  for (const MemberId id : r.select_members(*on, who)) {
    const double L = r.model.length(id);
    const std::string& name = r.model.members[id].name;
    if (line.any) {
      DistributedLoad d{id, line.at_from, line.at_to, 0, L, axes};
      if (over != nullptr) {
        const auto from = read_along(r, over->items[0], L, who, "over", name);
        const auto to = read_along(r, over->items[1], L, who, "over", name);
        if (!from || !to) return;
        if (*from >= *to) return r.complain(over->at, "{}: over runs backwards", who);
        d.from = *from;
        d.to = *to;
      }
      check_member_load(r, t, who, id, d.at_from, d.at_to, axes, over != nullptr);
      load_case.distributed.push_back(d);
    }
    if (force) {
      const auto x = read_along(r, *at, L, who, "at", name);
      if (!x) return;
      check_member_load(r, t, who, id, *force, *force, axes, true);
      load_case.points.push_back({id, *force, *x, axes});
    }
  }
}

void read_self_weight(Reading& r, const Value& v, const std::string& who, LoadCase& load_case) {
  const auto check_density = [&](MemberId id) {
    const Member& m = r.model.members[id];
    return r.model.materials[m.material].density > 0;
  };
  bool any_weight = false;
  if (v.is_table()) {
    for (const Entry& entry : v.entries) {
      const auto factor = r.quantity(entry.value, Quantity::number, who + ": self_weight");
      if (!factor) continue;
      for (const MemberId id : r.select_members(entry.key, entry.at, who + ": self_weight")) {
        load_case.self_weight.push_back({id, *factor});
        any_weight = any_weight || check_density(id);
      }
    }
  } else if (const auto factor = r.quantity(v, Quantity::number, who + ": self_weight")) {
    if (*factor == 0) return;
    for (const MemberId id : r.model.members.ids()) {
      load_case.self_weight.push_back({id, *factor});
      any_weight = any_weight || check_density(id);
    }
  }
  if (!any_weight) {
    r.complain(v.at, "{}: self_weight, but no material of these members has a density or weight",
               who);
  }
}

void read_case(Reading& r, const Entry& entry) {
  const std::string who = "load " + entry.key;
  for (const std::string_view reserved : kReserved) {
    if (entry.key == reserved) return r.complain(entry.at, "{}: the name is reserved", who);
  }
  const Value& t = entry.value;
  if (!r.is_table(t, who) || !r.check_keys(t, "load", who)) return;
  LoadCase load_case;
  load_case.name = entry.key;
  load_case.line = entry.at.line;
  if (const Value* action = t.find("action")) {
    const auto word = r.text(*action, who + ": action");
    const auto value = word ? value_of(kActions, *word) : std::nullopt;
    if (word && !value) {
      std::vector<std::string> names;
      for (const auto& a : kActions) names.emplace_back(a.text);
      r.complain(action->at, "{}: no action \"{}\"{}", who, *word, did_you_mean(*word, names));
    }
    if (value) load_case.action = *value;
  }
  if (const Value* w = t.find("self_weight")) read_self_weight(r, *w, who, load_case);
  const auto each = [&](std::string_view key, auto read) {
    const Value* list = t.find(key);
    if (list == nullptr) return;
    if (!list->is_array()) return r.complain(list->at, "{}: {} is a list of tables", who, key);
    for (const Value& item : list->items) read(r, item, who, load_case);
  };
  each("nodes", read_nodal_load);
  each("members", read_member_load);
  each("settle", read_settlement);
  const bool empty = load_case.nodal.empty() && load_case.distributed.empty() &&
                     load_case.points.empty() && load_case.self_weight.empty() &&
                     load_case.strains.empty() && load_case.ground.empty();
  if (empty && r.file.good()) r.warn(entry.at, "{}: the case is empty", who);
  r.cases[entry.key] = r.model.cases.push_back(std::move(load_case));
}

void read_notional(Reading& r, const Value& v, const std::string& who, LoadSet& set) {
  if (!r.is_table(v, who + ": notional") || !r.check_keys(v, "notional", who + ": notional"))
    return;
  set.notional_x = r.quantity(v, "x", Quantity::number, who + ": notional").value_or(0);
  set.notional_y = r.quantity(v, "y", Quantity::number, who + ": notional").value_or(0);
  if (set.notional_y != 0 && r.model.plane != Plane::space) {
    r.complain(v.at, "{}: notional y acts out of the plane of the frame", who);
  }
}

/// The factors of one case: one number, or a list that writes one combination each.
std::vector<double> read_factors(Reading& r, const Entry& term, const std::string& who) {
  std::vector<double> factors;
  const std::string place = who + ": " + term.key;
  if (term.value.is_array()) {
    for (const Value& item : term.value.items) {
      if (const auto f = r.quantity(item, Quantity::number, place)) factors.push_back(*f);
    }
  } else if (const auto f = r.quantity(term.value, Quantity::number, place)) {
    factors.push_back(*f);
  }
  return factors;
}

void read_combination(Reading& r, const Entry& entry) {
  const std::string who = "combination " + entry.key;
  if (entry.key == "generate" || entry.key == "equation") {
    return r.complain(entry.at, "combinations: {} is not supported yet", entry.key);
  }
  if (r.cases.contains(entry.key)) {
    return r.complain(entry.at, "{}: a load case has this name", who);
  }
  if (!r.is_table(entry.value, who)) return;
  std::vector<LoadSet> sets(1);
  sets[0].name = entry.key;
  sets[0].combination = true;
  sets[0].line = entry.at.line;
  for (const Entry& term : entry.value.entries) {
    if (term.key == "notional") {
      for (LoadSet& set : sets) read_notional(r, term.value, who, set);
      continue;
    }
    const auto load_case = r.load_case(term.key, term.at, who);
    if (!load_case) continue;
    const std::vector<double> factors = read_factors(r, term, who);
    std::vector<LoadSet> expanded;
    for (const LoadSet& set : sets) {
      for (const double f : factors) {
        expanded.push_back(set);
        expanded.back().terms.emplace_back(*load_case, f);
      }
    }
    sets = expanded;
  }
  for (std::size_t i = 0; i < sets.size(); ++i) {
    if (sets.size() > 1) sets[i].name += fmt::format(".{}", i + 1);
    r.model.combinations.push_back(sets[i]);
  }
}

}  // namespace

void read_loads(Reading& r, const Value& table) {
  if (!r.is_table(table, "loads")) return;
  for (const Entry& entry : table.entries) {
    read_case(r, entry);
    if (!r.cases.contains(entry.key)) r.refused.insert(entry.key);
  }
}

void read_combinations(Reading& r, const Value& table) {
  if (!r.is_table(table, "combinations")) return;
  for (const Entry& entry : table.entries) read_combination(r, entry);
}

}  // namespace ulterix
