#include "app/options.hpp"

#include <fmt/format.h>

namespace ulterix {

CommandOptions::CommandOptions(const std::string& command, const std::string& usage,
                               const std::string& about, const std::string& example)
    : command_(command), about_(about), example_(example), options_("ulterix " + command, about) {
  options_.positional_help(usage);
  options_.add_options()("h,help", "this page");
  options_.add_options("positional")("target", "", cxxopts::value<std::vector<std::string>>());
  options_.parse_positional({"target"});
}

std::optional<cxxopts::ParseResult> CommandOptions::parse(const Arguments& arguments) {
  std::vector<const char*> argv = {"ulterix"};
  for (const std::string& a : arguments) argv.push_back(a.c_str());
  try {
    cxxopts::ParseResult parsed = options_.parse(static_cast<int>(argv.size()), argv.data());
    if (parsed.count("help") == 0) return parsed;
    fmt::print("{}\n Example\n{}", options_.help({""}), example_);
    return std::nullopt;
  } catch (const cxxopts::exceptions::exception& error) {
    throw CallError(fmt::format("{}: {}; see ulterix {} --help", command_, error.what(), command_));
  }
}

std::string CommandOptions::target(const cxxopts::ParseResult& parsed, const std::string& what) {
  if (parsed.count("target") == 0) throw CallError(what + " is missing");
  const auto all = parsed["target"].as<std::vector<std::string>>();
  if (all.size() > 1) throw CallError(fmt::format("expected one {}, got {}", what, all.size()));
  return all.front();
}

}  // namespace ulterix
