// From the command line to a command; the one place that catches errors.
#include <fmt/format.h>

#include <filesystem>
#include <new>
#include <system_error>

#include "cli/commands.h"
#include "cli/schemas.h"
#include "cli/shell_help.h"
#include "cli/stop.h"
#include "cli/streams.h"
#include "core/blas_threads.h"
#include "core/spelling.h"
#include "core/words.h"
#include "files/run_folder.h"
#include "version.h"

namespace avrenk {
namespace {

constexpr Command all_commands[] = {
    {"demo", "[DIR]", "write the demo plan into DIR (default: avrenk-demo) and run all of it", "avrenk demo", demo},
    {"check", "PLAN", "find mistakes before any mode: joints, gaps, elements, masses, 1 g; with a report",
     "avrenk check payload-deck.yaml", check},
    {"modes", "PLAN", "natural frequencies, effective mass, damping",
     "avrenk modes payload-deck.yaml --set \"modes.up to=500 Hz\"", modes},
    {"sine", "PLAN [ENVIRONMENT…]", "sine environments: peaks, exact over frequency and phase",
     "avrenk sine payload-deck.yaml --set \"damping.otherwise=3 %\"", sine},
    {"random", "PLAN [ENVIRONMENT…]", "random environments: RMS, and which modes make it",
     "avrenk random payload-deck.yaml random", random},
    {"run", "PLAN", "all of it: modes, every environment, limits and verdict",
     "avrenk run payload-deck.yaml --out results", run},
    {"change", "PLAN [PATH…]", "what each number of the plan does to the margins, and the change that would do",
     "avrenk change payload-deck.yaml joints.isolator parts.deck", change},
    {"update", "PLAN CURVE.csv:CASE",
     "margins with the frequencies and damping that a low-level run measured: go or no-go",
     "avrenk update mast.yaml mast-on-bench.csv:sine.x", update},
    {"ask", "RUN QUESTION…", "further numbers, curves and fields of a finished run, from its modes at once",
     "avrenk ask payload-deck-results \"acceleration.z of (0, 0, 180) mm in sine.z at 63 Hz\"", ask},
    {"compare", "RUN RUN|CSV…", "runs and measured curves: plan, margins, modes by shape, peaks, damping",
     "avrenk compare payload-deck-results thicker-results --out difference", compare},
    {"new", "[--mesh FILE] [PLAN]", "write a commented starter plan: for a mesh (.vtu), or a small one to change",
     "avrenk new --mesh bracket.vtu", new_plan},
    {"reduce", "PLAN [PLACE…]", "the model as a component of other plans: interface, modes, and points to be watched",
     "avrenk reduce box.yaml lid --out box", reduce},
    {"explain", "[TOPIC]", "what the handbook says of a key, an element, a joint, a quantity or a message",
     "avrenk explain attach", explain},
    {"profile", "PLAN[:NAME]|TABLE…", "profiles alone: slopes, RMS, velocity, stroke, envelopes, limits of a vibrator",
     "avrenk profile payload-deck.yaml:launch-random", profile},
};

void print_help() {
  fmt::print(
      "avrenk {}: shows whether an assembly survives vibration of its base\n\nUse: avrenk COMMAND …\n\nCommands\n",
      avrenk_version);
  for (const Command& command : all_commands)
    fmt::print("  {:<8} {:<21} {}\n", command.name, command.arguments, command.summary);
  fmt::print("\n{}\n", describe_options());
  fmt::print(
      "Exit status\n  0  done, all limits met\n  1  done, some limit exceeded\n  2  the input is wrong\n  3  the "
      "computation failed\n"
      "  4  a file could not be read or written\n  130 stopped by Ctrl-C: nothing half-written is left\n\n\"avrenk "
      "COMMAND --help\" shows an example. Start with: avrenk demo\n"
      "\"avrenk help bash\", \"help zsh\" and \"help man\" print completions for these shells and the page of the "
      "manual,\n\"avrenk help plan-schema\" and \"help summary-schema\" what editors check plans with (JSON "
      "Schema).\n");
}

std::string plan_schema(std::span<const Command> /*commands*/) { return schemas::plan; }
std::string summary_schema(std::span<const Command> /*commands*/) { return schemas::summary; }

// What installs beside the program: completions, the page of the manual, schemas.
void print_page(std::span<const std::string> words) {
  static constexpr std::pair<std::string_view, std::string (*)(std::span<const Command>)> pages[] = {
      {"bash", bash_completion},
      {"zsh", zsh_completion},
      {"man", manual_page},
      {"plan-schema", plan_schema},
      {"summary-schema", summary_schema}};
  for (const auto& [name, page] : pages)
    if (words.size() == 2 && words[1] == name) {
      fmt::print("{}", page(std::span<const Command>(all_commands)));
      return;
    }
  std::vector<std::string> names;
  for (const auto& [name, page] : pages) names.emplace_back(name);
  throw_input_error("", fmt::format("help has no page \"{}\"", words.back()), suggest_name(words.back(), names));
}

void print_help(const Command& command) {
  fmt::print("avrenk {} {}\n  {}\n\n{}\nExample\n  {}\n", command.name, command.arguments, command.summary,
             describe_options(command.name), command.example);
}

ExitStatus dispatch(std::span<const std::string> words, Terminal& terminal) {
  if (words.size() > 1 && words[0] == "help") {
    print_page(words);
    return ExitStatus::done;
  }
  if (words.empty() || words[0] == "--help" || words[0] == "help") {
    print_help();
    return words.empty() ? ExitStatus::wrong_input : ExitStatus::done;
  }
  if (words[0] == "--version") {
    fmt::print("avrenk {}\n", avrenk_version);
    return ExitStatus::done;
  }
  for (const Command& command : all_commands) {
    if (command.name != words[0]) continue;
    const Request request = read_request(words.subspan(1), command.name);
    if (request.help) {
      print_help(command);
      return ExitStatus::done;
    }
    terminal.set_quiet(request.quiet);
    terminal.set_verbose(request.verbose);
    reserve_blas_memory(request.threads);  // reading a plan multiplies matrices already
    return command.run(request, terminal);
  }
  std::vector<std::string> names;
  for (const Command& command : all_commands) names.emplace_back(command.name);
  throw InputError(
      Problem{"", fmt::format("unknown command \"{}\"", words[0]), suggest_name(words[0], names), std::nullopt});
}

ExitStatus report(Terminal& terminal, ExitStatus status, const std::string& text) {
  try {
    terminal.end_progress();
    std::fflush(stdout);
    constexpr std::size_t longest_line = 2000;
    fmt::print(stderr, "{}\n", shortened_lines(printable(with_final_names(text)), longest_line));
  } catch (const std::system_error&) {  // nobody can be told; the status says it
  }
  return status;
}

}  // namespace

std::string plan_word(const Request& request, const char* command, std::size_t most_words) {
  if (request.words.empty())
    throw InputError(Problem{"", fmt::format("{} needs a plan", command),
                             fmt::format("write avrenk {} PLAN.yaml, or try avrenk demo", command), std::nullopt});
  if (request.words.size() > most_words)
    throw InputError(Problem{"", fmt::format("{} does not take \"{}\"", command, request.words[most_words]),
                             fmt::format("see avrenk {} --help", command), std::nullopt});
  return request.words[0];
}

int run_command_line(int count, const char* const* arguments) {
  guard_streams();
  stop_on_signals();
  const std::vector<std::string> words(arguments + 1, arguments + count);
  Terminal terminal;
  const ExitStatus status = [&] {
    try {
      return dispatch(words, terminal);
    } catch (const InputError& error) {
      return report(terminal, ExitStatus::wrong_input, error.what());
    } catch (const FileError& error) {
      return report(terminal, ExitStatus::file_error, error.what());
    } catch (const NumericalError& error) {
      return report(terminal, ExitStatus::failed, error.what());
    } catch (const std::bad_alloc&) {
      return report(terminal, ExitStatus::failed, "not enough memory");
    } catch (const std::filesystem::filesystem_error& error) {
      return report(terminal, ExitStatus::file_error,
                    error.path1().empty() ? "the system refused to open a file or folder: " + error.code().message()
                                          : fmt::format("{}: {}", error.path1().string(), error.code().message()));
    } catch (const std::system_error& error) {  // of a stream: it is closed, or full
      return report(terminal, ExitStatus::file_error,
                    fmt::format("the output cannot be written: {}", error.code().message()));
    } catch (const std::exception& error) {
      return report(terminal, ExitStatus::failed, fmt::format("a fault in avrenk itself: {}", error.what()));
    }
  }();
  const bool lost = std::fflush(stdout) != 0 || std::ferror(stdout) != 0;
  if (lost && (status == ExitStatus::done || status == ExitStatus::limit_exceeded))
    return static_cast<int>(ExitStatus::file_error);
  return static_cast<int>(status);
}

}  // namespace avrenk
