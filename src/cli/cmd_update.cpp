// A measured low-level run, and the margins of the full level with it: go or no-go.
#include <fmt/format.h>

#include <cmath>

#include "analysis/comparison.h"
#include "analysis/updates.h"
#include "cli/commands.h"
#include "cli/print_run.h"
#include "core/spelling.h"
#include "files/limit_tables.h"
#include "results/report_of_run.h"
#include "results/run_files.h"
#include "version.h"

namespace avrenk {
namespace {

Table mode_table(const UpdateStudy& study, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"updated-modes",
              "Modes that the curves show: of the model, and measured",
              {{"mode", "", 3, true, 0},
               {"model", frequency.text, 5},
               {"measured", frequency.text, 5},
               {"±", frequency.text, 2},
               {"shift", "%", 3, true, 2},
               {"model ζ", "%", 3},
               {"measured ζ", "%", 3},
               {"± ζ", "%", 2},
               {"misfit", "%", 2},
               {"from", ""}},
              {}};
  for (const MeasuredMode& measured_mode : study.modes)
    table.rows.push_back({static_cast<double>(measured_mode.mode + 1),
                          frequency.from_si(measured_mode.frequency_before), frequency.from_si(measured_mode.frequency),
                          frequency.from_si(measured_mode.frequency_error),
                          100 * (measured_mode.frequency / measured_mode.frequency_before - 1),
                          100 * measured_mode.damping_before, 100 * measured_mode.damping,
                          100 * measured_mode.damping_error, 100 * measured_mode.misfit, measured_mode.from});
  return table;
}

Table margin_table(const UpdateStudy& study) {
  Table table{"updated-margins",
              "Margins at the level of the plan, with the model as it was and as it was measured",
              {{"limit", ""}, {"verdict", ""}, {"model", "%", 3, true, 1}, {"measured", "%", 3, true, 1}, {"of", ""}},
              {}};
  for (const LimitResult& after : study.updated.limits()) {
    double before = std::nan("");
    for (const LimitResult& each : study.before.limits())
      if (each.limit->name == after.limit->name) before = each.deciding();
    table.rows.push_back({after.limit->name, verdict_word(after), 100 * before, 100 * after.deciding(), after.what});
  }
  return table;
}

// The axis of the case that a curve was measured in.
int axis_of(const Plan& plan, const std::string& in, const std::string& file) {
  std::vector<std::string> cases;
  std::vector<int> axes;
  for (const Environment& environment : plan.environments)
    if (!environment.is_static() && environment.load_cases.empty())
      for (const int axis : environment.axes) {
        cases.push_back(fmt::format("{}.{}", environment.name, axis_names[static_cast<std::size_t>(axis)]));
        axes.push_back(axis);
        if (cases.back() == in) return axis;
      }
  if (in.empty() && cases.size() == 1) return axes[0];
  throw InputError(Problem{
      "",
      in.empty() ? fmt::format("{} does not say in which case it was measured", file)
                 : fmt::format("the plan has no case \"{}\" of motion of its base", in),
      in.empty() ? fmt::format("write {}:{}", file, cases.empty() ? "sine.x" : cases[0]) : suggest_name(in, cases),
      std::nullopt});
}

}  // namespace

ExitStatus update(const Request& request, Terminal& terminal) {
  const std::string file = plan_word(request, "update", 2);
  if (request.words.size() < 2)
    throw InputError(Problem{"", "update needs a measured curve",
                             "write avrenk update PLAN.yaml CURVE.csv:sine.x, the case of the plan it was measured in",
                             std::nullopt});
  const auto [curve_file, in] = file_and_case(request.words[1]);
  const CurveFile measured = read_curves(curve_file);
  const LoadedPlan loaded = load(file, request);
  const Plan& plan = loaded.plan;
  const int axis = axis_of(plan, in, curve_file);
  RunFolder folder(result_folder(request, file, "update"));
  terminal.log_to(folder.path("run.log").string());
  const UpdateStudy study = with_places(plan, [&] {
    return update_from_curves(loaded, request, measured, axis, kept_results(request, file, "update"),
                              terminal.reporter());
  });
  terminal.end_progress();
  const JudgedModel& updated = study.updated;
  const bool all_met = updated.assessment.all_met();
  const Show& show = plan.show;
  StageReport report = updated.report();
  report.warnings.insert(report.warnings.end(), study.doubts.begin(), study.doubts.end());
  if (const std::string& note = study.before.model().modal->modes_note; !note.empty()) terminal.note(note);
  for (const std::string& warning : report.warnings) terminal.warn(warning);
  if (!plan.title.empty()) terminal.print(plan.title + "\n");
  std::vector<Table> tables{mode_table(study, show), margin_table(study)};
  for (Table& table : notch_tables_of(updated.responses)) tables.push_back(std::move(table));
  for (const Table& table : tables) terminal.table(table);
  write_notched_levels(updated.responses, folder);
  const bool is_go = all_met && study.doubts.empty();
  const std::string verdict =
      is_go     ? "go: all limits are met with what was measured"
      : all_met ? fmt::format("no-go: all limits are met, but {}", study.doubts.front())
                : fmt::format("no-go: {} is exceeded with what was measured", updated.limits().front().limit->name);
  terminal.paragraph(
      "Shapes are those of the model; frequencies and damping of the modes in the table are measured, all else is the "
      "model's. ±: standard errors.");
  terminal.verdict("Verdict: " + verdict, is_go);
  write_summary({avrenk_version, "update", file, plan.title, verdict, report.notes, report.warnings, {}, tables},
                folder);
  commit_results(folder, terminal);
  return is_go ? ExitStatus::done : ExitStatus::limit_exceeded;
}

}  // namespace avrenk
