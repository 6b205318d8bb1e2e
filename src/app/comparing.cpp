#include "app/comparing.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "app/options.hpp"
#include "app/recovered_table.hpp"
#include "app/stored_run.hpp"
#include "app/text.hpp"
#include "core/analysis/run.hpp"
#include "core/analysis/staged.hpp"
#include "read/name_matching.hpp"
#include "write/tables.hpp"

namespace ulterix {

namespace {

/// Values below this part of the largest of their kind give no ratio.
constexpr double kNoRatio = 1e-9;

/// Below this part of the largest of its unit a change is of little interest.
constexpr double kSmall = 0.01;

/// One number of one step.
struct StepValue {
  std::string analysis, loads, quantity, unit, where;
  double value = 0;
  std::optional<double> first_order, ratio;  ///< where the table knows it
};

/// With what the analyses asked for stand beside, where it is wanted: first-order, or at once.
std::vector<Results::Filter> filters_of(const Results& results, const CompareRequest& request,
                                        bool with_reference) {
  std::vector<Results::Filter> filters;
  if (!request.loads.empty()) filters.push_back({"load", "loads", request.loads});
  if (!request.analyses.empty()) {
    std::vector<std::string> wanted = request.analyses;
    if (with_reference) {
      for (const auto& [analysis, loads] : steps_with_results(results)) {
        const bool known = std::find(wanted.begin(), wanted.end(), analysis) != wanted.end();
        const bool reference =
            analysis == kBaseline ||
            std::any_of(request.analyses.begin(), request.analyses.end(),
                        [&a = analysis](const std::string& w) { return at_once_name(w) == a; });
        if (reference && !known) wanted.push_back(analysis);
      }
    }
    filters.push_back({"analysis", "analysis", wanted});
  }
  return filters;
}

/// The places that matter, as the run found them.
std::vector<StepValue> places_that_matter(const Results& results, const CompareRequest& request) {
  std::vector<StepValue> values;
  for (const auto& row : results.table("comparison", filters_of(results, request, false)).rows) {
    StepValue v{text_in(row[0]), text_in(row[1]),   text_in(row[3]),   text_in(row[4]),
                text_in(row[5]), number_in(row[7]), number_in(row[6]), {}};
    if (is_number(row[8])) v.ratio = number_in(row[8]);
    values.push_back(v);
  }
  return values;
}

/// `ux[mm]` parted into name and unit.
std::pair<std::string, std::string> parted(const std::string& header) {
  const auto open = header.find('[');
  if (open == std::string::npos) return {header, ""};
  return {header.substr(0, open), header.substr(open + 1, header.size() - open - 2)};
}

void add_nodes(const Results& results, const CompareRequest& request,
               std::vector<StepValue>& values) {
  if (request.nodes.empty()) return;
  auto filters = filters_of(results, request, true);
  filters.push_back({"node", "node", request.nodes});
  const auto add = [&values](const StoredTable& table) {
    for (const auto& row : table.rows) {
      for (std::size_t c = 4; c < row.size(); ++c) {
        const auto [name, unit] = parted(table.header[c]);
        values.push_back({text_in(row[0]),
                          text_in(row[1]),
                          name,
                          unit,
                          text_in(row[3]),
                          number_in(row[c]),
                          {},
                          {}});
      }
    }
  };
  add(results.table("displacements", filters));
  // Nodes without a support have no reactions, which is no complaint.
  std::vector<std::string> supported;
  for (const std::string& n : results.store().names(known_table("reactions"), "node")) {
    if (fits_any(request.nodes, n)) supported.push_back(n);
  }
  if (supported.empty()) return;
  filters.back().wanted = supported;
  add(results.table("reactions", filters));
}

void add_members(const Results& results, const CompareRequest& request,
                 std::vector<StepValue>& values) {
  if (request.members.empty()) return;
  auto filters = filters_of(results, request, true);
  filters.push_back({"member", "member", request.members});
  const StoredTable table = any_table(results, known_table("member_extremes"), filters);
  for (const auto& row : table.rows) {
    for (const auto& [end, at] : {std::pair<const char*, std::size_t>{"min", 6}, {"max", 8}}) {
      values.push_back({text_in(row[0]),
                        text_in(row[1]),
                        fmt::format("{} {}", text_in(row[4]), end),
                        text_in(row[5]),
                        text_in(row[3]),
                        number_in(row[at]),
                        {},
                        {}});
    }
  }
}

/// `B*.ux` and `C?.My@max` as one place for each node or member that fits.
std::vector<std::string> without_patterns(const Results& results,
                                          const std::vector<std::string>& texts) {
  std::vector<std::string> places;
  for (const std::string& text : texts) {
    const std::size_t at = text.find('@'), dot = text.rfind('.', at);
    const std::string item = text.substr(0, dot == std::string::npos ? 0 : dot);
    if (!is_pattern(item)) {
      places.push_back(text);
      continue;
    }
    const Model& model = results.model().model;
    std::string complaint;
    const std::size_t before = places.size();
    const auto add = [&](const std::string& name) {
      const std::string one = name + text.substr(dot);
      if (fits(item, name) && parse_place(model, one, complaint)) places.push_back(one);
    };
    for (const Node& n : model.nodes) add(n.name);
    for (const Member& m : model.members) add(m.name);
    if (places.size() == before) {
      throw CallError(fmt::format(
          "--place: {}", complaint.empty() ? fmt::format("nothing fits \"{}\"", item) : complaint));
    }
  }
  return places;
}

/// Recovered from the states: any place, at the cost of building the frame.
void add_recovered(const Results& results, const CompareRequest& request,
                   std::vector<StepValue>& values) {
  const auto filters = filters_of(results, request, true);
  std::vector<std::string> analyses;
  for (const auto& f : filters) {
    if (f.column == "analysis") analyses = f.wanted;
  }
  const std::vector<std::string> texts = without_patterns(results, request.places);
  // MEMBER.QUANTITY@x: only the states of those members are read.
  std::vector<std::string> members;
  for (const std::string& text : texts) {
    const std::size_t at = text.find('@'), dot = text.rfind('.', at);
    if (at != std::string::npos && dot != std::string::npos) members.push_back(text.substr(0, dot));
  }
  if (members.size() < texts.size()) members.clear();
  const StoredRun run(results, analyses, request.loads, members);
  for (const std::string& text : texts) {
    std::string complaint;
    const auto place = parse_place(run.model(), text, complaint);
    if (!place) throw CallError(fmt::format("--place: {}", complaint));
    const Quantity q = quantity_of(*place);
    for (const Step& step : run.steps()) {
      const auto value = value_at(Recovery(step), *place);
      if (!value) continue;
      values.push_back({step.analysis,
                        step.loads.name,
                        text,
                        run.units().label(q),
                        "",
                        run.units().from_si(q, *value),
                        {},
                        {}});
    }
  }
}

std::vector<StepValue> requested(const Results& results, const CompareRequest& request) {
  std::vector<StepValue> values;
  add_nodes(results, request, values);
  add_members(results, request, values);
  if (!request.places.empty()) add_recovered(results, request, values);
  return values;
}

std::vector<StepValue> values_for(const Results& results, const CompareRequest& request) {
  return request.asks_for_places() ? requested(results, request)
                                   : places_that_matter(results, request);
}

/// The largest displacements, reactions and internal forces of first-order under each load.
std::vector<StepValue> largest_of_first_order(const Results& results,
                                              const CompareRequest& request) {
  std::vector<Results::Filter> filters = {{"analysis", "analysis", {std::string(kBaseline)}}};
  if (!request.loads.empty()) filters.push_back({"load", "loads", request.loads});
  std::vector<StepValue> values;
  std::map<std::pair<std::string, std::string>, std::size_t> known;
  const auto take = [&](const std::vector<Cell>& row, const std::string& quantity,
                        const std::string& unit, const std::string& where, double value) {
    const auto [found, is_new] = known.try_emplace({text_in(row[1]), quantity}, values.size());
    StepValue v{text_in(row[0]), text_in(row[1]), quantity, unit, where, value, {}, {}};
    if (is_new) {
      values.push_back(std::move(v));
    } else if (std::abs(value) > std::abs(values[found->second].value) * (1 + 1e-9)) {
      values[found->second] = std::move(v);
    }
  };
  for (const auto& [name, word] :
       {std::pair<const char*, const char*>{"displacements", "displacement"},
        {"reactions", "reaction"}}) {
    const StoredTable table = results.table(name, filters);
    for (const auto& row : table.rows) {
      for (std::size_t c = 4; c < row.size(); ++c) {
        const auto [quantity, unit] = parted(table.header[c]);
        take(row, fmt::format("{} {}", word, quantity), unit, text_in(row[3]), number_in(row[c]));
      }
    }
  }
  for (const auto& row : any_table(results, known_table("member_extremes"), filters).rows) {
    for (const std::size_t end : {6, 8}) {
      take(row, text_in(row[4]), text_in(row[5]),
           fmt::format("{}@{:.6g}", text_in(row[3]), number_in(row[end + 1])), number_in(row[end]));
    }
  }
  return values;
}

/// What two folders are compared by.
std::vector<StepValue> values_of_folder(const Results& results, const CompareRequest& request) {
  std::vector<StepValue> values = values_for(results, request);
  if (request.asks_for_places()) return values;
  if (values.empty() || fits_any(request.analyses, kBaseline)) {
    for (StepValue& v : largest_of_first_order(results, request)) values.push_back(std::move(v));
  }
  return values;
}

ComparedLoads& loads_of(std::vector<ComparedLoads>& all, const std::string& name) {
  for (ComparedLoads& l : all) {
    if (l.loads == name) return l;
  }
  all.emplace_back();
  all.back().loads = name;
  return all.back();
}

ComparedPlace& place_of(ComparedLoads& loads, const StepValue& v) {
  for (ComparedPlace& p : loads.places) {
    // The largest of a kind may lie elsewhere in another analysis.
    if (p.quantity == v.quantity && (p.where == v.where || v.first_order)) return p;
  }
  loads.places.push_back({v.quantity, v.unit, v.where, 0, {}});
  return loads.places.back();
}

std::size_t analysis_of(ComparedLoads& loads, const std::string& name) {
  const auto found = std::find(loads.analyses.begin(), loads.analyses.end(), name);
  if (found != loads.analyses.end()) {
    return static_cast<std::size_t>(found - loads.analyses.begin());
  }
  loads.analyses.push_back(name);
  return loads.analyses.size() - 1;
}

/// The largest first-order value of each unit, below a billionth of which there is no ratio.
double largest_of(const ComparedLoads& loads, const std::string& unit) {
  double largest = 0;
  for (const ComparedPlace& p : loads.places) {
    if (p.unit == unit) largest = std::max(largest, std::abs(p.first_order));
  }
  return largest;
}

double size_of(const ComparedPlace& place) {
  double size = std::abs(place.first_order);
  for (const auto& v : place.values) size = std::max(size, v ? std::abs(v->value) : 0);
  return size;
}

double size_of(const BeforeAfter& pair) {
  return std::max(std::abs(pair.before), std::abs(pair.after));
}

/// Marks those below a part of the largest of their unit.
template <class Item>
void mark_small(std::vector<Item>& items) {
  for (Item& item : items) {
    double largest = 0;
    for (const Item& other : items) {
      if (other.unit == item.unit) largest = std::max(largest, size_of(other));
    }
    item.small = size_of(item) < kSmall * largest;
    item.nothing = size_of(item) <= kNoRatio * kNoRatio * largest;
  }
}

}  // namespace

std::vector<ComparedLoads> beside_first_order(const Results& results,
                                              const CompareRequest& request) {
  std::vector<ComparedLoads> all;
  const std::vector<AnalysisSpec>& specs = results.model().model.analyses;
  const auto staged = [&specs](const std::string& name) -> const StagedKeys* {
    for (const AnalysisSpec& a : specs) {
      if (a.name == name && a.kind() == AnalysisKind::staged) return &a.staged();
    }
    return nullptr;
  };
  for (const StepValue& v : values_for(results, request)) {
    ComparedLoads& loads = loads_of(all, v.loads);
    ComparedPlace& place = place_of(loads, v);
    const StagedKeys* stages = staged(v.analysis);
    if (stages != nullptr) loads.reference = "at once";
    if (v.analysis == kBaseline || (stages != nullptr && stages->at_once)) {
      place.first_order = v.value;
      continue;
    }
    const std::size_t a = analysis_of(loads, v.analysis);
    place.values.resize(std::max(place.values.size(), a + 1));
    place.values[a] = ComparedValue{v.value, v.ratio};
    if (v.first_order) place.first_order = *v.first_order;
  }
  for (ComparedLoads& loads : all) {
    for (ComparedPlace& p : loads.places) {
      p.values.resize(loads.analyses.size());
      if (!request.asks_for_places()) continue;
      const bool counts = std::abs(p.first_order) > kNoRatio * largest_of(loads, p.unit);
      for (auto& v : p.values) {
        if (v && counts) v->ratio = v->value / p.first_order;
      }
    }
    mark_small(loads.places);
    for (ComparedPlace& p : loads.places) {
      // What rounding leaves of nothing.
      if (std::abs(p.first_order) < 1e-12 * size_of(p)) p.first_order = 0;
    }
  }
  return all;
}

namespace {

/// Quantities that both lists have; `same_state`: of the same analysis and loads alone.
std::vector<BeforeAfter> paired(const std::vector<StepValue>& then,
                                const std::vector<StepValue>& now, bool by_place, bool same_state) {
  std::vector<BeforeAfter> pairs;
  for (const StepValue& v : now) {
    const auto found = std::find_if(then.begin(), then.end(), [&](const StepValue& o) {
      const bool same = o.analysis == v.analysis && o.loads == v.loads;
      return (same || !same_state) && o.quantity == v.quantity && o.unit == v.unit &&
             (o.where == v.where || !by_place);
    });
    if (found == then.end()) continue;
    BeforeAfter pair{v.analysis, v.loads, v.quantity, v.unit, v.where, found->where};
    pair.before = found->value;
    pair.after = v.value;
    pairs.push_back(pair);
  }
  mark_small(pairs);
  std::stable_sort(pairs.begin(), pairs.end(), [](const BeforeAfter& a, const BeforeAfter& b) {
    if (a.turns() != b.turns()) return b.turns();
    return a.change() > b.change();
  });
  return pairs;
}

/// Of one state, ANALYSIS:LOADS.
std::vector<StepValue> values_of_state(const Results& results, const std::string& name,
                                       const char* option, CompareRequest request) {
  std::vector<std::string> states;
  for (const auto& [analysis, loads] : steps_with_results(results)) {
    states.push_back(fmt::format("{}:{}", analysis, loads));
    if (states.back() != name) continue;
    request.analyses = {analysis};
    request.loads = {loads};
    std::vector<StepValue> values = values_of_folder(results, request);
    // Not of what it stands beside.
    const auto other = [&a = analysis](const StepValue& v) { return v.analysis != a; };
    values.erase(std::remove_if(values.begin(), values.end(), other), values.end());
    return values;
  }
  throw CallError(fmt::format("{}: no state \"{}\" in the results{} (ANALYSIS:LOADS)", option, name,
                              did_you_mean(name, states)));
}

}  // namespace

std::vector<BeforeAfter> before_and_after(const Results& before, const Results& after,
                                          const CompareRequest& request) {
  return paired(values_of_folder(before, request), values_of_folder(after, request),
                request.asks_for_places(), true);
}

std::vector<BeforeAfter> between_states(const Results& results, const std::string& from,
                                        const std::string& to, const CompareRequest& request) {
  return paired(values_of_state(results, from, "--from", request),
                values_of_state(results, to, "--to", request), request.asks_for_places(), false);
}

}  // namespace ulterix
