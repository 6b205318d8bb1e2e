#pragma once

// A comma is part of a name: what may be given many times is given many times.
#define CXXOPTS_VECTOR_DELIMITER '\0'
#include <cxxopts.hpp>
#include <optional>
#include <stdexcept>
#include <string>

#include "app/commands.hpp"

namespace ulterix {

/// A wrong call, told to the user with exit status 2.
struct CallError : std::runtime_error {
  using std::runtime_error::runtime_error;
};

/// Options of one command: usage line, the options, one worked example at the end of the help.
class CommandOptions {
 public:
  CommandOptions(const std::string& command, const std::string& usage, const std::string& about,
                 const std::string& example);

  cxxopts::OptionAdder add() { return options_.add_options(); }

  /// Parses; prints the help and returns nothing if it was asked for. Throws CallError.
  std::optional<cxxopts::ParseResult> parse(const Arguments& arguments);

  /// All positional arguments; throws CallError if there is none.
  std::vector<std::string> targets(const cxxopts::ParseResult& parsed,
                                   const std::string& what) const;
  /// The one positional argument (a file or folder).
  std::string target(const cxxopts::ParseResult& parsed, const std::string& what) const;

 private:
  /// "; did you mean ...?" for an option that does not exist.
  std::string option_hint(const std::string& words) const;

  std::string command_, usage_, about_, example_;
  cxxopts::Options options_;
};

}  // namespace ulterix
