#include "write/results_folder.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <linux/fs.h>
#include <signal.h>
#include <stdio.h>
#include <unistd.h>

#include <cerrno>
#include <cmath>
#include <cstring>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>

#include "core/analysis/large_displacement.hpp"
#include "core/results/event_words.hpp"
#include "core/results/modes.hpp"
#include "write/tables.hpp"
#include "write/version.hpp"

namespace ulterix {

namespace {

namespace fs = std::filesystem;
using nlohmann::ordered_json;

bool swap_folders(const fs::path& a, const fs::path& b) {
  return renameat2(AT_FDCWD, a.c_str(), AT_FDCWD, b.c_str(), RENAME_EXCHANGE) == 0;
}

/// JSON has no inf or NaN; null says that there is no number.
ordered_json finite(double v) {
  return std::isfinite(v) ? ordered_json(v) : ordered_json(nullptr);
}

ordered_json units_json(const UnitSystem& units) {
  ordered_json j;
  const std::vector<std::pair<const char*, Quantity>> kinds = {
      {"length", Quantity::length},     {"force", Quantity::force},
      {"moment", Quantity::moment},     {"displacement", Quantity::displacement},
      {"rotation", Quantity::rotation}, {"stress", Quantity::stress}};
  for (const auto& [name, q] : kinds) j[name] = units.label(q);
  return j;
}

ordered_json comparison_json(const std::vector<ComparisonRow>& comparison,
                             const UnitSystem& units) {
  ordered_json rows = ordered_json::array();
  for (const ComparisonRow& row : comparison) {
    if (row.absent) continue;
    if (row.kind != ComparisonRow::Kind::watched && row.kind != ComparisonRow::Kind::displacement) {
      continue;
    }
    const Quantity q = quantity_of(row);
    ordered_json j;
    j["quantity"] = row.name;
    j["where"] = row.where;
    j["unit"] = units.label(q);
    j["first_order"] = finite(units.from_si(q, row.first_order));
    j["value"] = finite(units.from_si(q, row.value));
    j["ratio"] = row.ratio ? finite(*row.ratio) : ordered_json(nullptr);
    rows.push_back(j);
  }
  return rows;
}

ordered_json certificate_json(const Certificate& c) {
  ordered_json j;
  j["below"] = finite(c.below);
  j["counted"] = c.count ? ordered_json(*c.count) : ordered_json(nullptr);
  j["found"] = c.found;
  j["complete"] = c.complete();
  return j;
}

ordered_json buckling_json(const BucklingResult& r) {
  ordered_json j;
  j["factors"] = ordered_json::array();
  for (const BucklingMode& m : r.modes) j["factors"].push_back(finite(m.factor));
  j["kinds"] = ordered_json::array();
  for (const BucklingMode& m : r.modes) j["kinds"].push_back(m.kind);
  j["reversed"] = r.negative ? finite(r.negative->factor) : ordered_json(nullptr);
  j["certificate"] = certificate_json(r.certificate);
  j["remarks"] = r.remarks;
  return j;
}

ordered_json modal_json(const ModalResult& r) {
  ordered_json j;
  j["periods_s"] = ordered_json::array();
  for (const VibrationMode& m : r.modes) {
    j["periods_s"].push_back(m.omega > 0 ? finite(m.period()) : ordered_json(nullptr));
  }
  j["mass_kg"] = {finite(r.total[0]), finite(r.total[1]), finite(r.total[2])};
  j["movable_kg"] = {finite(r.movable[0]), finite(r.movable[1]), finite(r.movable[2])};
  j["rigid"] = r.rigid;
  j["certificate"] = certificate_json(r.certificate);
  j["remarks"] = r.remarks;
  return j;
}

/// How the load was brought up: equilibria, pieces and what happened on the way.
ordered_json path_json(const Model& model, const Step& step) {
  ordered_json j;
  j["equilibria"] = step.path.size();
  j["pieces"] = step.pieces;
  j["error"] = finite(step.solve_error.displacement);
  ordered_json events = ordered_json::array();
  for (const PathPoint& p : step.path) {
    if (p.event == PathEventKind::none) continue;
    events.push_back({{"factor", p.factor}, {"event", event_words(model, p)}});
  }
  j["events"] = events;
  return j;
}

ordered_json step_json(const Model& model, const Step& step,
                       const std::vector<ComparisonRow>& comparison, const UnitSystem& units) {
  ordered_json j;
  j["analysis"] = step.analysis;
  j["kind"] = word_of(kAnalysisKinds, step.kind);
  j["loads"] = step.loads.name;
  j["step"] = step.number;
  j["outcome"] = word_of(kVerdicts, step.outcome.verdict);
  j["reason"] = step.outcome.reason;
  ordered_json evidence;
  if (step.reserve) evidence["reserve"] = *step.reserve;
  if (step.buckling) evidence["buckling"] = buckling_json(*step.buckling);
  if (step.modal) evidence["modal"] = modal_json(*step.modal);
  if (step.outcome.negative_pivots) evidence["negative_pivots"] = *step.outcome.negative_pivots;
  if (step.outcome.verdict == Verdict::above_critical_load) {
    evidence["stands_at"] = step.outcome.stands_at;
    evidence["fails_at"] = step.outcome.fails_at;
  }
  if (step.has_state) {
    evidence["factor"] = step.state.lambda;
    evidence["iterations"] = step.rounds.size();
    evidence["unbalanced_at_nodes"] = finite(step.equilibrium.nodes);
    evidence["reactions_against_loads"] = finite(step.equilibrium.reactions);
  }
  if (!step.path.empty()) evidence["path"] = path_json(model, step);
  if (step.state.one_way) {
    evidence["slack"] = slack_members(model, step.state);
    evidence["lifted"] = lifted_supports(model, step.state);
  }
  j["evidence"] = evidence;
  j["beside_first_order"] = comparison_json(comparison, units);
  return j;
}

}  // namespace

std::string model_hash(const std::string& text) {
  std::uint64_t hash = 14695981039346656037ULL;
  for (const char c : text) {
    hash ^= static_cast<unsigned char>(c);
    hash *= 1099511628211ULL;
  }
  return fmt::format("{:016x}", hash);
}

bool is_results_folder(const fs::path& folder) {
  std::ifstream in(folder / "summary.json");
  if (!in) return false;
  const auto json = ordered_json::parse(in, nullptr, false);
  const auto program = json.is_object() ? json.find("program") : json.end();
  return program != json.end() && program->is_string() && *program == "ulterix";
}

namespace {

constexpr const char* kStoreName = "results.sqlite";

/// True for the current folder and those above it.
bool holds_us(const fs::path& folder) {
  std::error_code error;
  const fs::path inner = fs::current_path(error), outer = fs::weakly_canonical(folder, error);
  if (error) return false;
  for (fs::path p = inner;; p = p.parent_path()) {
    if (p == outer) return true;
    if (p == p.parent_path()) return false;
  }
}

/// Sizes of the files that this program wrote into a folder, by their paths in it.
std::map<std::string, std::uintmax_t> listed_files(const fs::path& folder) {
  std::map<std::string, std::uintmax_t> files;
  std::ifstream in(folder / kFileList);
  std::uintmax_t size = 0;
  for (std::string path; in >> size && in.get() && std::getline(in, path);) files[path] = size;
  return files;
}

/// Of folders that have no list yet.
bool is_named_as_ours(const fs::path& path) {
  const std::string ending = path.extension().string();
  if (path.parent_path() == "tables") return ending == ".csv";
  if (path.parent_path() == "figures") return ending == ".svg" || ending == ".png";
  return path == "summary.json" || path == kStoreName || path == "model.toml";
}

std::string list_line(const fs::path& folder, const fs::path& file) {
  std::error_code error;
  const std::uintmax_t size = fs::file_size(file, error);
  return fmt::format("{} {}\n", error ? 0 : size, file.lexically_relative(folder).generic_string());
}

/// Throws where the disk does not take it.
void write_list(const fs::path& folder) {
  std::string lines;
  for (const auto& entry : fs::recursive_directory_iterator(folder)) {
    if (entry.is_regular_file() && entry.path() != folder / kFileList) {
      lines += list_line(folder, entry.path());
    }
  }
  std::ofstream out(folder / kFileList, std::ios::binary);
  out << lines;
  out.close();
  if (!out) throw FolderError{fmt::format("{} cannot be written", kFileList), false};
}

/// Puts a file of somebody else's into another folder, where both names lead to it.
void carry_over(const fs::path& file, fs::path to) {
  std::error_code error;
  while (fs::exists(fs::symlink_status(to, error))) to += ".kept";
  fs::create_directories(to.parent_path(), error);
  if (fs::is_symlink(file, error)) {
    fs::copy_symlink(file, to, error);
  } else {
    fs::create_hard_link(file, to, error);
    if (error) fs::copy_file(file, to, error);
  }
  if (error) {
    throw FolderError{fmt::format("{} cannot be kept: {}", file.string(), error.message()), false};
  }
}

/// Removes what runs that died left beside the target.
void clear_unfinished(const fs::path& parent, const std::string& name) {
  const std::string start = fmt::format(".{}.unfinished-", name);
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(parent, error)) {
    const std::string file = entry.path().filename().string();
    if (!file.starts_with(start)) continue;
    const int pid = std::atoi(file.c_str() + start.size());
    const bool alive = pid > 0 && (kill(pid, 0) == 0 || errno == EPERM);
    if (!alive) fs::remove_all(entry.path(), error);
  }
}

}  // namespace

