// check: is the model right?
#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/print_brief.h"
#include "cli/print_run.h"
#include "results/report_of_check.h"
#include "results/run_files.h"
#include "version.h"

namespace avrenk {

ExitStatus check(const Request& request, Terminal& terminal) {
  const std::string plan = plan_word(request, "check", 1);
  RunFolder folder(result_folder(request, plan, "check"));
  const auto loaded = std::make_shared<const LoadedPlan>(load(plan, request));
  const ModelCheck check = check_model(loaded, terminal.reporter());
  const std::vector<Table> tables = check_tables_of(check);
  const std::string verdict = verdict_of_check(check.findings);
  write_summary({avrenk_version,
                 "check",
                 plan,
                 loaded->plan.title,
                 verdict,
                 check.report.notes,
                 check.report.warnings,
                 {},
                 tables},
                folder);
  if (request.figures) write_check_report(check, tables, folder, terminal.reporter());
  terminal.end_progress();
  for (const std::string& note : check.report.notes) terminal.note(note);
  for (const Finding& each : check.findings)  // where no table is printed
    if (request.quiet && each.grade != Finding::Grade::note) terminal.warn(each.sentence());
  if (!loaded->plan.title.empty()) terminal.print(loaded->plan.title + "\n");
  constexpr std::size_t most_rows = 12;
  for (const Table& table : tables) {
    if (table.name == "findings") continue;
    if (request.full)
      terminal.table(table);
    else if (table.name == "masses")
      terminal.print("\n" + mass_in_words(table));
    else if (table.name == "parts" || table.name == "joints" || table.name == "weighed" || table.name == "loads" ||
             table.name == "static")
      print_first(table, most_rows, terminal, false);
  }
  terminal.print("\n");
  for (const std::string& fact : check.facts) terminal.paragraph(fact);
  if (!check.findings.empty()) terminal.table(tables.front());
  terminal.verdict("Check: " + verdict, !has_errors(check.findings));
  commit_results(folder, terminal);
  if (!request.full) print_where_tables_are(terminal);
  if (request.figures) terminal.print(fmt::format("Report:  {}\n", (folder.target() / "report.html").string()));
  return has_errors(check.findings) ? ExitStatus::wrong_input : ExitStatus::done;
}

}  // namespace avrenk
