#include "app/digest.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <sstream>

#include "app/digest_modes.hpp"
#include "app/digest_stages.hpp"
#include "app/digest_steps.hpp"
#include "app/digest_storeys.hpp"
#include "app/text.hpp"
#include "core/results/comparison.hpp"
#include "core/results/modes.hpp"
#include "core/results/recovery.hpp"
#include "write/tables.hpp"

namespace ulterix {

namespace {

/// Values below this part of the largest of their kind are left out of "differs most".
constexpr double kWorthTelling = 0.1;
constexpr std::size_t kMostLoads = 6, kMostWatches = 6;

/// Lines that are wider than the terminal are cut there.
std::string fitted(const std::string& text, int width) {
  std::string result;
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);) {
    if (display_width(line) > static_cast<std::size_t>(width)) {
      std::size_t end = 0;
      for (int shown = 0; shown < width - 1; ++shown) {
        ++end;
        while (end < line.size() && (static_cast<unsigned char>(line[end]) & 0xC0) == 0x80) ++end;
      }
      line = line.substr(0, end) + ">";
    }
    result += line + '\n';
  }
  return result;
}

std::string kind_name(AnalysisKind kind) {
  return kind == AnalysisKind::p_delta ? "P-Delta" : std::string(word_of(kAnalysisKinds, kind));
}

/// A second-order step with its rows beside first-order.
struct Compared {
  const Step* step;
  std::vector<ComparisonRow> rows;

  /// The row of largest value that passes the test; nullptr if none.
  template <class Test>
  const ComparisonRow* largest(const Test& test) const {
    const ComparisonRow* best = nullptr;
    for (const ComparisonRow& row : rows) {
      if (test(row) && (best == nullptr || std::abs(row.value) > std::abs(best->value)))
        best = &row;
    }
    return best;
  }
};

class Digest {
 public:
  Digest(const RunResult& result, const UnitSystem& units, int width, bool full)
      : result_(result), model_(*result.model), units_(units), width_(width), full_(full) {
    for (std::size_t i = 0; i < result.steps.size(); ++i) {
      if (!is_second_order(result.steps[i].kind)) continue;
      compared_.push_back({&result.steps[i], result.comparisons[i]});
    }
  }

  std::string print() {
    heading();
    verdict();
    watched();
    if (compared_.empty()) text_ += first_order_digest(result_, units_, full_);
    for (const std::string& name : result_.analyses()) table(name);
    if (full_) differs_most();
    text_ += one_way_digest(result_, units_, width_, full_);
    text_ += path_digest(result_, units_, width_, full_);
    text_ += stages_digest(result_, units_, width_, full_);
    text_ += buckling_digest(result_, units_, width_, full_);
    text_ += modal_digest(result_, units_, width_, full_);
    governing();
    if (full_) text_ += storeys_digest(result_, units_, width_);
    text_ += '\n';
    if (!full_) text_ += worst_storey_digest(result_, units_, width_);
    deflection();
    weak_axis();
    stiffness();
    checks();
    remarks();
    return fitted(text_, width_);
  }

 private:
  void line(const std::string& text, int indent = 10) {
    text_ += wrapped(text, width_, indent) + '\n';
  }

  void heading() {
    std::vector<std::string> kinds;
    for (const Step& step : result_.steps) {
      const std::string kind = kind_name(step.kind);
      if (std::find(kinds.begin(), kinds.end(), kind) == kinds.end()) kinds.push_back(kind);
    }
    std::vector<std::string> loads;
    bool combinations = false;
    for (const Step& step : result_.steps) {
      if (step.analysis == kBaseline) loads.push_back(step.loads.name);
      combinations = combinations || step.loads.combination;
    }
    std::string what =
        fmt::format("{} {}{} x {}", loads.size(), combinations ? "combination" : "load case",
                    loads.size() == 1 ? "" : "s", fmt::join(kinds, ", "));
    if (loads.empty()) what = fmt::format("{}", fmt::join(kinds, ", "));
    const std::string title = model_.title.empty() ? "(no title)" : model_.title;
    what += fmt::format("      {:.2f} s", result_.seconds);
    const bool fits = display_width(title) + display_width(what) + 6 <= std::size_t(width_);
    text_ +=
        fits ? fmt::format("{}      {}\n\n", title, what) : fmt::format("{}\n {}\n\n", title, what);
  }

