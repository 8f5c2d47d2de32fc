// check: is the model right? Mass, supports, joints, 1 g deflections; no modes.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "cli/commands.h"
#include "cli/output.h"
#include "core/mesh/select.h"
#include "core/model/plausible.h"
#include "files/result_tables.h"

namespace avrenk {
namespace {

// "240 shells of 4": what a part is made of.
std::string elements_in_words(const Assembly& assembly, int part) {
  std::map<std::string_view, std::size_t> counts;
  for (const ElementGroup& group : assembly.groups)
    if (group.part == part) counts[group.kind->plural] += group.elements();
  std::size_t beams = 0;
  for (const BeamElement& beam : assembly.beams) beams += beam.part == part ? 1 : 0;
  std::string words = beams > 0 ? fmt::format("{} beams", beams) : "";
  for (const auto& [name, count] : counts) words += fmt::format("{}{} {}", words.empty() ? "" : ", ", count, name);
  return words;
}

Table part_table(const Assembly& assembly, const std::vector<MeshReach>& reach, const Show& show) {
  const DisplayUnit length = show.unit(kind::length);
  Table table{"parts",
              "Parts: their elements, the size of the box around them, the frequency up to which the mesh is good",
              {{"part", ""},
               {"material", ""},
               {"elements (of nodes)", ""},
               {"nodes", "", 4, true, 0},
               {"thickness", length.text},
               {"size x", length.text},
               {"size y", length.text},
               {"size z", length.text},
               {"good to", show.unit(kind::frequency).text, 3}},
              {}};
  for (std::size_t p = 0; p < assembly.parts.size(); ++p) {
    const Part& part = assembly.parts[p];
    const std::vector<int> nodes = nodes_of_part(assembly, part.name);
    Eigen::AlignedBox3d box;
    for (const int node : nodes) box.extend(assembly.position(node));
    std::vector<Cell> row{part.name, assembly.material_of(static_cast<int>(p)).name,
                          elements_in_words(assembly, static_cast<int>(p)), static_cast<double>(nodes.size()),
                          part.form == Part::Form::shell ? length.from_si(part.thickness) : std::nan("")};
    for (const double size : box.sizes()) row.emplace_back(size < 1e-9 ? 0.0 : length.from_si(size));
    const auto own =
        std::find_if(reach.begin(), reach.end(), [&](const MeshReach& r) { return r.part == static_cast<int>(p); });
    row.emplace_back(own == reach.end() ? std::nan("") : show.unit(kind::frequency).from_si(own->frequency));
    table.rows.push_back(std::move(row));
  }
  return table;
}

// What one joint of the plan became: how many connections, and how far apart what they connect lies.
struct JointSummary {
  std::string name, type;
  double connections = 0, nearest = HUGE_VAL, farthest = 0;
};

JointSummary& summary_of(std::vector<JointSummary>& all, const std::string& name, const std::string& type) {
  for (JointSummary& joint : all)
    if (joint.name == name) return joint;
  all.push_back({name, type, 0, HUGE_VAL, 0});
  return all.back();
}

Table joint_table(const Assembly& assembly, const Show& show) {
  const DisplayUnit length = show.unit(kind::length);
  std::vector<JointSummary> joints;
  const auto connect = [&](JointSummary& joint, int from, int to) {
    const Vector3& a = assembly.nodes[static_cast<std::size_t>(from)].position;
    const double distance = to < 0 ? 0 : (assembly.nodes[static_cast<std::size_t>(to)].position - a).norm();
    ++joint.connections;
    joint.nearest = std::min(joint.nearest, distance);
    joint.farthest = std::max(joint.farthest, distance);
  };
  for (const RigidLink& link : assembly.links)
    for (const int follower : link.follow) connect(summary_of(joints, link.joint, "rigid"), link.lead, follower);
  for (const Spring& spring : assembly.springs)
    connect(summary_of(joints, spring.joint,
                       spring.loss_factor     ? "spring, loss factor"
                       : spring.has_dashpot() ? "spring, dashpot"
                                              : "spring"),
            spring.nodes[0], spring.nodes[1]);
  Table table{
      "joints",
      "Joints: connections, and the distance between what they connect",
      {{"joint", ""}, {"type", ""}, {"number", "", 4, true, 0}, {"nearest", length.text}, {"farthest", length.text}},
      {}};
  for (const JointSummary& joint : joints)
    table.rows.push_back(
        {joint.name, joint.type, joint.connections, length.from_si(joint.nearest), length.from_si(joint.farthest)});
  return table;
}

Table weighed_table(const Assembly& assembly, const Show& show) {
  const DisplayUnit mass = show.unit(kind::mass);
  Table table{"weighed",
              "Mass in the model and on the scale",
              {{"part", ""}, {"model", mass.text}, {"weighed", mass.text}, {"difference", "%", 3, true, 1}},
              {}};
  for (const auto& [name, properties] : mass_breakdown(assembly))
    if (const auto scale = weighed(assembly, name))
      table.rows.push_back(
          {name, mass.from_si(properties.mass), mass.from_si(*scale), 100 * (properties.mass / *scale - 1)});
  return table;
}

}  // namespace

ExitStatus check(const Request& request, Terminal& terminal) {
  Analysis analysis;
  load(analysis, plan_word(request, "check", 1), request);
  const Assembly& assembly = analysis.plan.assembly;
  const Show& show = analysis.plan.show;
  if (!analysis.plan.title.empty()) terminal.print(analysis.plan.title + "\n");
  if (!assembly.parts.empty()) terminal.table(part_table(assembly, analysis.reach, show));
  terminal.table(mass_table(assembly, show));
  if (const Table scales = weighed_table(assembly, show); !scales.rows.empty()) terminal.table(scales);
  if (!assembly.links.empty() || !assembly.springs.empty()) terminal.table(joint_table(assembly, show));
  for (const std::string& doubt : analysis.warnings) terminal.warn(doubt);
  StaticSolution statics;
  with_places(analysis, [&] {
    analysis.system = make_system(assembly, analysis.threads);
    statics = solve_statics(analysis.system, factorise_stiffness(assembly, analysis.system));
  });
  terminal.table(static_table(assembly, analysis.system, statics, show));
  terminal.print("\n");
  for (const Base& base : assembly.bases)
    terminal.paragraph(fmt::format("Base {}: {} nodes held, its point at ({:.5g}, {:.5g}, {:.5g}) mm.", base.name,
                                   base.feet.size(), 1e3 * base.point.x(), 1e3 * base.point.y(), 1e3 * base.point.z()));
  terminal.paragraph(
      fmt::format("{} equations. {}", analysis.system.free,
                  statics.grounded
                      ? fmt::format("A motion of all bases as one body STRAINS the model (difference {:.2g}): a spring "
                                    "leads to the ground, or there is a second support.",
                                    statics.rigid_difference)
                      : fmt::format("A motion of all bases as one body strains nothing (difference {:.1e}): no spring "
                                    "leads to the ground.",
                                    statics.rigid_difference)));
  return ExitStatus::done;
}

}  // namespace avrenk
