#include "core/analysis/run.hpp"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cassert>
#include <chrono>

#include "core/analysis/first_order.hpp"
#include "core/analysis/p_delta.hpp"
#include "core/system/mechanism_words.hpp"

namespace ulterix {

namespace {

bool wanted(const std::vector<std::string>& only, const std::string& name) {
  return only.empty() || std::find(only.begin(), only.end(), name) != only.end();
}

/// Every set of loads that the analyses to run use, once, in the order they come.
std::vector<LoadSet> loads_in_use(const Model& model, const std::vector<std::string>& only) {
  std::vector<LoadSet> all;
  for (const AnalysisSpec& spec : model.analyses) {
    if (!wanted(only, spec.name)) continue;
    for (const LoadSet& loads : spec.loads) {
      const bool known = std::any_of(all.begin(), all.end(),
                                     [&](const LoadSet& l) { return l.name == loads.name; });
      if (!known) all.push_back(loads);
    }
  }
  return all;
}

/// What is read off one step; steps do not know of each other.
void compare(RunResult& result, std::size_t index) {
  const Step& step = result.steps[index];
  if (!step.has_state) return;
  const Recovery own(*result.frame.system, step);
  result.extremes[index] = find_extremes(own);
  const Recovery first(*result.frame.system, result.baseline(step.loads.name));
  result.storeys[index] = find_storeys(first, own);
  if (step.analysis == kBaseline) return;
  result.comparisons[index] = compare_to_first_order(first, own, result.extremes[index]);
}

void compare(RunResult& result) {
  result.extremes.resize(result.steps.size());
  result.comparisons.resize(result.steps.size());
  result.storeys.resize(result.steps.size());
  tbb::parallel_for(std::size_t{0}, result.steps.size(),
                    [&result](std::size_t i) { compare(result, i); });
}

void add_remarks(RunResult& result) {
  const Model& model = *result.model;
  for (const Mechanism& spin : result.frame.spins) {
    std::vector<std::string> names;
    for (const MemberId m : spin.members) names.push_back(model.members[m].name);
    result.remarks.push_back(fmt::format(
        "{} could spin about {} own axis; held at {}, since no load "
        "works on it",
        listed(names), names.size() == 1 ? "its" : "their", model.nodes[spin.nodes.front()].name));
  }
  if (result.frame.weak && result.frame.stands()) {
    result.remarks.push_back(
        "something barely holds the frame: the smallest pivot is below 1e-12 of its stiffness, so "
        "few digits of the result are sure; look for very soft springs or members");
  }
  if (result.steps.empty()) result.remarks.push_back("no loads: nothing to analyse");
}

}  // namespace

const Step* RunResult::find(const std::string& analysis, const std::string& loads) const {
  for (const Step& step : steps) {
    if (step.analysis == analysis && step.loads.name == loads) return &step;
  }
  return nullptr;
}

const Step& RunResult::baseline(const std::string& loads) const {
  const Step* step = find(std::string(kBaseline), loads);
  assert(step != nullptr);
  return *step;
}

std::vector<std::string> RunResult::analyses() const {
  std::vector<std::string> names;
  for (const Step& step : steps) {
    if (std::find(names.begin(), names.end(), step.analysis) == names.end()) {
      names.push_back(step.analysis);
    }
  }
  return names;
}

RunResult run(Model given, const std::vector<std::string>& only, const Progress& progress) {
  const auto start = std::chrono::steady_clock::now();
  RunResult result;
  result.model = std::make_unique<Model>(std::move(given));
  const Model& model = *result.model;
  result.frame = make_elastic_frame(model, progress);
  AnalysisSpec baseline;
  baseline.name = kBaseline;
  baseline.loads = loads_in_use(model, only);
  result.steps = first_order(result.frame, baseline, progress);
  const std::vector<Step> base = result.steps;
  for (const AnalysisSpec& spec : model.analyses) {
    if (!wanted(only, spec.name) || spec.name == kBaseline) continue;
    std::vector<Step> own;
    for (const LoadSet& loads : spec.loads) {
      own.push_back(*std::find_if(base.begin(), base.end(),
                                  [&](const Step& s) { return s.loads.name == loads.name; }));
    }
    if (spec.kind == AnalysisKind::p_delta) {
      own = p_delta(result.frame, spec, own, progress);
    } else {
      for (Step& step : own) step.analysis = spec.name;
    }
    std::move(own.begin(), own.end(), std::back_inserter(result.steps));
  }
  compare(result);
  add_remarks(result);
  result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  return result;
}

}  // namespace ulterix
