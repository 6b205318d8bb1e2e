#pragma once

#include <string>
#include <vector>

namespace ulterix {

struct RunSettings {
  std::string folder;              ///< results folder; "": MODEL-results
  std::vector<std::string> only;   ///< analyses to run; empty: all
  std::vector<std::string> loads;  ///< to run them for; empty: all
  bool figures = true;
  bool quiet = false;
  bool json = false;
  bool full = false;         ///< the whole digest
  bool long_tables = false;  ///< files of the long tables too
};

/// Reads a model, runs it, writes its results folder, prints the digest; returns the exit status.
int run_and_write(const std::string& model_path, const RunSettings& settings);

}  // namespace ulterix
