// modes, sine, random, run and demo: one pipeline, stopped and shown at different stages.
#include <fmt/format.h>

#include "analysis/variants.h"
#include "cli/commands.h"
#include "cli/demo_files.h"
#include "cli/print_run.h"
#include "version.h"

namespace avrenk {
namespace {

enum class Until { modes, responses };

ExitStatus analyse(const std::string& plan, const Request& request, Terminal& terminal, const OutputSelection& shown,
                   Until until, std::optional<Environment::Type> type, std::span<const std::string> chosen) {
  Analysis analysis;
  load(analysis, plan, request);
  RunFolder folder(result_folder(request, plan, shown.command));
  terminal.log_to(folder.path("run.log").string());
  terminal.progress(fmt::format("avrenk {} {} {}", avrenk_version, shown.command, plan), -1);
  with_places(analysis, [&] {
    solve(analysis, kept_results(request, plan, shown.command), terminal.reporter());
    if (until == Until::responses) {
      excite(analysis, type, chosen, request, terminal.reporter());
      audit_truncation(analysis, request, terminal.reporter());
    }
    assess(analysis);
    if (!type && chosen.empty()) judge_variants(analysis, request, until == Until::responses, terminal.reporter());
  });
  for (const std::string& line : analysis.log) terminal.log(line);
  if (request.figures) analysis.surface = surface_of(analysis.plan.assembly);
  return finish(analysis, shown, request, folder, terminal);
}

std::span<const std::string> environments_of(const Request& request) { return std::span(request.words).subspan(1); }

}  // namespace

ExitStatus modes(const Request& request, Terminal& terminal) {
  return analyse(plan_word(request, "modes", 1), request, terminal, {.command = "modes", .modes = true}, Until::modes,
                 std::nullopt, {});
}

ExitStatus sine(const Request& request, Terminal& terminal) {
  const std::string plan = plan_word(request, "sine", 1000);
  return analyse(plan, request, terminal, {.command = "sine", .peaks = true}, Until::responses, Environment::Type::sine,
                 environments_of(request));
}

ExitStatus random(const Request& request, Terminal& terminal) {
  const std::string plan = plan_word(request, "random", 1000);
  return analyse(plan, request, terminal, {.command = "random", .peaks = true}, Until::responses,
                 Environment::Type::random, environments_of(request));
}

ExitStatus run(const Request& request, Terminal& terminal) {
  return analyse(plan_word(request, "run", 1), request, terminal,
                 {.command = "run", .mass = true, .modes = true, .overview = true}, Until::responses, std::nullopt, {});
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
