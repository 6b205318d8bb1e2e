#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "core/analysis/run.hpp"
#include "units/unit_system.hpp"

namespace ulterix {

/// Why a results folder cannot be written; `users_fault` tells exit status 2 from 3.
struct FolderError {
  std::string words;
  bool users_fault = false;
};

/// Builds a results folder beside its place and swaps it in whole; until then the earlier results
/// are untouched, and a writer that dies leaves only its unfinished neighbour. Of an earlier folder
/// only what this program wrote is replaced: other files are carried over.
class ResultsFolder {
 public:
  /// A symbolic link is followed. Throws FolderError if the place holds something that is not ours,
  /// or cannot be written.
  explicit ResultsFolder(std::filesystem::path target);
  ~ResultsFolder();
  ResultsFolder(const ResultsFolder&) = delete;
  ResultsFolder& operator=(const ResultsFolder&) = delete;

  /// Where files go until commit().
  const std::filesystem::path& building() const { return building_; }
  /// Removes what was built, from any thread.
  void abandon() const;
  /// Swaps the folder in, after the list of its files (kFileList) is in it. Throws FolderError.
  void commit();

 private:
  void keep_files_of_others();

  std::filesystem::path target_, building_;
};

/// The list of the files that this program wrote into a results folder, "size path" a line.
inline constexpr const char* kFileList = "files.txt";

/// Adds a file that was written into a results folder later (by `draw`) to its list; one that lies
/// elsewhere is none of it.
void list_file(const std::filesystem::path& folder, const std::filesystem::path& file);

/// True if the folder holds results of this program (a summary.json that says so).
bool is_results_folder(const std::filesystem::path& folder);

/// The text of summary.json: version, model hash, settings, units, outcomes with their evidence and
/// the figures of the digest. The same model gives the same bytes.
std::string summary_json(const RunResult& result, const UnitSystem& units,
                         const std::string& model_text, const std::string& model_name);

/// 64-bit FNV-1a of the model's text, as 16 hexadecimal digits.
std::string model_hash(const std::string& text);

inline constexpr int kSummaryVersion = 2;

}  // namespace ulterix
