// check: is the model right? Findings by grade, each with its remedy; no modes.
#include <fmt/format.h>

#include <algorithm>

#include "cli/commands.h"
#include "cli/print_run.h"
#include "core/check/contact.h"
#include "core/system/mechanism.h"
#include "figures/model_pictures.h"
#include "figures/report.h"
#include "files/check_tables.h"
#include "files/load_tables.h"
#include "files/model_tables.h"
#include "results/report_of_run.h"
#include "results/run_files.h"
#include "version.h"

namespace avrenk {
namespace {

// All that a check finds out.
struct Check {
  std::vector<Finding> findings;
  std::vector<PartQuality> quality;
  std::vector<GravityCase> gravity;  // empty where something moves freely
  std::vector<HighestStress> stress;
  StrainEnergy energy;
  std::vector<std::string> facts;  // sentences about base and equations
};

void look_at_places(const Plan& plan, std::vector<Finding>& findings) {
  const Assembly& assembly = plan.assembly;
  const std::vector<bool> used = assembly.used_nodes();
  const std::vector<std::vector<int>> parts = parts_of_nodes(assembly);
  const auto on_line = [&](int node) {
    const std::vector<int>& own = parts[static_cast<std::size_t>(node)];
    return std::any_of(own.begin(), own.end(), [&](int part) {
      return assembly.parts[static_cast<std::size_t>(part)].form == Part::Form::line;
    });
  };
  const auto spring_acts_at = [&](const Vector3& at) {
    return std::any_of(assembly.springs.begin(), assembly.springs.end(), [&](const Spring& spring) {
      return spring.point == at || std::any_of(spring.nodes.begin(), spring.nodes.end(),
                                               [&](int end) { return end >= 0 && assembly.position(end) == at; });
    });
  };
  for (const auto& [name, nodes] : assembly.places) {
    if (nodes.size() == 1 && plan.regions.contains(name) && !on_line(nodes.front()))
      findings.push_back({Finding::Grade::note, "place " + name,
                          "only one node lies there: " + assembly.describe_node(nodes.front()),
                          "if that is meant, nearest says it more clearly", assembly.position(nodes.front())});
    for (const int node : nodes) {
      if (used[static_cast<std::size_t>(node)] || spring_acts_at(assembly.position(node))) continue;
      findings.push_back({Finding::Grade::note, "place " + name,
                          "nothing is joined to its point " + assembly.describe_node(node),
                          "join it, or leave it out: it does not move with anything", assembly.position(node)});
      break;
    }
  }
}

void add(std::vector<Finding>& all, std::vector<Finding> more) {
  all.insert(all.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end()));
}

void add_errors(const InputError& error, std::vector<Finding>& findings) {
  for (const Problem& each : error.problems)
    findings.push_back({Finding::Grade::error, each.subject, each.wrong, each.instead});
}

// Equations, statics under 1 g; what moves freely is an error, or a note where the plan means it.
void look_at_statics(Analysis& analysis, Check& check, Terminal& terminal) {
  const Assembly& assembly = analysis.plan.assembly;
  const bool meant = analysis.plan.modes.free_motions;
  try {
    terminal.progress("assembling", -1);
    analysis.system = make_system(assembly, analysis.threads);
    check.facts.push_back(fmt::format("{} equations.", analysis.system.free));
    if (meant) {
      ModeRequest lowest{std::nullopt, 1, false, false, true};
      const ModalBasis basis = solve_modes(assembly, analysis.system, lowest);
      const std::vector<Problem> motions =
          describe_motions(assembly, analysis.system, basis.shapes.leftCols(basis.free_motions()));
      for (const Problem& each : motions)
        check.findings.push_back({Finding::Grade::note, each.subject, each.wrong, "the plan says modes: {free: yes}"});
      if (motions.empty())
        check.findings.push_back({Finding::Grade::warning, "modes",
                                  "nothing moves freely, though the plan says free: yes",
                                  "leave it out, so that responses can be computed"});
      else
        return;
    }
    terminal.progress(fmt::format("factorising {} equations", analysis.system.free), -1);
    const StaticSolution statics = solve_statics(analysis.system, factorise_stiffness(assembly, analysis.system));
    check.facts.push_back(
        statics.grounded
            ? fmt::format(
                  "A motion of all bases as one body STRAINS the model (difference {:.2g}): a spring leads to the "
                  "ground, or there is a second support.",
                  statics.rigid_difference)
            : fmt::format(
                  "A motion of all bases as one body strains nothing (difference {:.1e}): no spring leads to the "
                  "ground.",
                  statics.rigid_difference));
    if (!assembly.bases.empty()) check.gravity = under_gravity(assembly, analysis.system, statics);
    if (assembly.bases.empty()) return;
  } catch (const InputError& error) {
    add_errors(error, check.findings);
    return;
  }
  terminal.progress("stress under 1 g", -1);
  Eigen::MatrixXd motions(check.gravity.front().motions.size(), 3);
  for (int axis = 0; axis < 3; ++axis) motions.col(axis) = check.gravity[static_cast<std::size_t>(axis)].motions;
  check.energy = strain_energy(assembly, motions);
  check.stress = highest_stress(assembly, motions);
  add(check.findings, gravity_findings(assembly, check.gravity, check.stress));
}

// The state that modes are taken about, and bolts that are tightened: notes say how far that is from buckling, and what
// opens. It changes the model, and so comes last.
void look_at_states(Analysis& analysis, Check& check, Terminal& terminal) {
  if (check.gravity.empty() || !has_static_state(analysis.plan)) return;
  try {
    assemble(analysis, [&](const Step& step) { terminal.progress(step); });
  } catch (const InputError& error) {
    add_errors(error, check.findings);
  }
}

Check look(Analysis& analysis, Terminal& terminal) {
  const Assembly& assembly = analysis.plan.assembly;
  Check check;
  check.findings = analysis.findings;
  look_at_places(analysis.plan, check.findings);
  check.quality = part_quality(assembly);
  add(check.findings, poor_elements(assembly, check.quality));
  terminal.progress("looking at what touches", -1);
  analysis.surface = surface_of(assembly);
  add(check.findings, unjoined_nodes(assembly));
  add(check.findings, open_gaps(assembly, analysis.surface));
  add(check.findings, half_joined(assembly, analysis.surface));
  for (const Base& base : assembly.bases) {
    check.facts.push_back(fmt::format("Base {}: {} nodes held, its point at {}.", base.name, base.feet.size(),
                                      assembly.describe_position(base.point, 5)));
  }
  look_at_statics(analysis, check, terminal);
  look_at_states(analysis, check, terminal);
  sort_by_grade(check.findings);
  return check;
}

std::string verdict_of(const std::vector<Finding>& findings) {
  std::array<std::ptrdiff_t, 3> count{};
  for (const Finding& each : findings) ++count[static_cast<std::size_t>(each.grade)];
  std::string text;
  for (std::size_t g = 0; g < 3; ++g)
    if (count[g] > 0)
      text += fmt::format("{}{} {}{}", text.empty() ? "" : ", ", count[g], grade_names[g], count[g] == 1 ? "" : "s");
  return text.empty() ? "nothing found" : text;
}

std::vector<Table> tables_of(const Analysis& analysis, const Check& check) {
  const Assembly& assembly = analysis.plan.assembly;
  const Show& show = analysis.plan.show;
  std::vector<Table> tables{finding_table(check.findings, analysis.plan.subjects, show)};
  if (!assembly.parts.empty()) tables.push_back(part_table(assembly, analysis.reach, show));
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

// Where the findings are, on the picture of the model: numbers as in the table.
std::vector<Picture::Mark> marks_of(const std::vector<Finding>& findings) {
  std::vector<Picture::Mark> marks;
  constexpr std::size_t most = 12;
  for (const Finding& each : findings)
    if (each.at && each.grade != Finding::Grade::note && marks.size() < most)
      marks.push_back({*each.at, fmt::format("{}, {}", name_of(each.grade), each.subject)});
  return marks;
}

void write_report(const Analysis& analysis, const Check& check, const std::vector<Table>& tables,
                  const RunFolder& folder, Terminal& terminal) {
  const Plan& plan = analysis.plan;
  Report report;
  report.title = (plan.title.empty() ? std::filesystem::path(plan.file).stem().string() : plan.title) + ": check";
  report.verdict = verdict_of(check.findings);
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
    ReportSection own{id, title};
    for (const char* name : names)
      for (const Table& table : tables)
        if (table.name == name) own.tables.push_back(table);
    if (!own.tables.empty()) report.sections.push_back(std::move(own));
  };
  terminal.progress("drawing the model", -1);
  section("findings", "Findings", {"findings"});
  report.sections.push_back({"model", "Model"});
  report.sections.back().paragraphs = plan.notes;
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

}  // namespace

ExitStatus check(const Request& request, Terminal& terminal) {
  const std::string plan = plan_word(request, "check", 1);
  RunFolder folder(result_folder(request, plan, "check"));
  Analysis analysis;
  load(analysis, plan, request);
  const Check check = look(analysis, terminal);
  const std::vector<Table> tables = tables_of(analysis, check);
  for (const Table& table : tables) folder.write("tables/" + table.name + ".csv", to_csv(table));
  const std::string verdict = verdict_of(check.findings);
  folder.write("summary.json", to_json({avrenk_version,
                                        "check",
                                        plan,
                                        analysis.plan.title,
                                        verdict,
                                        analysis.plan.notes,
                                        analysis.warnings,
                                        {},
                                        tables}));
  if (request.figures) write_report(analysis, check, tables, folder, terminal);
  terminal.end_progress();
  for (const std::string& note : analysis.plan.notes) terminal.note(note);
  for (const Finding& each : check.findings)  // where no table is printed
    if (request.quiet && each.grade != Finding::Grade::note) terminal.warn(each.sentence());
  if (!analysis.plan.title.empty()) terminal.print(analysis.plan.title + "\n");
  for (const Table& table : tables)
    if (table.name != "findings") terminal.table(table);
  terminal.print("\n");
  for (const std::string& fact : check.facts) terminal.paragraph(fact);
  if (!check.findings.empty()) terminal.table(tables.front());
  terminal.print("\n");
  terminal.paragraph(terminal.coloured("Check: " + verdict, has_errors(check.findings) ? red : green));
  folder.commit();
  terminal.print(fmt::format("Results: {}\n", folder.target().string()));
  if (request.figures) terminal.print(fmt::format("Report:  {}\n", (folder.target() / "report.html").string()));
  return has_errors(check.findings) ? ExitStatus::wrong_input : ExitStatus::done;
}

}  // namespace avrenk