  void verdict() {
    if (result_.free_structure()) {
      return line(" FREE.  No support: the rigid motions come first, with no frequency.");
    }
    if (!result_.frame.mechanisms.empty()) return tell_mechanisms();
    if (!result_.frame.trouble.empty()) {
      return line(fmt::format(" NOT SOLVABLE.  {}", result_.frame.trouble));
    }
    std::vector<const Step*> failed;
    for (const Step& step : result_.steps) {
      const Step* first = result_.find(std::string(kBaseline), step.loads.name);
      const bool repeats =
          step.analysis != kBaseline && first != nullptr && !first->outcome.stands();
      if (!step.outcome.stands() && !repeats) failed.push_back(&step);
    }
    if (failed.empty()) {
      const std::string lowest = closest_to_buckling(result_);
      const std::string snapped = snaps_through();
      line(!snapped.empty() ? " STANDS ONLY BEYOND A SNAP-THROUGH.  " + snapped
           : lowest.empty() ? " STANDS."
                            : " STANDS.  " + lowest,
           10);
      if (full_ && !compared_.empty()) line("          " + closest(), 10);
    } else {
      line(fmt::format(" {}: {} of {} analyses", verdict_of(failed), failed.size(),
                       result_.steps.size()));
    }
    tell_failures(failed);
    for (const Step& step : result_.steps) {
      if (step.outcome.stands() && !step.outcome.reason.empty()) {
        line(fmt::format("   note, {} ({}): {}", step.loads.name, step.analysis,
                         step.outcome.reason),
             7);
      }
    }
  }

  /// The first limit point on the way to an equilibrium at the full load; "" if there is none.
  std::string snaps_through() const {
    const Step* first = nullptr;
    const PathPoint* at = nullptr;
    for (const Step& step : result_.steps) {
      for (const PathPoint& p : step.path) {
        if (p.event != PathEventKind::limit_point) continue;
        if (at == nullptr || p.factor < at->factor) first = &step, at = &p;
        break;
      }
    }
    if (at == nullptr) return "";
    return fmt::format(
        "{} ({}) reaches a limit point at {:.4g} of the load; its result lies beyond.",
        first->loads.name, first->analysis, at->factor);
  }

