#include "units/text_file.hpp"

#include <fstream>

namespace ulterix {

void write_text(const std::filesystem::path& path, const std::string& text) {
  std::ofstream out;
  out.exceptions(std::ios::failbit | std::ios::badbit);
  out.open(path, std::ios::binary);
  out << text;
  out.close();
}

}  // namespace ulterix
