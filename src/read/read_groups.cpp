// Groups of members and nodes, and floors.
#include <algorithm>
#include <cmath>
#include <limits>

#include "read/reading.hpp"

namespace ulterix {

namespace {

void check_group_name(Reading& r, const Entry& entry) {
  if (r.members.contains(entry.key)) {
    r.complain(entry.at, "group {}: a member has this name", entry.key);
  } else if (r.nodes.contains(entry.key)) {
    r.complain(entry.at, "group {}: a node has this name", entry.key);
  }
}

/// Ranges of coordinates, m.
struct Box {
  Vector3d low = Vector3d::Constant(-std::numeric_limits<double>::infinity()), high = -low;

  bool has(const Vector3d& p) const {
    constexpr double kTouch = 1e-6;  // m
    return ((p - low).array() >= -kTouch).all() && ((high - p).array() >= -kTouch).all();
  }
};

Box read_box(Reading& r, const Value& value, const std::string& who) {
  Box box;
  if (!r.is_table(value, who)) return box;
  for (const Entry& entry : value.entries) {
    const auto axis = std::find(kAxisNames.begin(), kAxisNames.end(), entry.key);
    if (axis == kAxisNames.end()) {
      r.complain(entry.at, "{}: expected x, y or z, got \"{}\"", who, entry.key);
      continue;
    }
    if (!entry.value.is_array() || entry.value.items.size() != 2) {
      r.complain(entry.value.at, "{}: {} is [from, to]", who, entry.key);
      continue;
    }
    const auto from = r.quantity(entry.value.items[0], Quantity::length, who);
    const auto to = r.quantity(entry.value.items[1], Quantity::length, who);
    if (!from || !to) continue;
    if (*from > *to) r.complain(entry.value.at, "{}: {} runs backwards", who, entry.key);
    box.low[axis - kAxisNames.begin()] = *from;
    box.high[axis - kAxisNames.begin()] = *to;
  }
  return box;
}

/// The axis of `parallel`; -1 on a complaint.
int read_axis(Reading& r, const Value& value, const std::string& who) {
  const auto word = r.text(value, who);
  if (!word) return -1;
  const auto axis = std::find(kAxisNames.begin(), kAxisNames.end(), *word);
  if (axis != kAxisNames.end()) return static_cast<int>(axis - kAxisNames.begin());
  r.complain(value.at, "{}: expected x, y or z, got \"{}\"", who, *word);
  return -1;
}

/// Keys of one group intersect.
Group read_group(Reading& r, const Entry& entry, const std::string& who) {
  Group group;
  group.name = entry.key;
  const Value *members = entry.value.find("members"), *nodes = entry.value.find("nodes");
  const Value *between = entry.value.find("between"), *parallel = entry.value.find("parallel");
  const bool by_place = between != nullptr || parallel != nullptr;
  if (members == nullptr && nodes == nullptr && !by_place) {
    r.complain(entry.at, "{}: expected members, nodes, between or parallel", who);
    return group;
  }
  const bool nodes_asked = nodes != nullptr;
  const bool only_nodes = nodes_asked && members == nullptr && parallel == nullptr;
  if (members != nullptr) {
    group.members = r.select_members(*members, who + ": members");
  } else if (!only_nodes) {
    group.members = r.model.members.ids();
  }
  if (nodes != nullptr) group.nodes = r.select_nodes(*nodes, who + ": nodes");
  if (between != nullptr) {
    const Box box = read_box(r, *between, who + ": between");
    const auto inside = [&](NodeId n) { return box.has(r.model.nodes[n].position); };
    if (nodes == nullptr && members == nullptr && parallel == nullptr) {
      nodes = between;  // nodes without members, too
      group.nodes = r.model.nodes.ids();
    }
    std::erase_if(group.nodes, [&](NodeId n) { return !inside(n); });
    std::erase_if(group.members, [&](MemberId id) {
      const Member& m = r.model.members[id];
      return !inside(m.start) || !inside(m.end);
    });
  }
  if (parallel != nullptr) {
    constexpr double kParallel = 1e-3;
    const int axis = read_axis(r, *parallel, who + ": parallel");
    std::erase_if(group.members, [&](MemberId id) {
      if (axis < 0) return false;
      const Member& m = r.model.members[id];
      Vector3d chord = r.model.nodes[m.end].position - r.model.nodes[m.start].position;
      const double length = chord.norm();
      chord[axis] = 0;
      return chord.norm() > kParallel * length;
    });
  }
  if (const Value* except = entry.value.find("except")) {
    const auto drop = [](auto& list, const auto& out) {
      std::erase_if(list,
                    [&out](auto id) { return std::find(out.begin(), out.end(), id) != out.end(); });
    };
    if (!only_nodes) drop(group.members, r.select_members(*except, who + ": except"));
    if (nodes_asked) drop(group.nodes, r.select_nodes(*except, who + ": except"));
  }
  if (by_place && group.members.empty() && group.nodes.empty() && r.file.good()) {
    r.complain(entry.at, "{}: nothing lies there", who);
  }
  if (nodes == nullptr) {  // the nodes of a group of members are their ends
    for (const MemberId id : group.members) {
      group.nodes.push_back(r.model.members[id].start);
      group.nodes.push_back(r.model.members[id].end);
    }
    std::sort(group.nodes.begin(), group.nodes.end());
    group.nodes.erase(std::unique(group.nodes.begin(), group.nodes.end()), group.nodes.end());
  }
  return group;
}

std::vector<NodeId> nodes_of_floor(Reading& r, const Value& t, const std::string& who) {
  const Value *level = t.find("level"), *nodes = t.find("nodes");
  if ((level == nullptr) == (nodes == nullptr)) {
    r.complain(t.at, "{}: level or nodes, one of the two", who);
    return {};
  }
  if (nodes != nullptr) return r.select_nodes(*nodes, who + ": nodes");
  std::vector<NodeId> found;
  const auto z = r.quantity(*level, Quantity::length, who + ": level");
  constexpr double kTouch = 1e-6;  // m
  for (const NodeId n : r.model.nodes.ids()) {
    if (z && std::abs(r.model.nodes[n].position[r.model.vertical] - *z) <= kTouch) {
      found.push_back(n);
    }
  }
  return found;
}

/// A rigid floor cannot follow ground that moves or gives way one way only.
void check_floor_supports(Reading& r, const Floor& floor, const std::string& who) {
  for (const Support& s : r.model.supports) {
    if (std::find(floor.nodes.begin(), floor.nodes.end(), s.node) == floor.nodes.end()) continue;
    for (int d = 0; d < 6; ++d) {
      const SupportDirection& direction = s.directions[static_cast<std::size_t>(d)];
      if (!r.model.in_floor(d) || direction.stiffness != kRigid) continue;
      if (direction.only == 0 && direction.settle == 0) continue;
      r.complain({floor.line, 1},
                 "{}: the support {} moves or acts one way in the plane of the floor, which is not "
                 "supported yet",
                 who, r.model.place_name(s.node, d));
    }
  }
}

}  // namespace

void read_groups(Reading& r, const Value& table) {
  if (!r.is_table(table, "groups")) return;
  for (const Entry& entry : table.entries) {
    const std::string who = "group " + entry.key;
    check_group_name(r, entry);
    if (!r.is_table(entry.value, who) || !r.check_keys(entry.value, "group", who)) continue;
    r.model.groups.push_back(read_group(r, entry, who));
    r.groups[entry.key] = r.model.groups.size() - 1;
  }
}

void read_floors(Reading& r, const Value& table) {
  if (!r.is_table(table, "floors")) return;
  IndexedVector<NodeId, int> floor_of(r.model.nodes.size(), -1);
  for (const Entry& entry : table.entries) {
    const std::string who = "floor " + entry.key;
    if (!r.is_table(entry.value, who) || !r.check_keys(entry.value, "floor", who)) continue;
    Floor floor{entry.key, nodes_of_floor(r, entry.value, who), entry.at.line};
    if (floor.nodes.size() < 2 && r.file.good()) {
      r.complain(entry.at, "{}: a floor has two nodes or more; found {}", who, floor.nodes.size());
    }
    for (const NodeId n : floor.nodes) {
      if (floor_of[n] >= 0) {
        r.complain(entry.at, "{}: {} is on floor {} already", who, r.model.nodes[n].name,
                   r.model.floors[static_cast<std::size_t>(floor_of[n])].name);
        break;
      }
      floor_of[n] = static_cast<int>(r.model.floors.size());
    }
    check_floor_supports(r, floor, who);
    r.model.floors.push_back(std::move(floor));
  }
}

}  // namespace ulterix