ResultsFolder::ResultsFolder(fs::path target) : target_(std::move(target)) {
  if (target_.filename().empty()) target_ = target_.parent_path();
  std::error_code error;
  if (fs::is_symlink(target_, error)) {
    const fs::path real = fs::canonical(target_, error);
    if (error) {
      throw FolderError{fmt::format("{} is a link to nothing", target_.string()), true};
    }
    target_ = real;
  }
  if (holds_us(target_)) {
    throw FolderError{
        fmt::format("{} is the folder you are in, or holds it: choose another one with -o",
                    target_.string()),
        true};
  }
  const bool there = fs::exists(fs::symlink_status(target_, error));
  if (there && !fs::is_directory(target_)) {
    throw FolderError{fmt::format("{} is a file, not a results folder", target_.string()), true};
  }
  const bool ours = there && is_results_folder(target_) && fs::exists(target_ / kStoreName, error);
  if (there && !ours && !fs::is_empty(target_, error)) {
    throw FolderError{
        fmt::format("{} holds something else (not summary.json and {} of this program); it is "
                    "left as it is: choose another folder with -o",
                    target_.string(), kStoreName),
        true};
  }
  const fs::path parent = target_.parent_path().empty() ? fs::path(".") : target_.parent_path();
  clear_unfinished(parent, target_.filename().string());
  building_ = parent / fmt::format(".{}.unfinished-{}", target_.filename().string(), getpid());
  fs::remove_all(building_, error);
  fs::create_directories(building_ / "tables", error);
  if (!error) fs::create_directories(building_ / "figures", error);
  if (error) {
    throw FolderError{fmt::format("cannot write beside {}: {}", target_.string(), error.message()),
                      true};
  }
}

