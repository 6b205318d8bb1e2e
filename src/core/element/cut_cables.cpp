#include "core/element/cut_cables.hpp"

#include <fmt/format.h>

#include "core/element/catenary.hpp"

namespace ulterix {

namespace {

double stiffness_along(const Model& model, const Member& m) {
  const Section& section = model.sections[m.section];
  return model.materials[m.material].E * section.properties.A * section.stiffness.A;
}

std::string too_light(const std::string& load_case) {
  return fmt::format(
      "its own weight makes a larger force along the chord than {} preload, whatever its length: "
      "give a cut_length",
      load_case.empty() ? "this" : "that of " + load_case);
}

void find_weights(Model& model) {
  for (const LoadCase& c : model.cases) {
    for (const SelfWeight& w : c.self_weight) {
      if (w.factor != 0) model.members[w.member].weighs = true;
    }
  }
}

/// What preloads of load cases make of the length without force.
void shorten_by_preloads(Model& model, std::vector<CableTrouble>& troubles) {
  for (LoadCase& c : model.cases) {
    for (MemberStrain& s : c.strains) {
      const Member& m = model.members[s.member];
      if (m.kind != MemberKind::cable || s.preload == 0) continue;
      const Vector3d chord = model.nodes[m.end].position - model.nodes[m.start].position;
      const Vector3d load = m.weighs ? model.weight(s.member) : Vector3d::Zero();
      const auto length = length_for_force(s.preload, stiffness_along(model, m), load, chord);
      if (length) {
        s.cable_strain = *length / m.cut_length - 1;
      } else {
        troubles.push_back({s.member, too_light(c.name)});
      }
    }
  }
}

}  // namespace

std::vector<CableTrouble> cut_cables(Model& model) {
  std::vector<CableTrouble> troubles;
  if (!model.has_cables()) return troubles;
  find_weights(model);
  for (const MemberId id : model.members.ids()) {
    Member& m = model.members[id];
    if (m.kind != MemberKind::cable) continue;
    const Vector3d chord = model.nodes[m.end].position - model.nodes[m.start].position;
    const Vector3d load = m.weighs ? model.weight(id) : Vector3d::Zero();
    const double EA = stiffness_along(model, m);
    if (m.preload > 0 && m.cut_length == 0) {
      const auto length = length_for_force(m.preload, EA, load, chord);
      if (length) {
        m.cut_length = *length;
        m.cut_in_place = true;
      } else {
        troubles.push_back({id, too_light("")});
      }
      continue;
    }
    if (m.cut_length == 0) {
      m.cut_length = chord.norm() + m.slack;
      m.cut_in_place = true;
    }
    const Catenary cable(m.cut_length, EA, load, chord);
    m.preload = cable.chord_force();
    if (!cable.found()) troubles.push_back({id, "its shape at the drawn ends was not found"});
  }
  if (troubles.empty()) shorten_by_preloads(model, troubles);
  return troubles;
}

}  // namespace ulterix
