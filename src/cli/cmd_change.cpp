// What changes of a plan do to its margins: from the modes that are known, ranked, the best of them run.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "analysis/sensitivities.h"
#include "cli/commands.h"
#include "cli/print_run.h"
#include "results/run_files.h"
#include "version.h"

namespace avrenk {
namespace {

constexpr double shown_change = 1.1;  // by which a number grows in tables
constexpr double farthest = 2;        // beyond half or twice a number a straight line says nothing

std::string with_unit(const PlanNumber& number, double factor = 1) {
  return fmt::format("{} {}", format_number(factor * number.value, 4), number.unit);
}

// The factor on a number at which a margin would be zero; NaN where it is far away.
double factor_to_meet(double margin, double slope) {
  const double factor = std::exp(-margin / slope);
  return factor > 1 / farthest && factor < farthest ? factor : std::nan("");
}

// Of one limit what 10 % more of each number does, that which does most first.
Table change_table(const ChangeStudy& study, std::size_t limit) {
  const LimitResult& limit_result = study.base.limits()[limit];
  Table table{"changes",
              fmt::format("{}: margin {:+.1f} %; what 10 % more of a number adds to it, and where it is zero",
                          limit_result.limit->name, 100 * limit_result.deciding()),
              {{"limit", ""},
               {"number", ""},
               {"is", ""},
               {"10 % more", "%", 3, true, 2},
               {"zero at", ""},
               {"not compared", "", 4, false}},
              {}};
  std::vector<std::size_t> order(study.changes.size());
  std::iota(order.begin(), order.end(), 0);
  const auto effect = [&](std::size_t k) {
    const double slope = study.changes[k].slopes[limit];
    return std::isnan(slope) ? -1 : std::abs(slope);
  };
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return effect(a) > effect(b); });
  for (const std::size_t k : order) {
    const Change& change = study.changes[k];
    const double factor = factor_to_meet(limit_result.deciding(), change.slopes[limit]);
    table.rows.push_back({limit_result.limit->name, change.number.path, with_unit(change.number),
                          100 * change.slopes[limit] * std::log(shown_change),
                          std::isnan(factor) ? std::string("–") : with_unit(change.number, factor), change.why_not});
  }
  return table;
}

Table confirmed_table(const ChangeStudy& study) {
  Table table{"confirmed",
              "The least changes of one number that should do, each run with modes of its own until one does",
              {{"limit", ""},
               {"number", ""},
               {"is", ""},
               {"would be", ""},
               {"margin now", "%", 3, true, 1},
               {"margin then", "%", 3, true, 1},
               {"exceeded", "", 3, true, 0}},
              {}};
  for (const ConfirmedChange& confirmed_change : study.confirmed) {
    const PlanNumber& number = study.changes[confirmed_change.change].number;
    table.rows.push_back({study.base.limits()[confirmed_change.limit].limit->name, number.path, with_unit(number),
                          with_unit(number, confirmed_change.factor),
                          100 * study.base.limits()[confirmed_change.limit].deciding(), 100 * confirmed_change.margin,
                          static_cast<double>(confirmed_change.exceeded)});
  }
  return table;
}

std::string scatter_in_words(const ScatteredMargin& each) {
  std::string text = each.frequencies == 0 ? "" : fmt::format("frequencies {:+g} %", 100 * each.frequencies);
  if (each.damping) text += fmt::format("{}damping {:g} %", text.empty() ? "" : ", ", 100 * *each.damping);
  return text.empty() ? "as it is" : text;
}

