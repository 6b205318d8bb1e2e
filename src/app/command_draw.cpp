#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cstring>
#include <filesystem>
#include <map>

#include "app/options.hpp"
#include "app/stored_paths.hpp"
#include "app/stored_run.hpp"
#include "app/text.hpp"
#include "core/analysis/run.hpp"
#include "core/analysis/staged.hpp"
#include "draw/canvas.hpp"
#include "draw/mode_figure.hpp"
#include "draw/model_figure.hpp"
#include "draw/result_figures.hpp"
#include "draw/stage_sheet.hpp"
#include "read/name_matching.hpp"
#include "units/text_file.hpp"
#include "write/results_folder.hpp"

namespace ulterix {

namespace {

namespace fs = std::filesystem;
using Names = std::vector<std::string>;

const std::vector<std::string> kFigures = {"model", "deflected", "moment", "shear",
                                           "axial", "reactions", "mode",   "path"};

constexpr std::size_t kModesOnAPage = 6;
constexpr const char* kWhole = "whole";  // of --plane: no plane

/// The words of the call.
struct DrawRequest {
  std::string what, output, plane;
  Names analyses, members, groups, loads;
  std::vector<int> modes = {1};
  bool animate = false;
  FigureSettings settings;
};

/// Members by names, patterns and groups; throws for what fits nothing.
std::vector<MemberId> select_members(const Model& model, const DrawRequest& request) {
  std::vector<MemberId> selected;
  const auto add = [&selected](MemberId id) {
    if (std::find(selected.begin(), selected.end(), id) == selected.end()) selected.push_back(id);
  };
  Names names, groups;
  for (const Member& m : model.members) names.push_back(m.name);
  for (const Group& g : model.groups) groups.push_back(g.name);
  for (const std::string& w : request.members) {
    const std::size_t before = selected.size();
    for (const std::string& pattern : {w, pieces_of_run(w)}) {
      for (const MemberId id : model.members.ids()) {
        if (fits(pattern, model.members[id].name)) add(id);
      }
      if (selected.size() > before) break;
    }
    if (selected.size() == before) {
      throw CallError(fmt::format("--member: no member \"{}\"{}", w, did_you_mean(w, names)));
    }
  }
  for (const std::string& w : request.groups) {
    const auto found = std::find_if(model.groups.begin(), model.groups.end(),
                                    [&w](const Group& g) { return g.name == w; });
    if (found == model.groups.end()) {
      throw CallError(fmt::format("--group: no group \"{}\"{}", w, did_you_mean(w, groups)));
    }
    if (found->members.empty()) throw CallError(fmt::format("--group: {} holds no members", w));
    for (const MemberId id : found->members) add(id);
  }
  return selected;
}

/// The load with the largest bending moment, of second-order where there is one; else the first.
std::string governing_load(const Results& results) {
  const auto steps = steps_with_results(results);
  const bool several = std::any_of(steps.begin(), steps.end(), [&steps](const auto& s) {
    return s.second != steps.front().second;
  });
  if (!several) return steps.front().second;
  const StoredTable table =
      results.store().table(known_table("envelopes"), {{"quantity", {"My", "Mz"}}});
  std::string best = steps.front().second;
  double largest = 0;
  bool second_order = false;
  for (const auto& row : table.rows) {
    const bool second = text_in(row[0]) != kBaseline;
    for (const char* end : {"min", "max"}) {
      const std::size_t at = table.column(end);
      const double value = std::abs(number_in(row[at]));
      if ((second && !second_order && value > 0) ||
          (second == second_order && value > largest * (1 + 1e-9))) {
        best = text_in(row[table.column(std::string(end) + "_loads")]);
        largest = value;
        second_order = second;
      }
    }
  }
  return best;
}

/// The loads named by names and patterns, or the one that governs.
Names chosen_loads(const Results& results, const Names& wanted, const Names& analyses) {
  const auto steps = steps_with_results(results);
  if (steps.empty()) throw CallError("no analysis of these results has a state to draw");
  if (wanted.empty()) {
    // The governing load, if an analysis asked for has it.
    const std::string governing = governing_load(results);
    std::string first;
    for (const auto& [analysis, loads] : steps) {
      if (std::find(analyses.begin(), analyses.end(), analysis) == analyses.end()) continue;
      if (loads == governing) return {governing};
      if (first.empty()) first = loads;
    }
    return {first.empty() ? governing : first};
  }
  Names names, chosen;
  for (const auto& [analysis, loads] : steps) {
    if (std::find(names.begin(), names.end(), loads) == names.end()) names.push_back(loads);
  }
  for (const std::string& w : wanted) {
    const std::size_t before = chosen.size();
    for (const std::string& name : names) {
      const bool known = std::find(chosen.begin(), chosen.end(), name) != chosen.end();
      if (fits(w, name) && !known) chosen.push_back(name);
    }
    if (chosen.size() > before) continue;
    throw CallError(fmt::format("--load: \"{}\" has no results{} (there are {})", w,
                                did_you_mean(w, names), fmt::join(names, ", ")));
  }
  return chosen;
}

std::string the_only_load(const DrawRequest& request) {
  if (request.loads.size() > 1) {
    throw CallError(fmt::format("--load: {} is drawn of one load at a time", request.what));
  }
  return request.loads.empty() ? "" : request.loads[0];
}

/// A figure's settings with the end of its file's name.
using PlaneFigures = std::vector<std::pair<std::string, FigureSettings>>;

/// The figure as it is, or of the plane or planes asked for.
PlaneFigures by_planes(const DrawRequest& request, const Model& model, const UnitSystem& units) {
  if (request.plane.empty() || request.plane == kWhole) return {{"", request.settings}};
  const auto planes = find_planes(model, units);
  PlaneFigures figures;
  Names names;
  const FramePlane* const one = find_plane(planes, request.plane);
  for (const FramePlane& p : planes) {
    names.push_back(p.name);
    if (request.plane != "all" && &p != one) continue;
    std::string ending = "-";
    for (const char c : p.name) {
      if (c != ' ' && c != '=') ending += c;
    }
    FigureSettings settings = in_plane(request.settings, model, p);
    if (!settings.members.empty()) figures.emplace_back(ending, std::move(settings));
  }
  if (!figures.empty()) return figures;
  if (planes.empty()) throw CallError("--plane: this frame has no planes to choose from");
  throw CallError(fmt::format("--plane: no plane \"{}\"{} (there are {})", request.plane,
                              did_you_mean(request.plane, names), fmt::join(names, ", ")));
}

/// Those asked for, else first-order and the first other analysis of the load.
Names chosen_analyses(const Results& results, const std::string& load, const Names& wanted) {
  Names there;
  for (const auto& [analysis, loads] : steps_with_results(results)) {
    if (loads == load) there.push_back(analysis);
  }
  if (wanted.empty()) {
    there.resize(std::min<std::size_t>(there.size(), 2));
    return there;
  }
  if (wanted.size() > 2) throw CallError("--analysis: one or two can be drawn together");
  for (const std::string& w : wanted) {
    if (std::find(there.begin(), there.end(), w) == there.end()) {
      throw CallError(fmt::format("--analysis: \"{}\" has no result for {}{} (there are {})", w,
                                  load, did_you_mean(w, there), fmt::join(there, ", ")));
    }
  }
  return wanted;
}

std::optional<Diagram> diagram_of(const std::string& what) {
  if (what == "moment") return Diagram::moment;
  if (what == "shear") return Diagram::shear;
  if (what == "axial") return Diagram::axial;
  return std::nullopt;
}

/// The diagram whose largest value chooses the plane, where members and view are left open.
std::optional<Diagram> chooses_plane(const DrawRequest& request, const Model& model) {
  const FigureSettings& asked = request.settings;
  const bool open = request.plane.empty() && asked.members.empty() && !asked.view;
  return open && model.plane == Plane::space ? diagram_of(request.what) : std::nullopt;
}

void draw_what(Canvas& canvas, const std::string& what, const DrawnSteps& steps,
               const UnitSystem& units, const FigureSettings& settings) {
  if (what == "deflected") draw_deflected(canvas, steps, units, settings);
  if (what == "reactions") draw_reactions(canvas, steps, units, settings);
  if (const auto diagram = diagram_of(what)) draw_diagram(canvas, *diagram, steps, units, settings);
}

/// `count`: figures of this call, which only their own names can keep apart.
std::vector<std::string> output_paths(const Results& results, const DrawRequest& request,
                                      const std::string& name, std::size_t count) {
  if (count > 1 && !request.output.empty()) {
    throw CallError(fmt::format("--output: {} figures do not go into one file", count));
  }
  if (request.output.empty()) {
    const fs::path base = fs::path(results.folder()) / "figures" / name;
    return {base.string() + ".svg", base.string() + ".png"};
  }
  if (!is_picture(request.output)) {
    throw CallError(fmt::format("--output: {} ends in none of .svg, .png, .pdf", request.output));
  }
  return {request.output};
}

void tell_files(const Results& results, const std::vector<std::string>& paths) {
  for (const std::string& p : paths) {
    list_file(results.folder(), p);
    fmt::print("{}\n", p);
  }
}

void draw_stored_model(const Results& results, DrawRequest request) {
  const ModelFile& file = results.model();
  request.settings.members = select_members(file.model, request);
  const std::string load = the_only_load(request);
  std::optional<LoadSet> loads;
  if (!load.empty()) loads = find_loads(file.model, chosen_loads(results, {load}, {})[0]);
  const auto figures = by_planes(request, file.model, file.units);
  for (const auto& [ending, settings] : figures) {
    const std::string name = fmt::format("model{}{}", loads ? "-" + load : "", ending);
    const auto paths = output_paths(results, request, as_file_name(name), figures.size());
    draw_files(paths, file.model.title + ": the model", [&, &own = settings](Canvas& canvas) {
      draw_model(canvas, file.model, file.units, own, loads ? &*loads : nullptr);
    });
    tell_files(results, paths);
  }
}

/// The analysis whose modes are drawn: the one asked for, else the first that has some for the
/// load.
std::pair<std::string, std::string> mode_step(const Results& results, const DrawRequest& request) {
  const std::string load = the_only_load(request);
  std::vector<std::pair<std::string, std::string>> there;
  for (const auto& row : results.table("mode_shapes").rows) {
    const std::pair<std::string, std::string> key(text_in(row[0]), text_in(row[1]));
    if (there.empty() || there.back() != key) there.push_back(key);
  }
  if (there.empty()) throw CallError("no buckling or modal analysis in these results");
  for (const auto& [analysis, loads] : there) {
    const bool fits_analysis = request.analyses.empty() || request.analyses[0] == analysis;
    if (fits_analysis && (load.empty() || load == loads)) return {analysis, loads};
  }
  Names names;
  for (const auto& [analysis, loads] : there) {
    names.push_back(loads.empty() ? analysis : fmt::format("{} of {}", analysis, loads));
  }
  throw CallError(
      fmt::format("no modes of that analysis and load (there are {})", fmt::join(names, ", ")));
}

std::string caption_of(const Results& results, const std::vector<Results::Filter>& filters,
                       int mode) {
  const StoredTable buckling = results.table("buckling", filters);
  for (const auto& row : buckling.rows) {
    if (number_in(row[3]) != mode) continue;
    return buckling_caption(mode, number_in(row[buckling.column("factor")]),
                            text_in(row[buckling.column("kind")]));
  }
  const StoredTable table = results.table("frequencies", filters);
  const std::size_t period = table.column("period"), mass = table.column("mass_x");
  for (const auto& row : table.rows) {
    if (number_in(row[3]) != mode) continue;
    const auto seconds =
        is_number(row[period]) ? std::optional(number_in(row[period])) : std::nullopt;
    return vibration_caption(
        mode, seconds, {number_in(row[mass]), number_in(row[mass + 1]), number_in(row[mass + 2])});
  }
  return {};
}

std::vector<DrawnMode> stored_modes(const Results& results, const Model& model,
                                    const std::vector<Results::Filter>& filters,
                                    const std::vector<int>& numbers) {
  std::vector<DrawnMode> modes(numbers.size());
  const ByName<NodeId> node(results, model.nodes);
  const ByName<MemberId> member(results, model.members);
  const auto wanted = [&](double number) -> DrawnMode* {
    const auto found = std::find(numbers.begin(), numbers.end(), static_cast<int>(number));
    return found == numbers.end() ? nullptr : &modes[std::size_t(found - numbers.begin())];
  };
  for (const auto& row : results.table("mode_shapes", filters).rows) {
    DrawnMode* mode = wanted(number_in(row[3]));
    if (mode == nullptr) continue;
    if (mode->nodes.empty()) mode->nodes = IndexedVector<NodeId, NodeMotion>(model.nodes.size());
    NodeMotion& motion = mode->nodes[node(row[4])];
    for (int d = 0; d < 3; ++d) {
      const auto at = static_cast<std::size_t>(d);
      motion.translation[d] = number_in(row[5 + at]);
      motion.rotation[d] = number_in(row[8 + at]);
    }
  }
  for (const auto& row : results.table("mode_axes", filters).rows) {
    DrawnMode* mode = wanted(number_in(row[4]));
    if (mode == nullptr) continue;
    if (mode->axes.empty()) {
      mode->axes = IndexedVector<MemberId, std::vector<Vector3d>>(model.members.size());
    }
    mode->axes[member(row[3])].emplace_back(number_in(row[6]), number_in(row[7]),
                                            number_in(row[8]));
  }
  for (std::size_t i = 0; i < numbers.size(); ++i) {
    if (modes[i].nodes.empty()) {
      throw CallError(fmt::format("--mode: there is no mode {}", numbers[i]));
    }
    modes[i].caption = caption_of(results, filters, numbers[i]);
  }
  return modes;
}

void write_moving_picture(const Results& results, const DrawRequest& request,
                          const std::string& name, const std::string& svg) {
  const std::string path =
      request.output.empty()
          ? (fs::path(results.folder()) / "figures" / (as_file_name(name) + "-moving.svg")).string()
          : request.output;
  if (fs::path(path).extension() != ".svg") throw CallError("--animate writes an .svg file");
  write_text(path, svg);
  tell_files(results, {path});
}

void draw_stored_modes(const Results& results, DrawRequest request) {
  const ModelFile& file = results.model();
  request.settings.members = select_members(file.model, request);
  const auto [analysis, loads] = mode_step(results, request);
  std::vector<Results::Filter> filters = {{"analysis", "analysis", {analysis}}};
  if (!loads.empty()) filters.push_back({"load", "loads", {loads}});
  const auto modes = stored_modes(results, file.model, filters, request.modes);
  const bool buckles = !results.table("buckling", filters).rows.empty();
  const std::string heading = modes_heading(buckles, analysis, loads);
  const auto figures = by_planes(request, file.model, file.units);
  const std::size_t pages = (modes.size() + kModesOnAPage - 1) / kModesOnAPage;
  for (std::size_t page = 0; page < pages; ++page) {
    const std::size_t first = page * kModesOnAPage;
    const std::size_t last = std::min(modes.size(), first + kModesOnAPage);
    const std::vector<DrawnMode> shown(modes.begin() + std::ptrdiff_t(first),
                                       modes.begin() + std::ptrdiff_t(last));
    const std::string name = modes_file_name(analysis, loads,
                                             {request.modes.begin() + std::ptrdiff_t(first),
                                              request.modes.begin() + std::ptrdiff_t(last)});
    for (const auto& [ending, settings] : figures) {
      if (request.animate) {
        write_moving_picture(results, request, name + ending,
                             animated_modes(file.model, heading, shown, settings));
        continue;
      }
      const auto paths =
          output_paths(results, request, as_file_name(name + ending), figures.size() * pages);
      draw_files(paths, fmt::format("{}: {}", file.model.title, heading),
                 [&, &own = settings](Canvas& canvas) {
                   draw_modes(canvas, file.model, heading, shown, own);
                 });
      tell_files(results, paths);
    }
  }
}

/// Deflected shapes of one load that move from nothing to the whole, a panel an analysis.
void animate_deflection(const Results& results, const DrawRequest& request, const DrawnSteps& steps,
                        const std::string& name, const FigureSettings& settings) {
  const Recovery& main = *steps.back().recovery;
  const double scale = settings.scale.value_or(automatic_scale(steps, settings));
  std::vector<DrawnMode> shapes;
  for (const DrawnStep& s : steps) shapes.push_back(drawn_deflection(*s.recovery, scale, s.name));
  const std::string heading =
      fmt::format("deflected shape, {}: displacements x {:g}", main.step().loads.name, scale);
  write_moving_picture(results, request, name,
                       animated_modes(main.frame().model(), heading, shapes, settings));
}

/// The stages of an analysis on one sheet or in a moving picture, the same at once last.
void draw_stored_stages(const Results& results, DrawRequest request) {
  const std::string& analysis = request.analyses.front();
  const StoredRun run(results, {analysis, at_once_name(analysis)}, {});
  request.settings.members = select_members(run.model(), request);
  const StageSheet sheet(run.steps(), analysis);
  if (sheet.steps().empty()) throw CallError(fmt::format("no stage of {} stands", analysis));
  request.settings.sheet = sheet.heading();
  const auto figures = by_planes(request, run.model(), run.units());
  for (const auto& [ending, settings] : figures) {
    const std::string name = fmt::format("{}-{}{}", request.what, analysis, ending);
    if (request.animate) {
      const double scale = settings.scale.value_or(automatic_scale(sheet.steps(), settings));
      write_moving_picture(
          results, request, name,
          moving_states(run.model(), sheet.heading(), sheet.steps(), scale, settings));
      continue;
    }
    const auto paths = output_paths(results, request, as_file_name(name), figures.size());
    draw_files(paths, fmt::format("{}: {}, {}", run.model().title, request.what, sheet.heading()),
               [&, &own = settings](Canvas& canvas) {
                 draw_what(canvas, request.what, sheet.steps(), run.units(), own);
               });
    tell_files(results, paths);
  }
}

bool is_staged(const Model& model, const std::string& analysis) {
  return std::any_of(model.analyses.begin(), model.analyses.end(),
                     [&](const AnalysisSpec& a) { return a.name == analysis && a.is_erection(); });
}

void draw_stored_results(const Results& results, DrawRequest request) {
  if (request.analyses.size() == 1 && request.loads.empty() &&
      is_staged(results.model().model, request.analyses.front())) {
    return draw_stored_stages(results, request);
  }
  const Names loads = chosen_loads(results, request.loads, request.analyses);
  std::vector<Names> analyses;
  Names all;
  for (const std::string& load : loads) {
    analyses.push_back(chosen_analyses(results, load, request.analyses));
    all.insert(all.end(), analyses.back().begin(), analyses.back().end());
  }
  const StoredRun run(results, all, loads);
  request.settings.members = select_members(run.model(), request);
  PlaneFigures figures = by_planes(request, run.model(), run.units());
  const std::optional<Diagram> chooses = chooses_plane(request, run.model());
  for (std::size_t i = 0; i < loads.size(); ++i) {
    std::vector<Recovery> recoveries;
    recoveries.reserve(analyses[i].size());
    DrawnSteps steps;
    std::string name = request.what + "-" + loads[i];
    for (const std::string& a : analyses[i]) {
      const Step* step = run.find(a, loads[i]);
      if (step == nullptr) results.damaged();
      recoveries.emplace_back(*step);
      steps.push_back({&recoveries.back(), a});
      if (!request.analyses.empty()) name += "-" + a;
    }
    if (request.settings.side_by_side) name += "-side-by-side";
    if (chooses) {
      const MemberId most = governing_member(recoveries.back(), *chooses);
      figures = {{"", in_plane_of(most, request.settings, run.model(), run.units())}};
    }
    for (const auto& [ending, settings] : figures) {
      if (request.animate) {
        animate_deflection(results, request, steps, name + ending, settings);
        continue;
      }
      const auto paths = output_paths(results, request, as_file_name(name + ending),
                                      loads.size() * figures.size());
      draw_files(paths, fmt::format("{}: {} under {}", run.model().title, request.what, loads[i]),
                 [&, &own = settings](Canvas& canvas) {
                   draw_what(canvas, request.what, steps, run.units(), own);
                 });
      tell_files(results, paths);
      if (chooses && settings.plane) {
        fmt::print(
            "the plane {} holds the largest value; --plane all draws every plane, whole the "
            "frame\n",
            settings.plane->name);
      }
    }
  }
}

/// Load factors over the watched places, of every large-displacement analysis of the loads.
void draw_stored_paths(const Results& results, const DrawRequest& request) {
  for (const std::string& load : chosen_loads(results, request.loads, request.analyses)) {
    const std::vector<PathChart> charts = stored_paths(results, load);
    if (charts.empty()) {
      throw CallError(fmt::format(
          "no path of {}: it needs a large-displacement analysis and [watch] with a place", load));
    }
    for (const PathChart& chart : charts) {
      const auto paths = output_paths(
          results, request, as_file_name("path-" + load + "-" + chart.place), charts.size());
      draw_files(paths, fmt::format("{}: path of {}", chart.title, load),
                 [&chart](Canvas& canvas) { draw_path(canvas, chart); });
      tell_files(results, paths);
    }
  }
}

/// `3`, `1-3`, `1,4,6-8`.
std::vector<int> parse_modes(const std::string& text) {
  constexpr int kMost = 300;
  std::vector<int> modes;
  const char* at = text.c_str();
  const auto number = [&at]() {
    int value = 0;
    const auto [end, error] = std::from_chars(at, at + std::strlen(at), value);
    const bool good = error == std::errc() && value >= 1 && value <= kMost;
    at = end;
    return good ? value : 0;
  };
  while (true) {
    const int first = number();
    int last = first;
    if (*at == '-') {
      ++at;
      last = number();
    }
    if (first == 0 || last < first || (*at != ',' && *at != '\0')) {
      throw CallError(fmt::format("--mode: modes like 2, 1-3 or 1,4; not \"{}\"", text));
    }
    for (int i = first; i <= last; ++i) {
      if (std::find(modes.begin(), modes.end(), i) == modes.end()) modes.push_back(i);
    }
    if (*at == '\0') return modes;
    ++at;
  }
}

/// Refuses options that do nothing on a figure of this kind.
void refuse_without_effect(const cxxopts::ParseResult& parsed, const std::string& what) {
  const std::map<std::string, Names> uses = {
      {"analysis", {"deflected", "moment", "shear", "axial", "reactions", "mode"}},
      {"scale", {"deflected", "moment", "shear", "axial", "mode"}},
      {"side-by-side", {"deflected", "moment", "shear", "axial", "reactions"}},
      {"mode", {"mode"}},
      {"animate", {"deflected", "mode"}},
      {"diagram-side", {"moment"}},
      {"loads", {"deflected", "reactions"}}};
  for (const auto& [option, figures] : uses) {
    if (parsed.count(option) == 0) continue;
    if (std::find(figures.begin(), figures.end(), what) == figures.end()) {
      throw CallError(fmt::format("--{} has no effect on the figure {} (it is for {})", option,
                                  what, fmt::join(figures, ", ")));
    }
  }
  if (parsed.count("animate") > 0 && parsed.count("side-by-side") > 0) {
    throw CallError("--side-by-side has no effect with --animate, which shows a panel an analysis");
  }
}

DrawRequest request_of(const cxxopts::ParseResult& parsed, const std::string& what) {
  DrawRequest request;
  request.what = what;
  if (std::find(kFigures.begin(), kFigures.end(), what) == kFigures.end()) {
    throw CallError(fmt::format("no figure \"{}\"{} (there are {})", what,
                                did_you_mean(what, kFigures), fmt::join(kFigures, ", ")));
  }
  refuse_without_effect(parsed, what);
  for (const auto& [option, list] : {std::pair<const char*, Names*>{"analysis", &request.analyses},
                                     {"load", &request.loads},
                                     {"member", &request.members},
                                     {"group", &request.groups}}) {
    if (parsed.count(option) > 0) *list = parsed[option].as<Names>();
  }
  if (parsed.count("output") > 0) request.output = parsed["output"].as<std::string>();
  if (parsed.count("view") > 0) {
    const std::string text = parsed["view"].as<std::string>();
    request.settings.view = parse_view(text);
    if (!request.settings.view) {
      throw CallError(fmt::format(
          "--view: front, side, plan, iso, or two angles in degrees like 30,20; not \"{}\"", text));
    }
  }
  if (parsed.count("scale") > 0) {
    const double scale = parsed["scale"].as<double>();
    if (!(scale > 0)) throw CallError("--scale: a number above 0");
    request.settings.scale = scale;
  }
  const std::string side = parsed["diagram-side"].as<std::string>();
  if (side != "tension" && side != "compression") {
    throw CallError(fmt::format("--diagram-side: tension or compression, not \"{}\"", side));
  }
  if (parsed.count("mode") > 0) request.modes = parse_modes(parsed["mode"].as<std::string>());
  if (parsed.count("plane") > 0) request.plane = parsed["plane"].as<std::string>();
  if (parsed.count("loads") > 0) request.settings.loads = true;
  request.animate = parsed.count("animate") > 0;
  request.settings.compression_side = side == "compression";
  request.settings.side_by_side = parsed.count("side-by-side") > 0;
  return request;
}

}  // namespace

int command_draw(const Arguments& arguments) {
  CommandOptions options(
      "draw", "RESULTS WHAT",
      "Draws a results folder: model, deflected, moment, shear, axial, reactions, mode, or path;\n"
      "first-order and the second analysis over each other, at one scale.",
      "  ulterix draw shed-results moment --load U2\n"
      "      moment diagrams of both analyses into shed-results/figures/, SVG and PNG\n"
      "  ulterix draw shed-results deflected --load U2 --side-by-side -o sway.pdf\n"
      "      the two shapes beside each other at one scale\n"
      "  ulterix draw shed-results mode --analysis buckling --load U2 --mode 1-3\n"
      "      the three lowest modes beside each other; --animate makes them swing\n"
      "  ulterix draw shed-results moment --load \"U*\" --plane \"y = 12\"\n"
      "      one plane of a space frame under every combination; --plane all draws each plane\n"
      "  ulterix draw shed-results axial --group columns --view 30,20\n"
      "      some members, seen from 30 degrees to the right and 20 above\n");
  const auto names = [] { return cxxopts::value<Names>(); };
  const auto word = [] { return cxxopts::value<std::string>(); };
  options.add()("load",
                "load case or combination; names and patterns (default: the one that governs)",
                names(), "NAME")(
      "analysis", "one or two analyses (default: first-order and the next)", names(), "NAME")(
      "member", "only these members; names and patterns, may be repeated", names(), "NAME")(
      "group", "only the members of this group", names(), "NAME")(
      "view", "front, side, plan, iso, or TURNED,RAISED in degrees", word(), "VIEW")(
      "scale", "times the displacements; for diagrams, their height in m", cxxopts::value<double>(),
      "X")("side-by-side", "two analyses beside each other instead of overlaid")(
      "plane",
      "one plane of a space frame, like \"y = 12\", all, or whole (default: of diagrams of more "
      "than "
      "40 members in space the plane of the largest value)",
      word(), "PLANE")("loads", "draw the loads on a whole space frame too")(
      "mode", "mode: which, like 2, 1-3 or 1,4", word(), "N")(
      "animate", "deflected and mode: an SVG file that a browser plays")(
      "diagram-side", "side of moment diagrams: tension or compression",
      word()->default_value("tension"),
      "SIDE")("o,output", "file: .svg, .png or .pdf (default: two files in RESULTS/figures)",
              word(), "FILE");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  const auto targets = options.targets(*parsed, "results folder");
  if (targets.size() != 2) {
    throw CallError(
        fmt::format("expected a results folder and what to draw: {}", fmt::join(kFigures, ", ")));
  }
  const Results results(targets[0]);
  const DrawRequest request = request_of(*parsed, targets[1]);
  if (request.what == "model") {
    draw_stored_model(results, request);
  } else if (request.what == "mode") {
    draw_stored_modes(results, request);
  } else if (request.what == "path") {
    draw_stored_paths(results, request);
  } else {
    draw_stored_results(results, request);
  }
  return kDone;
}

}  // namespace ulterix
