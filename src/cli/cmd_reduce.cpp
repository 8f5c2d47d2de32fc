// reduce: the model of a plan as a component of others.
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "cli/commands.h"
#include "cli/print_run.h"
#include "core/mesh/part_group.h"
#include "core/model/spring_law.h"
#include "core/modes/reduction.h"
#include "core/spelling.h"
#include "core/words.h"
#include "files/component_file.h"
#include "version.h"

namespace avrenk {
namespace {

// Nodes that are allowed to be watched: of the places named, or of all watched places of nodes.
std::vector<WatchedPoint> points_of(const Plan& plan, std::span<const std::string> places) {
  std::vector<std::pair<std::string, std::vector<int>>> lists;
  std::vector<std::string> names;
  for (const auto& [name, nodes] : plan.assembly.places) names.push_back(name);
  for (const std::string& each : places) {
    const auto found = plan.assembly.places.find(each);
    if (found == plan.assembly.places.end())
      throw_input_error("", fmt::format("no place \"{}\"", each), suggest_name(each, names));
    lists.emplace_back(each, found->second);
  }
  if (places.empty())
    for (const OutputRequest& watch : plan.watch)
      if (watch.quantity->subject == Subject::node &&
          std::none_of(lists.begin(), lists.end(), [&](const auto& own) { return own.first == watch.name; }))
        lists.emplace_back(watch.name, watch.items);
  std::vector<WatchedPoint> points;
  for (const auto& [name, nodes] : lists)
    for (std::size_t k = 0; k < nodes.size(); ++k)
      points.push_back({nodes.size() == 1 ? name : fmt::format("{} {}", name, k + 1), nodes[k]});
  return points;
}

// Some parts alone, in place of the whole model.
void take_group(Assembly& assembly, const std::vector<std::string>& names) {
  std::vector<std::string> known;
  for (const Part& part : assembly.parts) known.push_back(part.name);
  std::set<int> parts;
  for (const std::string& each : names) {
    const auto found = std::find(known.begin(), known.end(), each);
    if (found == known.end())
      throw_input_error("", fmt::format("--parts: no part \"{}\"", each), suggest_name(each, known));
    parts.insert(static_cast<int>(found - known.begin()));
  }
  assembly = group_of_parts(assembly, parts);
  constexpr std::size_t most = 500;
  if (const std::size_t nodes = assembly.bases[0].feet.size(); nodes > most)
    throw_input_error(
        "",
        fmt::format("{} nodes join these parts to the rest, more than the {} that a component can have", nodes, most),
        "join them by rigid joints, averages, bolts or springs, or leave the other side out too");
}

Table mode_table_of(const ReductionCheck& check, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"reduction",
              "Modes with nothing held: the full model and the component",
              {{"mode", ""},
               {"full", frequency.text, 6},
               {"component", frequency.text, 6},
               {"difference", "%", 2},
               {"MAC", "", 6}},
              {}};
  for (std::size_t r = 0; r < check.modes.size(); ++r) {
    const auto& [full, reduced, mac] = check.modes[r];
    table.rows.push_back({fmt::format("{}", r + 1), frequency.from_si(full), frequency.from_si(reduced),
                          100 * (reduced / full - 1), mac});
  }
  return table;
}

Table input_table_of(const ReductionCheck& check, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"interface-input",
              "Driven at the interface: error of forces there and motions of points, of the largest of each",
              {{"frequency", frequency.text, 5}, {"error", "%", 2}},
              {}};
  for (const auto& [f, error] : check.inputs) table.rows.push_back({frequency.from_si(f), 100 * error});
  return table;
}

}  // namespace

