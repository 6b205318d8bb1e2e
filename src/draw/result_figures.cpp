#include "draw/result_figures.hpp"

#include <fmt/format.h>

#include <cctype>
#include <cstdint>

#include "core/analysis/large_displacement.hpp"
#include "core/results/event_words.hpp"
#include "core/results/modes.hpp"
#include "draw/canvas.hpp"
#include "draw/figure.hpp"
#include "draw/mode_figure.hpp"
#include "draw/model_figure.hpp"
#include "draw/path_figure.hpp"
#include "draw/path_sheet.hpp"
#include "draw/stage_sheet.hpp"
#include "units/text_file.hpp"

namespace ulterix {

namespace {

namespace fs = std::filesystem;

/// Mechanisms drawn by themselves.
constexpr std::size_t kMostMechanisms = 12;

/// Modes on the figure of a buckling or modal analysis.
constexpr std::size_t kModes = 3;

/// Watched places whose paths are drawn.
constexpr std::size_t kMostPaths = 4;

std::vector<std::string> both_formats(const fs::path& folder, const std::string& name) {
  return {(folder / (name + ".svg")).string(), (folder / (name + ".png")).string()};
}

bool is_whole(const Step& step) {
  return step.has_state && step.state.lambda == 1;
}

class RunFigures {
 public:
  RunFigures(const RunResult& result, const UnitSystem& units, const fs::path& folder)
      : result_(result), model_(*result.model), units_(units), folder_(folder) {}

  void draw_model_figure() {
    names_.emplace_back("model");
    draw_files(both_formats(folder_, "model"), model_.title + ": the model",
               [&](Canvas& canvas) { draw_model(canvas, model_, units_); });
  }

  /// Deflected shape and moments, of the plane that holds the governing member.
  void draw_governing(const GoverningStep& governing) {
    const Step& second = *governing.step;
    const Step& first = result_.baseline(second.loads.name);
    const Recovery first_order(first);
    std::optional<Recovery> second_order;
    if (&second != &first) second_order.emplace(second);
    DrawnSteps steps;
    if (is_whole(first)) steps.push_back({&first_order, std::string(kBaseline)});
    if (second_order) steps.push_back({&*second_order, second.analysis});
    const FigureSettings settings = in_plane_of(governing.member, {}, model_, units_);
    const std::string &loads = second.loads.name, file = as_file_name(loads);
    names_.push_back("deflected-" + file);
    names_.push_back("moment-" + file);
    draw_files(both_formats(folder_, "deflected-" + file),
               fmt::format("{}: deflected shape under {}", model_.title, loads),
               [&](Canvas& canvas) { draw_deflected(canvas, steps, units_, settings); });
    draw_files(
        both_formats(folder_, "moment-" + file),
        fmt::format("{}: bending moments under {}", model_.title, loads),
        [&](Canvas& canvas) { draw_diagram(canvas, Diagram::moment, steps, units_, settings); });
  }

  /// Every staged analysis on a sheet of deflected shapes and one of moments.
  void draw_stages() {
    for (const AnalysisSpec& spec : model_.analyses) {
      if (!spec.is_erection()) continue;
      const StageSheet sheet(result_.steps, spec.name);
      if (sheet.steps().empty()) continue;
      FigureSettings settings;
      settings.sheet = sheet.heading();
      const std::string file = as_file_name(spec.name);
      names_.push_back("deflected-" + file);
      draw_files(both_formats(folder_, names_.back()),
                 fmt::format("{}: deflected shapes, {}", model_.title, sheet.heading()),
                 [&](Canvas& canvas) { draw_deflected(canvas, sheet.steps(), units_, settings); });
      names_.push_back("moment-" + file);
      draw_files(both_formats(folder_, names_.back()),
                 fmt::format("{}: bending moments, {}", model_.title, sheet.heading()),
                 [&](Canvas& canvas) {
                   draw_diagram(canvas, Diagram::moment, sheet.steps(), units_, settings);
                 });
    }
  }

  /// Where each analysis begins that does not begin as drawn, of its first loads.
  void draw_starts() {
    std::string before;
    for (const Step& step : result_.steps) {
      const bool finite = step.kind == AnalysisKind::large_displacement;
      if (!finite || !step.has_state || step.analysis == before) continue;
      before = step.analysis;
      const auto start = drawn_start(*step.frame, step.loads.name);
      if (!start) continue;
      names_.push_back("start-" + as_file_name(step.analysis));
      const std::string heading = fmt::format("where {} begins", step.analysis);
      draw_files(both_formats(folder_, names_.back()), fmt::format("{}: {}", model_.title, heading),
                 [&](Canvas& canvas) { draw_modes(canvas, model_, heading, {*start}); });
    }
  }

