#include "app/digest_steps.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "app/text.hpp"
#include "core/analysis/large_displacement.hpp"
#include "core/results/cables.hpp"
#include "core/results/comparison.hpp"
#include "core/results/event_words.hpp"
#include "core/results/recovery.hpp"

namespace ulterix {

namespace {

constexpr std::size_t kMostStepLines = 6;

class StepWords {
 public:
  StepWords(const RunResult& result, const UnitSystem& units, int width, bool full)
      : result_(result), model_(*result.model), units_(units), width_(width), full_(full) {}

  /// What one-way members and supports do: loads of the same state on one line, with the largest
  /// force among them. P-Delta speaks for first-order with iterate, which --full shows too.
  std::string one_way_states() {
    std::string text;
    const char* heading = model_.has_one_sided() ? "One-way"
                          : model_.has_cables()  ? "Cables"
                                                 : "Breaking";
    const bool bent = std::any_of(result_.steps.begin(), result_.steps.end(), [](const Step& s) {
      return s.state.one_way && s.has_state && is_second_order(s.kind);
    });
    struct Line {
      std::string analysis, state, loads, force;
      double largest = 0;
    };
    std::vector<Line> lines;
    for (const Step& step : result_.steps) {
      const bool known = step.has_state && (step.state.lambda != 0 || step.outcome.stands());
      if (!step.state.one_way || !known || step.at_once) continue;
      if (bent && !full_ && !is_second_order(step.kind)) continue;
      const std::string state = state_words(step);
      auto line = std::find_if(lines.begin(), lines.end(), [&](const Line& l) {
        return l.analysis == step.analysis && l.state == state;
      });
      if (line == lines.end()) line = lines.insert(lines.end(), {step.analysis, state, "", "", 0});
      line->loads += (line->loads.empty() ? "" : ", ") + step.loads.name;
      const auto [member, N] = largest_one_way_force(step);
      if (!member.valid() || std::abs(N) <= std::abs(line->largest) * (1 + 1e-9)) continue;
      line->largest = N;
      line->force = fmt::format("; largest force {} {} {} ({})", model_.members[member].name,
                                in_units(units_, Quantity::force, N), units_.label(Quantity::force),
                                step.loads.name);
    }
    for (std::size_t i = 0; i < lines.size() && (full_ || i < kMostStepLines); ++i) {
      if (i == 0) text += '\n';
      text += lined(fmt::format(" {:<10} {} ({}): {}{}", i == 0 ? heading : "", lines[i].loads,
                                lines[i].analysis, lines[i].state, lines[i].force),
                    12);
    }
    if (!full_ && lines.size() > kMostStepLines) {
      text += lined(
          fmt::format("            ... {} more states (run --full)", lines.size() - kMostStepLines),
          12);
    }
    return text;
  }

  /// What happens on the way to the full load; of the members that reach fy the first.
  std::string events_on(const Step& step) const {
    std::string words;
    std::size_t events = 0;
    std::set<int> yielding;  // members
    const PathPoint* first = nullptr;
    for (const PathPoint& p : step.path) {
      if (event_words(model_, p).empty()) continue;
      if (p.item && p.item->change == ItemChange::reaches_fy) {
        if (yielding.empty()) first = &p;
        yielding.insert(p.item->member.value);
      } else if (++events <= kMostStepLines) {
        words += fmt::format("; {} at {:.4g}", event_words(model_, p), p.factor);
      }
    }
    if (first == nullptr) return words;
    return words + fmt::format("; {} at {:.4g}{}", event_words(model_, *first), first->factor,
                               yielding.size() > 1
                                   ? fmt::format(", the first of {} members", yielding.size())
                                   : "");
  }

  std::string paths() {
    std::string text;
    std::size_t lines = 0;
    for (const Step& step : result_.steps) {
      if (step.kind != AnalysisKind::large_displacement || step.path.empty()) continue;
      if (!full_ && lines++ >= kMostStepLines) continue;
      std::string words = fmt::format("{} equilibri{} up to {:.4g}", step.path.size(),
                                      step.path.size() == 1 ? "um" : "a", step.path.back().factor);
      if (step.pieces > 0) words += fmt::format(", {} pieces a member", step.pieces);
      words += fmt::format(" (error {:.0e})", step.solve_error.displacement);
      words += events_on(step);
      text += lined(fmt::format(" {:<10} {} ({}): {}", text.empty() ? "Path" : "", step.loads.name,
                                step.analysis, words),
                    12);
    }
    if (!full_ && lines > kMostStepLines) {
      text += lined(
          fmt::format("            ... {} more paths (run --full)", lines - kMostStepLines), 12);
    }
    return text.empty() ? text : '\n' + text;
  }

  /// First-order alone: what a cross-check reads.
  std::string first_order_table() {
    std::vector<Align> align(10, Align::right);
    align.front() = Align::left;
    TextTable table(align);
    table.add({"first-order", "displ. " + units_.label(Quantity::displacement), "at",
               "N " + units_.label(Quantity::force), "V", "M " + units_.label(Quantity::moment),
               "at", "reactions"});
    std::vector<std::string> sums = {"", "", "", "", "", "", ""};
    for (const int axis : {0, 1, 2}) {
      if (model_.uses_direction(axis)) {
        sums.push_back(fmt::format("f{} {}", kAxisNames[static_cast<std::size_t>(axis)],
                                   units_.label(Quantity::force)));
      }
    }
    table.add(sums);
    std::size_t rows = 0;
    for (std::size_t i = 0; i < result_.steps.size(); ++i) {
      const Step& step = result_.steps[i];
      if (step.analysis != kBaseline || !step.has_state || result_.extremes[i].empty()) continue;
      if (!full_ && ++rows > 2 * kMostStepLines) continue;
      std::vector<std::string> cells = {step.loads.name};
      add_largest_displacement(step, cells);
      add_largest_forces(result_.extremes[i], cells);
      Vector3d sum = Vector3d::Zero();
      for (const Vector6d& r : step.reactions) sum += r.head<3>();
      for (const int axis : {0, 1, 2}) {
        if (!model_.uses_direction(axis)) continue;
        const double v = std::abs(sum[axis]) < 1e-9 * sum.norm() ? 0 : sum[axis];
        cells.push_back(in_units(units_, Quantity::force, v));
      }
      table.add(cells);
    }
    return rows > 0 || full_ ? '\n' + table.print() : "";
  }

