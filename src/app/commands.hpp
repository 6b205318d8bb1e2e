#pragma once

#include <string>
#include <vector>

namespace ulterix {

/// Exit statuses of every command.
enum ExitStatus { kDone = 0, kDoesNotStand = 1, kWrongModelOrCall = 2, kMachineFault = 3 };

using Arguments = std::vector<std::string>;  ///< after the command's name

int command_check(const Arguments& arguments);
int command_run(const Arguments& arguments);
int command_compare(const Arguments& arguments);
int command_draw(const Arguments& arguments);
int command_table(const Arguments& arguments);
int command_model(const Arguments& arguments);
int command_demo(const Arguments& arguments);

/// The whole program: finds the command, turns trouble into words on stderr and an exit status.
/// `called`: how it was called, for the commands that it prints.
int run_program(const Arguments& arguments, const std::string& called = "ulterix");

}  // namespace ulterix
