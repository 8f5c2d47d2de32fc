#include "files/check_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/check/plausible.h"
#include "core/element/kinds.h"
#include "core/mesh/select.h"
#include "core/model/mass_properties.h"
#include "core/model/spring_law.h"

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
  int coordinates = 0;
  for (const Component& component : assembly.components)
    for (const int node : component.nodes)
      if (component.part == part && !assembly.nodes[static_cast<std::size_t>(node)].is_place())
        coordinates += assembly.nodes[static_cast<std::size_t>(node)].coordinates;
  if (coordinates > 0) words = fmt::format("{} coordinates", coordinates);
  for (const auto& [name, count] : counts) words += fmt::format("{}{} {}", words.empty() ? "" : ", ", count, name);
  return words;
}

Cell rounded(double metres, const DisplayUnit& length) {
  return std::abs(metres) < 1e-9 ? Cell(0.0) : Cell(length.from_si(metres));
}

// What one joint of the plan became.
struct JointSummary {
  std::string name, type;
  double connections = 0, nearest = HUGE_VAL, farthest = 0;
  void connect(double distance, double count = 1) {
    connections += count;
    nearest = std::min(nearest, distance);
    farthest = std::max(farthest, distance);
  }
};

std::string type_in_words(Joint::Type type) {
  switch (type) {
    case Joint::Type::rigid:
      return "rigid";
    case Joint::Type::average:
      return "average";
    case Joint::Type::attachment:
      return "attachment";
    case Joint::Type::spring:
      return "spring";
    case Joint::Type::bolt:
      return "bolt";
    case Joint::Type::merge:
      return "merge";
    case Joint::Type::contact:
      return "contact";
    case Joint::Type::recovery:
      return "recovery";
  }
  return "";
}

class JointSummaries {
 public:
  explicit JointSummaries(const Assembly& assembly) {
    for (const Joint& joint : assembly.joints)
      if (joint.type != Joint::Type::merge) of(joint.name, type_in_words(joint.type));
    for (const RigidLink& link : assembly.links)
      for (const int node : link.follow)
        of(link.joint, "rigid").connect((assembly.position(link.lead) - assembly.position(node)).norm());
    for (const Spring& spring : assembly.springs) {
      JointSummary& joint_summary = of(spring.joint, "spring");
      if (joint_summary.type == "spring" && spring.loss_factor) joint_summary.type = "spring, loss factor";
      if (joint_summary.type == "spring" && spring.has_dashpot()) joint_summary.type = "spring, dashpot";
      if (spring.law && spring.law->has_tables()) joint_summary.type = "spring, by tables";
      joint_summary.connect(
          spring.nodes[1] < 0 ? 0 : (assembly.position(spring.nodes[1]) - assembly.position(spring.nodes[0])).norm());
    }
    for (const Follower& follower : assembly.followers)
      if (follower.type != Joint::Type::recovery && follower.type != Joint::Type::contact)
        of(follower.joint, "average").connect(follower.gap, follower.type == Joint::Type::bolt ? 0 : 1);
  }
  [[nodiscard]] const std::vector<JointSummary>& all() const { return all_; }

 private:
  JointSummary& of(const std::string& name, const std::string& type) {
    for (JointSummary& joint : all_)
      if (joint.name == name) return joint;
    all_.push_back({name, type});
    return all_.back();
  }
  std::vector<JointSummary> all_;
};

}  // namespace

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
  for (const char* axis : {"from x", "from y", "from z"}) table.columns.push_back({axis, length.text, 4, false});
  for (std::size_t p = 0; p < assembly.parts.size(); ++p) {
    const Part& part = assembly.parts[p];
    const std::vector<int> nodes = nodes_of_part(assembly, part.name);
    Eigen::AlignedBox3d box;
    for (const int node : nodes) box.extend(assembly.position(node));
    std::vector<Cell> row{part.name, assembly.material_of(static_cast<int>(p)).name,
                          elements_in_words(assembly, static_cast<int>(p)), static_cast<double>(nodes.size()),
                          part.form == Part::Form::shell ? length.from_si(part.thickness) : std::nan("")};
    for (const double size : box.sizes()) row.push_back(rounded(size, length));
    const auto order =
        std::find_if(reach.begin(), reach.end(), [&](const MeshReach& r) { return r.part == static_cast<int>(p); });
    row.emplace_back(order == reach.end() ? std::nan("") : show.unit(kind::frequency).from_si(order->frequency));
    for (const double from : box.min()) row.push_back(rounded(from, length));
    table.rows.push_back(std::move(row));
  }
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

Table place_table(const Assembly& assembly, const Show& show) {
  const DisplayUnit length = show.unit(kind::length);
  Table table{"places", "Places: their nodes and the box around them", {{"place", ""}, {"nodes", "", 4, true, 0}}, {}};
  for (const char* axis : {"x", "y", "z"}) {
    table.columns.push_back({fmt::format("{} from", axis), length.text});
    table.columns.push_back({"to", length.text});
  }
  for (const auto& [name, nodes] : assembly.places) {
    Eigen::AlignedBox3d box;
    for (const int node : nodes) box.extend(assembly.position(node));
    std::vector<Cell> row{name, static_cast<double>(nodes.size())};
    for (int axis = 0; axis < 3; ++axis) {
      row.push_back(rounded(box.min()[axis], length));
      row.push_back(rounded(box.max()[axis], length));
    }
    table.rows.push_back(std::move(row));
  }
  return table;
}

