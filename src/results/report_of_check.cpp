#include "results/report_of_check.h"

#include <fmt/format.h>

#include "figures/model_pictures.h"
#include "figures/report.h"
#include "files/check_tables.h"
#include "files/load_tables.h"
#include "files/model_tables.h"
#include "files/text_file.h"
#include "results/report_of_run.h"
#include "results/run_files.h"
#include "version.h"

namespace avrenk {

std::string verdict_of_check(const std::vector<Finding>& findings) {
  std::array<std::ptrdiff_t, 3> count{};
  for (const Finding& each : findings) ++count[static_cast<std::size_t>(each.grade)];
  std::string text;
  for (std::size_t g = 0; g < 3; ++g)
    if (count[g] > 0)
      text += fmt::format("{}{} {}{}", text.empty() ? "" : ", ", count[g], grade_names[g], count[g] == 1 ? "" : "s");
  return text.empty() ? "nothing found" : text;
}

std::vector<Table> check_tables_of(const ModelCheck& check) {
  const Plan& plan = check.loaded->plan;
  const Assembly& assembly = plan.assembly;
  const Show& show = plan.show;
  std::vector<Table> tables{finding_table(check.findings, plan.subjects, show)};
  if (!assembly.parts.empty()) tables.push_back(part_table(assembly, check.loaded->reach, show));
  tables.push_back(mass_table(assembly, show));
  tables.push_back(weighed_table(assembly, show));
  tables.push_back(place_table(assembly, show));
  tables.push_back(joint_table(assembly, show));
  tables.push_back(load_table(assembly, show));
  tables.push_back(quality_table(assembly, check.quality, show));
  if (!check.gravity.empty()) {
    tables.push_back(static_table(assembly, check.gravity, show));
    tables.push_back(gravity_stress_table(assembly, check.stress, show));
    tables.push_back(energy_table(assembly, check.energy));
  }
  std::erase_if(tables, [](const Table& table) { return table.rows.empty(); });
  return tables;
}

namespace {

// Where the findings are, on the picture of the model: numbers as in the table.
std::vector<Picture::Mark> marks_of(const std::vector<Finding>& findings) {
  std::vector<Picture::Mark> marks;
  constexpr std::size_t most = 12;
  for (const Finding& each : findings)
    if (each.at && each.grade != Finding::Grade::note && marks.size() < most)
      marks.push_back({*each.at, fmt::format("{}, {}", name_of(each.grade), each.subject)});
  return marks;
}

}  // namespace

void write_check_report(const ModelCheck& check, const std::vector<Table>& tables, const RunFolder& folder,
                        const Progress& progress) {
  const Plan& plan = check.loaded->plan;
  Report report;
  report.title = (plan.title.empty() ? std::filesystem::path(plan.file).stem().string() : plan.title) + ": check";
  report.verdict = verdict_of_check(check.findings);
  report.program_version = avrenk_version;
  report.date = now_in_words();
  report.outcome = has_errors(check.findings) ? Report::Judgement::exceeded : Report::Judgement::met;
  report.mark = "Findings:";
  report.summary = check.facts;
  const auto picture = [&](const char* name, const char* caption, const Image& image) {
    const std::string file = fmt::format("figures/{}.png", name), bytes = to_png(image);
    folder.write(file, bytes);
    return ReportFigure{file, caption, caption, bytes, nullptr};
  };
  const auto section = [&](const char* id, const char* title, std::initializer_list<const char*> names) {
    ReportSection report_section{id, title};
    for (const char* name : names)
      for (const Table& table : tables)
        if (table.name == name) report_section.tables.push_back(table);
    if (!report_section.tables.empty()) report.sections.push_back(std::move(report_section));
  };
  report_progress(progress, "drawing the model");
  section("findings", "Findings", {"findings"});
  report.sections.push_back({"model", "Model"});
  report.sections.back().paragraphs = check.report.notes;
  report.sections.back().figures.push_back(
      picture("model", "The model; errors and warnings where they are.",
              model_picture(plan.assembly, plan.title, plan.show, marks_of(check.findings))));
  for (const Table& table : tables)
    if (table.name == "parts" || table.name == "masses" || table.name == "weighed")
      report.sections.back().tables.push_back(table);
  section("places", "Places, joints and loads", {"places", "joints", "loads"});
  section("gravity", "Under 1 g", {"static", "gravity-stress", "gravity-energy"});
  section("elements", "Shape of the elements", {"elements"});
  if (!check.quality.empty())
    report.sections.back().figures.push_back(picture("elements", "Jacobian of every element, smallest over largest.",
                                                     quality_picture(plan.assembly, check.quality)));
  report.sections.push_back({"plan", "The plan as it was read"});
  report.sections.back().folded = true;
  report.sections.back().listing = lines_of_file(plan.file);
  folder.write("report.html", to_html(report));
  folder.write("report.md", to_markdown(report));
}

}  // namespace avrenk
