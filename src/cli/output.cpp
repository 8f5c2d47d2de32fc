#include "cli/output.h"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/contact_words.h"
#include "analysis/springs.h"
#include "cli/drawings.h"
#include "cli/report_of_run.h"
#include "cli/test_sheets.h"
#include "core/parallel.h"
#include "files/history_files.h"
#include "files/level_tables.h"
#include "files/life_tables.h"
#include "files/load_tables.h"
#include "files/mode_tables.h"
#include "files/model_tables.h"
#include "files/modes_file.h"
#include "files/result_tables.h"
#include "files/stress_results.h"
#include "version.h"

namespace avrenk {
namespace {

constexpr std::size_t most_driven = 5;      // rows of the modes that loads drive
constexpr std::size_t most_asked = 12;      // rows of the whole model at frequencies asked for
constexpr std::size_t overview_modes = 12;  // rows of the mode table that `run` prints

std::vector<Fact> facts_of(const Analysis& analysis) {
  const ModalBasis& basis = analysis.basis;
  const Show& show = analysis.plan.show;
  const DisplayUnit mass = show.unit(kind::mass);
  std::vector<Fact> facts{{"equations", static_cast<double>(analysis.system.free), ""},
                          {"total mass", mass.from_si(basis.rigid_mass(0, 0)), mass.text},
                          {"modes", static_cast<double>(basis.modes), ""},
                          {"residual vectors", static_cast<double>(basis.residual_vectors()), ""},
                          {"no mode missing below", basis.proven_below, "Hz"},
                          {"largest residual of a mode", basis.largest_residual(), ""},
                          {"largest deviation from orthogonality", basis.largest_nonorthogonality(), ""},
                          {"static against rigid motion of the base", basis.statics.rigid_difference, ""}};
  if (analysis.preload)
    facts.push_back({"buckling load over " + analysis.plan.modes_about, analysis.preload->load_factor, ""});
  for (const Outcome& outcome : analysis.outcomes) {
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

std::vector<Table> tables_of(const Outcome& outcome, const std::vector<Watched>& watched, const Show& show) {
  if (watched.empty()) return {};
  if (outcome.at_rest()) return {static_answer_table(outcome, watched, show)};
  std::vector<Table> tables{outcome.sine() ? peak_table(outcome, watched, show) : rms_table(outcome, watched, show)};
  if (!outcome.is_combined())
    tables.push_back(outcome.sine() ? sine_reason_table(outcome, watched, show)
                                    : random_reason_table(outcome, watched, show));
  return tables;
}

Table gravity_table(const Analysis& analysis) {
  const Assembly& assembly = analysis.plan.assembly;
  return static_table(assembly,
                      under_gravity(assembly, analysis.system,
                                    analysis.preload ? analysis.preload->at_rest.statics : analysis.basis.statics),
                      analysis.plan.show);
}

std::vector<Table> tables_of(const Analysis& analysis) {
  const Show& show = analysis.plan.show;
  std::vector<Table> tables{mass_table(analysis.plan.assembly, show),
                            mode_table(analysis.basis, analysis.damping, show)};
  if (analysis.basis.free_motions() == 0) tables.insert(tables.begin() + 1, gravity_table(analysis));
  if (!analysis.levels.empty()) tables.push_back(preload_table(analysis.levels, analysis.plan.modes_about, show));
  const Assembly& assembly = analysis.plan.assembly;
  tables.push_back(shape_table(assembly, analysis.basis, analysis.contents, analysis.watched, analysis.outcomes, show));
  tables.push_back(strain_energy_table(assembly, analysis.basis, analysis.contents, show));
  tables.push_back(kinetic_energy_table(assembly, analysis.basis, analysis.contents, show));
  tables.push_back(participation_table(assembly, analysis.basis, show));
  if (analysis.basis.residual_vectors() > 0) tables.push_back(residual_table(analysis.basis, analysis.damping, show));
  if (!analysis.audit.empty()) tables.push_back(audit_table(analysis.audit, analysis.watched, show));
  if (Table loads = load_table(assembly, show); !loads.rows.empty()) tables.push_back(std::move(loads));
  for (Table& table : rest_tables_of(analysis)) tables.push_back(std::move(table));
  for (Table& table : spring_tables_of(analysis, false)) tables.push_back(std::move(table));
  for (std::size_t i = 0; i < analysis.outcomes.size(); ++i) {
    for (Table& table : tables_of(analysis.outcomes[i], analysis.watched, show)) tables.push_back(std::move(table));
    for (Table& table : further_tables(analysis, analysis.outcomes[i])) tables.push_back(std::move(table));
    if (!analysis.driven[i].empty())
      tables.push_back(driven_table(*analysis.outcomes[i].excitation, analysis.driven[i], assembly, analysis.basis,
                                    analysis.contents, show));
    if (!analysis.power[i].empty())
      tables.push_back(power_table(*analysis.outcomes[i].excitation, analysis.power[i], show));
  }
  if (Table clearances = clearance_table(analysis.outcomes, analysis.watched, analysis.plan.limits, show);
      !clearances.rows.empty())
    tables.push_back(std::move(clearances));
  if (Table stress = stress_of(analysis); !stress.rows.empty()) tables.push_back(std::move(stress));
  if (!analysis.limits.empty()) tables.push_back(limit_table(analysis.limits, show));
  if (const auto variants = margins_of_variants(analysis); !variants.empty())
    tables.push_back(variant_table(analysis.limits, variants));
  if (Table table = compliance_table(analysis.plan.limits, analysis.limits); !table.rows.empty())
    tables.push_back(std::move(table));
  for (Table& table : notch_tables_of(analysis)) tables.push_back(std::move(table));
  for (Table& table : life_tables(analysis.lives, show)) tables.push_back(std::move(table));
  if (!analysis.equipment.empty()) tables.push_back(equipment_table(analysis.equipment, show));
  for (const History& each : analysis.histories) tables.push_back(history_table(each, show));
  return tables;
}

// Reasons of sine peaks for magnitudes and single numbers only: those of components are in the files.
Table headlines(Table table, const Outcome& outcome, const std::vector<Watched>& watched) {
  if (!outcome.sine() || !table.name.ends_with(".reasons")) return table;
  std::erase_if(table.rows, [&](const std::vector<Cell>& row) {
    const Watched* const found = find_watched(watched, std::get<std::string>(row.front()));
    return found && !found->is_headline();
  });
  return table;
}

void print_audit(const Analysis& analysis, Terminal& terminal) {
  if (!analysis.audit_note.empty()) terminal.paragraph("\n" + analysis.audit_note);
  if (analysis.audit.empty()) return;
  constexpr std::size_t most_rows = 12;
  Table table = audit_table(analysis.audit, analysis.watched, analysis.plan.show);
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

// Bolts, and of contacts those that come nearest to opening.
void print_rest(const Analysis& analysis, Terminal& terminal) {
  constexpr std::size_t most_rows = 12;
  for (Table& table : rest_tables_of(analysis)) {
    const auto use = std::find_if(table.columns.begin(), table.columns.end(),
                                  [](const Column& column) { return column.name == "takes most"; });
    if (use != table.columns.end()) {
      const auto at = static_cast<std::size_t>(use - table.columns.begin());
      std::stable_sort(table.rows.begin(), table.rows.end(), [&](const auto& a, const auto& b) {
        const double first = std::get<double>(a[at]), second = std::get<double>(b[at]);
        return !std::isnan(first) && (std::isnan(second) || first > second);
      });
    }
    terminal.table(table, most_rows);
  }
}

void print_modes(const Analysis& analysis, std::size_t most_rows, Terminal& terminal) {
  const ModalBasis& basis = analysis.basis;
  terminal.table(mode_table(basis, analysis.damping, analysis.plan.show), most_rows);
  terminal.paragraph(
      "Damping from: general, what damping: otherwise says; own η, loss factors of materials and joints by strain "
      "energy; dashpots.");
  if (!analysis.levels.empty())
    terminal.table(preload_table(analysis.levels, analysis.plan.modes_about, analysis.plan.show));
  terminal.table(shape_table(analysis.plan.assembly, basis, analysis.contents, analysis.watched, analysis.outcomes,
                             analysis.plan.show),
                 most_rows);
  terminal.paragraph(proof_in_words(analysis));
}

// " 478 frequencies from 30 to 300 Hz."; where cases differ, of each.
std::string frequencies_in_words(const std::vector<const Outcome*>& cases, const Show& show) {
  const DisplayUnit unit = show.unit(kind::frequency);
  std::vector<const Outcome*> drawn;
  std::copy_if(cases.begin(), cases.end(), std::back_inserter(drawn), [](auto* own) { return !own->grid().empty(); });
  const auto each = cases_by_text(drawn, [&](const Outcome& outcome) {
    const std::vector<double>& grid = outcome.grid();
    return fmt::format("{} frequencies from {:.5g} to {:.5g} {}", grid.size(), unit.from_si(grid.front()),
                       unit.from_si(grid.back()), unit.text);
  });
  std::string text;
  for (const auto& [frequencies, of] : each)
    text +=
        fmt::format("{}{}{}", text.empty() ? " " : "; ", frequencies, each.size() > 1 ? fmt::format(" ({})", of) : "");
  return text.empty() ? "" : text + ".";
}

void print_responses(const Analysis& analysis, bool overview, Terminal& terminal) {
  const Show& show = analysis.plan.show;
  for (const Environment& environment : analysis.plan.environments) {
    std::vector<const Outcome*> axes;
    for (const Outcome& outcome : analysis.outcomes)
      if (&outcome.environment() == &environment) axes.push_back(&outcome);
    if (axes.empty() || analysis.watched.empty()) continue;
    const bool is_random = environment.type == Environment::Type::random, is_static = environment.is_static();
    if (overview && !is_static) {
      terminal.table(overview_table(axes, analysis.watched, show));
    } else {
      for (const Outcome* outcome : axes)
        for (const Table& table : tables_of(*outcome, analysis.watched, show))
          terminal.table(headlines(table, *outcome, analysis.watched));
    }
    if (is_static) continue;
    for (const Outcome* outcome : axes)
      for (const Table& table : further_tables(analysis, *outcome))
        if (!overview || !(table.name.ends_with(".motion") || table.name.ends_with(".pairs")))
          terminal.table(table, table.name.ends_with(".whole") ? most_asked : 0);
    for (std::size_t i = 0; i < analysis.outcomes.size(); ++i)
      if (&analysis.outcomes[i].environment() == &environment && !analysis.driven[i].empty())
        terminal.table(driven_table(*analysis.outcomes[i].excitation, analysis.driven[i], analysis.plan.assembly,
                                    analysis.basis, analysis.contents, show),
                       most_driven);
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
    for (const Outcome* outcome : axes) error = std::max(error, outcome->random()->integration_error);
    terminal.paragraph(
        fmt::format("Input {} RMS. RMS by modal covariance, whatever the curve's points; the integration is off "
                    "by {:.0e} of a variance at most. A magnitude is not Gaussian: what it stays below 99.73 % of the "
                    "time is not its 3σ.",
                    inputs_rms_in_words(axes, show), error));
  }
}

// Of each part the worst axis of each environment.
void print_stress(const Analysis& analysis, Terminal& terminal) {
  Table table = worst_axes(stress_of(analysis));
  if (table.rows.empty()) return;
  terminal.table(table);
  if (!analysis.stations) {
    terminal.paragraph(
        "Of each environment the worst axis. Random: RMS. Both ends of every beam: tables/*.beam-stress.csv.");
    return;
  }
  terminal.paragraph(fmt::format(
      "Of each environment the worst axis. Random: RMS. Jump: what the elements that meet there differ from their mean "
      "by (–: one alone, or a beam); the stress is not known much better. Every node: tables/*stress*.csv{}.",
      analysis.stress.shortfall > 0
          ? fmt::format(", where sine values beyond the worst hundred may be up to {:.2g} % low between grid points",
                        100 * analysis.stress.shortfall)
          : ""));
}

// What the limits say, and how many of them nothing that was run can answer.
std::string verdict_of(const Analysis& analysis) {
  const std::vector<LimitResult>& limits = analysis.limits;
  if (limits.empty()) return "no limit applies";
  const auto exceeded = std::count_if(limits.begin(), limits.end(), [](const LimitResult& r) { return !r.met; });
  const std::size_t open = analysis.plan.limits.size() - limits.size();
  std::string text =
      exceeded > 0 ? fmt::format("{} of {} limit{} exceeded; the worst is {}", exceeded, limits.size(),
                                 limits.size() == 1 ? "" : "s", limits[0].limit->name)
                   : fmt::format("{} met; the smallest margin is {} %, {}",
                                 limits.size() == 1 ? "the limit is" : fmt::format("all {} limits are", limits.size()),
                                 format_number(100 * limits[0].deciding(), 3), limits[0].limit->name);
  const auto at_upper =
      std::count_if(limits.begin(), limits.end(), [](const LimitResult& r) { return r.met && r.upper_margin < 0; });
  if (at_upper > 0)
    text += fmt::format("; {} met at the nominal level would be exceeded at the upper tolerance", at_upper);
  for (const VariantAnswers& each : analysis.variants)
    if (each.exceeded > 0) {
      const auto worst = std::min_element(each.margins.begin(), each.margins.end(), [](double a, double b) {
        return a < b || (!std::isnan(a) && std::isnan(b));
      });
      text += fmt::format("; with {} springs {} exceeded, the worst is {}", each.name, each.exceeded,
                          limits[static_cast<std::size_t>(worst - each.margins.begin())].limit->name);
    }
  if (open > 0) text += fmt::format("; {} more need environments that were not run", open);
  return text;
}

// Figures, fields and report, and what else is to be written meanwhile. Why there are no figures, if they could not be
// drawn: the rest is worth keeping.
std::string write_for_readers(const Analysis& analysis, const Shown& shown, const Request& request,
                              const std::string& verdict, const RunFolder& folder, const Jobs& others,
                              Terminal& terminal) {
  std::vector<Drawing> drawings;
  std::string failure;
  Jobs to_draw;
  try {
    drawings = drawings_of(analysis, {shown.mass || shown.modes, shown.modes, shown.peaks || shown.overview,
                                      shown.overview, request.real_and_imaginary});
    to_draw = drawing_jobs(drawings, folder);
  } catch (const FileError& error) {
    failure = error.what();
  }
  std::vector<std::string> failures(to_draw.size());
  Jobs jobs = field_jobs(analysis, folder);
  jobs.insert(jobs.begin() + 1, others.begin(), others.end());
  for (std::size_t i = 0; i < to_draw.size(); ++i)
    jobs.emplace_back([&, i] {
      try {
        to_draw[i]();
      } catch (const FileError& error) {
        failures[i] = error.what();
      }
    });
  terminal.progress(fmt::format("drawing {} figures, writing fields", drawings.size()), -1);
  run_jobs(jobs.size(), request.threads, [&](std::size_t i) { jobs[i](); });
  for (const std::string& each : failures)
    if (failure.empty()) failure = each;
  if (!failure.empty()) {
    std::error_code ignored;
    std::filesystem::remove_all(folder.path("figures/x").parent_path(), ignored);
  }
  if (!shown.overview) return failure;
  terminal.progress("writing the report", -1);
  ReportContext context{verdict, shown.command, now_in_words(), {}, failure};
  for (const Override& each : request.overrides) context.overrides.push_back(each.path + "=" + each.value);
  const Report report = report_of_run(analysis, drawings, folder, context);
  folder.write("report.html", to_html(report));
  folder.write("report.md", to_markdown(report));
  return failure;
}

// What later questions need.
KeptPlan kept_plan(const Analysis& analysis, const Request& request) {
  KeptPlan kept{analysis.plan.file, {}, analysis.sources};
  for (const Override& each : request.overrides) kept.overrides.push_back(each.path + "=" + each.value);
  return kept;
}

// results.h5: the file that the modes were read from, or a new one; products.h5.
void keep_modes(const Analysis& analysis, const KeptPlan& plan, const RunFolder& folder) {
  const std::filesystem::path own = folder.path("results.h5");
  if (analysis.modes_from.empty() || analysis.more_than_file)
    write_modes(own, analysis.plan.assembly, analysis.system, analysis.basis, analysis.model, analysis.plan.modes);
  else
    avrenk::copy_file(analysis.modes_from, own);
  Eigen::Index loads = 0;
  for (const Load& load : analysis.plan.assembly.loads)
    if (!load.is_pattern) loads += std::ssize(load.columns);  // patterns come last, and are made anew
  write_products(folder.path("products.h5"), own, plan.digest(), analysis.basis, analysis.damping.products, loads);
}

// What lies in a folder of results, for whoever opens it without having made it.
std::string readme_of(const Analysis& analysis, const std::string& command, const std::string& verdict,
                      const RunFolder& folder) {
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
                  analysis.plan.title.empty() ? "Results" : analysis.plan.title, command,
                  std::filesystem::path(analysis.plan.file).filename().string(), avrenk_version, verdict);
  for (const auto& [name, words] : contents)
    if (std::filesystem::exists(folder.path(name))) text += fmt::format("| {} | {} |\n", name, words);
  return text +
         "\nFurther questions: `avrenk ask` and this folder. Each column of a table is described in the handbook, "
         "docs/results.md.\n";
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

void write_notched_levels(const Analysis& analysis, const RunFolder& folder) {
  for (const NotchedInput& each : analysis.notched)
    folder.write(fmt::format("levels/{}.csv", each.applied->name()),
                 to_csv(level_points(each.applied->name(), each.table, each.specified->is_random(),
                                     *each.specified->kind, analysis.plan.show)));
}

std::string now_in_words() { return fmt::format("{:%Y-%m-%d %H:%M}", fmt::localtime(std::time(nullptr))); }

ExitStatus finish(const Analysis& analysis, const Shown& shown, const Request& request, RunFolder& folder,
                  Terminal& terminal) {
  StopWatch watch;
  const Show& show = analysis.plan.show;
  for (const std::string& note : analysis.plan.notes) terminal.note(note);
  if (!analysis.modes_note.empty()) terminal.note(analysis.modes_note);
  for (const std::string& warning : analysis.warnings) terminal.warn(warning);
  if (!analysis.plan.title.empty()) terminal.print(analysis.plan.title + "\n");
  if (shown.mass) terminal.table(mass_table(analysis.plan.assembly, show));
  if (shown.modes || shown.overview) print_rest(analysis, terminal);
  if (shown.modes) print_modes(analysis, shown.overview ? overview_modes : 0, terminal);
  if (shown.modes || shown.peaks || shown.overview)
    for (const Table& table : spring_tables_of(analysis, true))
      terminal.table(table, shown.overview ? overview_modes : 0);
  if (shown.peaks || shown.overview) print_responses(analysis, shown.overview, terminal);
  if (shown.peaks || shown.overview) print_audit(analysis, terminal);
  if (const Table clearances = clearance_table(analysis.outcomes, analysis.watched, analysis.plan.limits, show);
      !clearances.rows.empty())
    terminal.table(clearances);
  print_stress(analysis, terminal);
  if (!analysis.limits.empty()) terminal.table(limit_table(analysis.limits, show));
  if (const auto variants = margins_of_variants(analysis); !variants.empty())
    terminal.table(variant_table(analysis.limits, variants));
  if (const Table table = compliance_table(analysis.plan.limits, analysis.limits); !table.rows.empty())
    terminal.table(table);
  for (const Table& table : notch_tables_of(analysis)) terminal.table(table);
  if (std::any_of(analysis.limits.begin(), analysis.limits.end(),
                  [](const LimitResult& result) { return !std::isnan(result.upper_margin); }))
    terminal.paragraph("Upper: the margin with the input at the upper edge of its tolerance.");
  if (std::any_of(analysis.limits.begin(), analysis.limits.end(),
                  [](const LimitResult& result) { return !result.limit->lives.empty(); }))
    terminal.paragraph("The margin of a life is what amplitudes may grow by.");

  if (!analysis.lives.empty()) {
    for (const Table& table : life_tables(analysis.lives, show)) terminal.table(table);
    terminal.paragraph(counting_in_words(analysis.lives));
  }
  if (!analysis.equipment.empty()) terminal.table(equipment_table(analysis.equipment, show));
  for (const CrossSpectrum& each : analysis.cross_spectra)
    terminal.paragraph(fmt::format(
        "{}: {} and {} go together by {:+.3f} at one instant; over frequency: tables/cross.{}.csv.",
        each.excitation->name(), each.request->of[0], each.request->of[1], each.correlation, each.request->name));
  for (const History& each : analysis.histories) {
    terminal.table(history_table(each, show));
    terminal.paragraph(history_in_words(each));
  }

  const std::string verdict = verdict_of(analysis);
  if (!analysis.limits.empty()) {
    terminal.print("\n");
    terminal.paragraph(terminal.coloured("Verdict: " + verdict, analysis.all_met() ? green : red));
  }

  Summary summary{avrenk_version,      shown.command,     analysis.plan.file, analysis.plan.title, verdict,
                  analysis.plan.notes, analysis.warnings, facts_of(analysis), tables_of(analysis)};
  const std::vector<TestSheet> sheets = test_sheets_of(analysis, now_in_words());
  for (const TestSheet& sheet : sheets)
    for (const ReportSection& section : sheet.page.sections)
      for (const Table& table : section.tables)
        if (table.name.ends_with("." + sheet.name)) summary.tables.push_back(table);
  for (const Table& table : summary.tables) folder.write("tables/" + table.name + ".csv", to_csv(table));
  run_jobs(analysis.outcomes.size(), request.threads, [&](std::size_t i) {
    if (analysis.outcomes[i].grid().empty() || analysis.watched.empty()) return;
    const Table curves = curve_table(analysis.outcomes[i], analysis.watched, show);
    folder.write("tables/" + curves.name + ".csv", to_csv(curves));
  });
  for (const TestSheet& sheet : sheets) folder.write(fmt::format("sheets/{}.html", sheet.name), to_html(sheet.page));
  write_notched_levels(analysis, folder);
  for (const EquipmentLevel& each : analysis.equipment)
    folder.write(fmt::format("levels/{}.csv", each.request->name),
                 to_csv(level_points(each.request->name, each.envelope.table, each.random, *each.kind, show)));
  for (const CrossSpectrum& each : analysis.cross_spectra) {
    const Table curves = cross_table(each, show);
    folder.write("tables/" + curves.name + ".csv", to_csv(curves));
  }
  for (const History& each : analysis.histories) {
    const std::string name = "histories/" + each.request->name;
    if (each.request->hdf5)
      write_history_hdf5(folder.path(name + ".h5"), each, show);
    else
      folder.write(name + ".csv", history_csv(each, show));
  }
  folder.write("summary.json", to_json(summary));
  const KeptPlan plan = kept_plan(analysis, request);
  plan.write([&](const std::string& name, const std::string& content) { folder.write(name, content); });
  std::vector<StageTime> times = analysis.times;
  times.push_back({"tables", watch.seconds()});
  watch = StopWatch();
  std::string failure;
  if (request.figures)
    failure = write_for_readers(analysis, shown, request, verdict, folder,
                                {[&] { keep_modes(analysis, plan, folder); }}, terminal);
  else
    keep_modes(analysis, plan, folder);
  times.push_back({request.figures ? "figures, fields, report" : "keeping the modes", watch.seconds()});
  for (const StageTime& time : times) {
    const std::string line = fmt::format("{:<22} {:8.3f} s", time.stage, time.seconds);
    request.verbose ? terminal.note(line) : terminal.log(line);
  }
  terminal.end_progress();
  terminal.log("verdict: " + verdict);
  terminal.stop_log();
  folder.write("README.md", readme_of(analysis, shown.command, verdict, folder));
  folder.commit();
  terminal.print(fmt::format("Results: {}\n", folder.target().string()));
  if (!sheets.empty()) terminal.print(fmt::format("Sheets:  {}\n", (folder.target() / "sheets").string()));
  if (shown.overview && request.figures)
    terminal.print(fmt::format("Report:  {}\n", (folder.target() / "report.html").string()));
  if (!failure.empty()) throw FileError("the results hold no figures: " + failure);
  return analysis.all_met() ? ExitStatus::done : ExitStatus::limit_exceeded;
}

}  // namespace avrenk
