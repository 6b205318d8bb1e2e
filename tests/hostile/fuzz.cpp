// Damages models, units, places and stores inside one process for so many minutes; under the
// sanitizers it ends at the first that is not survived, and names its seed.
#include <fmt/format.h>
#include <unistd.h>

#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <sstream>

#include "app/stored_run.hpp"
#include "core/results/comparison.hpp"
#include "hostile/mutator.hpp"
#include "read/model_file.hpp"
#include "units/unit_text.hpp"

namespace ulterix::testing {
namespace {

namespace fs = std::filesystem;

std::string read_file(const fs::path& path) {
  std::ifstream in(path, std::ios::binary);
  std::ostringstream all;
  all << in.rdbuf();
  return all.str();
}

void fuzz_reader(Mutator& mutator, const std::vector<std::string>& models) {
  const ModelFile file = read_model(mutator.damaged(mutator.one_of(models)), "fuzz.toml");
  for (const Complaint& complaint : file.complaints) format_complaint(file, complaint);
}

void fuzz_units(Mutator& mutator) {
  static const std::vector<std::string> kTexts = {"250 mm",      "29e3 ksi",      "0.12 kip/in",
                                                  "7850 kg/m^3", "9000 kN.m/rad", "12e-6 1/K"};
  const auto split = split_number(mutator.damaged(mutator.one_of(kTexts)));
  if (split) parse_unit(split->unit);
}

void fuzz_places(Mutator& mutator, const Model& model) {
  static const std::vector<std::string> kTexts = {"A5.ux", "CB.1.My@end", "R*.My@max",
                                                  "CE.1.N@2.5 m", "A0.fz"};
  std::string complaint;
  parse_place(model, mutator.damaged(mutator.one_of(kTexts)), complaint);
}

void fuzz_store(Mutator& mutator, const fs::path& good, const fs::path& folder) {
  fs::create_directories(folder);
  fs::copy_file(good / "summary.json", folder / "summary.json",
                fs::copy_options::overwrite_existing);
  std::ofstream(folder / "results.sqlite", std::ios::binary)
      << mutator.damaged(read_file(good / "results.sqlite"));
  try {
    const Results results(folder.string());
    for (const TableSpec& spec : table_specs()) results.table(std::string(spec.name));
    const StoredRun run(results, {}, {});
    for (const Step& step : run.steps()) find_extremes(run.recovery(step));
  } catch (const StoreError&) {
  } catch (const std::runtime_error&) {
  }
}

int run(double minutes, const fs::path& models_folder, const fs::path& good) {
  std::vector<std::string> models;
  for (const auto& entry : fs::directory_iterator(models_folder)) {
    if (entry.path().extension() == ".toml") models.push_back(read_file(entry.path()));
  }
  const ModelFile terminal = read_model_file((models_folder / "kittiwake-terminal.toml").string());
  const fs::path folder = fs::temp_directory_path() / fmt::format("ulterix-fuzz-{}", getpid());
  const auto end = std::chrono::steady_clock::now() + std::chrono::duration<double>(60 * minutes);
  unsigned seed = 0;
  for (; std::chrono::steady_clock::now() < end; ++seed) {
    std::ofstream(folder.string() + ".seed") << seed;
    Mutator mutator(seed);
    fuzz_reader(mutator, models);
    fuzz_units(mutator);
    fuzz_places(mutator, terminal.model);
    if (seed % 20 == 0) fuzz_store(mutator, good, folder);
  }
  fs::remove_all(folder);
  fs::remove(folder.string() + ".seed");
  std::cout << seed << " seeds survived\n";
  return 0;
}

}  // namespace
}  // namespace ulterix::testing

int main(int argc, char** argv) {
  if (argc != 4) {
    std::cerr << "fuzz MINUTES FOLDER-OF-MODELS RESULTS\n";
    return 2;
  }
  return ulterix::testing::run(std::atof(argv[1]), argv[2], argv[3]);
}
