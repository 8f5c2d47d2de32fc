/// cli/commands.h: the commands, one file each.
#pragma once

#include "cli/request.h"
#include "cli/terminal.h"

namespace avrenk {

struct Command {
  const char* name;
  const char* arguments;
  const char* summary;
  const char* example;
  ExitStatus (*run)(const Request& request, Terminal& terminal);
};

ExitStatus demo(const Request& request, Terminal& terminal);
ExitStatus check(const Request& request, Terminal& terminal);
ExitStatus modes(const Request& request, Terminal& terminal);
ExitStatus sine(const Request& request, Terminal& terminal);
ExitStatus random(const Request& request, Terminal& terminal);
ExitStatus run(const Request& request, Terminal& terminal);
ExitStatus change(const Request& request, Terminal& terminal);
ExitStatus update(const Request& request, Terminal& terminal);
ExitStatus profile(const Request& request, Terminal& terminal);
ExitStatus ask(const Request& request, Terminal& terminal);
ExitStatus compare(const Request& request, Terminal& terminal);
ExitStatus new_plan(const Request& request, Terminal& terminal);
ExitStatus reduce(const Request& request, Terminal& terminal);
ExitStatus explain(const Request& request, Terminal& terminal);

/// The plan that a command is given, first of its words. @throws InputError  none, or more words than it takes
[[nodiscard]] std::string plan_word(const Request& request, const char* command, std::size_t most_words);

/// Reads the words of a command line, runs the command, turns errors into messages and an exit status.
int run_command_line(int count, const char* const* arguments);

}  // namespace avrenk
