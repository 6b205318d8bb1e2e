#include "app/digest.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "app/digest_modes.hpp"
#include "app/text.hpp"
#include "core/results/comparison.hpp"
#include "core/results/modes.hpp"
#include "write/tables.hpp"

namespace ulterix {

namespace {

using Align = TextTable::Align;

/// Values below this part of the largest of their kind are left out of "differs most".
constexpr double kWorthTelling = 0.1;

std::string ratio_text(const std::optional<double>& ratio) {
  return ratio ? fmt::format("{:.2f}", *ratio) : "-";
}

std::string kind_name(AnalysisKind kind) {
  return kind == AnalysisKind::p_delta ? "P-Delta" : std::string(word_of(kAnalysisKinds, kind));
}

/// A second-order step with its rows beside first-order.
struct Compared {
  const Step* step;
  std::vector<ComparisonRow> rows;
  std::vector<StoreyRow> storeys;

  /// Drift of the worst storey for its height.
  double worst_drift() const {
    double worst = 0;
    for (const StoreyRow& s : storeys) worst = std::max(worst, std::abs(s.ratio()));
    return worst;
  }

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
  Digest(const RunResult& result, const UnitSystem& units, int width)
      : result_(result), model_(*result.model), units_(units), width_(width) {
    for (std::size_t i = 0; i < result.steps.size(); ++i) {
      if (result.steps[i].kind != AnalysisKind::p_delta) continue;
      compared_.push_back({&result.steps[i], result.comparisons[i], result.storeys[i]});
    }
  }

  std::string print() {
    heading();
    verdict();
    watched();
    for (const std::string& name : result_.analyses()) table(name);
    differs_most();
    text_ += buckling_digest(result_, width_);
    text_ += modal_digest(result_, units_, width_);
    governing();
    storeys();
    checks();
    remarks();
    return text_;
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
    text_ += fmt::format("{}      {}      {:.2f} s\n\n", title, what, result_.seconds);
  }

