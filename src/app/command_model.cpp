#include <fmt/format.h>

#include <set>

#include "app/commands.hpp"
#include "app/options.hpp"
#include "app/results_input.hpp"
#include "app/stored_run.hpp"
#include "read/imperfect_model.hpp"
#include "units/text_file.hpp"

namespace ulterix {

namespace {

using Names = std::vector<std::string>;

/// The one analysis and loads that are asked for among those that began from a start shape.
std::pair<std::string, std::string> shaped_step(const Results& results, const Names& analyses,
                                                const Names& loads) {
  std::vector<Results::Filter> filters;
  if (!analyses.empty()) filters.push_back({"analysis", "analysis", analyses});
  if (!loads.empty()) filters.push_back({"load", "loads", loads});
  std::set<std::pair<std::string, std::string>> steps;
  for (const auto& row : results.table("coordinates", filters).rows) {
    steps.emplace(text_in(row[0]), text_in(row[1]));
  }
  if (steps.empty()) {
    throw CallError("no analysis of these results began from a start_shape");
  }
  if (steps.size() > 1) {
    Names known;
    for (const auto& [analysis, load] : steps) {
      known.push_back(fmt::format("--analysis {} --load {}", analysis, load));
    }
    throw CallError(fmt::format("whose shape? {}", fmt::join(known, "; ")));
  }
  return *steps.begin();
}

std::string imperfect_text(const Results& results, const Names& analyses, const Names& loads) {
  const auto [analysis, load] = shaped_step(results, analyses, loads);
  const StoredRun run(results, {analysis}, {load});
  const Step* step = run.find(analysis, load);
  if (step == nullptr) results.damaged();
  const std::string heading =
      fmt::format("the frame that {} began from under {}, with its start shape in its coordinates",
                  analysis, load);
  try {
    return imperfect_model(results.model(), step->frame->situation(), heading);
  } catch (const std::runtime_error& e) {
    throw CallError(e.what());
  }
}

}  // namespace

int command_model(const Arguments& arguments) {
  CommandOptions options(
      "model", "RESULTS", "Prints the model file that the results were made from.",
      "  ulterix model footbridge-results > footbridge.toml\n"
      "      the model that was run\n"
      "  ulterix model footbridge-results --imperfect -o crooked.toml\n"
      "      the nodes where an analysis with a start_shape began: a model of its own, that runs\n"
      "      to the same digits\n");
  const auto names = [] { return cxxopts::value<Names>(); };
  options.add()("imperfect", "with the start shape of an analysis in the coordinates")(
      "analysis", "of this analysis", names(), "NAME")("load", "of these loads", names(), "NAME")(
      "o,output", "writes a file instead", cxxopts::value<std::string>(), "FILE");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  const Results results(options.target(*parsed, "results folder"));
  const auto list = [&](const char* option) {
    return parsed->count(option) > 0 ? (*parsed)[option].as<Names>() : Names();
  };
  if (parsed->count("imperfect") == 0 && !(list("analysis").empty() && list("load").empty())) {
    throw CallError("--analysis and --load have no effect without --imperfect");
  }
  const std::string text = parsed->count("imperfect") > 0
                               ? imperfect_text(results, list("analysis"), list("load"))
                               : results.model().text;
  if (parsed->count("output") == 0) {
    fmt::print("{}", text);
  } else {
    write_text((*parsed)["output"].as<std::string>(), text);
  }
  return kDone;
}

}  // namespace ulterix