  /// Deflected shapes along the path of every large displacement analysis, of its first loads.
  void draw_path_sheets() {
    std::string before;
    for (const Step& step : result_.steps) {
      if (step.path.empty() || step.analysis == before) continue;
      before = step.analysis;
      const PathSheet sheet(model_, step);
      if (sheet.steps().size() < 2) continue;
      FigureSettings settings;
      settings.sheet = sheet.heading();
      settings.loads = false;
      settings.scale = std::max(1.0, automatic_scale(sheet.steps(), settings));  // never smaller
      names_.push_back("path-shapes-" + as_file_name(step.analysis));
      draw_files(both_formats(folder_, names_.back()),
                 fmt::format("{}: deflected shapes, {}", model_.title, sheet.heading()),
                 [&](Canvas& canvas) { draw_deflected(canvas, sheet.steps(), units_, settings); });
      const PathSheet moving(model_, step, PathSheet::kMoving);
      write_text(fs::path(folder_) / (names_.back() + "-moving.svg"),
                 moving_states(model_, sheet.heading(), moving.steps(), *settings.scale));
    }
  }

  /// The first modes of every buckling and modal analysis, of the loads with the lowest.
  void draw_modes_of_analyses() {
    for (const std::string& analysis : result_.analyses()) {
      const Step* lowest = nullptr;
      for (const Step& step : result_.steps) {
        if (step.analysis != analysis || number_of_modes(step) == 0) continue;
        if (lowest == nullptr || clearly_lower(first_value(step), first_value(*lowest))) {
          lowest = &step;
        }
      }
      if (lowest != nullptr) draw_modes_of(*lowest);
    }
  }

  /// Paths of large displacement over the watched places, of every set of loads.
  void draw_paths() {
    for (const Step& first : result_.steps) {
      if (first.analysis != kBaseline) continue;
      for (std::size_t i = 0; i < model_.watches.size() && i < kMostPaths; ++i) {
        const PathChart chart = chart_of(first.loads.name, model_.watches[i]);
        if (chart.curves.empty()) continue;
        const std::string name = as_file_name("path-" + chart.loads + "-" + chart.place);
        names_.push_back(name);
        draw_files(both_formats(folder_, name),
                   fmt::format("{}: path of {}", model_.title, chart.loads),
                   [&chart](Canvas& canvas) { draw_path(canvas, chart); });
      }
    }
  }

  const std::vector<std::string>& names() const { return names_; }

 private:
  PathChart chart_of(const std::string& loads, const Watch& watch) const {
    const Place& place = watch.place;
    const bool turns = place.component >= 3;
    const Quantity q = place.is_displacement()
                           ? (turns ? Quantity::rotation : Quantity::displacement)
                           : (turns ? Quantity::moment : Quantity::force);
    PathChart chart;
    chart.title = model_.title;
    chart.loads = loads;
    chart.place = watch.name;
    chart.unit = units_.label(q);
    for (const Step& step : result_.steps) {
      if (step.loads.name != loads) continue;
      if (step.buckling && !step.buckling->modes.empty()) {
        chart.buckling =
            std::min(chart.buckling.value_or(step.buckling->lowest()), step.buckling->lowest());
      }
      const bool linear = step.analysis == kBaseline;
      if ((linear || step.kind == AnalysisKind::p_delta) && is_whole(step)) {
        const auto value = value_at(Recovery(step), place);
        if (value && linear) chart.first_order = units_.from_si(q, *value);
        if (value && !linear)
          chart.p_delta = Vector2d(units_.from_si(q, *value), step.state.lambda);
      }
      if (step.path.empty()) continue;
      PathCurve curve{step.analysis, {}, {}};
      for (const PathPoint& point : step.path) {
        const auto value = value_on_path(model_, step, point, place);
        if (!value) continue;
        curve.points.emplace_back(units_.from_si(q, *value), point.factor);
        curve.events.push_back(event_words(model_, point));
      }
      if (curve.points.size() > 1) chart.curves.push_back(std::move(curve));
    }
    return chart;
  }

  static std::size_t number_of_modes(const Step& step) {
    return step.buckling ? step.buckling->modes.size() : step.modal ? step.modal->modes.size() : 0;
  }
  static double first_value(const Step& step) {
    return step.buckling ? step.buckling->modes[0].factor : step.modal->modes[0].omega;
  }

