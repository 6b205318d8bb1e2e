// Watched places and analyses.
#include <algorithm>
#include <array>
#include <cmath>

#include "core/modes/mode_member.hpp"
#include "read/name_matching.hpp"
#include "read/reading.hpp"

namespace ulterix {

namespace {

constexpr std::array<std::string_view, 3> kLaterKinds = {"large-displacement", "staged",
                                                         "direct-analysis"};

/// Cases and combinations by name, in the order: combinations, then cases.
std::vector<LoadSet> known_loads(const Model& model) {
  std::vector<LoadSet> all = model.combinations;
  for (const CaseId id : model.cases.ids()) all.push_back(model.case_alone(id));
  return all;
}

/// All combinations, or all cases when there are none.
std::vector<LoadSet> default_loads(const Model& model) {
  if (!model.combinations.empty()) return model.combinations;
  return known_loads(model);
}

std::vector<LoadSet> select_loads(Reading& r, const Value& value, const std::string& who) {
  const std::vector<LoadSet> all = known_loads(r.model);
  std::vector<LoadSet> selected;
  const auto add = [&selected](const LoadSet& set) {
    const bool there = std::any_of(selected.begin(), selected.end(),
                                   [&](const LoadSet& s) { return s.name == set.name; });
    if (!there) selected.push_back(set);
  };
  for (const auto& [name, at] : r.selection_texts(value, who)) {
    const bool everything =
        name == "all" &&
        std::none_of(all.begin(), all.end(), [](const LoadSet& s) { return s.name == "all"; });
    bool found = everything;
    for (const LoadSet& set : all) {
      // The name of a list of combinations stands for all of them.
      const bool in_list = set.combination && set.name.starts_with(name + ".");
      const bool meant = everything || set.name == name || in_list;
      if (!meant && !(is_pattern(name) && fits(name, set.name))) continue;
      found = true;
      add(set);
    }
    if (found || r.is_refused(name)) continue;
    std::vector<std::string> names;
    for (const LoadSet& set : all) names.push_back(set.name);
    r.complain(at, "{}: no load case or combination \"{}\"{}", who, name,
               did_you_mean(name, names));
  }
  return selected;
}

/// More modes would take minutes: a search by vectors is made for the lowest ones.
constexpr int kMostModes = 300;

void read_count(Reading& r, const Value& t, std::string_view key, const std::string& who,
                int& target, int most = 1000000) {
  const Value* v = t.find(key);
  if (v == nullptr || (v->is_text() && v->text == "auto")) return;
  if (!v->is_number() || v->number < 1 || v->number != std::floor(v->number) || v->number > most) {
    r.complain(v->at, "{}: {} is a whole number from 1 to {}", who, key, most);
    return;
  }
  target = static_cast<int>(v->number);
}

std::optional<AnalysisKind> read_kind(Reading& r, const Value& t, Location at,
                                      const std::string& who) {
  const Value* v = t.find("kind");
  if (v == nullptr) {
    r.complain(at, "{}: kind is missing", who);
    return std::nullopt;
  }
  const auto word = r.text(*v, who + ": kind");
  if (!word) return std::nullopt;
  const auto kind = value_of(kAnalysisKinds, *word);
  const bool later = std::find(kLaterKinds.begin(), kLaterKinds.end(), *word) != kLaterKinds.end();
  if (kind && !later) return kind;
  if (later) {
    r.complain(v->at, "{}: kind \"{}\" is not supported yet", who, *word);
  } else {
    std::vector<std::string> names;
    for (const auto& k : kAnalysisKinds) names.emplace_back(k.text);
    r.complain(v->at, "{}: no kind of analysis \"{}\"{}", who, *word, one_of_those(*word, names));
  }
  return std::nullopt;
}

/// `{ CASE = factor }` as a set of loads; its name says what is in it.
std::optional<LoadSet> read_factored(Reading& r, const Value& v, const std::string& who) {
  if (!r.is_table(v, who)) return std::nullopt;
  LoadSet set;
  for (const Entry& term : v.entries) {
    const auto factor = r.quantity(term.value, Quantity::number, who);
    const auto load_case = r.load_case(term.key, term.at, who);
    if (!load_case || !factor) continue;
    set.terms.emplace_back(*load_case, *factor);
    if (!set.name.empty()) set.name += " + ";
    set.name += *factor == 1 ? term.key : fmt::format("{:g} {}", *factor, term.key);
  }
  if (set.terms.empty()) return std::nullopt;
  return set;
}

void read_hold(Reading& r, const Value& v, const std::string& who, AnalysisSpec& spec) {
  const std::string here = who + ": hold";
  if (!r.is_table(v, here) || !r.check_keys(v, "hold", here)) return;
  Hold hold;
  bool any = false;
  for (std::size_t d = 0; d < 6; ++d) {
    const Value* flag = v.find(kDisplacementNames[d]);
    if (flag == nullptr) continue;
    hold.directions[d] = r.flag(*flag, here).value_or(false);
    any = any || hold.directions[d];
  }
  const Value* nodes = v.find("nodes");
  if (nodes == nullptr || !any) {
    return r.complain(v.at, "{}: write {{ nodes = [...], ux = true }}", here);
  }
  for (const NodeId n : r.select_nodes(*nodes, here)) {
    hold.node = n;
    spec.holds.push_back(hold);
  }
}

void read_tolerance(Reading& r, const Value& t, const std::string& who, double& tolerance) {
  const auto v = r.quantity(t, "tolerance", Quantity::number, who);
  if (!v) return;
  if (*v <= 0 || *v > 0.1) {
    r.complain(t.find("tolerance")->at, "{}: tolerance lies between 0 and 0.1", who);
  }
  tolerance = *v;
}

void read_mode_keys(Reading& r, const Value& t, const std::string& who, ModeKeys& keys) {
  read_count(r, t, "modes", who, keys.modes, kMostModes);
  read_count(r, t, "try_restraints", who, keys.try_restraints);
  read_count(r, t, "functions", who, keys.functions);
  if (keys.functions > kMostFunctions) {
    r.complain(t.find("functions")->at, "{}: functions goes up to {}", who, kMostFunctions);
  }
  read_tolerance(r, t, who, keys.tolerance);
}

void read_buckling_keys(Reading& r, const Value& t, const std::string& who, AnalysisSpec& spec) {
  BucklingKeys& keys = spec.become<BucklingKeys>();
  read_mode_keys(r, t, who, keys);
  if (const Value* v = t.find("method")) {
    const auto method = r.text(*v, who + ": method");
    if (method && *method != "linear" && *method != "incremental") {
      r.complain(v->at, "{}: method is linear or incremental, not \"{}\"", who, *method);
    }
    keys.march = method && *method == "incremental";
    if (keys.march && t.find("constant") != nullptr) {
      r.complain(v->at, "{}: march steps all loads together; constant needs eigen", who);
    }
  }
  if (const Value* v = t.find("constant")) keys.constant = read_factored(r, *v, who + ": constant");
  if (const Value* v = t.find("scaled")) {
    if (t.find("loads") != nullptr) {
      r.complain(v->at, "{}: scaled stands instead of loads", who);
    }
    const auto scaled = read_factored(r, *v, who + ": scaled");
    spec.loads.clear();
    if (scaled) spec.loads = {*scaled};
  }
}

void read_after(Reading& r, const Value& v, const std::string& who, ModalKeys& keys) {
  const auto text = r.text(v, who + ": after");
  if (!text) return;
  const auto colon = text->find(':');
  std::vector<std::string> states;
  for (const AnalysisSpec& a : r.model.analyses) {
    if (a.kind() != AnalysisKind::p_delta) continue;
    for (const LoadSet& l : a.loads) states.push_back(a.name + ":" + l.name);
  }
  if (std::find(states.begin(), states.end(), *text) == states.end()) {
    return r.complain(v.at, "{}: no P-Delta state \"{}\" (ANALYSIS:LOADS, of an analysis above){}",
                      who, *text, did_you_mean(*text, states));
  }
  keys.after_analysis = text->substr(0, colon);
  keys.after_loads = text->substr(colon + 1);
}

void read_modal_keys(Reading& r, const Value& t, const std::string& who, AnalysisSpec& spec) {
  ModalKeys& keys = spec.become<ModalKeys>();
  read_mode_keys(r, t, who, keys);
  spec.loads.clear();
  if (const Value* v = t.find("until")) {
    if (r.is_table(*v, who + ": until") && r.check_keys(*v, "until", who + ": until")) {
      for (std::size_t d = 0; d < 3; ++d) {
        const auto per_cent = r.quantity(*v, kAxisNames[d], Quantity::number, who + ": until");
        if (per_cent && (*per_cent <= 0 || *per_cent > 100)) {
          r.complain(v->at, "{}: until is in per cent, above 0 and up to 100", who);
        }
        keys.until[d] = per_cent.value_or(0);
      }
    }
  }
  if (const Value* v = t.find("after")) read_after(r, *v, who, keys);
  if (const Value* v = t.find("loads")) {
    // A P-Delta state of those loads, made for it.
    const std::vector<LoadSet> sets = select_loads(r, *v, who);
    if (sets.size() != 1) {
      return r.complain(v->at, "{}: modal vibrates about the state of one set of loads", who);
    }
    AnalysisSpec state;
    state.name = spec.name + "-state";
    state.become<PDeltaKeys>();
    state.loads = sets;
    state.holds = spec.holds;
    state.line = spec.line;
    r.model.analyses.push_back(state);
    keys.after_analysis = state.name;
    keys.after_loads = sets.front().name;
  }
}

void read_holds(Reading& r, const Value& t, const std::string& who, AnalysisSpec& spec) {
  const Value* v = t.find("hold");
  if (v == nullptr) return;
  if (!v->is_array()) return read_hold(r, *v, who, spec);
  for (const Value& item : v->items) read_hold(r, item, who, spec);
}

/// False where the table has a key of another kind.
bool check_kind_of_keys(Reading& r, const Value& t, const std::string& who, AnalysisKind kind) {
  const std::string_view word = word_of(kAnalysisKinds, kind);
  bool good = true;
  for (const Entry& entry : t.entries) {
    const std::vector<std::string_view> kinds = kinds_of_key(entry.key);
    if (kinds.empty() || std::find(kinds.begin(), kinds.end(), word) != kinds.end()) continue;
    good = false;
    r.complain(entry.at, "{}: {} is a key of {}, not of {}", who, entry.key,
               fmt::join(kinds, " and "), word);
  }
  return good;
}

void read_flag(Reading& r, const Value& t, const char* key, const std::string& who, bool& flag) {
  const Value* v = t.find(key);
  if (v != nullptr) flag = r.flag(*v, fmt::format("{}: {}", who, key)).value_or(flag);
}

void read_first_order_keys(Reading& r, const Value& t, const std::string& who, AnalysisSpec& spec) {
  FirstOrderKeys& keys = spec.become<FirstOrderKeys>();
  read_flag(r, t, "iterate", who, keys.iterate);
  read_flag(r, t, "events", who, keys.events);
  if (keys.events && !keys.iterate) {
    r.complain(t.find("events")->at, "{}: events of a first-order analysis need iterate = true",
               who);
  }
}

void read_p_delta_keys(Reading& r, const Value& t, const std::string& who, AnalysisSpec& spec) {
  PDeltaKeys& keys = spec.become<PDeltaKeys>();
  read_count(r, t, "split", who, keys.split);
  read_count(r, t, "iterations", who, keys.iterations);
  read_tolerance(r, t, who, keys.tolerance);
  read_flag(r, t, "between_nodes", who, keys.between_nodes);
  read_flag(r, t, "events", who, keys.events);
  if (const Value* v = t.find("axial_from")) {
    const std::vector<LoadSet> sets = select_loads(r, *v, who + ": axial_from");
    if (sets.size() > 1) r.complain(v->at, "{}: axial_from names one set of loads", who);
    if (sets.size() == 1) keys.axial_from = sets.front();
  }
}

void read_analysis(Reading& r, const Entry& entry) {
  const std::string who = "analysis " + entry.key;
  const Value& t = entry.value;
  if (!r.is_table(t, who)) return;
  // [analyses.first-order] alone means: nothing beside the baseline.
  const bool baseline = entry.key == "first-order";
  const auto kind = baseline && t.find("kind") == nullptr ? std::optional(AnalysisKind::first_order)
                                                          : read_kind(r, t, entry.at, who);
  if (baseline && kind && *kind != AnalysisKind::first_order) {
    return r.complain(entry.at, "{}: the name is reserved for the baseline, which always runs",
                      who);
  }
  if (!r.check_keys(t, "analysis", who) || !kind) return;
  if (!check_kind_of_keys(r, t, who, *kind)) return;
  AnalysisSpec spec;
  spec.name = entry.key;
  spec.line = entry.at.line;
  const Value* loads = t.find("loads");
  spec.loads = loads ? select_loads(r, *loads, who) : default_loads(r.model);
  read_holds(r, t, who, spec);
  switch (*kind) {
    case AnalysisKind::first_order:
      read_first_order_keys(r, t, who, spec);
      break;
    case AnalysisKind::p_delta:
      read_p_delta_keys(r, t, who, spec);
      break;
    case AnalysisKind::buckling:
      read_buckling_keys(r, t, who, spec);
      break;
    case AnalysisKind::modal:
      read_modal_keys(r, t, who, spec);
      break;
  }
  r.model.analyses.push_back(spec);
}

/// What runs when the file names no analyses.
void add_default_analyses(Model& model) {
  for (const AnalysisKind kind : {AnalysisKind::p_delta, AnalysisKind::buckling}) {
    AnalysisSpec spec;
    spec.name = word_of(kAnalysisKinds, kind);
    spec.become(kind);
    spec.loads = default_loads(model);
    model.analyses.push_back(spec);
  }
}

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

void read_analyses(Reading& r, const Value* table) {
  if (table == nullptr) {
    if (r.file.good()) add_default_analyses(r.model);
    return;
  }
  if (!r.is_table(*table, "analyses")) return;
  for (const Entry& entry : table->entries) read_analysis(r, entry);
}

}  // namespace ulterix
