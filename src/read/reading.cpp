#include "read/reading.hpp"

#include <algorithm>
#include <cmath>

#include "read/name_matching.hpp"
#include "units/unit_text.hpp"

namespace ulterix {

namespace {

/// Appends what is not there yet; `seen` has a place for every index.
template <class Id>
void add_new(const std::vector<Id>& more, std::vector<bool>& seen, std::vector<Id>& list) {
  for (const Id id : more) {
    if (!seen[static_cast<std::size_t>(id.value)]) list.push_back(id);
    seen[static_cast<std::size_t>(id.value)] = true;
  }
}

std::string kind_words(const Value& value) {
  switch (value.kind) {
    case Value::Kind::boolean:
      return "true or false";
    case Value::Kind::number:
      return "a number";
    case Value::Kind::text:
      return "text";
    case Value::Kind::array:
      return "a list";
    case Value::Kind::table:
      return "a table";
    case Value::Kind::other:
      break;
  }
  return "a date";
}

const std::vector<std::string>& common_units() {
  static const std::vector<std::string> names = {"mm",  "cm",  "m",   "in", "ft",  "N",   "kN",
                                                 "MN",  "lbf", "kip", "Pa", "kPa", "MPa", "GPa",
                                                 "psi", "ksi", "psf", "kg", "lb",  "deg", "rad"};
  return names;
}

}  // namespace

bool Reading::complain_about_key(const Entry& entry, const Value& table, std::string_view keys,
                                 const std::string& who) {
  const Key* key = find_key(keys, entry.key);
  if (key != nullptr && key->supported) return false;
  if (key != nullptr) {
    complain(entry.at, "{}: \"{}\" is not supported yet", who, entry.key);
  } else if (!table.inline_table && (entry.value.is_table() || entry.value.is_array()) &&
             keys == "member") {
    complain(entry.at, "{}: no key \"{}\"; a name with a dot must stand in quotes", who, entry.key);
  } else {
    complain(entry.at, "{}: no key \"{}\"{}", who, entry.key,
             one_of_those(entry.key, key_names(keys)));
  }
  return true;
}

bool Reading::is_refused(const std::string& name) const {
  if (is_pattern(name)) {
    return std::any_of(refused.begin(), refused.end(),
                       [&name](const std::string& r) { return fits(name, r); });
  }
  for (auto end = name.size(); end != std::string::npos && end > 0;
       end = name.rfind('.', end - 1)) {
    if (refused.contains(name.substr(0, end))) return true;
  }
  return false;
}

bool Reading::check_keys(const Value& table, std::string_view keys, const std::string& who) {
  bool good = true;
  for (const Entry& entry : table.entries) {
    if (complain_about_key(entry, table, keys, who)) good = false;
  }
  return good;
}

std::optional<double> Reading::in_range(double value, Location at, Quantity q,
                                        const std::string& who) {
  if (std::abs(value) <= largest_of(q)) return value;
  const std::string unit = units.label(q);
  complain(at, "{}: {:.3g}{} is beyond any frame (largest {:.3g}): is the unit right?", who,
           units.from_si(q, value), unit.empty() ? "" : " " + unit,
           units.from_si(q, largest_of(q)));
  return std::nullopt;
}

std::optional<double> Reading::quantity(const Value& value, Quantity q, const std::string& who) {
  if (value.is_number()) {
    if (std::isfinite(value.number)) {
      return in_range(units.to_si(q, value.number), value.at, q, who);
    }
    complain(value.at, "{}: the number is not finite", who);
    return std::nullopt;
  }
  if (!value.is_text()) {
    complain(value.at, "{}: expected {}, got {}", who, words_of(q), kind_words(value));
    return std::nullopt;
  }
  const auto split = split_number(value.text);
  if (!split) {
    complain(value.at, "{}: \"{}\" does not start with a finite number", who, value.text);
    return std::nullopt;
  }
  if (split->unit.empty()) return in_range(units.to_si(q, split->number), value.at, q, who);
  const auto unit = parse_unit(split->unit);
  if (!unit) {
    complain(value.at, "{}: no unit \"{}\"{}", who, split->unit,
             did_you_mean(split->unit, common_units()));
    return std::nullopt;
  }
  if (!(unit->dimension == dimension_of(q))) {
    const std::string label = units.label(q);
    complain(value.at, "{}: \"{}\" is not {}{}", who, value.text, words_of(q),
             label.empty() ? "" : fmt::format(" (a bare number means {})", label));
    return std::nullopt;
  }
  return in_range(split->number * unit->factor, value.at, q, who);
}

std::optional<double> Reading::length_or_part(const Value& value, const PartOf& part,
                                              const std::string& who) {
  if (!value.is_text() || !value.text.starts_with(std::string{part.letter, '/'})) {
    return quantity(value, Quantity::displacement, who);
  }
  const auto by = split_number(value.text.substr(2));
  const bool divides = by && by->unit.empty() && by->number != 0;
  if (!divides || (by->number < 0 && !part.either_way)) {
    complain(value.at, "{}: write a length, or a part of {}, as {}/500", who, part.words,
             part.letter);
    return std::nullopt;
  }
  return part.whole / by->number;
}

std::optional<double> Reading::quantity(const Value& table, std::string_view key, Quantity q,
                                        const std::string& who) {
  const Value* value = table.find(key);
  if (value == nullptr) return std::nullopt;
  return quantity(*value, q, fmt::format("{}: {}", who, key));
}

std::optional<std::string> Reading::text(const Value& value, const std::string& who) {
  if (value.is_text()) return value.text;
  complain(value.at, "{}: expected text in quotes, got {}", who, kind_words(value));
  return std::nullopt;
}

std::optional<bool> Reading::flag(const Value& value, const std::string& who) {
  if (value.kind == Value::Kind::boolean) return value.boolean;
  complain(value.at, "{}: expected true or false, got {}", who, kind_words(value));
  return std::nullopt;
}

bool Reading::is_table(const Value& value, const std::string& who) {
  if (value.is_table()) return true;
  complain(value.at, "{}: expected a table, got {}", who, kind_words(value));
  return false;
}

std::vector<std::pair<std::string, Location>> Reading::selection_texts(const Value& value,
                                                                       const std::string& who) {
  std::vector<std::pair<std::string, Location>> texts;
  if (value.is_text()) {
    texts.emplace_back(value.text, value.at);
  } else if (value.is_array()) {
    for (const Value& item : value.items) {
      if (const auto t = text(item, who)) texts.emplace_back(*t, item.at);
    }
  } else {
    complain(value.at, "{}: expected a name, a pattern or a list of them, got {}", who,
             kind_words(value));
  }
  return texts;
}

std::vector<NodeId> Reading::select_nodes(const std::string& name, Location at,
                                          const std::string& who) {
  if (const auto found = nodes.find(name); found != nodes.end()) return {found->second};
  if (const auto group = groups.find(name); group != groups.end()) {
    return model.groups[group->second].nodes;
  }
  std::vector<NodeId> selected;
  if (is_pattern(name)) {
    for (const NodeId id : model.nodes.ids()) {
      if (fits(name, model.nodes[id].name)) selected.push_back(id);
    }
    if (selected.empty() && !is_refused(name))
      complain(at, "{}: no node fits the pattern \"{}\"", who, name);
    return selected;
  }
  if (is_refused(name)) return selected;
  std::vector<std::string> names = node_names();
  const std::vector<std::string> group_list = group_names();
  names.insert(names.end(), group_list.begin(), group_list.end());
  complain(at, "{}: no node or group named \"{}\"{}", who, name, did_you_mean(name, names));
  return selected;
}

std::vector<MemberId> Reading::select_members(const std::string& name, Location at,
                                              const std::string& who) {
  if (const auto found = members.find(name); found != members.end()) return {found->second};
  if (const auto group = groups.find(name); group != groups.end()) {
    return model.groups[group->second].members;
  }
  std::vector<MemberId> selected;
  for (const MemberId id : model.members.ids()) {
    const std::string& member = model.members[id].name;
    // The name of a run stands for its members NAME.1, NAME.2, …
    const bool in_run = !is_pattern(name) && member.size() > name.size() + 1 &&
                        member.starts_with(name) && member[name.size()] == '.';
    if (in_run || (is_pattern(name) && fits(name, member))) selected.push_back(id);
  }
  if (!selected.empty() || is_refused(name)) return selected;
  if (is_pattern(name)) {
    complain(at, "{}: no member fits the pattern \"{}\"", who, name);
    return selected;
  }
  std::vector<std::string> names = member_names();
  const std::vector<std::string> group_list = group_names();
  names.insert(names.end(), group_list.begin(), group_list.end());
  complain(at, "{}: no member or group named \"{}\"{}", who, name, did_you_mean(name, names));
  return selected;
}

std::vector<NodeId> Reading::select_nodes(const Value& value, const std::string& who) {
  std::vector<NodeId> selected;
  std::vector<bool> seen(static_cast<std::size_t>(model.nodes.size()), false);
  for (const auto& [name, at] : selection_texts(value, who)) {
    add_new(select_nodes(name, at, who), seen, selected);
  }
  return selected;
}

std::vector<MemberId> Reading::select_members(const Value& value, const std::string& who) {
  std::vector<MemberId> selected;
  std::vector<bool> seen(static_cast<std::size_t>(model.members.size()), false);
  for (const auto& [name, at] : selection_texts(value, who)) {
    add_new(select_members(name, at, who), seen, selected);
  }
  return selected;
}

std::optional<CaseId> Reading::load_case(const std::string& name, Location at,
                                         const std::string& who) {
  const auto found = cases.find(name);
  if (found != cases.end()) return found->second;
  if (is_refused(name)) return std::nullopt;
  std::vector<std::string> names;
  for (const LoadCase& c : model.cases) names.push_back(c.name);
  complain(at, "{}: no load case named \"{}\"{}", who, name, did_you_mean(name, names));
  return std::nullopt;
}

std::vector<std::string> Reading::node_names() const {
  std::vector<std::string> names;
  for (const Node& n : model.nodes) names.push_back(n.name);
  return names;
}

std::vector<std::string> Reading::member_names() const {
  std::vector<std::string> names;
  for (const Member& m : model.members) names.push_back(m.name);
  return names;
}

std::vector<std::string> Reading::group_names() const {
  std::vector<std::string> names;
  for (const Group& g : model.groups) names.push_back(g.name);
  return names;
}

}  // namespace ulterix
