#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <sstream>

#include "app/demo_model.hpp"
#include "app/options.hpp"
#include "app/run_and_write.hpp"

namespace ulterix {

namespace {

/// What somebody changed in an earlier demo is not written over.
void refuse_if_changed(const std::filesystem::path& model) {
  std::ifstream in(model, std::ios::binary);
  if (!in) return;
  std::ostringstream text;
  text << in.rdbuf();
  if (text.str() == kDemoTerminal) return;
  throw CallError(fmt::format(
      "{0} has been changed and is left as it is: ulterix run {0}, or name another folder",
      model.string()));
}

}  // namespace

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
  refuse_if_changed(model);
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
      "Change    {1}: the columns are HEB 240; make [sections] col an HEB 280,\n"
      "          or take the notional load away, or fix the leaning columns at the top,\n"
      "          then run it again: ulterix run {1} -o {0}-2\n"
      "          and compare: ulterix compare {0} {0}-2\n",
      settings.folder, model.string());
  return status;
}

}  // namespace ulterix
