#include "results/run_files.h"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/summaries.h"
#include "core/parallel.h"
#include "files/history_files.h"
#include "files/level_tables.h"
#include "files/modes_file.h"
#include "files/result_tables.h"
#include "results/field_files.h"
#include "results/report_of_run.h"
#include "version.h"

namespace avrenk {
namespace {

std::vector<Fact> facts_of(const Analysis& analysis) {
  const ModalBasis& basis = analysis.basis();
  const Show& show = analysis.plan().show;
  const DisplayUnit mass = show.unit(kind::mass);
  std::vector<Fact> facts{{"equations", static_cast<double>(analysis.system().free), ""},
                          {"total mass", mass.from_si(basis.rigid_mass(0, 0)), mass.text},
                          {"modes", static_cast<double>(basis.modes), ""},
                          {"residual vectors", static_cast<double>(basis.residual_vectors()), ""},
                          {"no mode missing below", basis.proven_below, "Hz"},
                          {"largest residual of a mode", basis.largest_residual(), ""},
                          {"largest deviation from orthogonality", basis.largest_nonorthogonality(), ""},
                          {"static against rigid motion of the base", basis.statics.rigid_difference, ""}};
  if (analysis.at_rest().preload)
    facts.push_back({"buckling load over " + analysis.plan().modes_about, analysis.at_rest().preload->load_factor, ""});
  for (const CaseResults& outcome : analysis.outcomes()) {
    if (!outcome.random() || outcome.is_combined()) continue;
    const Excitation& excitation = *outcome.excitation;
    for (std::size_t k = 0; k < excitation.names.size(); ++k) {
      const DisplayUnit unit = show.unit(*excitation.kinds[k]);
      const std::string of = excitation.names.size() > 1 ? " of " + excitation.names[k] : "";
      facts.push_back({outcome.name() + " input RMS" + of,
                       unit.from_si(std::sqrt(excitation.spectrum.levels()[k].area())), unit.text});
    }
    facts.push_back(
        {outcome.name() + " relative error of a variance, at most", outcome.random()->integration_error, ""});
  }
  return facts;
}

// results.h5: the file that the modes were read from, or a new one; products.h5.
void keep_modes(const Analysis& analysis, const KeptPlan& plan, const RunFolder& folder) {
  const std::filesystem::path file = folder.path("results.h5");
  if (analysis.modal().modes_from.empty() || analysis.modal().more_than_file)
    write_modes(file, analysis.assembly(), analysis.system(), analysis.basis(), analysis.modal().print,
                analysis.plan().modes);
  else
    avrenk::copy_file(analysis.modal().modes_from, file);
  Eigen::Index loads = 0;
  for (const Load& load : analysis.assembly().loads)
    if (!load.is_pattern) loads += std::ssize(load.columns);  // patterns come last, and are made anew
  write_products(folder.path("products.h5"), file, plan.digest(), analysis.basis(), analysis.damping().products, loads);
}

}  // namespace

KeptPlan kept_plan(const Analysis& analysis, const std::vector<Override>& overrides) {
  KeptPlan kept{analysis.plan().file, {}, analysis.loaded().sources};
  for (const Override& each : overrides) kept.overrides.push_back(each.path + "=" + each.value);
  return kept;
}

std::string now_in_words() { return fmt::format("{:%Y-%m-%d %H:%M}", fmt::localtime(std::time(nullptr))); }

void write_summary(const Summary& summary, const RunFolder& folder) {
  for (const Table& table : summary.tables) folder.write("tables/" + table.name + ".csv", to_csv(table));
  folder.write("summary.json", to_json(summary));
}

void write_notched_levels(const Responses& responses, const RunFolder& folder) {
  for (const NotchedInput& input : responses.notched)
    folder.write(fmt::format("levels/{}.csv", input.applied->name()),
                 to_csv(level_points(input.applied->name(), input.table, input.specified->is_random(),
                                     *input.specified->kind, responses.model.plan().show)));
}

void write_tables(const Analysis& analysis, const RunTables& tables, const std::vector<TestSheet>& sheets,
                  const WriteRequest& request, const RunFolder& folder) {
  const Show& show = analysis.plan().show;
  Summary summary{avrenk_version,           request.command,    analysis.plan().file,
                  analysis.plan().title,    request.verdict,    analysis.report.notes,
                  analysis.report.warnings, facts_of(analysis), {}};
  for (const Table* table : tables.all()) summary.tables.push_back(*table);
  for (const TestSheet& sheet : sheets)
    for (const ReportSection& section : sheet.page.sections)
      for (const Table& table : section.tables)
        if (table.name.ends_with("." + sheet.name)) summary.tables.push_back(table);
  write_summary(summary, folder);
  run_jobs(analysis.outcomes().size(), request.threads, [&](std::size_t i) {
    if (analysis.outcomes()[i].grid().empty() || analysis.watched().empty()) return;
    const Table curves = curve_table(analysis.outcomes()[i], analysis.watched(), show);
    folder.write("tables/" + curves.name + ".csv", to_csv(curves));
  });
  for (const TestSheet& sheet : sheets) folder.write(fmt::format("sheets/{}.html", sheet.name), to_html(sheet.page));
  write_notched_levels(*analysis.responses, folder);
  for (const EquipmentLevel& each : analysis.assessment.equipment)
    folder.write(fmt::format("levels/{}.csv", each.request->name),
                 to_csv(level_points(each.request->name, each.envelope.table, each.random, *each.kind, show)));
  for (const CrossSpectrum& each : analysis.responses->cross_spectra) {
    const Table curves = cross_table(each, show);
    folder.write("tables/" + curves.name + ".csv", to_csv(curves));
  }
  for (const History& history : analysis.responses->histories) {
    const std::string name = "histories/" + history.request->name;
    if (history.request->hdf5)
      write_history_hdf5(folder.path(name + ".h5"), history, show);
    else
      folder.write(name + ".csv", history_csv(history, show));
  }
  request.plan.write([&](const std::string& name, const std::string& content) { folder.write(name, content); });
}

namespace {

// Leaves out what could not be drawn; all of it where no chart could be, as without gnuplot. @return  what is missing
std::string leave_out_failed(std::vector<Drawing>& drawings, const std::vector<std::string>& failures,
                             const RunFolder& folder) {
  const auto first = std::find_if(failures.begin(), failures.end(), [](const auto& text) { return !text.empty(); });
  if (first == failures.end()) return "";
  std::vector<Drawing> drawn;
  bool any_chart = false;
  for (std::size_t i = 0; i < drawings.size(); ++i) {
    if (!failures[i].empty()) {
      for (const char* rest : {".svg.partial", ".png.partial"}) folder.remove("figures/" + drawings[i].name + rest);
      continue;
    }
    any_chart = any_chart || drawings[i].chart;
    drawn.push_back(std::move(drawings[i]));
  }
  const std::size_t all = drawings.size(), missing = all - drawn.size();
  drawings = any_chart ? std::move(drawn) : std::vector<Drawing>();
  return any_chart ? fmt::format("{} of {} figures could not be drawn: {}", missing, all, *first)
                   : fmt::format("the results hold no figures: {}", *first);
}

}  // namespace

std::string write_for_readers(const Analysis& analysis, const RunTables& tables, const WriteRequest& request,
                              const RunFolder& folder, const Progress& progress) {
  if (!request.figures) {
    keep_modes(analysis, request.plan, folder);
    return "";
  }
  std::vector<Drawing> drawings;
  std::vector<std::string> failures;
  std::string failure;
  Jobs jobs = field_jobs(analysis, folder);
  jobs.insert(jobs.begin() + 1, [&] { keep_modes(analysis, request.plan, folder); });
  try {
    drawings =
        drawings_of(analysis, {request.model, request.modes, request.responses, request.overview, request.complex});
    for (std::function<void()>& job : drawing_jobs(drawings, folder, failures)) jobs.push_back(std::move(job));
  } catch (const FileError& error) {
    failure = fmt::format("the results hold no figures: {}", error.what());
  }
  report_progress(progress, fmt::format("drawing {} figures, writing fields", drawings.size()));
  run_jobs(jobs.size(), request.threads, [&](std::size_t i) { jobs[i](); });
  if (failure.empty()) failure = leave_out_failed(drawings, failures, folder);
  if (drawings.empty()) folder.remove("figures");
  if (!request.overview) return failure;
  report_progress(progress, "writing the report");
  const ReportContext context{request.verdict, request.command, now_in_words(), request.plan.overrides, failure};
  const Report report = report_of_run(analysis, tables, drawings, folder, context);
  folder.write("report.html", to_html(report));
  folder.write("report.md", to_markdown(report));
  return failure;
}

void write_readme(const Analysis& analysis, const WriteRequest& request, const RunFolder& folder) {
  static constexpr std::pair<const char*, const char*> contents[] = {
      {"report.html", "all of it for readers, in one file that needs nothing beside it; report.md is the same as text"},
      {"summary.json", "every number of the tables with its unit, for programs"},
      {"tables", "the same as CSV, one file a table; curves in *.curves.csv"},
      {"sheets", "test sheets, a page for each axis and level"},
      {"levels", "profiles that another plan reads: notched inputs, equipment levels"},
      {"histories", "records in time"},
      {"figures", "charts and pictures, SVG and PNG"},
      {"fields", "shapes and fields for any VTK viewer; model.glb for viewers of glTF"},
      {"plan", "the plan as it was run with every file it named; sources.json says what they were called"},
      {"results.h5", "the modes, which later runs take and `avrenk ask` answers from"},
      {"products.h5", "what makes these answers quick"},
      {"run.log", "what was done and how long it took"}};
  std::string text =
      fmt::format("# {}\n\nResults of `avrenk {} {}`, Avrenk {}. Verdict: {}.\n\n| | |\n|---|---|\n",
                  analysis.plan().title.empty() ? "Results" : analysis.plan().title, request.command,
                  std::filesystem::path(analysis.plan().file).filename().string(), avrenk_version, request.verdict);
  for (const auto& [name, words] : contents)
    if (std::filesystem::exists(folder.path(name))) text += fmt::format("| {} | {} |\n", name, words);
  folder.write(
      "README.md",
      text +
          "\nFurther questions: `avrenk ask` and this folder. Each column of a table is described in the handbook, "
          "docs/results.md.\n");
}

}  // namespace avrenk
