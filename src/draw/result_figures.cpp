#include "draw/result_figures.hpp"

#include <fmt/format.h>

#include <cctype>
#include <cstdint>

#include "draw/canvas.hpp"
#include "draw/figure.hpp"

namespace ulterix {

namespace {

namespace fs = std::filesystem;

/// More loads than this get no figures of their own by themselves.
constexpr std::size_t kMostLoads = 12;

std::vector<std::string> both_formats(const fs::path& folder, const std::string& name) {
  return {(folder / (name + ".svg")).string(), (folder / (name + ".png")).string()};
}

const Step* second_order_step(const RunResult& result, const std::string& loads) {
  for (const Step& step : result.steps) {
    const bool whole = step.has_state && step.state.lambda == 1;
    if (step.kind == AnalysisKind::p_delta && step.loads.name == loads && whole) return &step;
  }
  return nullptr;
}

int draw_load(const RunResult& result, const UnitSystem& units, const Step& first,
              const fs::path& folder) {
  const Recovery first_order(*result.frame.system, first);
  const Step* step = second_order_step(result, first.loads.name);
  std::optional<Recovery> second_order;
  if (step != nullptr) second_order.emplace(*result.frame.system, *step);
  DrawnSteps steps = {{&first_order, std::string(kBaseline)}};
  if (second_order) steps.push_back({&*second_order, step->analysis});
  const std::string file = as_file_name(first.loads.name);
  const std::string title = result.model->title;
  draw_files(both_formats(folder, "deflected-" + file),
             fmt::format("{}: deflected shape under {}", title, first.loads.name),
             [&](Canvas& canvas) { draw_deflected(canvas, steps, units); });
  draw_files(both_formats(folder, "moment-" + file),
             fmt::format("{}: bending moments under {}", title, first.loads.name),
             [&](Canvas& canvas) { draw_diagram(canvas, Diagram::moment, steps, units); });
  return 4;
}

int draw_all_mechanisms(const RunResult& result, const fs::path& folder) {
  const auto& all = result.frame.mechanisms;
  int files = 0;
  for (std::size_t i = 0; i < all.size() && i < kMostLoads; ++i) {
    draw_files(both_formats(folder, fmt::format("mechanism-{}", i + 1)),
               fmt::format("{}: {}", result.model->title, all[i].words), [&](Canvas& canvas) {
                 draw_mechanism(canvas, *result.frame.system, all[i], static_cast<int>(i) + 1,
                                static_cast<int>(all.size()));
               });
    files += 2;
  }
  return files;
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

int draw_results(const RunResult& result, const UnitSystem& units, const fs::path& folder,
                 const Progress& progress) {
  int files = draw_all_mechanisms(result, folder);
  std::size_t drawn = 0;
  for (const Step& step : result.steps) {
    if (step.analysis != kBaseline || !step.has_state || drawn == kMostLoads) continue;
    if (progress) progress("draw", double(drawn) / double(kMostLoads));
    files += draw_load(result, units, step, folder);
    ++drawn;
  }
  return files;
}

}  // namespace ulterix
