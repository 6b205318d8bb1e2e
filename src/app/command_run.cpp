#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <future>
#include <optional>

#include "app/digest.hpp"
#include "app/interruption.hpp"
#include "app/model_input.hpp"
#include "app/options.hpp"
#include "app/progress.hpp"
#include "app/run_and_write.hpp"
#include "app/text.hpp"
#include "draw/result_figures.hpp"
#include "read/name_matching.hpp"
#include "units/text_file.hpp"
#include "write/results_folder.hpp"
#include "write/write_tables.hpp"

namespace ulterix {

namespace {

namespace fs = std::filesystem;

int exit_status(const RunResult& result) {
  for (const Step& step : result.steps) {
    // A baseline that fails is a remark where another analysis speaks for the same loads.
    const bool asked = step.analysis != kBaseline || result.analyses().size() == 1;
    if (asked && !step.outcome.stands()) return kDoesNotStand;
  }
  return result.frame.stands() || result.free_structure() ? kDone : kDoesNotStand;
}

void check_names(const ModelFile& file, const std::vector<std::string>& only) {
  std::vector<std::string> names = {std::string(kBaseline)};
  for (const AnalysisSpec& spec : file.model.analyses) names.push_back(spec.name);
  for (const std::string& name : only) {
    if (std::find(names.begin(), names.end(), name) == names.end()) {
      throw CallError(fmt::format("--analysis: no analysis \"{}\"{} (there are {})", name,
                                  did_you_mean(name, names), fmt::join(names, ", ")));
    }
  }
}

/// What helps after this result, pasted as it stands.
std::string next_steps(const RunResult& result, const std::vector<std::string>& figures,
                       const std::string& target) {
  std::vector<std::string> lines;
  const auto look_at = [&](const char* start) {
    const auto found = std::find_if(figures.begin(), figures.end(),
                                    [start](const std::string& f) { return f.starts_with(start); });
    if (found != figures.end()) {
      lines.push_back(fmt::format("look at {}/figures/{}.png", target, *found));
    }
  };
  const bool modes = std::any_of(result.steps.begin(), result.steps.end(), [](const Step& s) {
    return s.buckling != nullptr || s.modal != nullptr;
  });
  const bool compares = std::any_of(result.comparisons.begin(), result.comparisons.end(),
                                    [](const auto& rows) { return !rows.empty(); });
  if (!result.frame.mechanisms.empty()) {
    look_at("mechanism-");
  } else {
    look_at(modes ? "mode-" : "deflected-");
    if (compares) lines.push_back(fmt::format("ulterix compare {}", target));
    const bool buckles = std::any_of(result.steps.begin(), result.steps.end(),
                                     [](const Step& s) { return s.buckling != nullptr; });
    if (buckles) lines.push_back(fmt::format("ulterix table {} buckling_lengths", target));
  }
  if (lines.empty()) lines.push_back(fmt::format("ulterix table {}", target));
  std::string text;
  for (const std::string& l : lines) {
    text += fmt::format(" {:<10} {}\n", text.empty() ? "Next" : "", l);
  }
  return text;
}

/// Keeps only the loads that fit, in every analysis; a case or combination that no analysis asks
/// for is taken by all of them.
void keep_loads_only(Model& model, const std::vector<std::string>& wanted) {
  std::vector<std::string> names;
  std::vector<LoadSet> chosen;
  const auto offer = [&](const LoadSet& set) {
    names.push_back(set.name);
    if (fits_any(wanted, set.name)) chosen.push_back(set);
  };
  for (const LoadSet& set : model.combinations) offer(set);
  for (const CaseId id : model.cases.ids()) offer(model.case_alone(id));
  for (const std::string& w : wanted) {
    if (!fits_one_of(w, names)) {
      throw CallError(fmt::format("--load: no load case or combination \"{}\"{} (there are {})", w,
                                  did_you_mean(w, names), fmt::join(names, ", ")));
    }
  }
  for (AnalysisSpec& spec : model.analyses) {
    if (spec.kind() == AnalysisKind::modal) continue;
    const bool state_of_another =
        std::any_of(model.analyses.begin(), model.analyses.end(),
                    [&spec](const AnalysisSpec& a) { return a.after.analysis == spec.name; });
    if (!state_of_another) spec.loads = chosen;
  }
}

/// The baseline alone, for all loads of the model.
void keep_baseline_only(Model& model) {
  for (AnalysisSpec& spec : model.analyses) {
    spec.become(AnalysisKind::first_order);
    spec.name = kBaseline;
  }
}

}  // namespace

int run_and_write(const std::string& model_path, const RunSettings& settings) {
  const std::string target =
      settings.folder.empty() ? base_name(model_path) + "-results" : settings.folder;
  ResultsFolder folder(target);  // before the work: a wrong place is told at once
  const Interruption interruption([&folder] { folder.abandon(); });
  TablesWriter tables(folder.building());
  ModelFile file;
  if (!read_or_complain(model_path, file)) return kWrongModelOrCall;
  check_names(file, settings.only);
  std::optional<ProgressLine> line(settings.quiet);
  const Progress progress = line->callback();
  Model model = file.model;
  if (!settings.loads.empty()) keep_loads_only(model, settings.loads);
  std::vector<std::string> only = settings.only;
  if (only == std::vector<std::string>{std::string(kBaseline)}) {
    keep_baseline_only(model);
    only.clear();
  }
  const RunResult result = run(std::move(model), only, progress);
  const std::string model_name = fs::path(file.path).filename().string();
  // Figures are drawn while the tables are written.
  std::future<std::vector<std::string>> drawn;
  if (settings.figures) {
    drawn = std::async(std::launch::async, [&] {
      return draw_results(result, file.units, folder.building() / "figures");
    });
  }
  const int files =
      tables.write(result, file.units, file.text, model_name, settings.long_tables, progress);
  const std::string summary = summary_json(result, file.units, file.text, model_name);
  write_text(folder.building() / "summary.json", summary);
  write_text(folder.building() / "model.toml", file.text);
  const std::vector<std::string> figures = drawn.valid() ? drawn.get() : std::vector<std::string>();
  folder.commit();
  line.reset();  // gone before anything is printed
  if (settings.json) fmt::print("{}", summary);
  if (!settings.json && !settings.quiet) {
    const int width = terminal_width();
    fmt::print("{}", run_digest(result, file.units, width, settings.full));
    for (std::size_t i = 0; i < file.warnings.size(); ++i) {
      fmt::print("{}\n",
                 wrapped(fmt::format(" {:<10} {}:{}: {}", i == 0 ? "Warnings" : "", file.path,
                                     file.warnings[i].at.line, file.warnings[i].words),
                         width, 12));
    }
    fmt::print("{}\n",
               wrapped(fmt::format(" Files      {}/   summary.json  results.sqlite  tables/ ({})  "
                                   "figures/ ({})",
                                   target, files, 2 * figures.size()),
                       width, 12));
    fmt::print("{}", as_called(next_steps(result, figures, target)));
  }
  return exit_status(result);
}

int command_run(const Arguments& arguments) {
  CommandOptions options(
      "run", "MODEL", "Runs the analyses of a model file, first-order always too.",
      "  ulterix run shed.toml\n"
      "      runs what the file asks for, prints the digest and writes shed-results/\n"
      "  ulterix run shed.toml --analysis p-delta -o trial\n"
      "      one analysis beside first-order, into trial/\n");
  options.add()("o,output", "results folder (default MODEL-results)", cxxopts::value<std::string>(),
                "DIR")("analysis", "only this analysis (may be repeated)",
                       cxxopts::value<std::vector<std::string>>(), "NAME")(
      "load", "only these load cases or combinations, in every analysis; patterns too",
      cxxopts::value<std::vector<std::string>>(), "NAME")("no-figures", "draw nothing")(
      "quiet", "print nothing but complaints")("full", "print every load, mode and storey")(
      "tables", "CSV files: short, or all (the long lists too)",
      cxxopts::value<std::string>()->default_value("short"),
      "WHICH")("json", "print summary.json instead of the digest");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  RunSettings settings;
  if (parsed->count("output") > 0) settings.folder = (*parsed)["output"].as<std::string>();
  if (parsed->count("analysis") > 0) {
    settings.only = (*parsed)["analysis"].as<std::vector<std::string>>();
  }
  if (parsed->count("load") > 0) {
    settings.loads = (*parsed)["load"].as<std::vector<std::string>>();
  }
  settings.figures = parsed->count("no-figures") == 0;
  settings.quiet = parsed->count("quiet") > 0;
  settings.full = parsed->count("full") > 0;
  settings.json = parsed->count("json") > 0;
  const std::string tables = (*parsed)["tables"].as<std::string>();
  if (tables != "short" && tables != "all") {
    throw CallError(fmt::format("--tables: expected short or all, got \"{}\"", tables));
  }
  settings.long_tables = tables == "all";
  return run_and_write(options.target(*parsed, "model file"), settings);
}

}  // namespace ulterix
