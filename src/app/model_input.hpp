#pragma once

#include <string>

#include "read/model_file.hpp"

namespace ulterix {

/// Reads a model; with complaints prints them all on stderr and returns false.
bool read_or_complain(const std::string& path, ModelFile& file);

/// "shed.toml" → "shed".
std::string base_name(const std::string& path);

}  // namespace ulterix
