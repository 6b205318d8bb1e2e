#include "core/system/mechanism_words.hpp"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

namespace ulterix {

namespace {

std::vector<std::string> node_names(const Model& model, const std::vector<NodeId>& nodes) {
  std::vector<NodeId> ordered = nodes;
  std::sort(ordered.begin(), ordered.end());
  std::vector<std::string> names;
  for (const NodeId n : ordered) names.push_back(model.nodes[n].name);
  return names;
}

std::vector<std::string> member_names(const Model& model, const std::vector<MemberId>& members) {
  std::vector<std::string> names;
  for (const MemberId m : members) names.push_back(model.members[m].name);
  return names;
}

/// The one global axis along (or about) which all moves, or −1.
int common_axis(const Mechanism& m, bool rotations) {
  int axis = -1;
  for (const NodeId n : m.nodes) {
    const Vector3d& v = rotations ? m.motion[n].rotation : m.motion[n].translation;
    for (int i = 0; i < 3; ++i) {
      if (std::abs(v[i]) < 1e-5) continue;
      if (axis >= 0 && axis != i) return -1;
      axis = i;
    }
  }
  return axis;
}

bool equal_translations(const Mechanism& m) {
  const Vector3d& first = m.motion[m.nodes.front()].translation;
  return std::all_of(m.nodes.begin(), m.nodes.end(),
                     [&](NodeId n) { return (m.motion[n].translation - first).norm() < 1e-5; });
}

/// The normal of the plane that all nodes lie in, if it is a global axis; else −1.
int flat_normal(const Model& model) {
  for (int axis = 0; axis < 3; ++axis) {
    const double at = model.nodes[NodeId(0)].position[axis];
    const bool flat = std::all_of(model.nodes.begin(), model.nodes.end(), [&](const Node& n) {
      return std::abs(n.position[axis] - at) < 1e-9;
    });
    if (flat) return axis;
  }
  return -1;
}

/// "along y", or the direction of the furthest node in numbers.
std::string translation_words(const Model& model, const Mechanism& m) {
  const int axis = common_axis(m, false);
  if (axis >= 0) {
    std::string words = fmt::format("along {}", kAxisNames[axis]);
    if (m.nodes.size() > 1 && equal_translations(m)) words += " together";
    if (m.nodes.size() > 1 && !equal_translations(m)) {
      words += fmt::format(", most at {}", model.nodes[m.nodes.front()].name);
    }
    return words;
  }
  const NodeId far = m.nodes.front();
  std::string words;
  for (int i = 0; i < 3; ++i) {
    const double v = m.motion[far].translation[i];
    if (std::abs(v) > 1e-5) words += fmt::format(" {} {:+.2f}", kDisplacementNames[i], v);
  }
  return fmt::format("({} by{})", model.nodes[far].name, words);
}

std::string rotation_words(const Mechanism& m) {
  const int axis = common_axis(m, true);
  if (axis >= 0) return fmt::format("about {}", kAxisNames[axis]);
  const Vector3d a = m.motion[m.nodes.front()].rotation.normalized();
  return fmt::format("about ({:.2f}, {:.2f}, {:.2f})", a[0], a[1], a[2]);
}

std::string hinge_words(const Model& model, const Mechanism& m) {
  std::vector<std::string> hinges;
  for (const auto& [member, end] : m.turning_hinges) {
    hinges.push_back(
        fmt::format("{} at its {}", model.members[member].name, end == 0 ? "start" : "end"));
  }
  return hinges.empty() ? "" : fmt::format("hinges turn in {}", listed(hinges));
}

/// What does not hold: hinges that turn, members that only follow, or nothing at all.
std::string cause_words(const Model& model, const Mechanism& m) {
  const std::string who = m.nodes.size() == 1 ? "it" : "them";
  const std::string hinges = hinge_words(model, m);
  if (!hinges.empty()) return fmt::format("no support holds {}, and {}", who, hinges);
  if (m.members.empty()) return fmt::format("no member or support holds {}", who);
  return fmt::format("no member or support holds {} ({} {} along)", who,
                     listed(member_names(model, m.members)), m.members.size() == 1 ? "goes" : "go");
}

std::string remedy_words(const Model& model, const Mechanism& m) {
  const int axis = common_axis(m, false);
  const bool turns_only = m.motion[m.nodes.front()].translation.isZero(0);
  const std::string dof(kDisplacementNames[m.hold_direction]);
  std::string words = fmt::format("fix {} at {}", dof, model.nodes[m.hold].name);
  if (!turns_only && axis >= 0 && m.nodes.size() == 1) words = fmt::format("fix {} there", dof);
  const int flat = flat_normal(model);
  const bool out_of_plane =
      flat >= 0 && model.plane == Plane::space &&
      (turns_only ? std::abs(m.motion[m.nodes.front()].rotation.normalized()[flat]) < 1e-5
                  : axis == flat);
  if (!m.turning_hinges.empty()) {
    const auto& [member, end] = m.turning_hinges.front();
    words += fmt::format(", or join {} stiffly at its {}", model.members[member].name,
                         end == 0 ? "start" : "end");
  } else if (!turns_only && !out_of_plane) {
    words += ", or brace it with a member";
  }
  if (out_of_plane && flat == 1 && model.vertical == 2) words += ", or set plane = \"xz\"";
  if (out_of_plane && flat == 2 && model.vertical == 1) words += ", or set plane = \"xy\"";
  return words;
}

}  // namespace

std::string listed(const std::vector<std::string>& names, std::size_t most) {
  std::string text;
  const std::size_t shown = names.size() > most + 1 ? most : names.size();
  for (std::size_t i = 0; i < shown; ++i) {
    if (i > 0) text += i + 1 == names.size() ? " and " : ", ";
    text += names[i];
  }
  if (shown < names.size()) text += fmt::format(" and {} more", names.size() - shown);
  return text;
}

std::string describe(const Model& model, const Mechanism& m) {
  const bool all = static_cast<int>(m.nodes.size()) == model.nodes.size() && m.nodes.size() > 1;
  const std::string who = all ? "the whole frame" : listed(node_names(model, m.nodes));
  const bool turns_only = m.motion[m.nodes.front()].translation.isZero(0);
  const std::string how = turns_only ? fmt::format("turn {}", rotation_words(m))
                                     : fmt::format("move {}", translation_words(model, m));
  return fmt::format("{} can {}: {}; {}", who, how, cause_words(model, m), remedy_words(model, m));
}

}  // namespace ulterix