  /// Loads and analyses that fail for the same reason are told together.
  void tell_failures(const std::vector<const Step*>& failed) {
    struct Failure {
      std::string reason;
      std::vector<std::string> loads, analyses;
    };
    std::vector<Failure> failures;
    const auto add = [](std::vector<std::string>& names, const std::string& name) {
      if (std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
    };
    for (const Step* step : failed) {
      auto known = std::find_if(failures.begin(), failures.end(), [step](const Failure& f) {
        return f.reason == step->outcome.reason;
      });
      if (known == failures.end()) {
        known = failures.insert(failures.end(), {step->outcome.reason, {}, {}});
      }
      add(known->loads, step->loads.name);
      add(known->analyses, step->analysis);
    }
    for (std::size_t i = 0; i < failures.size() && (full_ || i < kMostLoads); ++i) {
      const Failure& f = failures[i];
      line(fmt::format("   {} ({}): {}", fmt::join(f.loads, ", "), fmt::join(f.analyses, ", "),
                       f.reason),
           7);
    }
    if (!full_ && failures.size() > kMostLoads) {
      line(fmt::format("   ... and {} more (run --full)", failures.size() - kMostLoads), 7);
    }
  }

  /// What all that failed have in common; a structure is said to give way only where one does.
  static std::string verdict_of(const std::vector<const Step*>& failed) {
    const auto all = [&failed](std::initializer_list<Verdict> verdicts) {
      return std::all_of(failed.begin(), failed.end(), [&](const Step* s) {
        return std::find(verdicts.begin(), verdicts.end(), s->outcome.verdict) != verdicts.end();
      });
    };
    if (all({Verdict::unreliable})) return "UNRELIABLE";
    if (all({Verdict::iteration_limit})) return "NOT CONVERGED";
    if (all({Verdict::unreliable, Verdict::iteration_limit, Verdict::not_solvable, Verdict::no_mass,
             Verdict::loaded_free_rotation})) {
      return "NO SURE RESULT";
    }
    return "FAILED";
  }

  void tell_mechanisms() {
    const auto& all = result_.frame.mechanisms;
    line(fmt::format(" FAILED.  Mechanism: {} independent motion{} without stiffness:", all.size(),
                     all.size() == 1 ? "" : "s"));
    for (std::size_t i = 0; i < all.size() && i < 8; ++i) {
      line(fmt::format("   {}  {}", i + 1, all[i].words), 6);
    }
    if (all.size() > 8) line(fmt::format("   ... and {} more (summary.json)", all.size() - 8));
  }

  /// How far from first-order the furthest load is.
  std::string closest() const {
    const Compared* worst = nullptr;
    const ComparisonRow* row = nullptr;
    for (const Compared& c : compared_) {
      const ComparisonRow* sway = sway_row(c);
      if (sway == nullptr || !sway->ratio) continue;
      if (row == nullptr || std::abs(*sway->ratio) > std::abs(*row->ratio)) {
        worst = &c;
        row = sway;
      }
    }
    if (worst == nullptr) return compared_.empty() ? "First-order only." : "No sway to compare.";
    return fmt::format("Second-order effects are largest in {}: {} at {} is {} x first-order.",
                       worst->step->loads.name, row->name, row->where, ratio_text(row->ratio));
  }

  /// The largest horizontal displacement, or where nothing sways, the largest one.
  const ComparisonRow* sway_row(const Compared& c) const {
    const auto displacement = [](const ComparisonRow& r) {
      return r.kind == ComparisonRow::Kind::displacement;
    };
    const ComparisonRow* sway = c.largest([&](const ComparisonRow& r) {
      return displacement(r) && r.component != model_.vertical && r.ratio.has_value();
    });
    return sway != nullptr ? sway : c.largest(displacement);
  }

  /// The loads whose lines are shown: all of them, or those that govern sway, moment or stability.
  std::vector<const Compared*> shown(const std::string& analysis) const {
    std::vector<const Compared*> all;
    for (const Compared& c : compared_) {
      if (c.step->analysis == analysis) all.push_back(&c);
    }
    if (full_ || all.size() <= kMostLoads) return all;
    const auto size = [](const ComparisonRow* row) { return row ? std::abs(row->value) : 0; };
    double sway = 0, moment = 0, factor = std::numeric_limits<double>::max();
    for (const Compared* c : all) {
      sway = std::max(sway, size(sway_row(*c)));
      moment = std::max(moment, size(moment_row(*c)));
      if (c->step->reserve) factor = std::min(factor, *c->step->reserve);
    }
    const auto rank = [&](const Compared* c) {
      if (c->rows.empty()) return 2.0;
      const double near = c->step->reserve ? factor / *c->step->reserve : 0;
      return std::max({near, sway > 0 ? size(sway_row(*c)) / sway : 0,
                       moment > 0 ? size(moment_row(*c)) / moment : 0});
    };
    std::vector<const Compared*> governing = all;
    std::stable_sort(governing.begin(), governing.end(),
                     [&](const auto* a, const auto* b) { return rank(a) > rank(b); });
    governing.resize(kMostLoads);
    std::erase_if(all, [&](const Compared* c) {
      return std::find(governing.begin(), governing.end(), c) == governing.end();
    });
    return all;
  }

  static const ComparisonRow* moment_row(const Compared& c) {
    return c.largest([](const ComparisonRow& r) {
      return r.kind == ComparisonRow::Kind::internal_force && r.component >= 3;
    });
  }

  /// A row for first-order and one for each second-order analysis, a column for each load.
  void watched() {
    if (model_.watches.empty()) return;
    std::vector<std::string> second, histories;  // a history has loads of its own
    for (const Compared& c : compared_) {
      const AnalysisSpec* spec = model_.find_analysis(c.step->analysis);
      const bool legs = spec != nullptr && spec->is_history();
      std::vector<std::string>& names = legs ? histories : second;
      const bool known = std::find(names.begin(), names.end(), c.step->analysis) != names.end();
      if (!known && !c.rows.empty()) names.push_back(c.step->analysis);
    }
    if (!second.empty() || histories.empty()) watched(second);
    for (const std::string& history : histories) watched({history});
    if (!full_ && model_.watches.size() > kMostWatches) {
      line(fmt::format("   ... {} more watched places (run --full)",
                       model_.watches.size() - kMostWatches));
    }
  }

  void watched(const std::vector<std::string>& second) {
    std::vector<const Step*> loads;
    if (second.empty()) {
      for (const Step& step : result_.steps) {
        if (step.analysis == kBaseline && step.has_state) loads.push_back(&step);
      }
    } else {
      for (const Compared* c : shown(second.front())) {
        if (!c->rows.empty()) loads.push_back(&result_.baseline(c->step->loads.name));
      }
    }
    const std::size_t all = loads.size();
    if (all == 0) return;
    loads.resize(std::min(all, kMostLoads));
    // Fewer loads where their columns would run over the edge.
    std::string table = watched_table(loads, second);
    while (loads.size() > 1 && widest_line(table) > static_cast<std::size_t>(width_)) {
      loads.pop_back();
      table = watched_table(loads, second);
    }
    text_ += '\n' + table;
    if (full_ && loads.size() < all) {
      line(fmt::format("   ... {} more loads: ulterix compare RESULTS", all - loads.size()));
    }
  }

  static std::size_t widest_line(const std::string& text) {
    std::size_t widest = 0;
    std::istringstream lines(text);
    for (std::string line; std::getline(lines, line);) {
      widest = std::max(widest, display_width(line));
    }
    return widest;
  }

  std::string watched_table(const std::vector<const Step*>& loads,
                            const std::vector<std::string>& second) const {
    TextTable table(columns(4, loads.size(), 0));
    std::vector<std::string> head = {"watched", "", "", ""};
    for (const Step* step : loads) head.push_back(step->loads.name);
    table.add(head);
    for (std::size_t w = 0; w < model_.watches.size() && (full_ || w < kMostWatches); ++w) {
      const Watch& watch = model_.watches[w];
      const Quantity q = quantity_of(watch.place);
      std::vector<std::string> cells = {watch.name, watch.place.text, units_.label(q),
                                        std::string(kBaseline)};
      for (const Step* step : loads) {
        const auto value = value_at(Recovery(*step), watch.place);
        cells.push_back(value ? in_units(units_, q, *value) : "-");
      }
      table.add(cells);
      for (const std::string& analysis : second) {
        cells = {"", "", "", analysis + ", ratio"};
        for (const Step* step : loads) {
          const Compared* c = compared(analysis, step->loads.name);
          if (c == nullptr || c->rows.empty() || c->rows[w].absent) {
            cells.emplace_back("-");
            continue;
          }
          const ComparisonRow& row = c->rows[w];
          cells.push_back(
              fmt::format("{} {:>5}", in_units(units_, q, row.value), ratio_text(row.ratio)));
        }
        table.add(cells);
      }
    }
    return table.print();
  }

  const Compared* compared(const std::string& analysis, const std::string& loads) const {
    for (const Compared& c : compared_) {
      if (c.step->analysis == analysis && c.step->loads.name == loads) return &c;
    }
    return nullptr;
  }

  static std::vector<Align> columns(std::size_t left, std::size_t right, std::size_t left_again) {
    std::vector<Align> all(left, Align::left);
    all.insert(all.end(), right, Align::right);
    all.insert(all.end(), left_again, Align::left);
    return all;
  }

  void table(const std::string& analysis) {
    const std::vector<const Compared*> loads = shown(analysis);
    const bool any =
        std::any_of(loads.begin(), loads.end(), [](const Compared* c) { return !c->rows.empty(); });
    if (!any) return;
    TextTable table({Align::left, Align::right, Align::right, Align::right, Align::left,
                     Align::right, Align::right, Align::right, Align::left, Align::right,
                     Align::right});
    const std::string& mm = units_.label(Quantity::displacement);
    const std::string& knm = units_.label(Quantity::moment);
    // The reserve against buckling is P-Delta's; a path in finite motion tells of its own end.
    const bool finite = loads.front()->step->kind == AnalysisKind::large_displacement;
    const char* second = finite ? "large" : "P-Delta";
    table.add({analysis, "sway", mm, "", "", "moment", knm, "", "", finite ? "" : "buckling",
               full_ && !finite ? "iterations" : ""});
    table.add({"load", "first", second, "ratio", "at", "first", second, "ratio", "at",
               finite ? "" : "factor", ""});
    for (const Compared* c : loads) table.add(table_row(*c));
    text_ += '\n' + table.print();
    const auto all = std::count_if(compared_.begin(), compared_.end(),
                                   [&](const Compared& c) { return c.step->analysis == analysis; });
    if (loads.size() < static_cast<std::size_t>(all)) {
      line(fmt::format(
          "   ... {} more, which govern neither sway, moment nor stability (run --full)",
          static_cast<std::size_t>(all) - loads.size()));
    }
  }

  std::vector<std::string> table_row(const Compared& c) const {
    std::vector<std::string> cells = {c.step->loads.name};
    for (const ComparisonRow* row : {sway_row(c), moment_row(c)}) {
      if (row == nullptr) {
        cells.insert(cells.end(), {"-", "-", "-", c.rows.empty() ? "no result" : ""});
        continue;
      }
      const Quantity q = quantity_of(*row);
      cells.push_back(in_units(units_, q, row->first_order));
      cells.push_back(in_units(units_, q, row->value));
      cells.push_back(ratio_text(row->ratio));
      cells.push_back(where(*row));
    }
    if (c.step->kind == AnalysisKind::large_displacement) return cells;
    cells.push_back(c.step->reserve ? fmt::format("{:.4g}", *c.step->reserve) : "-");
    if (full_) cells.push_back(fmt::format("{}", c.step->rounds.size()));
    return cells;
  }

  std::string where(const ComparisonRow& row) const {
    if (!row.member.valid()) return row.where;
    return fmt::format("{} x {:.2f}", row.where, units_.from_si(Quantity::length, row.x));
  }

  /// The places where the furthest load differs most, among those that matter.
  void differs_most() {
    const Compared* worst = nullptr;
    double furthest = 0;
    for (const Compared& c : compared_) {
      const ComparisonRow* sway = sway_row(c);
      if (sway == nullptr || !sway->ratio || std::abs(*sway->ratio - 1) <= furthest) continue;
      furthest = std::abs(*sway->ratio - 1);
      worst = &c;
    }
    if (worst == nullptr) return;
    std::vector<const ComparisonRow*> rows;
    for (const ComparisonRow& row : worst->rows) {
      // Small values differ much and matter little.
      const ComparisonRow* largest = worst->largest([&row](const ComparisonRow& other) {
        return other.kind == row.kind && (other.component < 3) == (row.component < 3);
      });
      const bool counts = std::abs(row.value) > kWorthTelling * std::abs(largest->value);
      const bool watched = row.kind == ComparisonRow::Kind::watched;
      if (row.ratio && !watched && counts && std::abs(*row.ratio - 1) > 0.005) rows.push_back(&row);
    }
    std::stable_sort(rows.begin(), rows.end(), [](const auto* a, const auto* b) {
      return std::abs(*a->ratio - 1) > std::abs(*b->ratio - 1);
    });
    if (rows.empty()) return;
    TextTable table(
        {Align::left, Align::left, Align::left, Align::right, Align::right, Align::right});
    table.add({fmt::format("Where {} differs most", worst->step->loads.name), "", "", "first-order",
               "second", "ratio"});
    for (std::size_t i = 0; i < rows.size() && i < 6; ++i) {
      const ComparisonRow& row = *rows[i];
      const Quantity q = quantity_of(row);
      table.add({"  " + row.name, where(row), units_.label(q), in_units(units_, q, row.first_order),
                 in_units(units_, q, row.value), ratio_text(row.ratio)});
    }
    text_ += '\n' + table.print();
  }

  /// The envelope's row of the largest value among those that pass the test.
  template <class Test>
  const EnvelopeRow* largest_envelope(const std::string& analysis, const Test& test) const {
    const auto size = [](const EnvelopeRow& e) {
      return std::max(std::abs(e.min), std::abs(e.max));
    };
    const EnvelopeRow* best = nullptr;
    for (const EnvelopeRow& e : result_.envelopes) {
      const bool better = best == nullptr || size(e) > size(*best) * (1 + 1e-9);
      if (e.analysis == analysis && test(e) && better) best = &e;
    }
    return best;
  }

  /// Nothing where only rounding is left beside the other end of the range.
  static double without_rounding(double value, double other) {
    return std::abs(value) < 1e-9 * std::abs(other) ? 0 : value;
  }

  /// The extremes over all loads of the last analysis, and which loads govern.
  void governing() {
    if (result_.envelopes.empty()) return;
    std::string analysis = result_.envelopes.back().analysis;
    for (const EnvelopeRow& row :
         result_.envelopes) {  // the last second-order one, if there is one
      const bool bent = std::any_of(compared_.begin(), compared_.end(), [&row](const Compared& c) {
        return c.step->analysis == row.analysis;
      });
      if (bent) analysis = row.analysis;
    }
    using Kind = EnvelopeRow::Kind;
    std::vector<std::pair<Kind, int>> wanted;
    for (const int axis : model_.horizontal_axes()) wanted.emplace_back(Kind::displacement, axis);
    wanted.emplace_back(Kind::displacement, model_.vertical);
    for (const InternalForce f : {kN, kMy, kMz}) wanted.emplace_back(Kind::internal_force, f);
    wanted.emplace_back(Kind::reaction, model_.vertical);
    TextTable table({Align::left, Align::left, Align::left, Align::right, Align::left, Align::right,
                     Align::left});
    const bool one = result_.steps.front().loads.name == result_.steps.back().loads.name &&
                     std::all_of(result_.steps.begin(), result_.steps.end(), [this](const Step& s) {
                       return s.loads.name == result_.steps.front().loads.name;
                     });
    const std::string by = one ? "" : "load";
    table.add({fmt::format("Envelope, {}", analysis), "at", "", "min", by, "max", by});
    for (const auto& entry : wanted) {
      const Kind kind = entry.first;
      const EnvelopeRow* e = largest_envelope(analysis, [&](const EnvelopeRow& row) {
        return row.kind == kind && row.component == entry.second;
      });
      if (e == nullptr || (e->min == 0 && e->max == 0)) continue;
      const Quantity q = quantity_of(*e);
      const bool along = kind == Kind::internal_force;
      table.add({fmt::format("  {}", name_of(*e)),
                 along ? model_.members[e->member].name : model_.nodes[e->node].name,
                 units_.label(q), in_units(units_, q, without_rounding(e->min, e->max)),
                 one ? "" : e->loads_of_min, in_units(units_, q, without_rounding(e->max, e->min)),
                 one ? "" : e->loads_of_max});
    }
    text_ += '\n' + table.print();
  }

  /// The member that deflects most from the chord between its ends, for its span.
  void deflection() {
    struct Worst {
      const Step* step = nullptr;
      MemberId member;
      int component = kDz;
      double value = 0, x = 0, part = 0;
    } worst;
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      if (result_.extremes[i].empty() || result_.steps[i].at_once) continue;
      for (const MemberId id : model_.members.ids()) {
        const double L = model_.length(id);
        for (const int c : {kDy, kDz}) {
          const Extreme& e = result_.extremes[i][id][static_cast<std::size_t>(c)];
          const bool low = std::abs(e.min) > std::abs(e.max);
          const double value = low ? e.min : e.max;
          if (std::abs(value) / L <= worst.part * (1 + 1e-9)) continue;
          worst = {&result_.steps[i], id, c, value, low ? e.x_min : e.x_max, std::abs(value) / L};
        }
      }
    }
    if (worst.step == nullptr || worst.part < 1e-9) return;
    line(fmt::format(" Deflection {} {} {} {} from the chord at x {:.2f} {}, span/{:.0f} ({}, {})",
                     model_.members[worst.member].name, kExtremeNames[std::size_t(worst.component)],
                     in_units(units_, Quantity::displacement, worst.value),
                     units_.label(Quantity::displacement),
                     units_.from_si(Quantity::length, worst.x), units_.label(Quantity::length),
                     1 / worst.part, worst.step->loads.name, worst.step->analysis),
         12);
  }

