#include "analysis/model_check.h"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>

#include "core/check/contact.h"
#include "core/mesh/surface.h"
#include "core/system/mechanism.h"

namespace avrenk {
namespace {

// Points that nothing is joined to, and regions that hold one node by chance.
void check_places(const Plan& plan, std::vector<Finding>& findings) {
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
    findings.push_back({Finding::Grade::error, each.subject, each.wrong, each.remedy});
}

// Says whether a motion of all bases as one body strains the model.
std::string grounding_in_words(const StaticSolution& statics) {
  return statics.grounded
             ? fmt::format(
                   "A motion of all bases as one body STRAINS the model (difference {:.2g}): a spring leads to the "
                   "ground, or there is a second support.",
                   statics.rigid_difference)
             : fmt::format(
                   "A motion of all bases as one body strains nothing (difference {:.1e}): no spring leads to the "
                   "ground.",
                   statics.rigid_difference);
}

// Whether anything moves freely where the plan means it: a note each; a warning where nothing does.
bool moves_freely(const Assembly& assembly, const System& system, std::vector<Finding>& findings) {
  const ModeRequest lowest{std::nullopt, 1, false, false, true};
  const ModalBasis basis = solve_modes(assembly, system, lowest);
  const std::vector<Problem> motions = describe_motions(assembly, system, basis.shapes.leftCols(basis.free_motions()));
  for (const Problem& motion : motions)
    findings.push_back({Finding::Grade::note, motion.subject, motion.wrong, "the plan says modes: {free: yes}"});
  if (motions.empty())
    findings.push_back({Finding::Grade::warning, "modes", "nothing moves freely, though the plan says free: yes",
                        "leave it out, so that responses can be computed"});
  return !motions.empty();
}

// Equations, statics under 1 g; what moves freely is an error, or a note where the plan means it.
void check_statics(const LoadedPlan& loaded, ModelCheck& check, const Progress& progress) {
  const Assembly& assembly = loaded.plan.assembly;
  try {
    report_progress(progress, "assembling");
    const System system = make_system(assembly, loaded.threads);
    check.facts.push_back(fmt::format("{} equations.", system.free));
    if (loaded.plan.modes.free_motions && moves_freely(assembly, system, check.findings)) return;
    report_progress(progress, fmt::format("factorising {} equations", system.free));
    const StaticSolution statics = solve_statics(system, factorise_stiffness(assembly, system));
    check.facts.push_back(grounding_in_words(statics));
    if (assembly.bases.empty()) return;
    check.gravity = under_gravity(assembly, system, statics);
  } catch (const InputError& error) {
    add_errors(error, check.findings);
    return;
  }
  report_progress(progress, "stress under 1 g");
  Eigen::MatrixXd motions(check.gravity.front().motions.size(), 3);
  for (int axis = 0; axis < 3; ++axis) motions.col(axis) = check.gravity[static_cast<std::size_t>(axis)].motions;
  check.energy = strain_energy(assembly, motions);
  check.stress = highest_stress(assembly, motions);
  add(check.findings, gravity_findings(assembly, check.gravity, check.stress));
}

// The state that modes are taken about, and bolts that are tightened: notes say how far that is from buckling, and what
// opens.
void check_states(const std::shared_ptr<const LoadedPlan>& loaded, ModelCheck& check, const Progress& progress) {
  if (check.gravity.empty() || !has_static_state(loaded->plan)) return;
  try {
    check.report.add(bring_to_rest(loaded, progress).report);
  } catch (const InputError& error) {
    add_errors(error, check.findings);
  }
}

}  // namespace

ModelCheck check_model(const std::shared_ptr<const LoadedPlan>& loaded, const Progress& progress) {
  ModelCheck check{loaded};
  const Plan& plan = loaded->plan;
  const Assembly& assembly = plan.assembly;
  check.report.notes = plan.notes;
  check.report.add(loaded->report);
  check.findings = loaded->findings;
  check_places(plan, check.findings);
  check.quality = part_quality(assembly);
  add(check.findings, poor_elements(assembly, check.quality));
  report_progress(progress, "looking at what touches");
  const Surface surface = surface_of(assembly);
  add(check.findings, unjoined_nodes(assembly));
  add(check.findings, open_gaps(assembly, surface));
  add(check.findings, half_joined(assembly, surface));
  for (const Base& base : assembly.bases)
    check.facts.push_back(fmt::format("Base {}: {} nodes held, its point at {}.", base.name, base.feet.size(),
                                      assembly.describe_position(base.point, 5)));
  check_statics(*loaded, check, progress);
  check_states(loaded, check, progress);
  sort_by_grade(check.findings);
  return check;
}

}  // namespace avrenk
