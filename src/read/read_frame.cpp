// Nodes, members, groups and supports.
#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>

#include "core/model/local_axes.hpp"
#include "read/name_matching.hpp"
#include "read/reading.hpp"
#include "units/unit_text.hpp"

namespace ulterix {

namespace {

void read_node(Reading& r, const Entry& entry) {
  const std::string who = "node " + entry.key;
  const Value& value = entry.value;
  if (value.is_table()) {
    r.complain(entry.at,
               "{}: expected coordinates [x, y, z]; a name with a dot must stand in "
               "quotes",
               who);
    return;
  }
  const bool plane = r.model.plane != Plane::space;
  const std::size_t count = value.items.size();
  if (!value.is_array() || (count != 3 && !(plane && count == 2))) {
    r.complain(value.at, "{}: expected {}", who,
               plane ? "two or three coordinates" : "three coordinates [x, y, z]");
    return;
  }
  Node node;
  node.name = entry.key;
  node.line = entry.at.line;
  // Two numbers lie in the plane: (x, z), or (x, y) with vertical y.
  const std::array<int, 3> axes =
      count == 3 ? std::array<int, 3>{0, 1, 2} : std::array<int, 3>{0, r.model.vertical, 0};
  for (std::size_t i = 0; i < count; ++i) {
    // A node with a bad coordinate stays known, so that its users are not told as well.
    node.position[axes[i]] = r.quantity(value.items[i], Quantity::length, who)
                                 .value_or(std::numeric_limits<double>::quiet_NaN());
  }
  const int across = r.model.vertical == 2 ? 1 : 2;
  if (plane && node.position[across] != 0) {
    r.complain(value.at, "{}: a node of a plane frame has {} = 0", who, kAxisNames[across]);
    return;
  }
  r.nodes[node.name] = r.model.nodes.push_back(node);
}

/// Hinge keys name the forces that the end does not pass on.
void read_hinge_end(Reading& r, const Value& value, const std::string& who, EndJoint& joint) {
  const auto direction = [&](const std::string& key, Location at) -> int {
    const auto found = std::find(kForceNames.begin(), kForceNames.end(), key);
    if (found != kForceNames.end()) return static_cast<int>(found - kForceNames.begin());
    const std::vector<std::string> names(kForceNames.begin(), kForceNames.end());
    r.complain(at, "{}: a hinge releases fx..mz, not \"{}\"{}", who, key, did_you_mean(key, names));
    return -1;
  };
  if (value.is_table()) {
    for (const Entry& entry : value.entries) {
      const int d = direction(entry.key, entry.at);
      if (d < 0) continue;
      if (entry.value.kind == Value::Kind::boolean) {
        joint[d] = entry.value.boolean ? 0 : kRigid;
        continue;
      }
      const Quantity q = d < 3 ? Quantity::spring : Quantity::rotational_spring;
      if (const auto k = r.quantity(entry.value, q, who + ": " + entry.key)) {
        if (*k < 0) r.complain(entry.value.at, "{}: {}: the spring is negative", who, entry.key);
        joint[d] = *k;
      }
    }
    return;
  }
  for (const auto& [name, at] : r.selection_texts(value, who)) {
    if (const int d = direction(name, at); d >= 0) joint[d] = 0;
  }
}

void read_hinge(Reading& r, const Value& value, const std::string& who, Member& m) {
  if (!r.is_table(value, who + ": hinge")) return;
  for (const Entry& entry : value.entries) {
    if (entry.key == "start" || entry.key == "end") {
      read_hinge_end(r, entry.value, who + ": hinge", m.joints[entry.key == "start" ? 0 : 1]);
    } else {
      r.complain(entry.at, "{}: hinge: expected start or end, got \"{}\"", who, entry.key);
    }
  }
}

/// Keys of one member, from its own table over the defaults.
class MemberKeys {
 public:
  MemberKeys(Reading& r, const Value* defaults) : r_(r) {
    if (defaults == nullptr || !r.is_table(*defaults, "defaults")) return;
    for (const Entry& entry : defaults->entries) {
      if (!entry.value.is_table() || entry.key == "hinge") {
        general_.entries.push_back(entry);
        continue;
      }
      r.check_keys(entry.value, "member", "defaults " + entry.key);
      patterns_.push_back(&entry);
    }
    general_.kind = Value::Kind::table;
    r.check_keys(general_, "member", "defaults");
  }

