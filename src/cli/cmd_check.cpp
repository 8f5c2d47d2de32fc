// check: is the model right? Mass, supports, joints, 1 g deflections; no modes.
#include <fmt/format.h>

#include <map>

#include "cli/commands.h"
#include "cli/output.h"
#include "files/result_tables.h"

namespace avrenk {
namespace {

Table part_table(const Assembly& assembly, const Show& show) {
  const DisplayUnit length = show.unit(kind::length);
  Table table{
      "parts", "Parts", {{"part", ""}, {"material", ""}, {"elements", ""}, {"nodes", ""}, {"length", length.text}}, {}};
  for (std::size_t p = 0; p < assembly.parts.size(); ++p) {
    double total = 0;
    int elements = 0;
    for (const BeamElement& beam : assembly.beams) {
      if (beam.part != static_cast<int>(p)) continue;
      total += beam.geometry.length();
      ++elements;
    }
    const auto nodes = std::count_if(assembly.nodes.begin(), assembly.nodes.end(),
                                     [&](const Node& node) { return node.origin == assembly.parts[p].name; });
    table.rows.push_back({assembly.parts[p].name,
                          assembly.materials[static_cast<std::size_t>(assembly.parts[p].material)].name,
                          fmt::format("{}", elements), fmt::format("{}", nodes), length.from_si(total)});
  }
  return table;
}

Table joint_table(const Assembly& assembly) {
  Table table{"joints", "Joints", {{"joint", ""}, {"type", ""}, {"between", ""}}, {}};
  for (const RigidLink& link : assembly.links)
    table.rows.push_back({link.joint, std::string("rigid"),
                          fmt::format("{} leads {} node{}", assembly.describe_node(link.lead), link.follow.size(),
                                      link.follow.size() == 1 ? "" : "s")});
  for (const Spring& spring : assembly.springs)
    table.rows.push_back({spring.joint,
                          std::string(spring.loss_factor     ? "spring, loss factor"
                                      : spring.has_dashpot() ? "spring, dashpot"
                                                             : "spring"),
                          fmt::format("{} and {}", assembly.describe_node(spring.nodes[0]),
                                      spring.nodes[1] < 0 ? "the ground" : assembly.describe_node(spring.nodes[1]))});
  return table;
}

}  // namespace

ExitStatus check(const Request& request, Terminal& terminal) {
  Analysis analysis;
  load(analysis, plan_word(request, "check", 1), request);
  const Assembly& assembly = analysis.plan.assembly;
  const Show& show = analysis.plan.show;
  StaticSolution statics;
  with_places(analysis, [&] {
    analysis.system = make_system(assembly);
    statics = solve_statics(analysis.system, factorise_stiffness(assembly, analysis.system));
  });
  if (!analysis.plan.title.empty()) terminal.print(analysis.plan.title + "\n");
  if (!assembly.parts.empty()) terminal.table(part_table(assembly, show));
  terminal.table(mass_table(assembly, show));
  if (!assembly.links.empty() || !assembly.springs.empty()) terminal.table(joint_table(assembly));
  terminal.table(static_table(assembly, analysis.system, statics, show));
  const Vector3& point = assembly.base.point;
  terminal.print("\n");
  terminal.paragraph(fmt::format(
      "Base {}: {} nodes held, its point at ({:.5g}, {:.5g}, {:.5g}) mm. {} equations. {}", assembly.base.name,
      assembly.base.feet.size(), 1e3 * point.x(), 1e3 * point.y(), 1e3 * point.z(), analysis.system.free,
      statics.moves_rigidly ? fmt::format("A motion of the base moves the model as a rigid body (difference {:.1e}): "
                                          "no spring leads to the ground.",
                                          statics.rigid_difference)
                            : fmt::format("A motion of the base STRAINS the model (difference {:.2g}): a spring leads "
                                          "to the ground, or there is a second support.",
                                          statics.rigid_difference)));
  return ExitStatus::done;
}

}  // namespace avrenk