ExitStatus reduce(const Request& request, Terminal& terminal) {
  const std::string plan_file = plan_word(request, "reduce", 1000);
  LoadedPlan loaded = load(plan_file, request);
  if (!request.parts.empty()) take_group(loaded.plan.assembly, request.parts);
  const auto reduced_plan = std::make_shared<const LoadedPlan>(std::move(loaded));
  const Plan& plan = reduced_plan->plan;
  if (plan.assembly.bases.empty() || plan.modes.free_motions || plan.modes.near)
    throw_input_error("modes", "a component needs a base that holds its interface, and all modes to a frequency",
                      "hold the interface, and write modes: {up to: 3000 Hz}");
  if (!plan.modes_about.empty())
    throw_input_error("modes about", "a component about a preloaded state would not be free to turn",
                      "leave about out");
  std::vector<WatchedPoint> points = points_of(plan, std::span(request.words).subspan(1));
  if (!request.parts.empty()) {  // what lies elsewhere is left out, unless it was asked for
    const std::vector<bool> used = plan.assembly.used_nodes();
    for (const WatchedPoint& watched_point : points)
      if (!used[static_cast<std::size_t>(watched_point.node)] && request.words.size() > 1)
        throw_input_error(
            "", fmt::format("{} does not lie on the parts {}", watched_point.name, fmt::join(request.parts, ", ")),
            "name places of these parts");
    std::erase_if(points, [&](const WatchedPoint& each) { return !used[static_cast<std::size_t>(each.node)]; });
  }
  RunFolder folder(result_folder(request, plan_file, "reduce"));
  terminal.log_to(folder.path("run.log").string());
  terminal.progress(fmt::format("avrenk {} reduce {}", avrenk_version, plan_file), -1);
  struct Reduced {
    DampedModel full;
    ReducedModel model;
    ReductionCheck check;
  };
  const auto [full, model, check] = with_places(plan, [&] {
    const DampedModel whole =
        solve(reduced_plan, kept_results(request, plan_file, "reduce"), no_environment, terminal.reporter());
    ReducedModel reduced = reduce(whole.assembly(), whole.system(), whole.basis(), points);
    if (const std::string why = why_invalid(reduced); !why.empty())
      throw NumericalError("the component would not be sound: " + why);
    ReductionCheck checked =
        check_reduction(whole.assembly(), whole.system(), reduced, points, request.threads, terminal.reporter());
    return Reduced{whole, std::move(reduced), std::move(checked)};
  });
  terminal.end_progress();
  write_component(folder.path("component.h5"), model);
  const std::string comment = fmt::format("avrenk {}, of {}; SI units; rows as in columns.csv", avrenk_version,
                                          std::filesystem::path(plan_file).filename().string());
  for (const auto& [name, matrix] : {std::pair{"stiffness", &model.stiffness},
                                     {"mass", &model.mass},
                                     {"dashpot", &model.dashpot},
                                     {"loss", &model.loss},
                                     {"recovery", &model.recovery}})
    if (matrix->size() > 0) folder.write(fmt::format("{}.mtx", name), to_matrix_market(*matrix, comment));
  folder.write("columns.csv", columns_table(model));
  folder.write("points.csv", points_table(model));
  std::vector<Table> tables{mode_table_of(check, plan.show), input_table_of(check, plan.show)};
  std::erase_if(tables, [](const Table& table) { return table.rows.empty(); });
  for (const Table& table : tables) {
    terminal.table(table);
    folder.write(fmt::format("tables/{}.csv", table.name), to_csv(table));
  }
  const StageReport report = report_of(full);
  std::vector<std::string> notes = report.notes;
  notes.push_back(fmt::format(
      "{} motions of {} of the interface, {}, and {} that may be watched", model.size() - model.coordinates(),
      counted(model.interface.size(), "node"),
      counted(static_cast<std::size_t>(model.coordinates()), "mode") + fmt::format(" below {:.5g} Hz", model.bound),
      counted(points.size(), "point")));
  notes.push_back(model.loss.size() > 0 || model.dashpot.size() > 0
                      ? "its dashpots and loss factors go with it, the general damping of the plan does not"
                      : "no damping goes with it: the general damping of whoever uses it applies");
  if (std::any_of(plan.assembly.springs.begin(), plan.assembly.springs.end(),
                  [](const Spring& spring) { return spring.law != nullptr; }))
    notes.push_back(
        "its springs that depend on frequency or amplitude go with it as they are at rest: leave them out of "
        "the component, and join it by them where it is used");
  if (!check.why_no_modes.empty()) notes.push_back("not compared with nothing held: " + check.why_no_modes);
  for (const std::string& each : report.warnings) terminal.warn(each);
  for (const std::string& each : notes) terminal.note(each);
  folder.commit();
  const std::filesystem::path made = folder.target().lexically_proximate(std::filesystem::current_path());
  terminal.print(fmt::format("Results: {}; use it as parts: {{NAME: {{component: {}}}}}\n", made.string(),
                             (made / "component.h5").string()));
  return ExitStatus::done;
}

}  // namespace avrenk
