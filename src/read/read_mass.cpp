// Mass: own, of loads, of nodes.
#include <array>

#include "read/name_matching.hpp"
#include "read/reading.hpp"

namespace ulterix {

namespace {

void read_from_loads(Reading& r, const Value& table) {
  if (!r.is_table(table, "mass: from_loads")) return;
  for (const Entry& entry : table.entries) {
    const auto factor = r.quantity(entry.value, Quantity::number, "mass: from_loads");
    const auto found = r.cases.find(entry.key);
    if (found == r.cases.end()) {
      if (r.is_refused(entry.key)) continue;
      std::vector<std::string> names;
      for (const LoadCase& c : r.model.cases) names.push_back(c.name);
      r.complain(entry.at, "mass: no load case named \"{}\"{}", entry.key,
                 did_you_mean(entry.key, names));
      continue;
    }
    if (!factor) continue;
    if (*factor < 0) r.complain(entry.at, "mass: a negative factor would take mass away");
    if (r.model.mass.self && !r.model.cases[found->second].self_weight.empty()) {
      r.complain(entry.at,
                 "mass: {} has self_weight, and self = true counts own weight already: take one "
                 "of them away",
                 entry.key);
    }
    r.model.mass.from_loads.emplace_back(found->second, *factor);
  }
}

/// A number for every direction, or three.
std::optional<Vector3d> read_vector(Reading& r, const Value& v, Quantity q,
                                    const std::string& who) {
  if (!v.is_array()) {
    const auto one = r.quantity(v, q, who);
    if (!one) return std::nullopt;
    return Vector3d::Constant(*one);
  }
  if (v.items.size() != 3) {
    r.complain(v.at, "{}: one number, or three for x, y, z", who);
    return std::nullopt;
  }
  Vector3d all;
  for (std::size_t i = 0; i < 3; ++i) {
    const auto one = r.quantity(v.items[i], q, who);
    if (!one) return std::nullopt;
    all[static_cast<Eigen::Index>(i)] = *one;
  }
  return all;
}

void read_nodal_mass(Reading& r, const Entry& entry) {
  const std::string who = "mass: node " + entry.key;
  const Value& t = entry.value;
  if (!r.is_table(t, who) || !r.check_keys(t, "nodal-mass", who)) return;
  const Value *m = t.find("m"), *w = t.find("w");
  if ((m == nullptr) == (w == nullptr)) {
    return r.complain(t.at, "{}: expected m (mass) or w (weight), one of them", who);
  }
  auto mass = m != nullptr ? read_vector(r, *m, Quantity::mass, who + ": m")
                           : read_vector(r, *w, Quantity::force, who + ": w");
  if (!mass) return;
  if (w != nullptr) *mass /= r.model.gravity;
  if (mass->minCoeff() < 0) return r.complain(t.at, "{}: mass is not negative", who);
  for (const NodeId n : r.select_nodes(entry.key, entry.at, who)) {
    r.model.mass.nodes.push_back({n, *mass});
  }
}

void read_directions(Reading& r, const Value& v) {
  r.model.mass.directions = {false, false, false};
  for (const auto& [name, at] : r.selection_texts(v, "mass: directions")) {
    const auto found = std::find(kAxisNames.begin(), kAxisNames.end(), name);
    if (found == kAxisNames.end()) {
      r.complain(at, "mass: directions are x, y and z, not \"{}\"", name);
      continue;
    }
    r.model.mass.directions[static_cast<std::size_t>(found - kAxisNames.begin())] = true;
  }
}

}  // namespace

void read_mass(Reading& r, const Value* table) {
  if (table == nullptr || !r.is_table(*table, "mass") || !r.check_keys(*table, "mass", "mass")) {
    return;
  }
  MassSpec& mass = r.model.mass;
  if (const Value* v = table->find("self")) mass.self = r.flag(*v, "mass: self").value_or(true);
  if (const Value* v = table->find("rotary")) {
    mass.rotary = r.flag(*v, "mass: rotary").value_or(false);
  }
  if (const Value* v = table->find("form")) {
    const auto form = r.text(*v, "mass: form");
    if (form && *form != "consistent" && *form != "lumped") {
      r.complain(v->at, "mass: form is consistent or lumped, not \"{}\"", *form);
    }
    mass.lumped = form && *form == "lumped";
  }
  if (const Value* v = table->find("directions")) read_directions(r, *v);
  if (const Value* v = table->find("from_loads")) read_from_loads(r, *v);
  if (const Value* v = table->find("nodes")) {
    if (r.is_table(*v, "mass: nodes")) {
      for (const Entry& entry : v->entries) read_nodal_mass(r, entry);
    }
  }
}

}  // namespace ulterix