ResultsFolder::~ResultsFolder() {
  abandon();
}

void ResultsFolder::abandon() const {
  std::error_code ignored;
  // A writer that is still at work may add a file meanwhile.
  for (int attempt = 0; attempt < 3 && !building_.empty(); ++attempt) {
    fs::remove_all(building_, ignored);
  }
}

void ResultsFolder::keep_files_of_others() {
  std::error_code error;
  const auto ours = listed_files(target_);
  const bool before_lists = !fs::exists(target_ / kFileList, error);
  for (const auto& entry : fs::recursive_directory_iterator(target_, error)) {
    const fs::path path = entry.path().lexically_relative(target_);
    if (entry.is_directory() && !entry.is_symlink()) {
      fs::create_directories(building_ / path, error);
      continue;
    }
    if (path == kFileList) continue;
    const auto listed = ours.find(path.generic_string());
    const bool unchanged =
        listed != ours.end() && entry.is_regular_file() && entry.file_size(error) == listed->second;
    if (!unchanged && !(before_lists && is_named_as_ours(path)))
      carry_over(entry.path(), building_ / path);
  }
}

void list_file(const fs::path& folder, const fs::path& file) {
  std::error_code error;
  const fs::path whole = fs::weakly_canonical(folder, error);
  const fs::path inside = fs::weakly_canonical(file, error).lexically_relative(whole);
  if (error || inside.empty() || *inside.begin() == "..") return;
  std::ofstream out(folder / kFileList, std::ios::binary | std::ios::app);
  out << list_line(whole, whole / inside);
}

