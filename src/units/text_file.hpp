#pragma once

#include <filesystem>
#include <string>

namespace ulterix {

/// Writes a file as it is; throws std::ios_base::failure where that cannot be done.
void write_text(const std::filesystem::path& path, const std::string& text);

}  // namespace ulterix