 private:
  std::string lined(const std::string& words, int indent) const {
    return wrapped(words, width_, indent) + '\n';
  }

  std::pair<MemberId, double> largest_one_way_force(const Step& step) const {
    const Recovery recovery(step);
    std::pair<MemberId, double> largest = {{}, 0};
    for (const MemberId id : model_.members.ids()) {
      const bool idle = step.state.members[id].activity == Activity::idle;
      if (!model_.has_states(id) || idle || !stands_in(step, id)) continue;
      const double N = mean_axial_force(recovery, id);
      if (std::abs(N) > std::abs(largest.second) * (1 + 1e-9)) largest = {id, N};
    }
    return largest;
  }

  /// Cables that are longer without force than their ends are apart.
  std::vector<std::string> hanging_cables(const Step& step) const {
    std::vector<std::string> names;
    if (!model_.has_cables()) return names;
    const Recovery recovery(step);
    for (const MemberId id : model_.members.ids()) {
      const auto cable = cable_values(recovery, id);
      if (cable && cable->state == CableState::hangs) names.push_back(model_.members[id].name);
    }
    return names;
  }

  std::string state_words(const Step& step) const {
    constexpr std::size_t kMostNames = 12;
    const std::vector<std::string> slack = slack_members(model_, step.state);
    const std::vector<std::string> lifted = lifted_supports(model_, step.state);
    const auto listed_names = [&](std::vector<std::string> names) {
      const std::size_t more = names.size() > kMostNames ? names.size() - kMostNames : 0;
      names.resize(names.size() - more);
      return fmt::format("{}{}", fmt::join(names, ", "),
                         more > 0 ? fmt::format(" and {} more", more) : "");
    };
    std::vector<std::string> broken, yielding;
    for (const MemberId id : model_.members.ids()) {
      const Activity activity = step.state.members[id].activity;
      if (activity == Activity::broken) broken.push_back(model_.members[id].name);
      if (activity == Activity::yields) yielding.push_back(model_.members[id].name);
    }
    std::string words;
    const auto add = [&](const std::vector<std::string>& names, const char* what) {
      if (!names.empty())
        words += fmt::format("{}{} {}", words.empty() ? "" : "; ", listed_names(names), what);
    };
    add(broken, "broken");
    add(yielding, "yielding");
    add(slack, "slack");
    const std::vector<std::string> hanging = hanging_cables(step);
    if (!hanging.empty()) {
      words += fmt::format("{}{} {} loose", words.empty() ? "" : "; ", listed_names(hanging),
                           hanging.size() == 1 ? "hangs" : "hang");
    }
    if (!lifted.empty()) {
      words += fmt::format("{}{} lifted", words.empty() ? "" : "; ", listed_names(lifted));
    }
    return words.empty() ? "all carry" : words;
  }

  void add_largest_displacement(const Step& step, std::vector<std::string>& cells) const {
    double most = 0;
    std::string where = "-";
    for (int d = 0; d < 3; ++d) {
      const NodeId n = furthest_node(step, d);
      const double u = step.state.nodes[n].vector()[d];
      if (std::abs(u) <= std::abs(most)) continue;
      most = u;
      where = model_.place_name(n, d);
    }
    cells.push_back(in_units(units_, Quantity::displacement, most));
    cells.push_back(where);
  }

  void add_largest_forces(const StepExtremes& extremes, std::vector<std::string>& cells) const {
    std::array<double, 3> most = {0, 0, 0};
    std::string where = "-";
    for (const MemberId id : model_.members.ids()) {
      for (int c = 0; c < 6; ++c) {
        const Extreme& e = extremes[id][static_cast<std::size_t>(c)];
        const double value = std::abs(e.min) > std::abs(e.max) ? e.min : e.max;
        double& own = most[c == 0 ? 0 : c < 3 ? 1 : 2];
        if (std::abs(value) <= std::abs(own) * (1 + 1e-9)) continue;
        own = value;
        if (c >= 3) where = model_.members[id].name;
      }
    }
    cells.push_back(in_units(units_, Quantity::force, most[0]));
    cells.push_back(in_units(units_, Quantity::force, most[1]));
    cells.push_back(in_units(units_, Quantity::moment, most[2]));
    cells.push_back(where);
  }

  const RunResult& result_;
  const Model& model_;
  const UnitSystem& units_;
  int width_;
  bool full_;
};

}  // namespace

std::string one_way_digest(const RunResult& result, const UnitSystem& units, int width, bool full) {
  return StepWords(result, units, width, full).one_way_states();
}

std::string path_digest(const RunResult& result, const UnitSystem& units, int width, bool full) {
  return StepWords(result, units, width, full).paths();
}

std::string first_order_digest(const RunResult& result, const UnitSystem& units, bool full) {
  return StepWords(result, units, 0, full).first_order_table();
}

}  // namespace ulterix