Table joint_table(const Assembly& assembly, const Show& show) {
  const DisplayUnit length = show.unit(kind::length);
  Table table{
      "joints",
      "Joints: connections, and the gap or arm between what they connect",
      {{"joint", ""}, {"type", ""}, {"number", "", 4, true, 0}, {"nearest", length.text}, {"farthest", length.text}},
      {}};
  const JointSummaries summaries(assembly);
  for (const JointSummary& joint : summaries.all())
    table.rows.push_back(
        {joint.name, joint.type, joint.connections, rounded(joint.nearest, length), rounded(joint.farthest, length)});
  return table;
}

Table quality_table(const Assembly& assembly, const std::vector<PartQuality>& quality, const Show& show) {
  const DisplayUnit length = show.unit(kind::length);
  Table table{
      "elements",
      "The worst elements: Jacobian (smallest over largest), aspect (long over wide), warp; where",
      {{"part", ""}, {"Jacobian", "", 2}, {"aspect", "", 3}, {"warp", "°", 2}, {"beyond bounds", "", 4, true, 0}},
      {}};
  for (const char* axis : {"x", "y", "z"}) table.columns.push_back({axis, length.text});
  for (const PartQuality& part_quality : quality) {
    std::vector<Cell> row{assembly.parts[static_cast<std::size_t>(part_quality.part)].name, part_quality.worst.jacobian,
                          part_quality.worst.aspect, part_quality.worst.warp * 180 / pi,
                          static_cast<double>(part_quality.beyond)};
    // Of what is farthest beyond its bound.
    const double over[] = {quality_bounds.jacobian / std::max(part_quality.worst.jacobian, 1e-3),
                           part_quality.worst.aspect / quality_bounds.aspect,
                           part_quality.worst.warp / quality_bounds.warp};
    const Vector3& at = part_quality.at[static_cast<std::size_t>(std::max_element(over, over + 3) - over)];
    for (int axis = 0; axis < 3; ++axis) row.push_back(rounded(at[axis], length));
    table.rows.push_back(std::move(row));
  }
  return table;
}

Table gravity_stress_table(const Assembly& assembly, const std::vector<HighestStress>& stress, const Show& show) {
  const DisplayUnit unit = show.unit(kind::stress);
  Table table{
      "gravity-stress",
      "Highest von Mises stress of each part under 1 g along x, y, z",
      {{"part", ""}, {"x", unit.text, 3}, {"y", unit.text, 3}, {"z", unit.text, 3}, {"where, of the highest", ""}},
      {}};
  for (const HighestStress& highest_stress : stress) {
    const auto worst = static_cast<std::size_t>(
        std::max_element(highest_stress.value.begin(), highest_stress.value.end()) - highest_stress.value.begin());
    const std::string& part = assembly.parts[static_cast<std::size_t>(highest_stress.part)].name;
    table.rows.push_back({part, unit.from_si(highest_stress.value[0]), unit.from_si(highest_stress.value[1]),
                          unit.from_si(highest_stress.value[2]),
                          assembly.describe_node(highest_stress.node[worst], part)});
  }
  return table;
}

Table energy_table(const Assembly& assembly, const StrainEnergy& energy) {
  Table table{"gravity-energy",
              "Strain energy under 1 g along x, y, z: the share of each part and joint",
              {{"part or joint", ""}, {"x", "%", 3, true, 1}, {"y", "%", 3, true, 1}, {"z", "%", 3, true, 1}},
              {}};
  const Eigen::RowVectorXd sum = energy.parts.colwise().sum() + energy.joints.colwise().sum();
  const auto add = [&](const std::string& name, const Eigen::RowVectorXd& own) {
    std::vector<Cell> row{name};
    for (Eigen::Index c = 0; c < 3; ++c) row.emplace_back(sum[c] > 0 ? 100 * own[c] / sum[c] : 0.0);
    table.rows.push_back(std::move(row));
  };
  for (std::size_t p = 0; p < assembly.parts.size(); ++p)
    add(assembly.parts[p].name, energy.parts.row(static_cast<Eigen::Index>(p)));
  for (std::size_t j = 0; j < assembly.joints.size(); ++j)
    if (assembly.joints[j].has_springs())
      add("joint " + assembly.joints[j].name, energy.joints.row(static_cast<Eigen::Index>(j)));
  return table;
}

Table finding_table(const std::vector<Finding>& findings, const std::map<std::string, Place>& subjects,
                    const Show& show) {
  const DisplayUnit length = show.unit(kind::length);
  Table table{"findings",
              "Findings",
              {{"grade", ""},
               {"subject", "", 4, false},
               {"finding", "", 4, false},
               {"remedy", "", 4, false},
               {"file", "", 4, false},
               {"line", "", 4, false, 0},
               {"x", length.text, 4, false},
               {"y", length.text, 4, false},
               {"z", length.text, 4, false},
               {"in words", ""}},
              {}};
  for (const Finding& finding : findings) {
    const auto found = subjects.find(finding.subject);
    const bool known = found != subjects.end();
    std::vector<Cell> row{std::string(name_of(finding.grade)),
                          finding.subject,
                          finding.what,
                          finding.remedy,
                          known ? found->second.file : std::string(),
                          known ? static_cast<double>(found->second.line) : std::nan("")};
    for (int axis = 0; axis < 3; ++axis)
      row.push_back(finding.at ? rounded((*finding.at)[axis], length) : Cell(std::nan("")));
    row.emplace_back((known ? fmt::format("line {}, ", found->second.line) : std::string()) + finding.sentence());
    table.rows.push_back(std::move(row));
  }
  return table;
}

}  // namespace avrenk
