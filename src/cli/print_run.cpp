#include "cli/print_run.h"
#include "cli/print_brief.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/spring_summaries.h"
#include "analysis/summaries.h"
#include "files/history_files.h"
#include "files/life_tables.h"
#include "files/result_tables.h"
#include "files/stress_results.h"
#include "results/report_of_run.h"
#include "results/run_files.h"
#include "results/test_sheets.h"
#include "results/verdict.h"

namespace avrenk {
namespace {

constexpr std::size_t most_driven = 5;      // rows of the modes that loads drive
constexpr std::size_t most_asked = 12;      // rows of the whole model at frequencies asked for
constexpr std::size_t most_rest = 12;       // bolts or contacts
constexpr std::size_t overview_modes = 12;  // rows of the mode table that `run` prints

// Reasons of sine peaks for magnitudes and single numbers only: those of components are in the files.
Table headlines(Table table, const CaseResults& outcome, const std::vector<Output>& watched) {
  if (!outcome.sine() || !table.name.ends_with(".reasons")) return table;
  std::erase_if(table.rows, [&](const std::vector<Cell>& row) {
    const Output* const found = find_output(watched, std::get<std::string>(row.front()));
    return found && !found->is_headline();
  });
  return table;
}

void print_audit(const Analysis& analysis, const RunTables& tables, Terminal& terminal) {
  if (!analysis.assessment.audit.note.empty()) terminal.paragraph("\n" + analysis.assessment.audit.note);
  if (!tables.audit) return;
  constexpr std::size_t most_rows = 12;
  Table table = *tables.audit;
  // The worst first, so that what is left out of the screen is better.
  std::stable_sort(table.rows.begin(), table.rows.end(), [](const auto& a, const auto& b) {
    constexpr std::size_t error = 2;
    return std::abs(std::get<double>(a[error])) > std::abs(std::get<double>(b[error]));
  });
  const std::size_t all = table.rows.size();
  if (all > most_rows) {
    table.title += fmt::format(" (the worst {} of {})", most_rows, all);
    table.rows.resize(most_rows);
  }
  terminal.table(table);
  terminal.paragraph(audit_in_words(analysis));
}

void print_modes(const Analysis& analysis, const RunTables& tables, std::size_t most_rows, Terminal& terminal) {
  terminal.table(tables.modes, most_rows);
  terminal.paragraph(
      "Damping from: general, what damping: otherwise says; own η, loss factors of materials and joints by strain "
      "energy; dashpots.");
  if (tables.levels) terminal.table(*tables.levels);
  terminal.table(tables.shapes, most_rows);
  terminal.paragraph(proof_in_words(analysis));
}

// " 478 frequencies from 30 to 300 Hz."; where cases differ, of each.
std::string frequencies_in_words(const std::vector<const CaseResults*>& cases, const Show& show) {
  const DisplayUnit unit = show.unit(kind::frequency);
  std::vector<const CaseResults*> drawn;
  std::copy_if(cases.begin(), cases.end(), std::back_inserter(drawn), [](auto* own) { return !own->grid().empty(); });
  const auto texts = cases_by_text(drawn, [&](const CaseResults& outcome) {
    const std::vector<double>& grid = outcome.grid();
    return fmt::format("{} frequencies from {:.5g} to {:.5g} {}", grid.size(), unit.from_si(grid.front()),
                       unit.from_si(grid.back()), unit.text);
  });
  std::string text;
  for (const auto& [frequencies, of] : texts)
    text +=
        fmt::format("{}{}{}", text.empty() ? " " : "; ", frequencies, texts.size() > 1 ? fmt::format(" ({})", of) : "");
  return text.empty() ? "" : text + ".";
}

void print_responses(const Analysis& analysis, const RunTables& tables, bool overview, Terminal& terminal) {
  const Show& show = analysis.plan().show;
  const auto tables_of = [&](const CaseResults* outcome) -> const CaseTables& {
    return tables.cases[static_cast<std::size_t>(outcome - analysis.outcomes().data())];
  };
  for (const Environment& environment : analysis.modal().environments) {
    std::vector<const CaseResults*> axes;
    for (const CaseResults& outcome : analysis.outcomes())
      if (&outcome.environment() == &environment) axes.push_back(&outcome);
    if (axes.empty() || analysis.watched().empty()) continue;
    const bool is_random = environment.is_random(), is_static = environment.is_static();
    if (overview && !is_static) {
      terminal.table(overview_table(axes, analysis.watched(), show));
    } else {
      for (const CaseResults* outcome : axes)
        for (const Table& table : tables_of(outcome).answers)
          terminal.table(headlines(table, *outcome, analysis.watched()));
    }
    if (is_static) continue;
    for (const CaseResults* outcome : axes)
      for (const Table& table : tables_of(outcome).further)
        if (!overview || !(table.name.ends_with(".motion") || table.name.ends_with(".pairs")))
          terminal.table(table, table.name.ends_with(".whole") ? most_asked : 0);
    for (const CaseResults* outcome : axes)
      if (const auto& driven = tables_of(outcome).driven) terminal.table(*driven, most_driven);
    if (environment.combination == Environment::Combination::root_sum_of_squares)
      terminal.paragraph(is_random
                             ? "Combined: root of the sum of squares over the axes, of each place by itself."
                             : "Combined: root of the sum of squares of the axes' peaks, whatever their frequency "
                               "and place: never low.");
    if (!is_random) {
      terminal.paragraph(
          fmt::format(
              "Steady state; each peak is a root of the derivative, wherever the grid points lie. Phase to {}; a "
              "lag is negative.",
              environment.load_cases.empty() ? "the base acceleration" : "where phases of the inputs are zero") +
          frequencies_in_words(axes, show));
      continue;
    }
    double error = 0;
    for (const CaseResults* outcome : axes) error = std::max(error, outcome->random()->integration_error);
    terminal.paragraph(
        fmt::format("Input {} RMS. RMS by modal covariance, whatever the curve's points; the integration is off "
                    "by {:.0e} of a variance at most. A magnitude is not Gaussian: what it stays below 99.73 % of the "
                    "time is not its 3σ.",
                    inputs_rms_in_words(axes, show), error));
  }
}

// Of each part the worst axis of each environment.
void print_stress(const Analysis& analysis, const RunTables& tables, Terminal& terminal) {
  if (!tables.stress) return;
  terminal.table(worst_axes(*tables.stress));
  if (!analysis.responses->fields.stations) {
    terminal.paragraph(
        "Of each environment the worst axis. Random: RMS. Both ends of every beam: tables/*.beam-stress.csv.");
    return;
  }
  terminal.paragraph(fmt::format(
      "Of each environment the worst axis. Random: RMS. Jump: what the elements that meet there differ from their mean "
      "by (–: one alone, or a beam); the stress is not known much better. Every node: tables/*stress*.csv{}.",
      analysis.responses->fields.stress.shortfall > 0
          ? fmt::format(", where sine values beyond the worst hundred may be up to {:.2g} % low between grid points",
                        100 * analysis.responses->fields.stress.shortfall)
          : ""));
}

// Every table.
void print_all(const Analysis& analysis, const RunTables& tables, const OutputSelection& shown, Terminal& terminal) {
  if (shown.mass) terminal.table(tables.mass);
  if (shown.modes || shown.overview)
    for (const Table& table : tables.rest) terminal.table(worst_contacts_first(table), most_rest);
  if (shown.modes) print_modes(analysis, tables, shown.overview ? overview_modes : 0, terminal);
  if (shown.modes || shown.peaks || shown.overview)
    for (const Table& table : spring_tables_of(analysis, true))
      terminal.table(table, shown.overview ? overview_modes : 0);
  if (shown.peaks || shown.overview) print_responses(analysis, tables, shown.overview, terminal);
  if (shown.peaks || shown.overview) print_audit(analysis, tables, terminal);
  if (tables.clearances) terminal.table(*tables.clearances);
  print_stress(analysis, tables, terminal);
  for (const auto* table : {&tables.limits, &tables.variants, &tables.compliance})
    if (*table) terminal.table(**table);
  for (const Table& table : tables.notches) terminal.table(table);
  print_margin_notes(analysis.assessment.limits, terminal);

  if (!analysis.responses->lives.empty()) {
    for (const Table& table : tables.life) terminal.table(table);
    terminal.paragraph(counting_in_words(analysis.responses->lives));
  }
  if (tables.equipment) terminal.table(*tables.equipment);
  for (const CrossSpectrum& cross_spectrum : analysis.responses->cross_spectra)
    terminal.paragraph(
        fmt::format("{}: {} and {} go together by {:+.3f} at one instant; over frequency: tables/cross.{}.csv.",
                    cross_spectrum.excitation->name(), cross_spectrum.request->of[0], cross_spectrum.request->of[1],
                    cross_spectrum.correlation, cross_spectrum.request->name));
  for (std::size_t i = 0; i < analysis.responses->histories.size(); ++i) {
    terminal.table(tables.histories[i]);
    terminal.paragraph(history_in_words(analysis.responses->histories[i]));
  }
}

}  // namespace

std::filesystem::path result_folder(const Request& request, const std::string& plan, const std::string& command) {
  if (request.out) return *request.out;
  const std::filesystem::path path(plan);
  return path.parent_path() / fmt::format("{}-{}results", path.stem().string(), command == "run" ? "" : command + "-");
}

std::vector<std::filesystem::path> kept_results(const Request& request, const std::string& plan,
                                                const std::string& command) {
  if (request.anew) return {};
  std::vector<std::filesystem::path> files{result_folder(request, plan, command) / "results.h5"};
  const std::filesystem::path run = result_folder({}, plan, "run") / "results.h5";
  if (files[0] != run) files.push_back(run);
  return files;
}

void commit_results(RunFolder& folder, Terminal& terminal) {
  terminal.stop_log();
  folder.commit();
  terminal.print(fmt::format("Results: {}\n", folder.target().string()));
}

ExitStatus finish(const Analysis& analysis, const OutputSelection& shown, const Request& request, RunFolder& folder,
                  Terminal& terminal) {
  StopWatch watch;
  const RunTables tables = run_tables(analysis);
  for (const std::string& note : analysis.report.notes) terminal.note(note);
  if (!analysis.modal().modes_note.empty()) terminal.note(analysis.modal().modes_note);
  for (const std::string& warning : analysis.report.warnings) terminal.warn(warning);
  if (!analysis.plan().title.empty()) terminal.print(analysis.plan().title + "\n");
  if (request.full)
    print_all(analysis, tables, shown, terminal);
  else
    print_brief(analysis, tables, shown, terminal);

  const std::string verdict = verdict_of(analysis);
  if (!analysis.assessment.limits.empty()) terminal.verdict("Verdict: " + verdict, analysis.assessment.all_met());

  WriteRequest writing{shown.command, verdict, kept_plan(analysis, request.overrides)};
  writing.model = shown.mass || shown.modes;
  writing.modes = shown.modes;
  writing.responses = shown.peaks || shown.overview;
  writing.overview = shown.overview;
  writing.figures = request.figures;
  writing.complex = request.real_and_imaginary;
  writing.threads = request.threads;
  const std::vector<TestSheet> sheets = test_sheets_of(analysis, now_in_words());
  write_tables(analysis, tables, sheets, writing, folder);
  std::vector<StageTime> times = analysis.report.times;
  times.push_back({"tables", watch.seconds()});
  watch = StopWatch();
  const std::string failure =
      write_for_readers(analysis, tables, writing, folder, [&](const Step& step) { terminal.progress(step); });
  times.push_back({request.figures ? "figures, fields, report" : "keeping the modes", watch.seconds()});
  for (const StageTime& time : times) {
    const std::string line = fmt::format("{:<22} {:8.3f} s", time.stage, time.seconds);
    request.verbose ? terminal.note(line) : terminal.log(line);
  }
  terminal.end_progress();
  terminal.log("verdict: " + verdict);
  write_readme(analysis, writing, folder);
  commit_results(folder, terminal);
  if (!request.full) print_where_tables_are(terminal);
  if (!sheets.empty()) terminal.print(fmt::format("Sheets:  {}\n", (folder.target() / "sheets").string()));
  if (shown.overview && request.figures)
    terminal.print(fmt::format("Report:  {}\n", (folder.target() / "report.html").string()));
  if (!failure.empty()) throw FileError(failure);
  if (!analysis.assessment.unanswered.empty()) return ExitStatus::failed;
  return analysis.assessment.all_met() ? ExitStatus::done : ExitStatus::limit_exceeded;
}

}  // namespace avrenk