  /// A plane frame says nothing of its other axis: the most compressed member beside what it can
  /// carry out of the plane and in squash.
  void weak_axis() {
    if (model_.plane == Plane::space) return;
    double worst = 0;
    std::string words;
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      if (result_.extremes[i].empty() || result_.steps[i].at_once) continue;
      for (const MemberId id : model_.members.ids()) {
        const Member& m = model_.members[id];
        const double N = -result_.extremes[i][id][kN].min, L = model_.length(id);
        const Section& section = model_.sections[m.section];
        const Material& material = model_.materials[m.material];
        const bool about_y =
            std::abs(result_.frame.system->axes(id)(1, model_.plane == Plane::xz ? 1 : 2)) > 0.5;
        const double I = about_y ? section.properties.Iz : section.properties.Iy;
        if (m.kind != MemberKind::frame || N <= 0 || I <= 0) continue;
        const double euler = M_PI * M_PI * material.E * I / (L * L);
        if (N / euler <= worst * (1 + 1e-9)) continue;
        worst = N / euler;
        const auto kN_text = [this](double v) { return in_units(units_, Quantity::force, v); };
        words = fmt::format(
            " Plane      {} carries {} {} ({}); the analysis is in its plane only: Euler load out "
            "of "
            "it over its length {}",
            m.name, kN_text(N), units_.label(Quantity::force), result_.steps[i].loads.name,
            kN_text(euler));
        if (material.fy > 0) {
          words += fmt::format(", squash load {}", kN_text(material.fy * section.properties.A));
        }
      }
    }
    if (!words.empty()) line(words, 12);
  }

  /// The softest direction of sway.
  void stiffness() {
    const StiffnessRow* softest = nullptr;
    std::string loads;
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      if (result_.steps[i].kind == AnalysisKind::staged) continue;
      for (const StiffnessRow& row : result_.stiffness[i]) {
        if (row.displacement == 0 || row.stiffness() <= 0) continue;
        if (softest != nullptr && softest->stiffness() <= row.stiffness()) continue;
        softest = &row;
        loads = fmt::format("{}, {}", result_.steps[i].loads.name, result_.steps[i].analysis);
      }
    }
    if (softest == nullptr) return;
    line(fmt::format(" Stiffness  along {} at {}: {} {} ({})",
                     kAxisNames[static_cast<std::size_t>(softest->direction)], softest->where,
                     in_units(units_, Quantity::spring, softest->stiffness()),
                     units_.label(Quantity::spring), loads),
         12);
  }

  void checks() {
    double nodes = 0, reactions = 0;
    std::string worst;
    for (const Step& step : result_.steps) {
      if (!step.has_state) continue;
      nodes = std::max(nodes, step.equilibrium.nodes);
      if (step.equilibrium.reactions >= reactions) {
        reactions = step.equilibrium.reactions;
        worst = fmt::format("{}, {}", step.loads.name, step.analysis);
      }
    }
    if (worst.empty()) return;
    double sure = 0;
    for (const Step& step : result_.steps) {
      if (step.has_state) sure = std::max(sure, step.solve_error.largest());
    }
    const bool good = nodes < 1e-6 && reactions < 1e-6;
    line(fmt::format(
             " Checks     {}equilibrium: reactions {:.0e}, nodes {:.0e} (worst {}); error of "
             "the solution {:.0e}",
             good ? "" : "NOT IN BALANCE: ", reactions, nodes, worst, sure),
         12);
  }

  void remarks() {
    for (std::size_t i = 0; i < result_.remarks.size(); ++i) {
      line(fmt::format(" {:<10} {}", i == 0 ? "Remarks" : "", result_.remarks[i]), 12);
    }
  }

  const RunResult& result_;
  const Model& model_;
  const UnitSystem& units_;
  int width_;
  bool full_;
  std::vector<Compared> compared_;
  std::string text_;
};

}  // namespace

std::string run_digest(const RunResult& result, const UnitSystem& units, int width, bool full) {
  return Digest(result, units, width, full).print();
}

}  // namespace ulterix
