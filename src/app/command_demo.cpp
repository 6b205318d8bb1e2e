#include <fmt/format.h>

#include <filesystem>
#include <fstream>

#include "app/demo_model.hpp"
#include "app/options.hpp"
#include "app/run_and_write.hpp"

namespace ulterix {

int command_demo(const Arguments& arguments) {
  CommandOptions options(
      "demo", "[FOLDER]",
      "Writes the shipped example into a folder and runs it: Kittiwake Quay, the "
      "terminal building of a ferry harbour.",
      "  ulterix demo\n"
      "      the model, its results and figures in ./kittiwake-quay/\n");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  const std::filesystem::path folder =
      parsed->count("target") > 0 ? CommandOptions::target(*parsed, "folder") : "kittiwake-quay";
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  const std::filesystem::path model = folder / "terminal.toml";
  std::ofstream out(model, std::ios::binary);
  out << kDemoTerminal;
  out.close();
  if (error || !out) throw CallError(fmt::format("cannot write {}", model.string()));
  fmt::print("$ ulterix run {}\n\n", model.string());
  RunSettings settings;
  settings.folder = (folder / "terminal-results").string();
  const int status = run_and_write(read_model_file(model.string()), settings);
  fmt::print(
      "\nLook at   {0}/figures/deflected-U2.png   first-order and P-Delta at one scale\n"
      "          {0}/figures/moment-U2.png      where the moments grow\n"
      "Change    {1}: the columns are HEB 300; make [sections] col an HEB 260,\n"
      "          or take the notional load away, or fix the leaning columns at the top,\n"
      "          then run it again: ulterix run {1} -o {0}\n",
      settings.folder, model.string());
  return status;
}

}  // namespace ulterix
