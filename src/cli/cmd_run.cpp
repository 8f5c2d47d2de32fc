// modes, sine, random, run and demo: one pipeline, stopped and shown at different stages.
#include <fmt/format.h>

#include "analysis/analysis.h"
#include "cli/commands.h"
#include "cli/demo_files.h"
#include "cli/print_run.h"
#include "version.h"

namespace avrenk {
namespace {

ExitStatus work_through(const std::string& file, const Request& request, Terminal& terminal,
                        const OutputSelection& shown, const AnalysisScope& scope) {
  const auto loaded = std::make_shared<const LoadedPlan>(load(file, request));
  RunFolder folder(result_folder(request, file, shown.command));
  terminal.log_to(folder.path("run.log").string());
  terminal.progress(fmt::format("avrenk {} {} {}", avrenk_version, shown.command, file), -1);
  const Analysis analysis = with_places(loaded->plan, [&] {
    return analyse(loaded, request, scope, kept_results(request, file, shown.command), terminal.reporter());
  });
  for (const std::string& line : analysis.report.log) terminal.log(line);
  return finish(analysis, shown, request, folder, terminal);
}

// Environments of one type, by name or all.
ExitStatus run_type(const Request& request, Terminal& terminal, const char* command, Environment::Type type) {
  AnalysisScope scope{.environments = {type, {request.words.begin() + 1, request.words.end()}}, .variants = false};
  return work_through(plan_word(request, command, 1000), request, terminal, {.command = command, .peaks = true}, scope);
}

}  // namespace

ExitStatus modes(const Request& request, Terminal& terminal) {
  return work_through(plan_word(request, "modes", 1), request, terminal, {.command = "modes", .modes = true},
                      {.responses = false});
}

ExitStatus sine(const Request& request, Terminal& terminal) {
  return run_type(request, terminal, "sine", Environment::Type::sine);
}

ExitStatus random(const Request& request, Terminal& terminal) {
  return run_type(request, terminal, "random", Environment::Type::random);
}

ExitStatus run(const Request& request, Terminal& terminal) {
  return work_through(plan_word(request, "run", 1), request, terminal,
                      {.command = "run", .mass = true, .modes = true, .overview = true}, {});
}

ExitStatus demo(const Request& request, Terminal& terminal) {
  if (request.words.size() > 1)
    throw InputError(
        Problem{"", fmt::format("demo does not take \"{}\"", request.words[1]), "write avrenk demo DIR", std::nullopt});
  const std::filesystem::path folder = request.words.empty() ? "avrenk-demo" : request.words[0];
  std::error_code bad;
  std::filesystem::create_directories(folder, bad);
  if (bad) throw FileError(fmt::format("{}: cannot be made: {}", folder.string(), bad.message()));
  const std::filesystem::path plan = folder / "payload-deck.yaml";
  for (const auto& [file, content] :
       {std::pair{plan, demo_files::plan}, {folder / "mast-foot.vtu", demo_files::mast_foot}}) {
    const bool known = std::filesystem::exists(file);
    if (!known) write_file(file, content);
    terminal.note(known ? fmt::format("{} exists and is used as it is", file.string())
                        : fmt::format("wrote {}", file.string()));
  }
  Request rest = request;
  rest.words = {plan.string()};
  return run(rest, terminal);
}

}  // namespace avrenk