  void draw_modes_of(const Step& step) {
    std::vector<DrawnMode> modes;
    std::vector<int> numbers;
    for (std::size_t i = 0; i < std::min(kModes, number_of_modes(step)); ++i) {
      modes.push_back(step.buckling ? drawn_mode(step.buckling->modes[i])
                                    : drawn_mode(step.modal->modes[i], *step.modal));
      numbers.push_back(static_cast<int>(i) + 1);
    }
    const std::string heading =
        modes_heading(step.buckling != nullptr, step.analysis, step.loads.name);
    const std::string name = as_file_name(modes_file_name(step.analysis, step.loads.name, numbers));
    names_.push_back(name);
    draw_files(both_formats(folder_, name), fmt::format("{}: {}", model_.title, heading),
               [&](Canvas& canvas) { draw_modes(canvas, model_, heading, modes); });
  }

  const RunResult& result_;
  const Model& model_;
  const UnitSystem& units_;
  fs::path folder_;
  std::vector<std::string> names_;
};

void draw_all_mechanisms(const RunResult& result, const fs::path& folder,
                         std::vector<std::string>& names) {
  const auto& all = result.frame.mechanisms;
  for (std::size_t i = 0; i < all.size() && i < kMostMechanisms; ++i) {
    names.push_back(fmt::format("mechanism-{}", i + 1));
    draw_files(both_formats(folder, names.back()),
               fmt::format("{}: {}", result.model->title, all[i].words), [&](Canvas& canvas) {
                 draw_mechanism(canvas, result.frame.system, all[i], static_cast<int>(i) + 1,
                                static_cast<int>(all.size()));
               });
  }
}

}  // namespace

std::string as_file_name(const std::string& name) {
  constexpr std::size_t kMost = 80, kKept = 60;
  std::string result;
  std::uint32_t hash = 2166136261U;
  for (const char c : name) {
    const auto byte = static_cast<unsigned char>(c);
    hash = (hash ^ byte) * 16777619U;
    const bool letter = byte >= 0x80 || std::isalnum(byte) != 0;  // of any alphabet
    const bool plain = letter || c == '-' || c == '_' || (c == '.' && !result.empty());
    result += plain ? std::string(1, c) : fmt::format("%{:02X}", byte);
  }
  if (result.size() <= kMost) return result;
  std::size_t end = kKept;
  while ((static_cast<unsigned char>(result[end]) & 0xC0) == 0x80) --end;
  return fmt::format("{}~{:08x}", result.substr(0, end), hash);
}

std::string modes_heading(bool buckling, const std::string& analysis, const std::string& loads) {
  std::string heading = fmt::format("{} modes, {}", buckling ? "buckling" : "vibration", analysis);
  if (!loads.empty()) heading += (buckling ? ", " : ", about ") + loads;
  return heading;
}

std::string modes_file_name(const std::string& analysis, const std::string& loads,
                            const std::vector<int>& modes) {
  const std::string name = "mode-" + analysis + (loads.empty() ? "" : "-" + loads);
  const bool range = modes.back() - modes.front() + 1 == static_cast<int>(modes.size());
  if (range && modes.size() > 1) return name + fmt::format("-{}-{}", modes.front(), modes.back());
  return name + fmt::format("-{}", fmt::join(modes, "_"));
}

std::optional<GoverningStep> governing_step(const RunResult& result) {
  // Moments first; in a truss the axial force.
  for (const auto& forces : {std::vector<InternalForce>{kMy, kMz}, {kN}}) {
    for (const bool second_order : {true, false}) {
      GoverningStep best;
      double largest = 0;
      for (std::size_t i = 0; i < result.steps.size(); ++i) {
        const Step& step = result.steps[i];
        const bool wanted = second_order ? is_second_order(step.kind) : step.analysis == kBaseline;
        if (!wanted || !is_whole(step) || result.extremes[i].empty()) continue;
        const LargestForce own =
            largest_of(result.extremes[i], forces, result.model->members.ids());
        const double value = std::abs(own.value);
        if (value > largest * (1 + 1e-9)) largest = value, best = {&step, own.member};
      }
      if (best.step != nullptr) return best;
    }
  }
  // Nothing acts: any step that has a state.
  for (const Step& step : result.steps) {
    if (is_whole(step) && step.analysis == kBaseline) return GoverningStep{&step, {}};
  }
  return std::nullopt;
}

std::vector<std::string> draw_results(const RunResult& result, const UnitSystem& units,
                                      const fs::path& folder) {
  std::vector<std::string> names;
  draw_all_mechanisms(result, folder, names);
  if (result.model->members.empty()) return names;
  RunFigures figures(result, units, folder);
  figures.draw_model_figure();
  if (const auto governing = governing_step(result)) figures.draw_governing(*governing);
  figures.draw_stages();
  figures.draw_starts();
  figures.draw_path_sheets();
  figures.draw_modes_of_analyses();
  figures.draw_paths();
  names.insert(names.end(), figures.names().begin(), figures.names().end());
  return names;
}

}  // namespace ulterix
