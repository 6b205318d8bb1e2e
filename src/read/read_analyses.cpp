// Analyses.
#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "core/analysis/staged.hpp"
#include "core/modes/mode_member.hpp"
#include "read/analysis_reading.hpp"
#include "read/name_matching.hpp"
#include "read/reading.hpp"

namespace ulterix {

namespace {

constexpr std::array<std::string_view, 1> kLaterKinds = {"direct-analysis"};

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
    keys.incremental = method && *method == "incremental";
    if (keys.incremental && t.find("constant") != nullptr) {
      r.complain(
          v->at,
          "{}: the incremental method steps all loads together; constant needs the linear method",
          who);
    }
  }
  keys.constant = read_constant_and_scaled(r, t, who, spec);
}

/// The state that an analysis starts from: of P-Delta, or of a stage.
void read_after(Reading& r, const Value& t, const std::string& who, AnalysisSpec& spec) {
  const Value* after = t.find("after");
  if (after == nullptr) return;
  const Value& v = *after;
  const auto text = r.text(v, who + ": after");
  if (!text) return;
  const auto colon = text->find(':');
  std::vector<std::string> states;
  for (const AnalysisSpec& a : r.model.analyses) {
    if (a.kind() != AnalysisKind::p_delta && a.kind() != AnalysisKind::staged) continue;
    for (const LoadSet& l : a.loads) states.push_back(a.name + ":" + l.name);
  }
  if (std::find(states.begin(), states.end(), *text) == states.end()) {
    return r.complain(
        v.at,
        "{}: no state \"{}\" of P-Delta (ANALYSIS:LOADS) or of a stage (ANALYSIS:STAGE) above{}",
        who, *text, did_you_mean(*text, states));
  }
  spec.after = {text->substr(0, colon), text->substr(colon + 1)};
  const AnalysisSpec& source = *r.model.find_analysis(spec.after.analysis);
  if (source.kind() == AnalysisKind::staged) {
    const bool finite = has_finite_motion(source.staged());
    if (finite && spec.kind() == AnalysisKind::p_delta) {
      r.complain(v.at,
                 "{}: P-Delta does not go on from a stage of large displacement; "
                 "kind = \"large-displacement\" does",
                 who);
    } else if (finite && spec.kind() == AnalysisKind::buckling && r.model.has_cables()) {
      r.complain(v.at,
                 "{}: buckling after a stage of large displacement, with cables, is not supported "
                 "yet",
                 who);
    } else if (source.staged().creep && spec.kind() == AnalysisKind::p_delta) {
      r.complain(v.at, "{}: p-delta after an erection with creep is not supported yet", who);
    }
  }
  const auto pushed = [](const LoadSet& l) { return l.notional_x != 0 || l.notional_y != 0; };
  const bool on_top =
      spec.kind() == AnalysisKind::p_delta || spec.kind() == AnalysisKind::large_displacement;
  if (on_top && (std::any_of(spec.loads.begin(), spec.loads.end(), pushed) ||
                 std::any_of(source.loads.begin(), source.loads.end(), pushed))) {
    r.complain(v.at, "{}: after, with notional loads, is not supported yet", who);
  }
}

/// Large displacement finds the state anew, in its own theory: the loads of it are there from the
/// start.
void read_after_in_finite_motion(Reading& r, const Value& t, const std::string& who,
                                 AnalysisSpec& spec) {
  const Value* v = t.find("after");
  if (v == nullptr) return;
  for (const char* other : {"constant", "history"}) {
    if (t.find(other) == nullptr) continue;
    return r.complain(t.find(other)->at, "{}: after says what stays: {} or after, not both", who,
                      other);
  }
  read_after(r, t, who, spec);
  if (spec.after.empty()) return;
  const AnalysisSpec& source = *r.model.find_analysis(spec.after.analysis);
  for (const LoadSet& loads : source.loads) {
    if (loads.name == spec.after.loads) spec.become<LargeDisplacementKeys>().constant = loads;
  }
  if (source.kind() != AnalysisKind::staged) {
    spec.after = {};
  } else if (!has_finite_motion(source.staged())) {
    r.complain(v->at,
               "{}: large displacement goes on from stages with theory = \"large-displacement\", "
               "not from those of {}",
               who, source.name);
  } else if (t.find("hold") != nullptr || t.find("start_shape") != nullptr) {
    r.complain(v->at, "{}: after a stage, with hold or start_shape, is not supported yet", who);
  }
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
  read_after(r, t, who, spec);
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
    spec.after = {state.name, sets.front().name};
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
      read_after(r, t, who, spec);
      break;
    case AnalysisKind::buckling:
      read_buckling_keys(r, t, who, spec);
      read_after(r, t, who, spec);
      if (!spec.after.empty() && spec.buckling().incremental) {
        r.complain(t.find("method")->at, "{}: method incremental, with after, is not supported yet",
                   who);
      }
      if (!spec.after.empty() && t.find("constant") != nullptr) {
        r.complain(t.find("constant")->at, "{}: after says what stays: constant or after, not both",
                   who);
      }
      break;
    case AnalysisKind::modal:
      read_modal_keys(r, t, who, spec);
      break;
    case AnalysisKind::large_displacement:
      read_large_displacement_keys(r, t, who, spec);
      read_after_in_finite_motion(r, t, who, spec);
      break;
    case AnalysisKind::staged:
      read_staged_keys(r, t, entry.at, who, spec);
      r.model.analyses.push_back(at_once(spec));
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

}  // namespace

void read_count(Reading& r, const Value& t, std::string_view key, const std::string& who,
                int& target, int most) {
  const Value* v = t.find(key);
  if (v == nullptr || (v->is_text() && v->text == "auto")) return;
  if (!v->is_number() || v->number < 1 || v->number != std::floor(v->number) || v->number > most) {
    r.complain(v->at, "{}: {} is a whole number from 1 to {}", who, key, most);
    return;
  }
  target = static_cast<int>(v->number);
}

void read_flag(Reading& r, const Value& t, const char* key, const std::string& who, bool& flag) {
  const Value* v = t.find(key);
  if (v != nullptr) flag = r.flag(*v, fmt::format("{}: {}", who, key)).value_or(flag);
}

/// What stays; what grows becomes the loads of the analysis.
std::optional<LoadSet> read_constant_and_scaled(Reading& r, const Value& t, const std::string& who,
                                                AnalysisSpec& spec) {
  if (const Value* v = t.find("scaled")) {
    if (t.find("loads") != nullptr) {
      r.complain(v->at, "{}: scaled stands instead of loads", who);
    }
    const auto scaled = read_factored(r, *v, who + ": scaled");
    spec.loads.clear();
    if (scaled) spec.loads = {*scaled};
  }
  const Value* v = t.find("constant");
  return v != nullptr ? read_factored(r, *v, who + ": constant") : std::nullopt;
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
