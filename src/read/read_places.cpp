// Watched places.
#include <algorithm>
#include <array>
#include <cmath>

#include "core/modes/mode_member.hpp"
#include "read/name_matching.hpp"
#include "read/reading.hpp"

namespace ulterix {

namespace {

/// Where on a member: start, end, min, max, a fraction, or a distance with its unit.
bool parse_where(const std::string& text, Place& place, std::string& complaint) {
  if (text == "min" || text == "max") {
    place.along = text == "min" ? Along::smallest : Along::largest;
    return true;
  }
  place.fraction = true;
  if (text == "start" || text == "end") {
    place.x = text == "start" ? 0 : 1;
    return true;
  }
  const auto split = split_number(text);
  if (!split) {
    complaint = fmt::format("\"@{}\" is not start, end, min, max, a fraction or a distance", text);
    return false;
  }
  place.x = split->number;
  if (split->unit.empty()) {
    if (place.x < 0 || place.x > 1) {
      complaint =
          fmt::format("@{} is a fraction, between 0 and 1; a distance needs its unit", text);
    }
    return complaint.empty();
  }
  const auto unit = parse_unit(split->unit);
  if (!unit || !(unit->dimension == dimension_of(Quantity::length))) {
    complaint = fmt::format("\"@{}\" is not a distance", text);
    return false;
  }
  place.fraction = false;
  place.x *= unit->factor;
  return true;
}

/// Members named by the item of a place: a name, a group or a pattern.
std::vector<MemberId> members_of_item(const Model& model, const std::string& item) {
  for (const Group& g : model.groups) {
    if (g.name == item) return g.members;
  }
  std::vector<MemberId> found;
  for (const MemberId id : model.members.ids()) {
    const std::string& name = model.members[id].name;
    if (name == item || (is_pattern(item) && fits(item, name))) found.push_back(id);
  }
  return found;
}

std::optional<NodeId> node_of_item(const Model& model, const std::string& item) {
  for (const NodeId id : model.nodes.ids()) {
    if (model.nodes[id].name == item) return id;
  }
  return std::nullopt;
}

template <std::size_t N>
int index_in(const std::array<std::string_view, N>& names, const std::string& name) {
  const auto found = std::find(names.begin(), names.end(), name);
  return found == names.end() ? -1 : static_cast<int>(found - names.begin());
}

bool parse_member_place(const Model& model, const std::string& item, const std::string& where,
                        Place& place, std::string& complaint) {
  place.members = members_of_item(model, item);
  if (place.members.empty()) {
    std::vector<std::string> names;
    for (const Member& m : model.members) names.push_back(m.name);
    complaint = fmt::format("no member \"{}\"{}", item, did_you_mean(item, names));
    return false;
  }
  if (where.empty()) {
    complaint = "say where on the member: @start, @end, @0.5, @2.5 m, @min or @max";
    return false;
  }
  if (!parse_where(where, place, complaint)) return false;
  if (place.along == Along::distance && place.members.size() > 1) {
    complaint = fmt::format("\"{}\" names {} members: only @min and @max read them together", item,
                            place.members.size());
    return false;
  }
  if (place.along == Along::distance && !place.fraction &&
      place.x > model.length(place.members[0]) * (1 + 1e-9)) {
    complaint = fmt::format("@{} lies beyond the end of {}", where, item);
    return false;
  }
  return true;
}

}  // namespace

std::optional<Place> parse_place(const Model& model, const std::string& text,
                                 std::string& complaint) {
  complaint.clear();
  Place place;
  place.text = text;
  const auto at = text.find('@');
  const std::string front = text.substr(0, at);
  const std::string where = at == std::string::npos ? "" : text.substr(at + 1);
  const auto dot = front.rfind('.');
  if (dot == std::string::npos) {
    complaint = fmt::format("\"{}\" is not a place; write NODE.ux or MEMBER.My@0.5", text);
    return std::nullopt;
  }
  const std::string item = front.substr(0, dot), quantity = front.substr(dot + 1);
  if (const int force = index_in(kInternalForceNames, quantity); force >= 0) {
    place.component = force;
    place.kind = Place::Kind::internal_force;
    if (!parse_member_place(model, item, where, place, complaint)) return std::nullopt;
    return place;
  }
  if (const int across = index_in(kDeflectionNames, quantity); across >= 0) {
    place.component = across + 1;
    place.kind = Place::Kind::deflection;
    if (!parse_member_place(model, item, where, place, complaint)) return std::nullopt;
    return place;
  }
  const int displacement = index_in(kDisplacementNames, quantity);
  if (displacement >= 0 && displacement < 3 && !where.empty() && !node_of_item(model, item)) {
    place.component = displacement;
    place.kind = Place::Kind::axis;
    if (!parse_member_place(model, item, where, place, complaint)) return std::nullopt;
    return place;
  }
  const int reaction = index_in(kForceNames, quantity);
  if (displacement < 0 && reaction < 0) {
    std::vector<std::string> names(kDisplacementNames.begin(), kDisplacementNames.end());
    names.insert(names.end(), kForceNames.begin(), kForceNames.end());
    names.insert(names.end(), kInternalForceNames.begin(), kInternalForceNames.end());
    names.insert(names.end(), kDeflectionNames.begin(), kDeflectionNames.end());
    complaint = fmt::format("no quantity \"{}\"{}", quantity, did_you_mean(quantity, names));
    return std::nullopt;
  }
  const auto node = node_of_item(model, item);
  if (!node) {
    std::vector<std::string> names;
    for (const Node& n : model.nodes) names.push_back(n.name);
    complaint = fmt::format("no node \"{}\"{}", item, did_you_mean(item, names));
    return std::nullopt;
  }
  if (!where.empty()) {
    complaint = "a node's place takes no @";
    return std::nullopt;
  }
  place.node = *node;
  place.kind = displacement >= 0 ? Place::Kind::displacement : Place::Kind::reaction;
  place.component = displacement >= 0 ? displacement : reaction;
  return place;
}

void read_watches(Reading& r, const Value& table) {
  if (!r.is_table(table, "watch")) return;
  for (const Entry& entry : table.entries) {
    const std::string who = "watch " + entry.key;
    const auto text = r.text(entry.value, who);
    if (!text) continue;
    std::string complaint;
    const auto place = parse_place(r.model, *text, complaint);
    if (place) {
      r.model.watches.push_back({entry.key, *place});
    } else if (!r.is_refused(text->substr(0, text->find('@')))) {
      r.complain(entry.value.at, "{}: {}", who, complaint);
    }
  }
}

}  // namespace ulterix
