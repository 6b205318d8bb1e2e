#include "app/digest_stages.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "app/text.hpp"
#include "core/analysis/staged.hpp"
#include "write/tables.hpp"

namespace ulterix {

namespace {

constexpr std::size_t kMostStages = 12, kMostWatched = 3, kMostDifferences = 5;

class StagesDigest {
 public:
  StagesDigest(const RunResult& result, const UnitSystem& units, int width, bool full)
      : result_(result), model_(*result.model), units_(units), width_(width), full_(full) {}

  std::string print() {
    std::string text;
    for (const AnalysisSpec& spec : model_.analyses) {
      if (!spec.is_erection()) continue;
      std::vector<std::size_t> own;
      for (std::size_t i = 0; i < result_.steps.size(); ++i) {
        if (result_.steps[i].analysis == spec.name) own.push_back(i);
      }
      if (!own.empty()) text += stages(spec, own) + differences(own.back());
    }
    return text;
  }

 private:
  std::size_t watched() const {
    return full_ ? model_.watches.size() : std::min(kMostWatched, model_.watches.size());
  }

  std::string stages(const AnalysisSpec& spec, const std::vector<std::size_t>& own) const {
    std::vector<Align> align(7 + watched(), Align::right);
    align[0] = Align::left;
    TextTable table(align);
    std::vector<std::string> head = {spec.name, "arrive", "go", "members",
                                     "down " + units_.label(Quantity::force)};
    for (std::size_t w = 0; w < watched(); ++w) {
      head.push_back(fmt::format("{} {}", model_.watches[w].name,
                                 units_.label(quantity_of(model_.watches[w].place))));
    }
    head.insert(head.end(), {"buckling", "f Hz"});
    table.add(head);
    const std::size_t skipped = full_ || own.size() <= kMostStages ? 0 : own.size() - kMostStages;
    for (std::size_t k = 0; k < own.size(); ++k) {
      if (skipped > 0 && k >= kMostStages / 2 && k < kMostStages / 2 + skipped) continue;
      const Stage& stage = spec.staged().stages[k];
      const Step& step = result_.steps[own[k]];
      const auto count = [](std::size_t n) { return n > 0 ? std::to_string(n) : ""; };
      table.add(row(step, count(stage.erected.size()), count(stage.struck.size()), step.label));
    }
    const Step& last = result_.steps[own.back()];
    const Step* at_once = result_.own_baseline(last);
    if (at_once != nullptr && at_once->has_state) table.add(row(*at_once, "", "", "at once"));
    std::string text = '\n' + table.print();
    if (skipped > 0) {
      text += fmt::format("   ... {} more stages (run --full, or table RESULTS stages)\n", skipped);
    }
    return text;
  }

  std::vector<std::string> row(const Step& step, const std::string& arrive, const std::string& go,
                               const std::string& name) const {
    int members = 0;
    for (const MemberId id : model_.members.ids()) members += stands_in(step, id) ? 1 : 0;
    std::vector<std::string> cells = {name, arrive, go};
    if (!step.has_state) {
      cells.emplace_back("does not stand");
      cells.resize(7 + watched());
      return cells;
    }
    cells.push_back(std::to_string(members));
    cells.push_back(in_units(units_, Quantity::force, -step.equilibrium.loads[model_.vertical]));
    const Recovery recovery(step);
    for (std::size_t w = 0; w < watched(); ++w) {
      const Place& place = model_.watches[w].place;
      const auto value = value_at(recovery, place);
      cells.push_back(value ? in_units(units_, quantity_of(place), *value) : "-");
    }
    cells.push_back(step.reserve ? fmt::format("{:.4g}", *step.reserve) : "-");
    cells.push_back(step.lowest_omega ? fmt::format("{:.4g}", *step.lowest_omega / (2 * M_PI))
                                      : "-");
    return cells;
  }

  /// Where the last stage and the same loads at once part, the largest of their kind first.
  std::string differences(std::size_t last) const {
    const std::vector<ComparisonRow>& all = result_.comparisons[last];
    if (all.empty()) return "";
    const auto kind = [](const ComparisonRow& r) {
      return std::pair(r.is_displacement, r.component < 3);
    };
    std::vector<std::pair<double, const ComparisonRow*>> rows;
    for (const ComparisonRow& r : all) {
      if (r.kind == ComparisonRow::Kind::watched) continue;
      double largest = 0;
      for (const ComparisonRow& other : all) {
        if (kind(other) != kind(r)) continue;
        largest = std::max({largest, std::abs(other.value), std::abs(other.first_order)});
      }
      const double part = std::abs(r.value - r.first_order) / largest;
      if (part > 1e-3) rows.emplace_back(part, &r);
    }
    std::stable_sort(rows.begin(), rows.end(),
                     [](const auto& a, const auto& b) { return a.first > b.first; });
    if (rows.empty()) {
      return wrapped("   beside the same loads at once: no difference above 0.1 %", width_, 3) +
             '\n';
    }
    if (rows.size() > kMostDifferences) rows.resize(kMostDifferences);
    std::string words = "   beside the same loads at once, largest differences:";
    for (const auto& [part, r] : rows) {
      const Quantity q = quantity_of(*r);
      words += fmt::format(" {} {} {} {}, at once {}{};", r->name, r->where,
                           in_units(units_, q, r->value), units_.label(q),
                           in_units(units_, q, r->first_order),
                           r->ratio ? fmt::format(" ({:.2f} x)", *r->ratio) : "");
    }
    words.back() = '\n';
    return wrapped(words, width_, 3);
  }

  const RunResult& result_;
  const Model& model_;
  const UnitSystem& units_;
  int width_;
  bool full_;
};

}  // namespace

std::string stages_digest(const RunResult& result, const UnitSystem& units, int width, bool full) {
  return StagesDigest(result, units, width, full).print();
}

}  // namespace ulterix
