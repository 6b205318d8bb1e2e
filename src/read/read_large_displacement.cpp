// What a large-displacement analysis is asked.
#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "read/analysis_reading.hpp"
#include "read/model_file.hpp"
#include "read/name_matching.hpp"

namespace ulterix {

namespace {

/// "B5.ux": a displacement of a node, which has to be able to move.
std::optional<Place> read_moving_place(Reading& r, const Value& v, const std::string& who) {
  const auto text = r.text(v, who);
  if (!text) return std::nullopt;
  std::string complaint;
  const auto place = parse_place(r.model, *text, complaint);
  if (!place || place->kind != Place::Kind::displacement) {
    r.complain(v.at, "{}: {}", who,
               complaint.empty() ? "write a displacement of a node, as B5.ux" : complaint);
    return std::nullopt;
  }
  bool held = !r.model.uses_direction(place->component);
  for (const Support& s : r.model.supports) {
    const auto& d = s.directions[static_cast<std::size_t>(place->component)];
    held = held || (s.node == place->node && d.stiffness == kRigid && d.only == 0);
  }
  if (held) {
    r.complain(v.at, "{}: {} is held and does not move", who, *text);
    return std::nullopt;
  }
  return place;
}

/// A length, or a part of the height of the frame: "H/500".
std::optional<double> read_shape_size(Reading& r, const Value& v, const std::string& who) {
  double low = std::numeric_limits<double>::max(), high = -low;
  for (const Node& n : r.model.nodes) {
    low = std::min(low, n.position[r.model.vertical]);
    high = std::max(high, n.position[r.model.vertical]);
  }
  return r.length_or_part(v, {'H', "the height of the frame", high - low, false}, who);
}

std::optional<StartShape> read_start_shape(Reading& r, const Value& v, const std::string& who,
                                           const std::vector<LoadSet>& own) {
  if (!r.is_table(v, who) || !r.check_keys(v, "start_shape", who)) return std::nullopt;
  StartShape shape;
  const Value *from = v.find("from"), *at = v.find("at"), *size = v.find("size");
  if (from == nullptr || at == nullptr || size == nullptr) {
    r.complain(v.at, "{}: write {{ from = \"ANALYSIS\", at = \"B5.ux\", size = \"20 mm\" }}", who);
    return std::nullopt;
  }
  const auto name = r.text(*from, who + ": from");
  if (!name) return std::nullopt;
  const AnalysisSpec* source = nullptr;
  std::vector<std::string> names = {"first-order"};
  for (const AnalysisSpec& a : r.model.analyses) {
    names.push_back(a.name);
    if (a.name == *name) source = &a;
  }
  if (source == nullptr && *name != "first-order") {
    r.complain(from->at, "{}: no analysis \"{}\" above this one{}", who, *name,
               did_you_mean(*name, names));
    return std::nullopt;
  }
  shape.analysis = *name;
  const bool modes = source != nullptr && (source->kind() == AnalysisKind::buckling ||
                                           source->kind() == AnalysisKind::modal);
  read_count(r, v, "mode", who, shape.mode);
  if (v.find("mode") != nullptr && !modes) {
    r.complain(v.find("mode")->at, "{}: {} has no modes", who, *name);
  }
  if (modes) {
    const ModeKeys& keys = source->kind() == AnalysisKind::buckling
                               ? static_cast<const ModeKeys&>(source->buckling())
                               : source->modal();
    const int most = keys.modes > 0                             ? keys.modes
                     : source->kind() == AnalysisKind::buckling ? kDefaultBucklingModes
                                                                : kDefaultVibrationModes;
    if (shape.mode > most) {
      r.complain(v.find("mode")->at, "{}: {} computes {} modes; ask it for more with modes = {}",
                 who, *name, most, shape.mode);
    }
  }
  if (const Value* loads = v.find("loads")) {
    const auto text = r.text(*loads, who + ": loads");
    if (text) shape.loads = *text;
    const bool known =
        source == nullptr || std::any_of(source->loads.begin(), source->loads.end(),
                                         [&](const LoadSet& l) { return l.name == shape.loads; });
    if (!known) r.complain(loads->at, "{}: {} has no loads \"{}\"", who, *name, shape.loads);
  } else if (source != nullptr && source->kind() != AnalysisKind::modal) {
    for (const LoadSet& l : own) {
      const bool known = std::any_of(source->loads.begin(), source->loads.end(),
                                     [&l](const LoadSet& s) { return s.name == l.name; });
      if (!known) {
        r.complain(v.at, "{}: {} does not analyse {}: say whose mode with loads", who, *name,
                   l.name);
      }
    }
  }
  const auto place = read_moving_place(r, *at, who + ": at");
  const auto length = read_shape_size(r, *size, who + ": size");
  if (!place || !length) return std::nullopt;
  if (place->component > 2) {
    r.complain(at->at, "{}: at is a displacement ux, uy or uz", who);
    return std::nullopt;
  }
  shape.node = place->node;
  shape.direction = place->component;
  shape.size = *length;
  return shape;
}

/// The factor that each case has reached, in the order in which they came.
void reach(LoadSet& set, const LoadSet& item, double factor) {
  for (const auto& [id, part] : item.terms) {
    const auto known = std::find_if(set.terms.begin(), set.terms.end(),
                                    [id = id](const auto& term) { return term.first == id; });
    if (known == set.terms.end()) {
      set.terms.emplace_back(id, factor * part);
    } else {
      known->second = factor * part;
    }
  }
}

bool is_known_name(const Model& model, const std::string& name, const std::vector<LoadSet>& own) {
  const auto called = [&name](const LoadSet& l) { return l.name == name; };
  if (std::any_of(own.begin(), own.end(), called)) return true;
  for (const LoadCase& c : model.cases) {
    if (c.name == name) return true;
  }
  if (std::any_of(model.combinations.begin(), model.combinations.end(), called)) return true;
  return std::any_of(model.analyses.begin(), model.analyses.end(), [&](const AnalysisSpec& a) {
    return std::any_of(a.loads.begin(), a.loads.end(), called);
  });
}

/// One leg: what the cases that it names have reached at its end; others stay as they are.
void read_leg(Reading& r, const Value& v, const std::string& who, AnalysisSpec& spec,
              LoadSet& reached) {
  LargeDisplacementKeys& keys = spec.become<LargeDisplacementKeys>();
  const std::size_t number = keys.history.size() + 1;
  const std::string here = fmt::format("{}: leg {}", who, number);
  if (!r.is_table(v, here)) return;
  HistoryLeg leg;
  read_count(r, v, "steps", here, leg.steps, 10000);
  std::string name = fmt::format("leg {}", number);
  if (is_known_name(r.model, name, spec.loads)) name = spec.name + " " + name;
  bool any = false;
  for (const Entry& term : v.entries) {
    if (term.key == "steps") continue;
    if (term.key == "name") {
      const auto given = r.text(term.value, here + ": name");
      if (!given) continue;
      name = *given;
      if (name.empty() || is_known_name(r.model, name, spec.loads)) {
        r.complain(term.at, "{}: the name \"{}\" is that of other loads", here, name);
      }
      continue;
    }
    any = true;
    const auto factor = r.quantity(term.value, Quantity::number, here);
    const auto combination = std::find_if(r.model.combinations.begin(), r.model.combinations.end(),
                                          [&term](const LoadSet& l) { return l.name == term.key; });
    if (combination != r.model.combinations.end()) {
      if (combination->notional_x != 0 || combination->notional_y != 0) {
        r.complain(term.at, "{}: {} has notional loads, which a history cannot take", here,
                   term.key);
      }
      if (factor) reach(reached, *combination, *factor);
      continue;
    }
    const auto load_case = r.load_case(term.key, term.at, here);
    if (load_case && factor) reach(reached, r.model.case_alone(*load_case), *factor);
  }
  if (!any) r.complain(v.at, "{}: it changes no load", here);
  LoadSet set = reached;
  set.name = name;
  spec.loads.push_back(set);
  keys.history.push_back(leg);
}

void read_history(Reading& r, const Value& t, const std::string& who, AnalysisSpec& spec) {
  const Value* v = t.find("history");
  if (v == nullptr) return;
  for (const char* other : {"loads", "constant", "scaled"}) {
    if (t.find(other) != nullptr) {
      r.complain(t.find(other)->at, "{}: history says which loads act: history or {}, not both",
                 who, other);
    }
  }
  const LargeDisplacementKeys& keys = spec.large_displacement();
  if (keys.stop_at_factor != 0 || keys.control == PathControl::displacement) {
    r.complain(v->at, "{}: the legs of a history are led by their loads to their ends", who);
  }
  spec.loads.clear();
  if (!v->is_array() || v->items.empty()) {
    return r.complain(v->at, "{}: write history = [ {{ G = 1 }}, {{ W = 1 }}, {{ W = 0 }} ]", who);
  }
  LoadSet reached;
  for (const Value& leg : v->items) read_leg(r, leg, who + ": history", spec, reached);
}

void read_control(Reading& r, const Value& v, const std::string& who, LargeDisplacementKeys& keys) {
  if (v.is_text()) {
    if (v.text == "load") {
      keys.control = PathControl::load;
    } else if (v.text == "arc-length") {
      keys.control = PathControl::arc_length;
    } else if (v.text != "auto") {
      r.complain(v.at, "{}: auto, load, arc-length or {{ place, to }}, not \"{}\"", who, v.text);
    }
    return;
  }
  if (!r.is_table(v, who) || !r.check_keys(v, "control", who)) return;
  const Value *place = v.find("place"), *to = v.find("to");
  if (place == nullptr || to == nullptr) {
    return r.complain(v.at, "{}: write {{ place = \"B5.ux\", to = \"200 mm\" }}", who);
  }
  const auto lead = read_moving_place(r, *place, who + ": place");
  if (!lead) return;
  const auto end = r.quantity(
      *to, lead->component < 3 ? Quantity::displacement : Quantity::rotation, who + ": to");
  if (end && *end == 0) r.complain(to->at, "{}: to is 0: nothing to do", who);
  keys.control = PathControl::displacement;
  keys.lead = *lead;
  keys.lead_to = end.value_or(1);
}

}  // namespace

void read_large_displacement_keys(Reading& r, const Value& t, const std::string& who,
                                  AnalysisSpec& spec) {
  LargeDisplacementKeys& keys = spec.become<LargeDisplacementKeys>();
  keys.constant = read_constant_and_scaled(r, t, who, spec);
  read_count(r, t, "steps", who, keys.steps, 10000);
  read_count(r, t, "pieces", who, keys.pieces, 1000);
  read_flag(r, t, "events", who, keys.events);
  if (const Value* v = t.find("control")) read_control(r, *v, who + ": control", keys);
  if (const Value* v = t.find("branch")) {
    const auto word = r.text(*v, who + ": branch");
    if (word && *word != "stop" && *word != "follow") {
      r.complain(v->at, "{}: branch is stop or follow, not \"{}\"", who, *word);
    }
    keys.follow_branch = word && *word == "follow";
  }
  if (const Value* v = t.find("stop")) {
    const std::string here = who + ": stop";
    if (r.is_table(*v, here) && r.check_keys(*v, "stop", here)) {
      read_flag(r, *v, "limit", here, keys.stop_at_limit);
      read_count(r, *v, "steps", here, keys.most_steps);
      const auto factor = r.quantity(*v, "factor", Quantity::number, here);
      if (factor && *factor == 0) r.complain(v->at, "{}: factor is 0: nothing to do", here);
      keys.stop_at_factor = factor.value_or(0);
    }
  }
  read_history(r, t, who, spec);
  if (const Value* v = t.find("start_shape")) {
    keys.start_shape = read_start_shape(r, *v, who + ": start_shape", spec.loads);
  }
  if (!r.model.floors.empty()) {
    r.complain({spec.line, 1}, "{}: large displacement with [floors] is not supported yet", who);
  }
}

}  // namespace ulterix
