#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>

#include "app/options.hpp"
#include "app/stored_run.hpp"
#include "app/text.hpp"
#include "core/analysis/run.hpp"
#include "draw/canvas.hpp"
#include "draw/mode_figure.hpp"
#include "draw/model_figure.hpp"
#include "draw/result_figures.hpp"
#include "read/near_names.hpp"
#include "write/results_folder.hpp"

namespace ulterix {

namespace {

namespace fs = std::filesystem;
using Names = std::vector<std::string>;

const std::vector<std::string> kFigures = {"model", "deflected", "moment", "shear",
                                           "axial", "reactions", "mode"};

/// The words of the call.
struct DrawRequest {
  std::string what, output;
  Names analyses, members, groups;
  std::string load;
  std::pair<int, int> modes = {1, 1};
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
    for (const MemberId id : model.members.ids()) {
      if (fits(w, model.members[id].name)) add(id);
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

/// Analyses and loads of the results, in order.
std::vector<std::pair<std::string, std::string>> steps_with_results(const Results& results) {
  std::vector<std::pair<std::string, std::string>> all;
  for (const auto& row : results.table("steps").rows) {
    if (is_number(row[4])) all.emplace_back(text_in(row[0]), text_in(row[1]));
  }
  return all;
}

std::string chosen_load(const Results& results, const std::string& wanted) {
  const auto steps = steps_with_results(results);
  if (steps.empty()) throw CallError("no analysis of these results has a state to draw");
  if (wanted.empty()) return steps.front().second;
  Names names;
  for (const auto& [analysis, loads] : steps) {
    if (loads == wanted) return wanted;
    if (std::find(names.begin(), names.end(), loads) == names.end()) names.push_back(loads);
  }
  throw CallError(fmt::format("--load: \"{}\" has no results{} (there are {})", wanted,
                              did_you_mean(wanted, names), fmt::join(names, ", ")));
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

void draw_what(Canvas& canvas, const DrawRequest& request, const DrawnSteps& steps,
               const UnitSystem& units) {
  if (request.what == "deflected") draw_deflected(canvas, steps, units, request.settings);
  if (request.what == "reactions") draw_reactions(canvas, steps, units, request.settings);
  for (const auto& [name, diagram] : {std::pair<const char*, Diagram>{"moment", Diagram::moment},
                                      {"shear", Diagram::shear},
                                      {"axial", Diagram::axial}}) {
    if (request.what == name) draw_diagram(canvas, diagram, steps, units, request.settings);
  }
}

std::vector<std::string> output_paths(const Results& results, const DrawRequest& request,
                                      const std::string& name) {
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
  const ModelFile file = results.model();
  request.settings.members = select_members(file.model, request);
  std::optional<LoadSet> loads;
  if (!request.load.empty()) loads = find_loads(file.model, chosen_load(results, request.load));
  const auto paths = output_paths(
      results, request, loads ? "model-" + as_file_name(request.load) : std::string("model"));
  draw_files(paths, file.model.title + ": the model", [&](Canvas& canvas) {
    draw_model(canvas, file.model, file.units, request.settings, loads ? &*loads : nullptr);
  });
  tell_files(results, paths);
}

/// The analysis whose modes are drawn: the one asked for, else the first that has some for the
/// load.
std::pair<std::string, std::string> mode_step(const Results& results, const DrawRequest& request) {
  std::vector<std::pair<std::string, std::string>> there;
  for (const auto& row : results.table("mode_shapes").rows) {
    const std::pair<std::string, std::string> key(text_in(row[0]), text_in(row[1]));
    if (there.empty() || there.back() != key) there.push_back(key);
  }
  if (there.empty()) throw CallError("no buckling or modal analysis in these results");
  for (const auto& [analysis, loads] : there) {
    const bool fits_analysis = request.analyses.empty() || request.analyses[0] == analysis;
    if (fits_analysis && (request.load.empty() || request.load == loads)) return {analysis, loads};
  }
  Names names;
  for (const auto& [analysis, loads] : there) {
    names.push_back(loads.empty() ? analysis : fmt::format("{} of {}", analysis, loads));
  }
  throw CallError(
      fmt::format("no modes of that analysis and load (there are {})", fmt::join(names, ", ")));
}

/// "2: 11.8, sway along x" of buckling, "1: 0.885 s, 89.8 % of the mass in x" of vibration.
std::string caption_of(const Results& results, const std::vector<Results::Filter>& filters,
                       int mode) {
  const StoredTable buckling = results.table("buckling", filters);
  for (const auto& row : buckling.rows) {
    if (number_in(row[3]) == mode) {
      return fmt::format("{}: {}, {}", mode,
                         significant(number_in(row[buckling.column("factor")]), 3),
                         text_in(row[buckling.column("kind")]));
    }
  }
  const StoredTable table = results.table("frequencies", filters);
  const std::size_t period = table.column("period"), mass = table.column("mass_x");
  for (const auto& row : table.rows) {
    if (number_in(row[3]) != mode) continue;
    if (!is_number(row[period])) return fmt::format("{}: rigid", mode);
    std::size_t best = 0;
    for (std::size_t d = 1; d < 3; ++d) {
      if (number_in(row[mass + d]) > number_in(row[mass + best])) best = d;
    }
    return fmt::format("{}: {} s, {:.0f} % of the mass in {}", mode,
                       significant(number_in(row[period]), 3), number_in(row[mass + best]),
                       kAxisNames[best]);
  }
  return {};
}

std::vector<DrawnMode> stored_modes(const Results& results, const Model& model,
                                    const std::vector<Results::Filter>& filters,
                                    std::pair<int, int> range) {
  std::vector<DrawnMode> modes(static_cast<std::size_t>(range.second - range.first + 1));
  const ByName<NodeId> node(results, model.nodes);
  const ByName<MemberId> member(results, model.members);
  const auto wanted = [&](double number) -> DrawnMode* {
    const int i = static_cast<int>(number) - range.first;
    return i >= 0 && i < static_cast<int>(modes.size()) ? &modes[static_cast<std::size_t>(i)]
                                                        : nullptr;
  };
  for (const auto& row : results.table("mode_shapes", filters).rows) {
    DrawnMode* mode = wanted(number_in(row[3]));
    if (mode == nullptr) continue;
    if (mode->nodes.empty()) mode->nodes = IndexedVector<NodeId, NodeMotion>(model.nodes.size());
    NodeMotion& motion = mode->nodes[node(row[4])];
    for (int d = 0; d < 3; ++d) {
      motion.translation[d] = number_in(row[static_cast<std::size_t>(5 + d)]);
      motion.rotation[d] = number_in(row[static_cast<std::size_t>(8 + d)]);
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
  for (int i = range.first; i <= range.second; ++i) {
    DrawnMode& mode = modes[static_cast<std::size_t>(i - range.first)];
    if (mode.nodes.empty()) throw CallError(fmt::format("--modes: there is no mode {}", i));
    mode.caption = caption_of(results, filters, i);
  }
  return modes;
}

void draw_stored_modes(const Results& results, DrawRequest request) {
  const ModelFile file = results.model();
  request.settings.members = select_members(file.model, request);
  const auto [analysis, loads] = mode_step(results, request);
  std::vector<Results::Filter> filters = {{"analysis", "analysis", {analysis}}};
  if (!loads.empty()) filters.push_back({"load", "loads", {loads}});
  const auto modes = stored_modes(results, file.model, filters, request.modes);
  const bool buckles = !results.table("buckling", filters).rows.empty();
  std::string heading = fmt::format("{} modes, {}", buckles ? "buckling" : "vibration", analysis);
  if (!loads.empty()) heading += (buckles ? ", " : ", about ") + loads;
  std::string name = "mode-" + analysis + (loads.empty() ? "" : "-" + loads);
  name += fmt::format("-{}", request.modes.first);
  if (request.modes.second > request.modes.first) name += fmt::format("-{}", request.modes.second);
  if (request.animate) {
    const std::string path =
        request.output.empty()
            ? (fs::path(results.folder()) / "figures" / (as_file_name(name) + "-moving.svg"))
                  .string()
            : request.output;
    if (fs::path(path).extension() != ".svg") throw CallError("--animate writes an .svg file");
    std::ofstream out;
    out.exceptions(std::ios::failbit | std::ios::badbit);
    out.open(path, std::ios::binary);
    out << animated_modes(file.model, heading, modes, request.settings);
    out.close();
    return tell_files(results, {path});
  }
  const auto paths = output_paths(results, request, as_file_name(name));
  draw_files(paths, fmt::format("{}: {}", file.model.title, heading), [&](Canvas& canvas) {
    draw_modes(canvas, file.model, heading, modes, request.settings);
  });
  tell_files(results, paths);
}

void draw_stored_results(const Results& results, DrawRequest request) {
  const std::string load = chosen_load(results, request.load);
  const Names analyses = chosen_analyses(results, load, request.analyses);
  const StoredRun run(results, analyses, {load});
  request.settings.members = select_members(run.model(), request);
  std::vector<Recovery> recoveries;
  recoveries.reserve(analyses.size());
  DrawnSteps steps;
  std::string name = request.what + "-" + load;
  for (const std::string& a : analyses) {
    const Step* step = run.find(a, load);
    if (step == nullptr) results.damaged();
    recoveries.push_back(run.recovery(*step));
    steps.push_back({&recoveries.back(), a});
    if (!request.analyses.empty()) name += "-" + a;
  }
  if (request.settings.side_by_side) name += "-side-by-side";
  const auto paths = output_paths(results, request, as_file_name(name));
  draw_files(paths, fmt::format("{}: {} under {}", run.model().title, request.what, load),
             [&](Canvas& canvas) { draw_what(canvas, request, steps, run.units()); });
  tell_files(results, paths);
}

DrawRequest request_of(const cxxopts::ParseResult& parsed, const std::string& what) {
  DrawRequest request;
  request.what = what;
  if (std::find(kFigures.begin(), kFigures.end(), what) == kFigures.end()) {
    throw CallError(fmt::format("no figure \"{}\"{} (there are {})", what,
                                did_you_mean(what, kFigures), fmt::join(kFigures, ", ")));
  }
  for (const auto& [option, list] : {std::pair<const char*, Names*>{"analysis", &request.analyses},
                                     {"member", &request.members},
                                     {"group", &request.groups}}) {
    if (parsed.count(option) > 0) *list = parsed[option].as<Names>();
  }
  if (parsed.count("load") > 0) request.load = parsed["load"].as<std::string>();
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
  if (parsed.count("modes") > 0) {
    const std::string text = parsed["modes"].as<std::string>();
    const auto dash = text.find('-', 1);
    request.modes.first = std::atoi(text.c_str());
    request.modes.second =
        dash == std::string::npos ? request.modes.first : std::atoi(text.c_str() + dash + 1);
    const int count = request.modes.second - request.modes.first + 1;
    if (request.modes.first < 1 || count < 1 || count > 6) {
      throw CallError(
          fmt::format("--modes: one mode or a range of at most 6, like 1-3; not \"{}\"", text));
    }
  }
  request.animate = parsed.count("animate") > 0;
  request.settings.compression_side = side == "compression";
  request.settings.side_by_side = parsed.count("side-by-side") > 0;
  return request;
}

}  // namespace

int command_draw(const Arguments& arguments) {
  CommandOptions options(
      "draw", "RESULTS WHAT",
      "Draws a results folder: model, deflected, moment, shear, axial, reactions, or mode;\n"
      "first-order and the second analysis over each other, at one scale.",
      "  ulterix draw shed-results moment --load U2\n"
      "      moment diagrams of both analyses into shed-results/figures/, SVG and PNG\n"
      "  ulterix draw shed-results deflected --load U2 --side-by-side -o sway.pdf\n"
      "      the two shapes beside each other at one scale\n"
      "  ulterix draw shed-results mode --analysis buckling --load U2 --modes 1-3\n"
      "      the three lowest modes beside each other; --animate makes them swing\n"
      "  ulterix draw shed-results axial --group columns --view 30,20\n"
      "      some members, seen from 30 degrees to the right and 20 above\n");
  const auto names = [] { return cxxopts::value<Names>(); };
  const auto word = [] { return cxxopts::value<std::string>(); };
  options.add()("load", "load case or combination (default: the first)", word(), "NAME")(
      "analysis", "one or two analyses (default: first-order and the next)", names(), "NAME")(
      "member", "only these members; names and patterns, may be repeated", names(), "NAME")(
      "group", "only the members of this group", names(), "NAME")(
      "view", "front, side, plan, iso, or TURNED,RAISED in degrees", word(), "VIEW")(
      "scale", "times the displacements; for diagrams, their height in m", cxxopts::value<double>(),
      "X")("side-by-side", "two analyses beside each other instead of overlaid")(
      "modes", "mode: which, like 2 or 1-3", word(), "RANGE")(
      "animate", "mode: an SVG file that a browser plays")(
      "diagram-side", "side of moment diagrams: tension or compression",
      word()->default_value("tension"),
      "SIDE")("o,output", "file: .svg, .png or .pdf (default: two files in RESULTS/figures)",
              word(), "FILE");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  if (parsed->count("target") == 0) throw CallError("results folder is missing");
  const auto targets = (*parsed)["target"].as<Names>();
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
  } else {
    draw_stored_results(results, request);
  }
  return kDone;
}

}  // namespace ulterix
