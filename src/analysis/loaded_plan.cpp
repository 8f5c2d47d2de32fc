#include "analysis/loaded_plan.h"

#include <fmt/format.h>

#include <map>
#include <set>

#include "core/blas_threads.h"
#include "core/check/plausible.h"
#include "core/clock.h"
#include "core/element/kinds.h"
#include "core/modes/completeness.h"
#include "files/table.h"

namespace avrenk {
namespace {

// Parts whose mesh is too coarse for the band that is excited, or of elements that are too stiff.
std::vector<Finding> mesh_findings(const Plan& plan, const std::vector<MeshReach>& reach_of_parts) {
  std::vector<Finding> findings;
  const double highest = highest_excited(plan.environments);
  const DisplayUnit length = plan.show.unit(kind::length);
  const Assembly& assembly = plan.assembly;
  const auto subject = [&](int part) { return "part " + assembly.parts[static_cast<std::size_t>(part)].name; };
  std::set<int> stiff;
  for (const ElementGroup& group : assembly.groups)
    if (!group.kind->is_shell() && group.kind->shape == SolidShape::tetrahedron4) stiff.insert(group.part);
  findings.reserve(stiff.size());
  for (const int part : stiff)
    findings.push_back({Finding::Grade::warning, subject(part),
                        "tetrahedra of 4 nodes are too stiff, in bending by far, and their stress is rough",
                        "mesh it with tetrahedra of 10 nodes"});
  std::map<int, double> bounds;
  for (const Component& component : assembly.components)
    if (component.bound > 0) bounds[component.part] = component.bound;
  for (const auto& [part, bound] : bounds)
    if (bound < reach_asked * highest * (1 - 1e-9))
      findings.push_back({Finding::Grade::warning, subject(part),
                          fmt::format("its own modes are kept to {:.5g} Hz, less than {:g} times the {:.4g} Hz that "
                                      "are excited",
                                      bound, reach_asked, highest),
                          "ask its owner for more of them"});
  for (const MeshReach& reach : reach_of_parts) {
    if (!(reach.frequency < highest)) continue;
    findings.push_back(
        {Finding::Grade::warning, subject(reach.part),
         fmt::format("its elements of {} are good for bending waves up to {:.4g} Hz only, and {:.4g} Hz are excited",
                     value_text(reach.element, length, 3), reach.frequency, highest),
         fmt::format("elements of {} would do", value_text(element_for(reach, highest), length, 2))});
  }
  return findings;
}

}  // namespace

LoadedPlan load(const std::string& file, const AnalysisRequest& request) {
  const StopWatch start;
  if (request.threads > 0) set_blas_threads(request.threads);
  LoadedPlan loaded;
  loaded.threads = request.threads;
  loaded.plan = read_plan(file, request.overrides, loaded.sources);
  loaded.reach = mesh_reach(loaded.plan.assembly);
  for (const auto& doubts : {implausible_materials(loaded.plan.assembly), weight_differences(loaded.plan.assembly),
                             mesh_findings(loaded.plan, loaded.reach)})
    loaded.findings.insert(loaded.findings.end(), doubts.begin(), doubts.end());
  for (const Finding& finding : loaded.findings) loaded.report.warnings.push_back(finding.sentence());
  loaded.report.times.push_back({"reading the plan", start.seconds()});
  return loaded;
}

}  // namespace avrenk