  void verdict() {
    if (result_.free_structure()) {
      return line(" FREE.  Nothing holds it: the rigid motions come first, with no frequency.");
    }
    if (!result_.frame.mechanisms.empty()) return tell_mechanisms();
    if (!result_.frame.trouble.empty()) {
      return line(fmt::format(" CANNOT BE SOLVED.  {}", result_.frame.trouble));
    }
    std::vector<const Step*> failed;
    for (const Step& step : result_.steps) {
      const Step* first = result_.find(std::string(kBaseline), step.loads.name);
      const bool repeats =
          step.analysis != kBaseline && first != nullptr && !first->outcome.stands();
      if (!step.outcome.stands() && !repeats) failed.push_back(&step);
    }
    if (failed.empty()) {
      line(" STANDS.  " + closest_to_buckling(result_), 10);
      if (!compared_.empty()) line("          " + closest(), 10);
    } else {
      line(
          fmt::format(" {} in {} of {}:", verdict_of(failed), failed.size(), result_.steps.size()));
    }
    for (const Step* step : failed) {
      line(fmt::format("   {} ({}): {}", step->loads.name, step->analysis, step->outcome.reason),
           7);
    }
    for (const Step& step : result_.steps) {
      if (step.outcome.stands() && !step.outcome.reason.empty()) {
        line(fmt::format("   {} ({}): {}", step.loads.name, step.analysis, step.outcome.reason), 7);
      }
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
    return "DOES NOT STAND";
  }

  void tell_mechanisms() {
    const auto& all = result_.frame.mechanisms;
    line(fmt::format(
        " DOES NOT STAND.  It moves without straining anything, in {} independent way{}:",
        all.size(), all.size() == 1 ? "" : "s"));
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

  void watched() {
    if (model_.watches.empty()) return;
    std::vector<const Compared*> shown;
    for (const Compared& c : compared_) {
      if (!c.rows.empty() && shown.size() < 6) shown.push_back(&c);
    }
    if (shown.empty()) return;
    TextTable table(columns(3, shown.size(), 1));
    std::vector<std::string> head = {"watched", "", ""};
    for (const Compared* c : shown) head.push_back(c->step->loads.name);
    table.add(head);
    for (std::size_t w = 0; w < model_.watches.size(); ++w) {
      const ComparisonRow& any = shown.front()->rows[w];
      const Quantity q = quantity_of(any);
      std::vector<std::string> first = {any.name, any.where, units_.label(q)},
                               second = {"", "", ""}, ratio = {"", "", ""};
      for (const Compared* c : shown) {
        const ComparisonRow& row = c->rows[w];
        first.push_back(in_units(units_, q, row.first_order));
        second.push_back(in_units(units_, q, row.value));
        ratio.push_back(ratio_text(row.ratio));
      }
      first.emplace_back("first-order");
      second.emplace_back("P-Delta");
      ratio.emplace_back("ratio");
      for (const auto& row : {first, second, ratio}) table.add(row);
    }
    text_ += '\n' + table.print();
  }

  static std::vector<Align> columns(std::size_t left, std::size_t right, std::size_t left_again) {
    std::vector<Align> all(left, Align::left);
    all.insert(all.end(), right, Align::right);
    all.insert(all.end(), left_again, Align::left);
    return all;
  }

  void table(const std::string& analysis) {
    TextTable table({Align::left, Align::right, Align::right, Align::right, Align::left,
                     Align::right, Align::right, Align::right, Align::left, Align::right});
    const std::string& mm = units_.label(Quantity::displacement);
    const std::string& knm = units_.label(Quantity::moment);
    table.add({analysis, "sway", "", "", "", "moment", "", "", "", ""});
    table.add(
        {"load", "first", "P-Delta", "ratio", "at", "first", "P-Delta", "ratio", "at", "rounds"});
    table.add({"", mm, mm, "", "", knm, knm, "", "", ""});
    bool any = false;
    for (const Compared& c : compared_) {
      if (c.step->analysis != analysis) continue;
      any = any || !c.rows.empty();
      table.add(table_row(c));
    }
    if (any) text_ += '\n' + table.print();
  }

  std::vector<std::string> table_row(const Compared& c) const {
    std::vector<std::string> cells = {c.step->loads.name};
    const ComparisonRow* moment = c.largest([](const ComparisonRow& r) {
      return r.kind == ComparisonRow::Kind::internal_force && r.component >= 3;
    });
    for (const ComparisonRow* row : {sway_row(c), moment}) {
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
    cells.push_back(fmt::format("{}", c.step->rounds.size()));
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
               "P-Delta", "ratio"});
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
    const std::string analysis = result_.envelopes.back().analysis;
    using Kind = EnvelopeRow::Kind;
    std::vector<std::pair<Kind, int>> wanted;
    for (const int axis : model_.horizontal_axes()) wanted.emplace_back(Kind::displacement, axis);
    wanted.emplace_back(Kind::displacement, model_.vertical);
    for (const InternalForce f : {kN, kMy, kMz}) wanted.emplace_back(Kind::internal_force, f);
    wanted.emplace_back(Kind::reaction, model_.vertical);
    TextTable table({Align::left, Align::left, Align::left, Align::right, Align::left, Align::right,
                     Align::left});
    table.add({fmt::format("Over all loads, {}", analysis), "at", "", "min", "by", "max", "by"});
    for (const auto& [kind, component] : wanted) {
      const EnvelopeRow* e = largest_envelope(analysis, [&](const EnvelopeRow& row) {
        return row.kind == kind && row.component == component;
      });
      if (e == nullptr || (e->min == 0 && e->max == 0)) continue;
      const Quantity q = quantity_of(*e);
      const bool along = kind == Kind::internal_force;
      table.add({fmt::format("  {}", name_of(*e)),
                 along ? model_.members[e->member].name : model_.nodes[e->node].name,
                 units_.label(q), in_units(units_, q, without_rounding(e->min, e->max)),
                 e->loads_of_min, in_units(units_, q, without_rounding(e->max, e->min)),
                 e->loads_of_max});
    }
    text_ += '\n' + table.print();
  }

  /// What the standards say of the storey that is nearest to trouble.
  void standards() {
    const StoreyOpinion* worst = nullptr;
    std::string loads;
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      for (const StoreyOpinion& o : result_.storey_opinions[i]) {
        if (!o.index || (worst != nullptr && *o.index <= *worst->index)) continue;
        worst = &o;
        loads = result_.steps[i].loads.name;
      }
    }
    if (worst == nullptr) return;
    line(fmt::format(
             " Standards  storey {} along {} in {}, hand formulas: B2 {} (AISC 360), 1/(1 - Q) "
             "{} (ACI 318), computed {}",
             worst->storey, kAxisNames[static_cast<std::size_t>(worst->direction)], loads,
             ratio_text(worst->B2), ratio_text(worst->asce_factor),
             ratio_text(worst->amplification)),
         12);
    line(fmt::format("            EN 1993-1-1: alpha_cr {:.2f}, {}", *worst->alpha_cr,
                     worst->en_1993),
         12);
    line(fmt::format("            ACI 318: Q {:.3f}, {}", *worst->index, worst->aci_318), 12);
    line(fmt::format("            ASCE 7: theta {:.3f}, {}", *worst->theta, worst->asce_7), 12);
    if (!worst->aisc_360.empty()) line("            AISC 360: " + worst->aisc_360, 12);
    beside_computed(*worst, loads);
  }

