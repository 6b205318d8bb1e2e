// The gallery of bad models: each NAME.toml has its whole complaint, word for word, in
// NAME.expected.
#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "read/model_file.hpp"

namespace ulterix::testing::bad_models_test {
namespace {

namespace fs = std::filesystem;

std::string contents(const fs::path& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream all;
  all << in.rdbuf();
  return all.str();
}

std::vector<std::string> gallery() {
  std::vector<std::string> names;
  for (const auto& entry : fs::directory_iterator(BAD_MODELS)) {
    if (entry.path().extension() == ".toml") names.push_back(entry.path().stem().string());
  }
  std::sort(names.begin(), names.end());
  return names;
}

class BadModel : public ::testing::TestWithParam<std::string> {};

TEST_P(BadModel, IsToldWordForWord) {
  const fs::path path = fs::path(BAD_MODELS) / (GetParam() + ".toml");
  const ModelFile file = read_model(contents(path), path.filename().string());
  std::string told;
  for (const Complaint& c : file.complaints) told += format_complaint(file, c);
  EXPECT_FALSE(file.good());
  EXPECT_EQ(told, contents(fs::path(BAD_MODELS) / (GetParam() + ".expected")));
}

INSTANTIATE_TEST_SUITE_P(Gallery, BadModel, ::testing::ValuesIn(gallery()), [](const auto& bad) {
  std::string name = bad.param;
  std::replace(name.begin(), name.end(), '-', '_');
  return name;
});

}  // namespace
}  // namespace ulterix::testing::bad_models_test
