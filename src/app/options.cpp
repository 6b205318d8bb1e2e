#include "app/options.hpp"

#include <fmt/format.h>

#include "read/name_matching.hpp"

namespace ulterix {

CommandOptions::CommandOptions(const std::string& command, const std::string& usage,
                               const std::string& about, const std::string& example)
    : command_(command),
      usage_(usage),
      about_(about),
      example_(example),
      options_("ulterix " + command, about) {
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
    throw CallError(fmt::format("{}: {}{}; see ulterix {} --help", command_, error.what(),
                                option_hint(error.what()), command_));
  }
}

std::string CommandOptions::option_hint(const std::string& words) const {
  // "Option ‘modes’ does not exist"
  static const std::string kOpen = "\u2018", kClose = "\u2019";
  const auto open = words.find(kOpen), close = words.find(kClose);
  if (open == std::string::npos || close == std::string::npos) return {};
  const std::string wrong = words.substr(open + kOpen.size(), close - open - kOpen.size());
  std::vector<std::string> names;
  for (const std::string& group : options_.groups()) {
    for (const auto& option : options_.group_help(group).options) {
      for (const std::string& name : option.l) names.push_back(name);
    }
  }
  return did_you_mean(wrong, names);
}

std::vector<std::string> CommandOptions::targets(const cxxopts::ParseResult& parsed,
                                                 const std::string& what) const {
  if (parsed.count("target") == 0) {
    throw CallError(fmt::format("{} is missing: ulterix {} {}", what, command_, usage_));
  }
  return parsed["target"].as<std::vector<std::string>>();
}

std::string CommandOptions::target(const cxxopts::ParseResult& parsed,
                                   const std::string& what) const {
  const std::vector<std::string> all = targets(parsed, what);
  if (all.size() > 1) throw CallError(fmt::format("expected one {}, got {}", what, all.size()));
  return all.front();
}

}  // namespace ulterix
