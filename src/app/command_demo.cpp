#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <sstream>
#include <vector>

#include "app/demo_model.hpp"
#include "app/options.hpp"
#include "app/run_and_write.hpp"
#include "app/text.hpp"
#include "read/name_matching.hpp"

namespace ulterix {

namespace {

const DemoModel& find_demo(const std::string& name) {
  std::vector<std::string> names;
  for (const DemoModel& d : kDemoModels) {
    if (d.name == name) return d;
    names.emplace_back(d.name);
  }
  throw CallError(fmt::format("--example: no example \"{}\"{} (there are {})", name,
                              did_you_mean(name, names), fmt::join(names, ", ")));
}

/// What somebody changed in an earlier demo is not written over.
void refuse_if_changed(const std::filesystem::path& model, const DemoModel& demo) {
  std::ifstream in(model, std::ios::binary);
  if (!in) return;
  std::ostringstream text;
  text << in.rdbuf();
  if (text.str() == demo.text) return;
  throw CallError(fmt::format(
      "{0} has been changed and is left as it is: ulterix run {0}, or name another folder",
      model.string()));
}

/// Where to look in each example, and what to change; {0}: results, {1}: model.
std::string what_next(const DemoModel& demo) {
  if (demo.name == "gantry") {
    return "\nLook at   ulterix draw {0} mode --analysis free --mode 1-3\n"
           "          ulterix table {0} buckling_lengths --load U1\n"
           "Change    {1}: which of the two ties may go? put a # before tie-B and run it again:\n"
           "          ulterix run {1} -o {0}-2\n"
           "          and compare: ulterix compare {0} {0}-2\n";
  }
  if (demo.name == "beacon") {
    return "\nLook at   ulterix draw {0} mode --analysis modes --mode 1-3 --animate\n"
           "          the hand formula at the head of {1}\n"
           "Change    {1}: the legs' section, or the lantern's weight, and run it again\n";
  }
  if (demo.name == "boat-hall") {
    return "\nLook at   ulterix draw {0} axial --load U2 --plane \"x = 0\"   which rods are slack\n"
           "          ulterix table {0} states --load U2\n"
           "          ulterix compare {0} --load U2 --member \"XW*\"   beside rods that act both "
           "ways\n"
           "Change    {1}: take the notional load of U1 away: nothing decides then which rods "
           "carry\n";
  }
  if (demo.name == "footbridge") {
    return "\nLook at   {0}/figures/path-U1-crown.png   where the crooked arch snaps through\n"
           "          ulterix draw {0} deflected --analysis perfect --analysis crooked --scale 1\n"
           "          ulterix table {0} path\n"
           "Change    {1}: the size of the start shape, or a deeper rib, and run it again\n";
  }
  if (demo.name == "signal-mast") {
    return "\nLook at   ulterix table {0} cables --load WS   sag and forces of the guys\n"
           "          {0}/figures/deflected-guy_lost.png   what the mast does when a guy parts\n"
           "Change    {1}: the preload of the upper guys, and look at the first period again\n";
  }
  if (demo.name == "pilot-house") {
    return "\nLook at   ulterix draw {0} deflected --load U2 --plane \"z = 6.8\"   how the floor "
           "turns\n"
           "          ulterix compare {0} --load U3\n"
           "Change    {1}: warm the beams of a floor as well, and read what check says\n";
  }
  if (demo.name == "hung-office") {
    return "\nLook at   {0}/figures/moment-downwards.png   stage by stage, and at once\n"
           "          ulterix compare {0} --analysis \"downwards*\" --load people\n"
           "          ulterix table {0} camber --analysis on_props   how high to set the floors\n"
           "Change    {1}: strike the props before the third floor is cast\n";
  }
  if (demo.name == "terminal-erection") {
    return "\nLook at   ulterix compare {0} --from in_use:gale --to late:gale\n"
           "          ulterix table {0} camber --analysis late   how high to set the floors\n"
           "          ulterix draw {0} moment --analysis late --load \"lean 1-3\"\n"
           "Change    {1}: bolt the leaning columns up before the storm, not after it\n";
  }
  return "\nLook at   {0}/figures/deflected-U2.png   first-order and P-Delta at one scale\n"
         "          {0}/figures/moment-U2.png      where the moments grow\n"
         "          ulterix draw {0} mode --load U1 --mode 1-3   how it buckles\n"
         "Change    {1}: the columns are HEB 240; make [sections] col an HEB 280,\n"
         "          or take the notional load away, or fix the leaning columns at the top,\n"
         "          then run it again: ulterix run {1} -o {0}-2\n"
         "          and compare: ulterix compare {0} {0}-2\n";
}

}  // namespace

int command_demo(const Arguments& arguments) {
  CommandOptions options(
      "demo", "[FOLDER]",
      "Writes a shipped example into a folder and runs it: Kittiwake Quay, a ferry harbour.",
      "  ulterix demo\n"
      "      the terminal building, its results and figures in ./kittiwake-quay/\n"
      "  ulterix demo --example gantry\n"
      "      a travelling gantry in space: how close to buckling, and what would help\n");
  options.add()("example",
                "terminal, gantry, beacon, boat-hall, footbridge, signal-mast, hung-office, "
                "terminal-erection or pilot-house",
                cxxopts::value<std::string>()->default_value("terminal"), "NAME");
  const auto parsed = options.parse(arguments);
  if (!parsed) return kDone;
  const DemoModel& demo = find_demo((*parsed)["example"].as<std::string>());
  const std::filesystem::path folder =
      parsed->count("target") > 0 ? options.target(*parsed, "folder") : "kittiwake-quay";
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  const std::filesystem::path model = folder / fmt::format("{}.toml", demo.name);
  refuse_if_changed(model, demo);
  std::ofstream out(model, std::ios::binary);
  out << demo.text;
  out.close();
  if (error || !out) throw CallError(fmt::format("cannot write {}", model.string()));
  fmt::print("$ ulterix run {}\n\n", model.string());
  RunSettings settings;
  settings.folder = (folder / fmt::format("{}-results", demo.name)).string();
  const int status = run_and_write(model.string(), settings);
  fmt::print(
      "{}", as_called(fmt::format(fmt::runtime(what_next(demo)), settings.folder, model.string())));
  return status;
}

}  // namespace ulterix
