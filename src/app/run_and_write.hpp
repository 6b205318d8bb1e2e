#pragma once

#include <string>
#include <vector>

#include "read/model_file.hpp"

namespace ulterix {

struct RunSettings {
  std::string folder;             ///< results folder; "": MODEL-results
  std::vector<std::string> only;  ///< analyses to run; empty: all
  bool figures = true;
  bool quiet = false;
  bool json = false;
};

/// Runs a model, writes its results folder, prints the digest; returns the exit status.
int run_and_write(const ModelFile& file, const RunSettings& settings);

}  // namespace ulterix