  /// The value that holds for a member: its own, else the last pattern's, else the general one.
  const Value* find(const std::string& member, const Value& own, std::string_view key) const {
    if (const Value* v = own.find(key)) return v;
    for (auto pattern = patterns_.rbegin(); pattern != patterns_.rend(); ++pattern) {
      const Value* v = (*pattern)->value.find(key);
      if (v != nullptr && fits((*pattern)->key, member)) return v;
    }
    return general_.find(key);
  }

  /// Complains about patterns that fit no member.
  void check_patterns() const {
    for (const Entry* pattern : patterns_) {
      const bool used = std::any_of(r_.model.members.begin(), r_.model.members.end(),
                                    [&](const Member& m) { return fits(pattern->key, m.name); });
      if (!used && !r_.is_refused(pattern->key))
        r_.complain(pattern->at, "defaults: no member fits \"{}\"", pattern->key);
    }
  }

 private:
  Reading& r_;
  Value general_;
  std::vector<const Entry*> patterns_;
};

std::optional<NodeId> node_by_name(Reading& r, const Value& value, const std::string& who) {
  const auto name = r.text(value, who);
  if (!name) return std::nullopt;
  if (const auto found = r.nodes.find(*name); found != r.nodes.end()) return found->second;
  if (r.is_refused(*name)) return std::nullopt;
  r.complain(value.at, "{}: no node named \"{}\"{}", who, *name,
             did_you_mean(*name, r.node_names()));
  return std::nullopt;
}

template <class Map>
auto by_name(Reading& r, const Map& map, const Value& value, const std::string& who,
             std::string_view what) -> std::optional<typename Map::mapped_type> {
  const auto name = r.text(value, who);
  if (!name) return std::nullopt;
  if (const auto found = map.find(*name); found != map.end()) return found->second;
  if (r.is_refused(*name)) return std::nullopt;
  std::vector<std::string> names;
  for (const auto& item : map) names.push_back(item.first);
  std::sort(names.begin(), names.end());
  r.complain(value.at, "{}: no {} named \"{}\"{}", who, what, *name, did_you_mean(*name, names));
  return std::nullopt;
}

/// What an axial kind carries before the frame moves, and how far a one-way kind goes before it
/// carries; false on a complaint.
bool read_preload_and_slack(Reading& r, const MemberKeys& keys, const Value& own,
                            const std::string& who, Member& m) {
  const Value *preload = keys.find(m.name, own, "preload"),
              *slack = keys.find(m.name, own, "slack");
  const bool cable = m.kind == MemberKind::cable;
  const int sign = cable ? 1 : one_way_sign(m.kind);
  const std::size_t before = r.file.complaints.size();
  if (preload != nullptr && m.kind == MemberKind::frame) {
    r.complain(preload->at,
               "{}: preload is for axial, tension-only and compression-only members and cables",
               who);
  } else if (preload != nullptr) {
    m.preload = r.quantity(*preload, Quantity::force, who + ": preload").value_or(0);
    if (m.preload * sign < 0) {
      r.complain(preload->at, "{}: a {} cannot be preloaded in {}", who,
                 cable ? "cable" : fmt::format("{} member", word_of(kMemberKinds, m.kind)),
                 sign > 0 ? "compression" : "tension");
    }
  }
  if (slack != nullptr && sign == 0) {
    r.complain(slack->at, "{}: slack is for tension-only and compression-only members and cables",
               who);
  } else if (slack != nullptr) {
    m.slack = r.quantity(*slack, Quantity::displacement, who + ": slack").value_or(0);
    if (m.slack < 0) r.complain(slack->at, "{}: slack is at least 0", who);
    if (preload != nullptr) r.complain(slack->at, "{}: slack or preload, not both", who);
  }
  return r.file.complaints.size() == before;
}

/// A length, or per cent of the distance drawn.
std::optional<double> read_cut_length(Reading& r, const Value& v, double drawn,
                                      const std::string& who) {
  const std::string place = who + ": cut_length";
  const auto parts = v.is_text() ? split_number(v.text) : std::nullopt;
  std::optional<double> length;
  if (parts && parts->unit == "%") {
    length = parts->number / 100 * drawn;
  } else {
    length = r.quantity(v, Quantity::length, place);
  }
  if (!length) return std::nullopt;
  constexpr double kMostStrain = 0.05, kMostLength = 10;
  const double strain = drawn / *length - 1;
  if (!(*length > 0) || strain > kMostStrain) {
    r.complain(v.at, "{}: the ends are {:.6g} {} apart; a cable of {:.6g} {} cannot span that{}",
               place, r.units.from_si(Quantity::length, drawn), r.units.label(Quantity::length),
               r.units.from_si(Quantity::length, *length), r.units.label(Quantity::length),
               *length > 0 ? fmt::format(" (it would stretch by {:.0f} %)", 100 * strain) : "");
    return std::nullopt;
  }
  if (*length > kMostLength * drawn) {
    r.complain(v.at, "{}: {:.3g} times the distance between its ends; is a unit wrong?", place,
               *length / drawn);
    return std::nullopt;
  }
  return length;
}

void read_cable(Reading& r, const MemberKeys& keys, const Value& own, const std::string& who,
                Member& m) {
  const Value* cut = keys.find(m.name, own, "cut_length");
  if (m.kind != MemberKind::cable) {
    if (cut != nullptr) r.complain(cut->at, "{}: cut_length is for cables", who);
    return;
  }
  if (const Value* hinge = own.find("hinge")) {
    r.complain(hinge->at, "{}: a cable has no hinges: it bends nowhere", who);
  }
  if (cut == nullptr) return;
  for (const char* other : {"preload", "slack"}) {
    if (keys.find(m.name, own, other) != nullptr) {
      r.complain(cut->at, "{}: cut_length or {}, not both", who, other);
    }
  }
  const double drawn = (r.model.nodes[m.end].position - r.model.nodes[m.start].position).norm();
  if (drawn > 0) m.cut_length = read_cut_length(r, *cut, drawn, who).value_or(0);
}

void read_lack_of_fit(Reading& r, const MemberKeys& keys, const Value& own, const std::string& who,
                      Member& m) {
  const Value* v = keys.find(m.name, own, "lack_of_fit");
  if (v == nullptr) return;
  if (m.kind == MemberKind::cable) {
    return r.complain(v->at, "{}: a cable has a cut_length instead of lack_of_fit", who);
  }
  if (keys.find(m.name, own, "slack") != nullptr) {
    return r.complain(v->at, "{}: lack_of_fit or slack, not both", who);
  }
  m.lack_of_fit = r.quantity(*v, Quantity::displacement, who + ": lack_of_fit").value_or(0);
}

/// The axis' distance from the chord at mid length; a bare one towards local z, in a plane frame in
/// its plane.
void read_bow(Reading& r, const MemberKeys& keys, const Value& own, const std::string& who,
              Member& m) {
  const Value* v = keys.find(m.name, own, "bow");
  if (v == nullptr) return;
  const std::string here = who + ": bow";
  if (m.kind != MemberKind::frame) {
    return r.complain(v->at, "{}: a member of kind frame can be bowed, others are straight", here);
  }
  const Vector3d from = r.model.nodes[m.start].position, to = r.model.nodes[m.end].position;
  const double L = (to - from).norm();
  const Reading::PartOf part_of_length = {'L', "the member's length", L, true};
  const Matrix3d axes = local_axes(from, to, m.roll, r.model.vertical);
  const auto in_plane = [&](Eigen::Index axis) {
    const Eigen::Index normal = r.model.plane == Plane::xz ? 1 : 2;
    return r.model.plane == Plane::space || std::abs(axes(axis, normal)) < 0.5;
  };
  if (!v->is_table()) {
    const auto size = r.length_or_part(*v, part_of_length, here);
    if (size) m.bow[in_plane(2) ? 1 : 0] = *size;
  } else if (r.check_keys(*v, "bow", here)) {
    for (const std::size_t i : {std::size_t{0}, std::size_t{1}}) {
      const Value* part = v->find(i == 0 ? "y" : "z");
      if (part == nullptr) continue;
      if (!in_plane(i == 0 ? 1 : 2)) {
        r.complain(part->at, "{}: the plane frame does not bend that way", here);
      }
      m.bow[i] = r.length_or_part(*part, part_of_length, here).value_or(0);
    }
  }
  constexpr double kMost = 0.05;
  for (const double bow : m.bow) {
    if (std::abs(bow) > kMost * L) {
      r.complain(v->at, "{}: more than a twentieth of the length is a bent member: draw it", here);
    }
  }
}

/// The tension at which an axial kind breaks or yields.
void read_break(Reading& r, const MemberKeys& keys, const Value& own, const std::string& who,
                Member& m) {
  const Value *force = keys.find(m.name, own, "breaks_at"),
              *stress = keys.find(m.name, own, "strength"),
              *word = keys.find(m.name, own, "on_break");
  if (force == nullptr && stress == nullptr) {
    if (word != nullptr) r.complain(word->at, "{}: on_break needs breaks_at or strength", who);
    return;
  }
  const Value& given = force != nullptr ? *force : *stress;
  if (force != nullptr && stress != nullptr) {
    return r.complain(given.at, "{}: breaks_at or strength, not both", who);
  }
  if (m.kind == MemberKind::frame || m.kind == MemberKind::compression_only) {
    return r.complain(given.at,
                      "{}: axial and tension-only members and cables break, others do not", who);
  }
  if (force != nullptr) {
    m.breaks_at = r.quantity(*force, Quantity::force, who + ": breaks_at").value_or(0);
  } else if (m.section.valid()) {
    m.breaks_at = r.quantity(*stress, Quantity::stress, who + ": strength").value_or(0) *
                  r.model.sections[m.section].properties.A;
  }
  if (!(m.breaks_at > 0)) {
    return r.complain(given.at, "{}: the breaking force is above 0", who);
  }
  if (m.breaks_at <= m.preload) {
    r.complain(given.at, "{}: it breaks at {:.6g} {}, below its preload of {:.6g}", who,
               r.units.from_si(Quantity::force, m.breaks_at), r.units.label(Quantity::force),
               r.units.from_si(Quantity::force, m.preload));
  }
  if (word == nullptr) return;
  const auto text = r.text(*word, who + ": on_break");
  m.yields = text == "yield";
  if (text && *text != "yield" && *text != "drop") {
    r.complain(word->at, "{}: on_break is \"drop\" or \"yield\", not \"{}\"", who, *text);
  }
}

/// Where local z faces: as it is, turned by roll, or towards a node or a direction.
void read_orientation(Reading& r, const MemberKeys& keys, const Value& own, const std::string& who,
                      Member& m) {
  const Value *roll = keys.find(m.name, own, "roll"), *facing = keys.find(m.name, own, "facing");
  if (own.find("roll") != nullptr && own.find("facing") != nullptr) {
    return r.complain(facing->at, "{}: roll or facing, not both", who);
  }
  if (roll != nullptr && (facing == nullptr || own.find("roll") != nullptr)) {
    // Degrees, whatever the unit set.
    m.roll = r.quantity(*roll, Quantity::angle, who + ": roll").value_or(0);
    return;
  }
  if (facing == nullptr) return;
  const Vector3d from = r.model.nodes[m.start].position;
  Vector3d towards = Vector3d::Zero();
  if (facing->is_array() && facing->items.size() == 3) {
    for (std::size_t i = 0; i < 3; ++i) {
      towards[static_cast<Eigen::Index>(i)] =
          r.quantity(facing->items[i], Quantity::number, who + ": facing").value_or(0);
    }
  } else if (facing->is_text()) {
    const auto node = node_by_name(r, *facing, who + ": facing");
    if (!node) return;
    towards = r.model.nodes[*node].position - from;
  } else {
    return r.complain(facing->at, "{}: facing is a node, or a direction [x, y, z]", who);
  }
  const Vector3d chord = r.model.nodes[m.end].position - from;
  const Matrix3d axes = local_axes(from, from + chord, 0, r.model.vertical);
  const double y = axes.row(1).dot(towards), z = axes.row(2).dot(towards);
  constexpr double kAlong = 1e-6;
  if (std::hypot(y, z) <= kAlong * towards.norm()) {
    return r.complain(facing->at, "{}: facing lies along the member", who);
  }
  // Turned by roll about x, z goes towards -y.
  m.roll = std::atan2(-y, z);
}

/// Section, material, kind, roll, hinges; false if something is missing.
bool read_member_keys(Reading& r, const MemberKeys& keys, const Value& own, Location at,
                      const std::string& who, Member& m) {
  bool good = true;
  const Value* section = keys.find(m.name, own, "section");
  if (section == nullptr) {
    r.complain(at, "{}: no section given, and none in [defaults]", who);
    good = false;
  } else if (const auto id = by_name(r, r.sections, *section, who, "section")) {
    m.section = *id;
  } else {
    good = false;
  }
  const Value* material = keys.find(m.name, own, "material");
  if (material != nullptr) {
    const auto id = by_name(r, r.materials, *material, who, "material");
    if (id) m.material = *id;
    good = good && id.has_value();
  } else if (r.model.materials.size() == 1) {
    m.material = MaterialId(0);
  } else {
    r.complain(at, "{}: no material given, and none in [defaults]", who);
    good = false;
  }
  if (const Value* kind = keys.find(m.name, own, "kind")) {
    const auto word = r.text(*kind, who + ": kind");
    const auto value = word ? value_of(kMemberKinds, *word) : std::nullopt;
    if (value) m.kind = *value;
    if (word && !value) {
      r.complain(kind->at,
                 "{}: kind \"{}\" is not known; frame, axial, tension-only, compression-only or "
                 "cable",
                 who, *word);
      good = false;
    }
  }
  good = read_preload_and_slack(r, keys, own, who, m) && good;
  read_cable(r, keys, own, who, m);
  read_lack_of_fit(r, keys, own, who, m);
  read_break(r, keys, own, who, m);
  read_orientation(r, keys, own, who, m);
  if (const Value* hinge = keys.find(m.name, own, "hinge")) read_hinge(r, *hinge, who, m);
  read_bow(r, keys, own, who, m);
  return good;
}

void add_member(Reading& r, Member m, Location at, const std::string& who) {
  if (r.model.nodes[m.start].position == r.model.nodes[m.end].position) {
    r.complain(at, "{}: its ends {} and {} lie at the same place", who, r.model.nodes[m.start].name,
               r.model.nodes[m.end].name);
    return;
  }
  constexpr double kRightAngle = 1.57079632679489661923;
  const double turns = m.roll / kRightAngle;
  if (r.model.plane != Plane::space && std::abs(turns - std::round(turns)) > 1e-9) {
    r.complain(at, "{}: roll in a plane frame is a multiple of 90 degrees", who);
    return;
  }
  if (r.members.contains(m.name)) {
    r.complain(at, "{}: a member of this name exists already", who);
    return;
  }
  m.line = at.line;
  const std::string name = m.name;
  r.members[name] = r.model.members.push_back(std::move(m));
}

/// `["A0", "A1", "col"]`: the short form as a table of keys.
Value long_form(Reading& r, const Entry& entry, const std::string& who) {
  const Value& v = entry.value;
  Value table;
  table.kind = Value::Kind::table;
  table.inline_table = true;
  table.at = v.at;
  if (v.items.size() != 2 && v.items.size() != 3) {
    r.complain(v.at, "{}: the short form is [from, to] or [from, to, section]", who);
    return table;
  }
  const std::array<const char*, 3> keys = {"from", "to", "section"};
  for (std::size_t i = 0; i < v.items.size(); ++i) {
    table.entries.push_back({keys[i], v.items[i].at, v.items[i]});
  }
  return table;
}

/// The nodes that a member (2) or a run (2 or more) goes through; empty on a complaint.
std::vector<NodeId> read_course(Reading& r, const Value& own, Location at, const std::string& who) {
  std::vector<NodeId> course;
  const Value* through = own.find("through");
  const Value *from = own.find("from"), *to = own.find("to");
  if (through != nullptr && (from != nullptr || to != nullptr)) {
    r.complain(through->at, "{}: through, or from and to, not both", who);
    return {};
  }
  std::vector<const Value*> values;
  if (through != nullptr) {
    if (!through->is_array() || through->items.size() < 2) {
      r.complain(through->at, "{}: through is a list of two or more nodes", who);
      return {};
    }
    for (const Value& item : through->items) values.push_back(&item);
  } else if (from == nullptr || to == nullptr) {
    r.complain(at, "{}: {} is missing", who, from == nullptr ? "from" : "to");
    return {};
  } else {
    values = {from, to};
  }
  for (const Value* v : values) {
    const auto id = node_by_name(r, *v, who);
    if (!id) return {};
    course.push_back(*id);
  }
  return course;
}

void read_member(Reading& r, const Entry& entry, const MemberKeys& keys) {
  const std::string who = "member " + entry.key;
  Value own = entry.value;
  if (own.is_array()) own = long_form(r, entry, who);
  if (!r.is_table(own, who) || own.entries.empty() || !r.check_keys(own, "member", who)) return;
  const std::vector<NodeId> course = read_course(r, own, entry.at, who);
  if (course.empty()) return;
  const bool run = own.find("through") != nullptr;
  for (std::size_t i = 0; i + 1 < course.size(); ++i) {
    Member m;
    m.name = run ? fmt::format("{}.{}", entry.key, i + 1) : entry.key;
    m.start = course[i];
    m.end = course[i + 1];
    if (!read_member_keys(r, keys, own, entry.at, who, m)) return;
    // A hinge of a run stands at the ends of the run.
    if (run && own.find("hinge") != nullptr) {
      if (i > 0) m.joints[0] = kJoined;
      if (i + 2 < course.size()) m.joints[1] = kJoined;
    }
    add_member(r, std::move(m), entry.at,
               run ? "member " + fmt::format("{}.{}", entry.key, i + 1) : who);
  }
}

using Directions = std::array<SupportDirection, 6>;

}  // namespace

int support_direction(Reading& r, const std::string& key, Location at, const std::string& who) {
  const auto found = std::find(kDisplacementNames.begin(), kDisplacementNames.end(), key);
  if (found != kDisplacementNames.end())
    return static_cast<int>(found - kDisplacementNames.begin());
  std::vector<std::string> names(kDisplacementNames.begin(), kDisplacementNames.end());
  names.emplace_back("settle");
  r.complain(at, "{}: a support holds ux..rz, not \"{}\"{}", who, key, did_you_mean(key, names));
  return -1;
}

namespace {

void read_support_word(Reading& r, const Value& value, const std::string& who, Directions& d) {
  const bool fixed = value.text == "fixed";
  if (!fixed && value.text != "pinned") {
    r.complain(value.at, "{}: expected fixed, pinned, a list or a table, got \"{}\"{}", who,
               value.text, did_you_mean(value.text, {"fixed", "pinned"}));
    return;
  }
  for (int i = 0; i < (fixed ? 6 : 3); ++i) d[i].stiffness = kRigid;
}

void read_settle(Reading& r, const Value& value, const std::string& who, Directions& d) {
  if (!r.is_table(value, who + ": settle")) return;
  for (const Entry& entry : value.entries) {
    const int i = support_direction(r, entry.key, entry.at, who + ": settle");
    if (i < 0) continue;
    const Quantity q = i < 3 ? Quantity::displacement : Quantity::rotation;
    if (const auto v = r.quantity(entry.value, q, who + ": settle " + entry.key)) d[i].settle = *v;
    if (d[i].stiffness == 0) {
      r.complain(entry.at, "{}: {} settles but is not held", who, entry.key);
    }
  }
}

void read_support_direction(Reading& r, const Entry& entry, const std::string& who, Directions& d) {
  const int i = support_direction(r, entry.key, entry.at, who);
  if (i < 0) return;
  const std::string place = who + ": " + entry.key;
  if (entry.value.kind == Value::Kind::boolean) {
    d[i].stiffness = entry.value.boolean ? kRigid : 0;
    return;
  }
  if (!entry.value.is_table()) {
    r.complain(entry.value.at, "{}: expected true or {{ spring = … }}", place);
    return;
  }
  if (!r.check_keys(entry.value, "support-direction", place)) return;
  d[i].stiffness = kRigid;
  const Quantity q = i < 3 ? Quantity::spring : Quantity::rotational_spring;
  if (const auto k = r.quantity(entry.value, "spring", q, place)) {
    if (*k <= 0) r.complain(entry.value.at, "{}: the spring must be above zero", place);
    d[i].stiffness = *k;
  }
  const Value *only = entry.value.find("only"), *slack = entry.value.find("slack");
  if (only != nullptr) {
    const auto word = r.text(*only, place + ": only");
    if (word == "positive") d[i].only = 1;
    if (word == "negative") d[i].only = -1;
    if (word && d[i].only == 0) {
      r.complain(only->at,
                 "{}: only is \"positive\" or \"negative\", the sign of the reaction that "
                 "the support can give; got \"{}\"",
                 place, *word);
    }
    if (r.model.plane != Plane::space && !r.model.uses_direction(i)) {
      r.complain(only->at, "{}: this direction is not free in the plane of the frame", place);
    }
  }
  if (slack == nullptr) return;
  if (only == nullptr) r.complain(slack->at, "{}: slack needs only", place);
  const Quantity travel = i < 3 ? Quantity::displacement : Quantity::rotation;
  d[i].slack = r.quantity(*slack, travel, place + ": slack").value_or(0);
  if (d[i].slack < 0) r.complain(slack->at, "{}: slack is at least 0", place);
}

void read_support(Reading& r, const Entry& entry, std::map<NodeId, int>& lines) {
  const std::string who = "support " + entry.key;
  const Directions directions = read_support_directions(r, entry.value, who);
  for (const NodeId id : r.select_nodes(entry.key, entry.at, who)) {
    const auto [earlier, fresh] = lines.emplace(id, entry.at.line);
    if (!fresh) {
      r.complain(entry.at, "{}: node {} has a support already (line {})", who,
                 r.model.nodes[id].name, earlier->second);
      continue;
    }
    r.model.supports.push_back({id, directions, entry.at.line});
  }
}

}  // namespace

Directions read_support_directions(Reading& r, const Value& value, const std::string& who) {
  Directions directions;
  if (value.is_text()) {
    read_support_word(r, value, who, directions);
  } else if (value.is_array()) {
    for (const auto& [name, at] : r.selection_texts(value, who)) {
      const int i = support_direction(r, name, at, who);
      if (i >= 0) directions[i].stiffness = kRigid;
    }
  } else if (r.is_table(value, who)) {
    for (const Entry& e : value.entries) {
      if (e.key != "settle") read_support_direction(r, e, who, directions);
    }
    if (const Value* settle = value.find("settle")) read_settle(r, *settle, who, directions);
  }
  return directions;
}

void read_nodes(Reading& r, const Value& table) {
  if (!r.is_table(table, "nodes")) return;
  for (const Entry& entry : table.entries) {
    read_node(r, entry);
    if (!r.nodes.contains(entry.key)) r.refused.insert(entry.key);
  }
}

void read_members(Reading& r, const Value& table, const Value* defaults) {
  const MemberKeys keys(r, defaults);
  if (!r.is_table(table, "members")) return;
  for (const Entry& entry : table.entries) {
    const std::size_t before = r.file.complaints.size();
    read_member(r, entry, keys);
    if (r.file.complaints.size() > before) r.refused.insert(entry.key);
  }
  keys.check_patterns();
}

void read_levels(Reading& r, const Value& table) {
  if (!r.is_table(table, "levels")) return;
  for (const Entry& entry : table.entries) {
    const auto z = r.quantity(entry.value, Quantity::length, "level " + entry.key);
    if (z) r.model.levels.push_back({entry.key, *z});
  }
}

void read_supports(Reading& r, const Value& table) {
  if (!r.is_table(table, "supports")) return;
  std::map<NodeId, int> lines;
  for (const Entry& entry : table.entries) read_support(r, entry, lines);
}

}  // namespace ulterix