void ResultsFolder::commit() {
  std::error_code error;
  write_list(building_);
  if (fs::exists(target_)) keep_files_of_others();
  if (!fs::exists(target_)) {
    fs::rename(building_, target_, error);
    if (error) throw FolderError{fmt::format("{}: {}", target_.string(), error.message()), false};
    building_.clear();
    return;
  }
  if (!swap_folders(building_, target_)) {
    // A file system without exchange: two renames.
    const fs::path aside = building_.string() + "-old";
    fs::rename(target_, aside, error);
    if (!error) fs::rename(building_, target_, error);
    if (error) throw FolderError{fmt::format("{}: {}", target_.string(), error.message()), false};
    building_ = aside;
  }
  fs::remove_all(building_, error);
  building_.clear();
}

std::string summary_json(const RunResult& result, const UnitSystem& units,
                         const std::string& model_text, const std::string& model_name) {
  ordered_json j;
  j["program"] = "ulterix";
  j["version"] = kVersion;
  j["summary_version"] = kSummaryVersion;
  j["model"] = model_name;
  j["model_hash"] = model_hash(model_text);
  j["title"] = result.model->title;
  j["units"] = units_json(units);
  ordered_json settings = ordered_json::array();
  for (const AnalysisSpec& spec : result.model->analyses) {
    ordered_json s;
    s["analysis"] = spec.name;
    s["kind"] = word_of(kAnalysisKinds, spec.kind());
    if (spec.kind() == AnalysisKind::p_delta) {
      s["tolerance"] = spec.p_delta().tolerance;
      s["iterations"] = spec.p_delta().iterations;
      s["between_nodes"] = spec.p_delta().between_nodes;
      s["split"] =
          spec.p_delta().split == 0 ? ordered_json("auto") : ordered_json(spec.p_delta().split);
    }
    if (spec.kind() == AnalysisKind::large_displacement) {
      const LargeDisplacementKeys& keys = spec.large_displacement();
      s["steps"] = keys.steps;
      s["pieces"] = keys.pieces == 0 ? ordered_json("auto") : ordered_json(keys.pieces);
      s["branch"] = keys.follow_branch ? "follow" : "stop";
      if (keys.constant) s["constant"] = keys.constant->name;
      if (keys.start_shape) s["start_shape"] = keys.start_shape->analysis;
    }
    settings.push_back(s);
  }
  j["settings"] = settings;
  j["remarks"] = result.remarks;
  ordered_json mechanisms = ordered_json::array();
  for (const Mechanism& m : result.frame.mechanisms) mechanisms.push_back(m.words);
  j["mechanisms"] = mechanisms;
  ordered_json steps = ordered_json::array();
  for (std::size_t i = 0; i < result.steps.size(); ++i) {
    steps.push_back(step_json(*result.model, result.steps[i], result.comparisons[i], units));
  }
  j["outcomes"] = steps;
  return j.dump(2, ' ', false, ordered_json::error_handler_t::replace) + "\n";
}

}  // namespace ulterix