  /// Where the hand formula and the eigenproblem part by more than a third, both are told.
  void beside_computed(const StoreyOpinion& storey, const std::string& loads) {
    constexpr double kFar = 4.0 / 3;
    const BucklingMode* sway = nullptr;
    for (const Step& step : result_.steps) {
      if (!step.buckling || step.loads.name != loads) continue;
      for (const BucklingMode& m : step.buckling->modes) {
        const bool sways = m.kind.starts_with("sway") || m.kind.starts_with("out of plane");
        if (sways && (sway == nullptr || m.factor < sway->factor)) sway = &m;
      }
    }
    if (sway == nullptr || !storey.alpha_cr) return;
    const double apart = *storey.alpha_cr / sway->factor;
    if (apart < kFar && apart > 1 / kFar) return;
    line(fmt::format(
             "            alpha_cr by hand {:.2f}, computed sway factor {:.4g} ({}): the hand "
             "formula takes one storey alone, by the drift of its worst column; where gravity "
             "makes a part of the drift, or storeys hold each other, trust the computed one",
             *storey.alpha_cr, sway->factor, sway->kind),
         12);
  }

  /// Storeys, from above, of the load that makes the largest drift.
  void storeys() {
    const Compared* worst = nullptr;
    for (const Compared& c : compared_) {
      if (worst == nullptr || c.worst_drift() > worst->worst_drift()) worst = &c;
    }
    if (worst == nullptr || worst->storeys.empty() || worst->worst_drift() == 0) return;
    TextTable table({Align::left, Align::right, Align::left, Align::right, Align::right,
                     Align::right, Align::right, Align::right, Align::right});
    table.add({fmt::format("Storeys in {}", worst->step->loads.name), "height", "", "drift",
               "h/drift", "shear", "gravity", "amplified", "index Q"});
    table.add({"", units_.label(Quantity::length), "", units_.label(Quantity::displacement), "",
               units_.label(Quantity::force), units_.label(Quantity::force), "", ""});
    const auto& rows = worst->storeys;
    const std::size_t most = 12;
    for (std::size_t i = rows.size(); i-- > 0 && rows.size() - i <= most;) {
      const StoreyRow& s = rows[i];
      table.add(
          {"  " + s.storey, in_units(units_, Quantity::length, s.height),
           std::string(kAxisNames[s.direction]), in_units(units_, Quantity::displacement, s.drift),
           s.drift == 0 ? "-" : fmt::format("{:.0f}", std::abs(1 / s.ratio())),
           in_units(units_, Quantity::force, s.shear), in_units(units_, Quantity::force, s.gravity),
           ratio_text(s.amplification), s.index ? fmt::format("{:.3f}", *s.index) : "-"});
    }
    text_ += '\n' + table.print();
    standards();
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
    text_ += '\n';
    line(fmt::format(
             " Checks     {}reactions = loads to {:.0e} (worst {}); nodes balanced to {:.0e}; "
             "solution sure to {:.0e}",
             good ? "" : "NOT IN BALANCE: ", reactions, worst, nodes, sure),
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
  std::vector<Compared> compared_;
  std::string text_;
};

}  // namespace

std::string run_digest(const RunResult& result, const UnitSystem& units, int width) {
  return Digest(result, units, width).print();
}

}  // namespace ulterix
