#include "app/model_input.hpp"

#include <fmt/format.h>

#include <filesystem>

namespace ulterix {

bool read_or_complain(const std::string& path, ModelFile& file) {
  file = read_model_file(path);
  for (const Complaint& complaint : file.complaints) {
    fmt::print(stderr, "{}", format_complaint(file, complaint));
  }
  if (file.good()) return true;
  fmt::print(stderr, "{} error{}; no analysis run\n", file.complaints.size(),
             file.complaints.size() == 1 ? "" : "s");
  return false;
}

std::string base_name(const std::string& path) {
  return std::filesystem::path(path).stem().string();
}

}  // namespace ulterix
