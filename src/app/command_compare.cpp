#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "app/comparing.hpp"
#include "app/mode_pairs.hpp"
#include "app/options.hpp"
#include "app/table_text.hpp"
#include "app/text.hpp"
#include "read/model_changes.hpp"
#include "read/name_matching.hpp"

namespace ulterix {

namespace {

using Names = std::vector<std::string>;

/// Differences above this part are worth a line by themselves.
constexpr double kWorthALine = 0.05;
constexpr std::size_t kMostLines = 14;

double difference(const ComparedValue& v) {
  return v.ratio ? std::abs(*v.ratio - 1) : 0;
}

double largest_difference(const ComparedPlace& place) {
  double most = 0;
  for (const auto& v : place.values) most = std::max(most, v ? difference(*v) : 0);
  return most;
}

std::string three_decimals(const std::optional<double>& ratio) {
  if (!ratio) return "-";
  return fmt::format("{:.3f}", std::abs(*ratio) < 5e-4 ? 0.0 : *ratio);  // no -0.000
}

/// Rows that are printed: those that changed and are not small, all that are not 0, or every one.
enum class Shown { that_matter, not_zero, all };

std::string small_words(std::size_t count) {
  if (count == 0) return {};
  return fmt::format("; changed, but below 1 % of the largest: {}", count);
}

/// One set of loads: a line a place, first-order and every other analysis beside it.
void print_loads(const ComparedLoads& loads, Shown shown_rows) {
  const bool all = shown_rows != Shown::that_matter;
  std::vector<const ComparedPlace*> places;
  for (const ComparedPlace& p : loads.places) places.push_back(&p);
  std::stable_sort(places.begin(), places.end(), [](const auto* a, const auto* b) {
    return largest_difference(*a) > largest_difference(*b);
  });
  std::vector<Align> align = {Align::left, Align::left, Align::left, Align::right};
  std::vector<std::string> head = {loads.loads, "where", "", loads.reference};
  for (const std::string& analysis : loads.analyses) {
    align.insert(align.end(), {Align::right, Align::right});
    head.insert(head.end(), {analysis, "ratio"});
  }
  TextTable table(align);
  table.add(head);
  std::size_t shown = 0, equal = 0, small = 0;
  for (const ComparedPlace* p : places) {
    if (p->nothing && shown_rows != Shown::all) continue;
    const bool same = largest_difference(*p) < kUnchanged;
    equal += same ? 1 : 0;
    small += !same && p->small ? 1 : 0;
    if (!all && (same || p->small || shown == kMostLines)) continue;
    ++shown;
    std::vector<std::string> cells = {"  " + p->quantity, p->where, p->unit,
                                      significant(p->first_order)};
    for (const auto& v : p->values) {
      cells.push_back(v ? significant(v->value) : "-");
      cells.push_back(v ? three_decimals(v->ratio) : "-");
    }
    table.add(cells);
  }
  fmt::print("{}", table.print());
  if (!all && equal + small > 0) {
    fmt::print("   unchanged within 0.1 %: {} of {}{}:  --all\n", equal, places.size(),
               small_words(small));
  }
  fmt::print("\n");
}

void print_beside_first_order(const std::vector<ComparedLoads>& all_loads, Shown shown) {
  for (const ComparedLoads& loads : all_loads) print_loads(loads, shown);
  if (all_loads.empty()) fmt::print("nothing to compare: no second-order result\n");
}

void print_model_changes(const std::vector<KeyChange>& changes) {
  if (changes.empty()) {
    fmt::print(" the models are the same\n\n");
    return;
  }
  fmt::print(" changed in the model\n");
  const int width = terminal_width();
  for (std::size_t i = 0; i < changes.size() && i < 20; ++i) {
    const KeyChange& c = changes[i];
    fmt::print("{}\n",
               wrapped(fmt::format("   {}: {} -> {}", c.key, c.before.empty() ? "none" : c.before,
                                   c.after.empty() ? "none" : c.after),
                       width, 6));
  }
  if (changes.size() > 20) fmt::print("   ... and {} more\n", changes.size() - 20);
  fmt::print("\n");
}

/// Outcomes that are not the same before and after.
void print_outcomes(const Results& before, const Results& after) {
  std::map<std::pair<std::string, std::string>, std::string> then;
  for (const auto& row : before.table("steps").rows) {
    then[{text_in(row[0]), text_in(row[1])}] = text_in(row[5]);
  }
  for (const auto& row : after.table("steps").rows) {
    const auto found = then.find({text_in(row[0]), text_in(row[1])});
    if (found == then.end() || found->second == text_in(row[5])) continue;
    fmt::print(" {} under {}: {} -> {}\n", text_in(row[0]), text_in(row[1]), found->second,
               text_in(row[5]));
  }
}

/// `states`: the two of one folder; empty: the same state of two folders.
void print_before_and_after(const std::vector<BeforeAfter>& pairs, Shown shown_rows,
                            const Names& states = {}) {
  const bool all = shown_rows != Shown::that_matter, one_folder = !states.empty();
  std::vector<Align> align = {Align::left, Align::left};
  if (!one_folder) align.insert(align.end(), {Align::left, Align::left});
  align.insert(align.end(), {Align::left, Align::right, Align::right, Align::right, Align::left});
  TextTable table(align);
  if (one_folder) {
    table.add({"what", "", "where", states[0], states[1], "ratio", ""});
  } else {
    table.add({"what", "", "load", "analysis", "where", "before", "after", "ratio", ""});
  }
  std::size_t shown = 0, unchanged = 0, more = 0, small = 0;
  for (const BeforeAfter& p : pairs) {
    if (p.nothing && shown_rows != Shown::all) continue;
    if (p.change() < kUnchanged) {
      ++unchanged;
      if (!all) continue;
    } else if (p.small && !all) {
      ++small;
      continue;
    }
    if (!all && shown >= kMostLines) {
      more += p.change() > kWorthALine ? 1 : 0;
      continue;
    }
    ++shown;
    const bool moved = p.where_before != p.where;
    std::vector<std::string> cells = {p.quantity, p.unit};
    if (!one_folder) cells.insert(cells.end(), {p.loads, p.analysis});
    cells.insert(cells.end(),
                 {p.where, significant(p.before), significant(p.after),
                  p.before == 0 ? "new" : fmt::format("{:.3f}", p.after / p.before),
                  p.only_moved() ? fmt::format("of the same size, moved from {}", p.where_before)
                  : moved        ? "was at " + p.where_before
                                 : ""});
    table.add(cells);
  }
  if (shown > 0) fmt::print("{}", table.print());
  if (more > 0) fmt::print(" ...  {} more above 5 %:  --all\n", more);
  fmt::print(" unchanged within 0.1 %: {} of {}{}\n", unchanged, pairs.size(), small_words(small));
}

/// Calls visit(before, after) for the modes of every analysis and load that both folders have.
template <class Visit>
void each_mode_set(const Results& before, const Results& after, const CompareRequest& request,
                   const Visit& visit) {
  const auto wanted = [](const Names& patterns, const std::string& name) {
    return patterns.empty() || fits_any(patterns, name);
  };
  const std::vector<ModeSet> old_sets = mode_sets(before), new_sets = mode_sets(after);
  for (const ModeSet& now : new_sets) {
    if (!wanted(request.analyses, now.analysis) || !wanted(request.loads, now.loads)) continue;
    for (const ModeSet& then : old_sets) {
      if (then.analysis != now.analysis || then.loads != now.loads) continue;
      visit(then, now);
    }
  }
}

/// Modes paired by their shapes as rows beside those of the places.
void add_mode_rows(const Results& before, const Results& after, const CompareRequest& request,
                   StoredTable& table) {
  each_mode_set(before, after, request, [&table](const ModeSet& then, const ModeSet& now) {
    for (const ModePair& p : pair_modes(then, now)) {
      const auto value = [](const StoredMode* m) { return m != nullptr ? Cell(m->value) : Cell(); };
      const bool both = p.before != nullptr && p.after != nullptr && p.before->value != 0;
      const StoredMode* named = p.after != nullptr ? p.after : p.before;
      if (named == nullptr) continue;
      table.rows.push_back({now.analysis, now.loads, now.buckling ? "buckling factor" : "period",
                            now.buckling ? "" : "s", fmt::format("mode {}", named->number),
                            value(p.before), value(p.after),
                            both ? Cell(p.after->value / p.before->value) : Cell()});
    }
  });
}

/// `ANALYSIS` or `ANALYSIS:LOADS` of the modes to compare.
const ModeSet& find_set(const std::vector<ModeSet>& sets, const std::string& name) {
  Names names;
  for (const ModeSet& s : sets) {
    const std::string full = s.loads.empty() ? s.analysis : s.analysis + ":" + s.loads;
    if (full == name || s.analysis == name) return s;
    names.push_back(full);
  }
  throw CallError(fmt::format("--pair: \"{}\" has no modes{} (there are {})", name,
                              did_you_mean(name, names), fmt::join(names, ", ")));
}

/// A table for scripts: the same rows, nothing left out.
StoredTable as_table(const std::vector<ComparedLoads>& all_loads) {
  StoredTable table;
  table.header = {"loads",       "quantity", "unit",  "where",
                  "first_order", "analysis", "value", "ratio"};
  for (const ComparedLoads& loads : all_loads) {
    for (const ComparedPlace& p : loads.places) {
      for (std::size_t a = 0; a < loads.analyses.size(); ++a) {
        if (!p.values[a]) continue;
        const auto& ratio = p.values[a]->ratio;
        table.rows.push_back({loads.loads, p.quantity, p.unit, p.where, p.first_order,
                              loads.analyses[a], p.values[a]->value,
                              ratio ? Cell(*ratio) : Cell()});
      }
    }
  }
  return table;
}

StoredTable as_table(const std::vector<BeforeAfter>& pairs) {
  StoredTable table;
  table.header = {"analysis", "loads", "quantity", "unit", "where", "before", "after", "ratio"};
  for (const BeforeAfter& p : pairs) {
    table.rows.push_back({p.analysis, p.loads, p.quantity, p.unit, p.where, p.before, p.after,
                          p.before == 0 ? Cell() : Cell(p.after / p.before)});
  }
  return table;
}

}  // namespace

int command_compare(const Arguments& arguments) {
  CommandOptions options(
      "compare", "RESULTS [AFTER]",
      "One results folder: its analyses beside first-order, the most changed places first.\n"
      "Two: what changed in the model and in the results.",
      "  ulterix compare shed-results --load U2\n"
      "      where U2 differs from first-order\n"
      "  ulterix compare shed-results --place CA1.My@0.5 --node D2\n"
      "      one moment and one node, in every load and analysis\n"
      "  ulterix compare shed-results --pair modes --pair loaded:U1\n"
      "      periods without and with axial force, paired by shape (MAC)\n"
      "  ulterix compare shed-results --from \"erection:level 2\" --to \"erection:level 3\"\n"
      "      what the third level changed\n"
      "  ulterix compare before after\n"
      "      what a change did: the keys that differ, and the results, largest change first\n");
  const auto names = [] { return cxxopts::value<Names>(); };
  options.add()("analysis", "only this analysis; names and patterns, may be repeated", names(),
                "NAME")("load", "only these loads", names(), "NAME")(
      "node", "displacements and reactions of these nodes", names(), "NAME")(
      "member", "extremes along these members", names(), "NAME")(
      "place", "one place: B1.ux, A0.fz, CA.My@0.5, CA.N@max", names(), "PLACE")(
      "pair", "pairs the modes of two analyses by their shapes; twice", names(), "NAME")(
      "from", "one state beside another of the same folder: ANALYSIS:LOADS or ANALYSIS:STAGE",
      cxxopts::value<std::string>(),
      "STATE")("to", "the other one", cxxopts::value<std::string>(), "STATE")(
      "all", "every place, the unchanged ones too")(
      "format", kTableFormats, cxxopts::value<std::string>()->default_value("text"), "FORMAT");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  const auto folders = options.targets(*parsed, "results folder");
  if (folders.size() > 2) throw CallError("expected one or two results folders");
  CompareRequest request;
  for (const auto& [option, list] : {std::pair<const char*, Names*>{"analysis", &request.analyses},
                                     {"load", &request.loads},
                                     {"node", &request.nodes},
                                     {"member", &request.members},
                                     {"place", &request.places}}) {
    if (parsed->count(option) > 0) *list = (*parsed)[option].as<Names>();
  }
  const Shown shown = parsed->count("all") > 0    ? Shown::all
                      : request.asks_for_places() ? Shown::not_zero
                                                  : Shown::that_matter;
  const TableFormat format = parse_table_format((*parsed)["format"].as<std::string>());
  const Results first(folders[0]);
  if (parsed->count("pair") > 0) {
    const auto sets = (*parsed)["pair"].as<Names>();
    if (sets.size() != 2 || folders.size() != 1) {
      throw CallError("--pair: two sets of modes of one folder, --pair A --pair B:U1");
    }
    const std::vector<ModeSet> all = mode_sets(first);
    fmt::print("{}", pairs_text(find_set(all, sets[0]), find_set(all, sets[1])));
    return kDone;
  }
  if (parsed->count("from") + parsed->count("to") > 0) {
    if (parsed->count("from") != 1 || parsed->count("to") != 1 || folders.size() != 1) {
      throw CallError("--from and --to: two states of one folder");
    }
    if (!request.analyses.empty() || !request.loads.empty()) {
      throw CallError(
          "--from and --to name the analysis and the loads: without --analysis, --load");
    }
    const Names states = {(*parsed)["from"].as<std::string>(), (*parsed)["to"].as<std::string>()};
    const auto pairs = between_states(first, states[0], states[1], request);
    if (format == TableFormat::text) {
      print_before_and_after(pairs, shown, states);
    } else {
      fmt::print("{}", table_text(as_table(pairs), format));
    }
    return kDone;
  }
  if (folders.size() == 1) {
    const auto compared = beside_first_order(first, request);
    if (format == TableFormat::text) {
      print_beside_first_order(compared, shown);
    } else {
      fmt::print("{}", table_text(as_table(compared), format));
    }
    return kDone;
  }
  const Results second(folders[1]);
  const auto pairs = before_and_after(first, second, request);
  if (format != TableFormat::text) {
    StoredTable table = as_table(pairs);
    if (!request.asks_for_places()) add_mode_rows(first, second, request, table);
    fmt::print("{}", table_text(table, format));
    return kDone;
  }
  fmt::print("{}  ->  {}\n\n", folders[0], folders[1]);
  print_model_changes(
      model_changes(first.store().about("model_text"), second.store().about("model_text")));
  print_outcomes(first, second);
  if (!request.asks_for_places()) {
    each_mode_set(first, second, request, [](const ModeSet& then, const ModeSet& now) {
      fmt::print("{}", pairs_text(then, now));
    });
  }
  print_before_and_after(pairs, shown);
  return kDone;
}

}  // namespace ulterix