Table scatter_table(const ChangeStudy& study) {
  Table table{"scatter",
              fmt::format("Margins where frequencies and damping may be others{}: the lowest first",
                          study.base.responses.notched.empty() ? "" : ", inputs as notched for the model as it is"),
              {{"limit", ""},
               {"as it is", "%", 3, true, 1},
               {"lowest", "%", 3, true, 1},
               {"highest", "%", 3, true, 1},
               {"lowest with", ""}},
              {}};
  for (std::size_t i = 0; i < study.base.limits().size(); ++i) {
    const auto by_margin = [&](const ScatteredMargin& a, const ScatteredMargin& b) {
      return a.margins[i] < b.margins[i];
    };
    const auto [low, high] = std::minmax_element(study.scattered.begin(), study.scattered.end(), by_margin);
    table.rows.push_back({study.base.limits()[i].limit->name, 100 * study.base.limits()[i].deciding(),
                          100 * low->margins[i], 100 * high->margins[i], scatter_in_words(*low)});
  }
  std::stable_sort(table.rows.begin(), table.rows.end(),
                   [](const auto& a, const auto& b) { return std::get<double>(a[2]) < std::get<double>(b[2]); });
  return table;
}

std::string method_in_words() {
  return "Each number was made half a per cent larger and smaller, with modes in the span of those known and of what "
         "the "
         "change bends besides; per cent are those of the margin. A change of more than a few per cent is no straight "
         "line: what is to be relied on is run.";
}

}  // namespace

ExitStatus change(const Request& request, Terminal& terminal) {
  constexpr std::size_t most_words = 1000, shown_limits = 3, shown_numbers = 8;
  const std::string file = plan_word(request, "change", most_words);
  const std::vector<PlanNumber> numbers = changeable_numbers(
      file, request.overrides, std::vector<std::string>(request.words.begin() + 1, request.words.end()));
  const LoadedPlan loaded = load(file, request);
  const Plan& plan = loaded.plan;
  RunFolder folder(result_folder(request, file, "change"));
  terminal.log_to(folder.path("run.log").string());
  const ChangeStudy study = with_places(plan, [&] {
    return study_changes(loaded, request, numbers, kept_results(request, file, "change"), terminal.reporter());
  });
  terminal.end_progress();
  const StageReport report = study.base.report();
  for (const std::string& note : report.notes) terminal.note(note);
  if (const std::string& note = study.base.model().modal->modes_note; !note.empty()) terminal.note(note);
  for (const std::string& warning : report.warnings) terminal.warn(warning);
  for (const Change& each : study.changes)
    if (!each.why_not.empty()) terminal.warn(fmt::format("{}: not compared: {}", each.number.path, each.why_not));
  if (!plan.title.empty()) terminal.print(plan.title + "\n");

  for (std::size_t i = 0; i < std::min(shown_limits, study.base.limits().size()); ++i) {
    Table shown = without_column(change_table(study, i), "limit");
    std::erase_if(shown.rows, [](const std::vector<Cell>& row) {
      constexpr double nothing = 0.005;  // of a per cent: it prints as zero
      return !(std::abs(std::get<double>(row[2])) >= nothing);
    });
    if (shown.rows.size() > shown_numbers) {
      shown.title += fmt::format(" ({} of {})", shown_numbers, shown.rows.size());
      shown.rows.resize(shown_numbers);
    }
    terminal.table(shown);
  }
  if (study.base.limits().size() > shown_limits)
    terminal.paragraph(fmt::format("{} more limits: tables/changes.csv.", study.base.limits().size() - shown_limits));
  std::vector<Table> tables{change_table(study, 0)};
  for (std::size_t i = 1; i < study.base.limits().size(); ++i) {
    Table more = change_table(study, i);
    tables[0].rows.insert(tables[0].rows.end(), more.rows.begin(), more.rows.end());
  }
  if (!study.confirmed.empty()) tables.push_back(confirmed_table(study));
  if (!study.scattered.empty()) tables.push_back(scatter_table(study));
  for (const Table& each : tables)
    if (each.name == "confirmed" || each.name == "scatter") terminal.table(each);
  terminal.paragraph(method_in_words());

  write_summary({avrenk_version, "change", file, plan.title, "", report.notes, report.warnings, {}, tables}, folder);
  commit_results(folder, terminal);
  return ExitStatus::done;
}

}  // namespace avrenk
