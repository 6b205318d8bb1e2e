#include <fmt/format.h>

#include <array>
#include <cerrno>
#include <cstdio>
#include <system_error>

#include "app/commands.hpp"
#include "app/options.hpp"
#include "app/text.hpp"
#include "read/name_matching.hpp"
#include "units/printable.hpp"
#include "write/results_folder.hpp"
#include "write/results_store.hpp"
#include "write/version.hpp"

namespace ulterix {

namespace {

struct Command {
  const char* name;
  int (*run)(const Arguments&);
  const char* about;
};

constexpr std::array kCommands = {
    Command{"check", command_check, "reads a model, lists complaints, tells what is in it"},
    Command{"run", command_run, "runs the analyses, prints the digest, writes the results folder"},
    Command{"compare", command_compare,
            "results beside first-order; two results, before and after"},
    Command{"draw", command_draw,
            "figures of a results folder: model, shapes, diagrams, reactions"},
    Command{"table", command_table, "prints a table of a results folder, filtered"},
    Command{"model", command_model, "prints the model of a results folder, with a start shape too"},
    Command{"demo", command_demo, "writes the shipped example and runs it"},
};

void print_help() {
  fmt::print(
      "ulterix: second-order, buckling and vibration analysis of frames\n\n"
      "  ulterix COMMAND MODEL|RESULTS [options]      ulterix COMMAND --help\n\n");
  for (const Command& command : kCommands) fmt::print("  {:<8} {}\n", command.name, command.about);
  fmt::print(
      "\nExit status: 0 done; 1 unstable, above the critical load or not converged;\n"
      "             2 invalid model or command line; 3 system error\n");
}

int dispatch(const Arguments& arguments) {
  if (arguments.empty() || arguments[0] == "--help" || arguments[0] == "-h") {
    print_help();
    return arguments.empty() ? kWrongModelOrCall : kDone;
  }
  if (arguments[0] == "help") {
    if (arguments.size() == 1) return dispatch({"--help"});
    return dispatch({arguments[1], "--help"});
  }
  if (arguments[0] == "--version" || arguments[0] == "-V" || arguments[0] == "version") {
    fmt::print("ulterix {}\n", kVersion);
    return kDone;
  }
  std::vector<std::string> names;
  for (const Command& command : kCommands) {
    names.emplace_back(command.name);
    if (arguments[0] == command.name) return command.run({arguments.begin() + 1, arguments.end()});
  }
  throw CallError(fmt::format("no command \"{}\"{}; see ulterix --help", arguments[0],
                              did_you_mean(arguments[0], names)));
}

/// On stderr, which may be full itself.
void tell(const std::string& words) {
  std::fputs(("ulterix: " + printable(words) + "\n").c_str(), stderr);
}

}  // namespace

int run_program(const Arguments& arguments, const std::string& called) {
  set_program_name(called);
  try {
    const int status = dispatch(arguments);
    // What was printed may have stayed in the buffer until now.
    if (std::fflush(stdout) == 0 && std::ferror(stdout) == 0) return status;
    throw std::system_error(errno, std::generic_category());
  } catch (const CallError& error) {
    tell(error.what());
    return kWrongModelOrCall;
  } catch (const StoreError& error) {
    tell(error.words);
    return kWrongModelOrCall;
  } catch (const FolderError& error) {
    tell(error.words);
    return error.users_fault ? kWrongModelOrCall : kMachineFault;
  } catch (const std::system_error& error) {  // of streams and of the standard output
    tell(fmt::format("cannot write: {} (is the disk full?)", error.code().message()));
    return kMachineFault;
  } catch (const std::bad_alloc&) {
    tell("not enough memory for this model");
    return kMachineFault;
  } catch (const std::exception& error) {
    tell(fmt::format("internal error: {}; please report it with the model", error.what()));
    return kMachineFault;
  }
}

}  // namespace ulterix
