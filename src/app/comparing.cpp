#include "app/comparing.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "app/options.hpp"
#include "app/stored_run.hpp"
#include "app/text.hpp"
#include "core/analysis/run.hpp"
#include "read/near_names.hpp"
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

std::vector<Results::Filter> filters_of(const CompareRequest& request, bool with_baseline) {
  std::vector<Results::Filter> filters;
  if (!request.loads.empty()) filters.push_back({"load", "loads", request.loads});
  if (!request.analyses.empty()) {
    std::vector<std::string> wanted = request.analyses;
    if (with_baseline) wanted.emplace_back(kBaseline);
    filters.push_back({"analysis", "analysis", wanted});
  }
  return filters;
}

/// The places that matter, as the run found them.
std::vector<StepValue> places_that_matter(const Results& results, const CompareRequest& request) {
  std::vector<StepValue> values;
  for (const auto& row : results.table("comparison", filters_of(request, false)).rows) {
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
  auto filters = filters_of(request, true);
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
    const bool asked = std::any_of(request.nodes.begin(), request.nodes.end(),
                                   [&n](const std::string& w) { return fits(w, n); });
    if (asked) supported.push_back(n);
  }
  if (supported.empty()) return;
  filters.back().wanted = supported;
  add(results.table("reactions", filters));
}

void add_members(const Results& results, const CompareRequest& request,
                 std::vector<StepValue>& values) {
  if (request.members.empty()) return;
  auto filters = filters_of(request, true);
  filters.push_back({"member", "member", request.members});
  const StoredTable table = results.table("member_extremes", filters);
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

/// StepValue of `CA.My@0.5` read off the stations; empty where it lies between them or is no such
/// place.
struct StationPlace {
  std::string member, quantity;
  double x = 0;
  bool fraction = true;
};

std::optional<StationPlace> station_place(const std::string& text) {
  const auto at = text.find('@');
  const auto dot = text.substr(0, at).rfind('.');
  if (at == std::string::npos || dot == std::string::npos) return std::nullopt;
  StationPlace place{text.substr(0, dot), text.substr(dot + 1, at - dot - 1), 0, true};
  const std::string where = text.substr(at + 1);
  if (where == "end") place.x = 1;
  if (where == "start" || where == "end") return place;
  char* end = nullptr;
  place.x = std::strtod(where.c_str(), &end);
  const bool whole = end == where.c_str() + where.size() && !where.empty();
  return whole && place.x >= 0 && place.x <= 1 && !is_pattern(place.member) ? std::optional(place)
                                                                            : std::nullopt;
}

/// From the stored stations; false if the place is not one of them in every step.
bool add_station(const Results& results, const CompareRequest& request, const std::string& text,
                 std::vector<StepValue>& values) {
  const auto place = station_place(text);
  if (!place) return false;
  auto filters = filters_of(request, true);
  filters.push_back({"place", "member", {place->member}});
  const StoredTable table = results.table("member_forces", filters);
  std::size_t column = 0;
  for (std::size_t c = 5; c < table.header.size(); ++c) {
    if (parted(table.header[c]).first == place->quantity) column = c;
  }
  if (column == 0 || table.rows.empty()) return false;
  std::vector<StepValue> found;
  for (std::size_t i = 0; i < table.rows.size();) {
    std::size_t end = i;  // rows of one step
    while (end < table.rows.size() && table.rows[end][0] == table.rows[i][0] &&
           table.rows[end][1] == table.rows[i][1] && table.rows[end][2] == table.rows[i][2]) {
      ++end;
    }
    const double length = number_in(table.rows[end - 1][4]);
    const std::vector<Cell>* hit = nullptr;
    for (std::size_t r = i; r < end; ++r) {
      const bool here = std::abs(number_in(table.rows[r][4]) - place->x * length) < 1e-9 * length;
      // At a jump the value after it, at the end the one before.
      if (here && (hit == nullptr || place->x < 1)) hit = &table.rows[r];
    }
    if (hit == nullptr) return false;
    found.push_back({text_in((*hit)[0]),
                     text_in((*hit)[1]),
                     place->quantity,
                     parted(table.header[column]).second,
                     text,
                     number_in((*hit)[column]),
                     {},
                     {}});
    i = end;
  }
  values.insert(values.end(), found.begin(), found.end());
  return true;
}

/// Recovered from the states: any place, at the cost of building the frame.
void add_recovered(const Results& results, const CompareRequest& request,
                   const std::vector<std::string>& texts, std::vector<StepValue>& values) {
  const auto filters = filters_of(request, true);
  std::vector<std::string> analyses;
  for (const auto& f : filters) {
    if (f.column == "analysis") analyses = f.wanted;
  }
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
      const auto value = value_at(run.recovery(step), *place);
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
  std::vector<std::string> between;
  for (const std::string& text : request.places) {
    if (!add_station(results, request, text, values)) between.push_back(text);
  }
  if (!between.empty()) add_recovered(results, request, between, values);
  return values;
}

std::vector<StepValue> values_for(const Results& results, const CompareRequest& request) {
  return request.asks_for_places() ? requested(results, request)
                                   : places_that_matter(results, request);
}

ComparedLoads& loads_of(std::vector<ComparedLoads>& all, const std::string& name) {
  for (ComparedLoads& l : all) {
    if (l.loads == name) return l;
  }
  all.push_back({name, {}, {}});
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
  for (const StepValue& v : values_for(results, request)) {
    ComparedLoads& loads = loads_of(all, v.loads);
    ComparedPlace& place = place_of(loads, v);
    if (v.analysis == kBaseline) {
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

std::vector<BeforeAfter> before_and_after(const Results& before, const Results& after,
                                          const CompareRequest& request) {
  const std::vector<StepValue> then = values_for(before, request), now = values_for(after, request);
  std::vector<BeforeAfter> pairs;
  for (const StepValue& v : now) {
    const auto found = std::find_if(then.begin(), then.end(), [&](const StepValue& o) {
      return o.analysis == v.analysis && o.loads == v.loads && o.quantity == v.quantity &&
             o.unit == v.unit && (o.where == v.where || !request.asks_for_places());
    });
    if (found == then.end()) continue;
    BeforeAfter pair{v.analysis, v.loads, v.quantity, v.unit, v.where, found->where};
    pair.before = found->value;
    pair.after = v.value;
    pairs.push_back(pair);
  }
  mark_small(pairs);
  std::stable_sort(pairs.begin(), pairs.end(), [](const BeforeAfter& a, const BeforeAfter& b) {
    return a.change() > b.change();
  });
  return pairs;
}

}  // namespace ulterix
