#include "core/response/output.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "core/error.h"
#include "core/response/stress_survey.h"

namespace avrenk {
namespace {

using Rows = OutputQuantity::Rows;
using SectionRows = Eigen::Matrix<double, 3, 6>;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

template <NodeMotion motion>
MatrixXcd of_node(const Channels& channels, const WatchedItem& item) {
  return channels.motion(item.index, motion);
}
MatrixXcd of_pair(const Channels& channels, const WatchedItem& item) {
  return channels.approach(item.pair, item.towards);
}
// Of six rows the first three, forces and translations, or the last three.
enum class Half { upper, lower };
template <Half half>
MatrixXcd half_of(const MatrixXcd& six) {
  return six.middleRows(half == Half::lower ? 3 : 0, 3);
}
template <Half half>
MatrixXcd spring_force(const Channels& channels, const WatchedItem& item) {
  return half_of<half>(channels.spring_force(item.index));
}
template <Half half>
MatrixXcd spring_travel(const Channels& channels, const WatchedItem& item) {
  return half_of<half>(channels.spring_travel(item.index));
}
template <Half half>
MatrixXcd joint_force(const Channels& channels, const WatchedItem& item) {
  return half_of<half>(channels.joint_force(*item.side));
}
template <Half half>
MatrixXcd base_reaction(const Channels& channels, const WatchedItem& item) {
  return half_of<half>(channels.base_reaction(item.index, item.towards));
}
template <Half half>
MatrixXcd foot_reaction(const Channels& channels, const WatchedItem& item) {
  return half_of<half>(channels.foot_reaction(item.index, item.towards));
}
MatrixXcd base_force_over_mass(const Channels& channels, const WatchedItem& item) {
  return base_reaction<Half::upper>(channels, item) / channels.total_mass();
}

MatrixXd axial_stress(const SectionRows& at_point) { return at_point.row(0); }
MatrixXd bending_stress(const SectionRows& at_point) { return at_point.row(1); }
MatrixXd normal_stress(const SectionRows& at_point) { return at_point.row(0) + at_point.row(1); }
MatrixXd shear_stress(const SectionRows& at_point) { return at_point.row(2); }
MatrixXd von_mises_stress(const SectionRows& at_point) {  // σ² + 3τ²
  MatrixXd both(2, 6);
  both << at_point.row(0) + at_point.row(1), std::sqrt(3.0) * at_point.row(2);
  return both;
}

constexpr OutputQuantity node_quantity(std::string_view keyword, std::string_view description, const Kind& kind,
                                       Rows rows, const Kind* per = nullptr) {
  return {keyword, description, Subject::node, &kind, true, per, false, rows};
}
constexpr OutputQuantity reciprocal_quantity(std::string_view keyword, std::string_view description, const Kind& kind,
                                             Rows rows) {
  OutputQuantity quantity = node_quantity(keyword, description, kind, rows, &kind::force);
  quantity.is_reciprocal = true;
  return quantity;
}
constexpr OutputQuantity vector_quantity(std::string_view keyword, std::string_view description, Subject subject,
                                         const Kind& kind, Rows rows, const Kind* per = nullptr) {
  return {keyword, description, subject, &kind, true, per, false, rows};
}
constexpr OutputQuantity section_force(std::string_view keyword, std::string_view description, const Kind& kind,
                                       int first, int count) {
  return {keyword, description, Subject::part, &kind, count > 1, nullptr, false, nullptr, {first, count}};
}
constexpr OutputQuantity stress_quantity(std::string_view keyword, std::string_view description,
                                         OutputQuantity::Stress make, bool needs_shear = false, bool positive = false,
                                         bool same_everywhere = false) {
  return {keyword,  description, Subject::part, &kind::stress, false,       nullptr,
          positive, nullptr,     {0, 6},        make,          needs_shear, same_everywhere};
}

constexpr OutputQuantity von_mises_quantity() {
  OutputQuantity both = stress_quantity("von Mises", "von Mises stress", von_mises_stress, true, true);
  both.of_nodes = StressQuantity::von_mises;
  return both;
}
constexpr OutputQuantity node_stress(std::string_view keyword, std::string_view description, StressQuantity quantity) {
  return {keyword, description, Subject::part, &kind::stress, false, nullptr, false,
          nullptr, {0, 0},      nullptr,       false,         false, quantity};
}

constexpr OutputQuantity quantities[] = {
    node_quantity("acceleration", "absolute acceleration", kind::acceleration,
                  of_node<NodeMotion::absolute_acceleration>),
    node_quantity("relative acceleration", "relative acceleration", kind::acceleration,
                  of_node<NodeMotion::relative_acceleration>),
    node_quantity("absolute velocity", "absolute velocity", kind::velocity, of_node<NodeMotion::absolute_velocity>),
    node_quantity("relative velocity", "relative velocity", kind::velocity, of_node<NodeMotion::relative_velocity>),
    node_quantity("absolute displacement", "absolute displacement", kind::length,
                  of_node<NodeMotion::absolute_displacement>),
    node_quantity("relative displacement", "relative displacement", kind::length,
                  of_node<NodeMotion::relative_displacement>),
    node_quantity("absolute rotation", "absolute rotation", kind::angle, of_node<NodeMotion::absolute_rotation>),
    node_quantity("relative rotation", "relative rotation", kind::angle, of_node<NodeMotion::relative_rotation>),
    node_quantity("transmissibility", "absolute acceleration over that of the base", kind::number,
                  of_node<NodeMotion::absolute_acceleration>, &kind::acceleration),
    node_quantity("receptance", "absolute displacement over the force", kind::receptance,
                  of_node<NodeMotion::absolute_displacement>, &kind::force),
    node_quantity("mobility", "absolute velocity over the force", kind::mobility,
                  of_node<NodeMotion::absolute_velocity>, &kind::force),
    node_quantity("accelerance", "absolute acceleration over the force", kind::accelerance,
                  of_node<NodeMotion::absolute_acceleration>, &kind::force),
    reciprocal_quantity("dynamic stiffness", "force over the absolute displacement", kind::stiffness,
                        of_node<NodeMotion::absolute_displacement>),
    reciprocal_quantity("impedance", "force over the absolute velocity", kind::dashpot,
                        of_node<NodeMotion::absolute_velocity>),
    reciprocal_quantity("dynamic mass", "force over the absolute acceleration", kind::mass,
                        of_node<NodeMotion::absolute_acceleration>),
    {"relative motion", "motion of the second place from the first along a line", Subject::pair, &kind::length, false,
     nullptr, false, of_pair},
    {"clearance", "motion along a line that closes a gap", Subject::pair, &kind::length, false, nullptr, false,
     of_pair},
    vector_quantity("force", "spring force", Subject::spring, kind::force, spring_force<Half::upper>),
    vector_quantity("moment", "spring moment", Subject::spring, kind::moment, spring_force<Half::lower>),
    vector_quantity("travel", "spring travel", Subject::spring, kind::length, spring_travel<Half::upper>),
    vector_quantity("turn", "spring turn", Subject::spring, kind::angle, spring_travel<Half::lower>),
    vector_quantity("force", "force of the joint on what follows", Subject::joint, kind::force,
                    joint_force<Half::upper>),
    vector_quantity("moment", "moment of the joint on what follows", Subject::joint, kind::moment,
                    joint_force<Half::lower>),
    section_force("axial force", "axial force", kind::force, 0, 1),
    section_force("shear force", "shear force", kind::force, 1, 2),
    section_force("torque", "torque about the shear centre", kind::moment, 3, 1),
    section_force("bending moment", "bending moment", kind::moment, 4, 2),
    stress_quantity("axial stress", "stress of the axial force", axial_stress, false, false, true),
    stress_quantity("bending stress", "bending stress at the outer fibres", bending_stress),
    stress_quantity("normal stress", "axial and bending stress at the outer fibres", normal_stress),
    stress_quantity("shear stress", "shear stress of shear force and torque", shear_stress, true),
    von_mises_quantity(),
    node_stress("principal stress", "normal stress in the direction in which it is largest", StressQuantity::principal),
    node_stress("stress xx", "normal stress along x", StressQuantity::xx),
    node_stress("stress yy", "normal stress along y", StressQuantity::yy),
    node_stress("stress zz", "normal stress along z", StressQuantity::zz),
    node_stress("stress xy", "shear stress of x and y", StressQuantity::xy),
    node_stress("stress yz", "shear stress of y and z", StressQuantity::yz),
    node_stress("stress zx", "shear stress of z and x", StressQuantity::zx),
    vector_quantity("force", "base reaction force", Subject::base, kind::force, base_reaction<Half::upper>),
    vector_quantity("moment", "base reaction moment", Subject::base, kind::moment, base_reaction<Half::lower>),
    vector_quantity("equivalent acceleration", "base reaction force over the total mass", Subject::base,
                    kind::acceleration, base_force_over_mass),
    vector_quantity("apparent mass", "base reaction force over the acceleration of the base", Subject::base, kind::mass,
                    base_reaction<Half::upper>, &kind::acceleration),
    vector_quantity("foot force", "reaction force of a single foot", Subject::foot, kind::force,
                    foot_reaction<Half::upper>),
    vector_quantity("foot moment", "reaction moment of a single foot", Subject::foot, kind::moment,
                    foot_reaction<Half::lower>),
};

// Blocks of rows with their labels, put side by side.
class LabelledRows {
 public:
  void add(std::string label, Eigen::MatrixXcd rows) {
    labels_.push_back(std::move(label));
    blocks_.push_back(std::move(rows));
  }
  [[nodiscard]] std::size_t size() const { return blocks_.size(); }
  // One candidate for each block.
  [[nodiscard]] Candidates finish() {
    Candidates all;
    all.base_labels = std::move(labels_);
    if (blocks_.empty()) return all;
    all.base_width = all.width = static_cast<int>(blocks_.front().rows());
    all.rows.resize(static_cast<Eigen::Index>(blocks_.size()) * all.width, blocks_.front().cols());
    for (std::size_t k = 0; k < blocks_.size(); ++k) {
      all.rows.middleRows(static_cast<Eigen::Index>(k) * all.width, all.width) = blocks_[k];
      all.items.push_back({static_cast<int>(k), -1});
    }
    return all;
  }

 private:
  std::vector<std::string> labels_;
  std::vector<Eigen::MatrixXcd> blocks_;
};

[[noreturn]] void refuse_stress(const Assembly& assembly, int part, const std::string& wrong,
                                const std::string& remedy) {
  throw InputError(Problem{"part " + assembly.parts[static_cast<std::size_t>(part)].name, wrong, remedy, std::nullopt});
}

// The mixes of one section under a quantity, made once.
std::vector<int> mixes_of(const Assembly& assembly, const OutputQuantity& quantity, int part,
                          const BeamSection& section, Candidates& all) {
  if (section.points.empty())
    refuse_stress(assembly, part, fmt::format("its section has no fibres, so it has no {}", quantity.keyword),
                  "give its section fibres");
  if (quantity.needs_shear && !section.shear_stress)
    refuse_stress(assembly, part, fmt::format("its section has no torsion modulus, so it has no {}", quantity.keyword),
                  "give its section a torsion modulus and shear areas");
  std::vector<int> indices;
  const bool anywhere = quantity.same_everywhere;
  for (const StressPoint& point : section.points) {
    indices.push_back(static_cast<int>(all.mixes.size()));
    all.mixes.push_back({anywhere ? "" : ", " + describe(section, point, assembly.length_unit),
                         quantity.stress(stress_rows(section, point))});
    if (anywhere) break;
  }
  return indices;
}

// "(0.71, 0, 0.71)", the largest number positive: of a direction its sign does not matter.
std::string direction_text(const Vector3& direction) {
  Eigen::Index largest = 0;
  direction.cwiseAbs().maxCoeff(&largest);
  std::string text;
  for (const double each : Vector3(direction * std::copysign(1.0, direction[largest])))
    text += fmt::format("{}{:.2g}", text.empty() ? "(" : ", ", std::abs(each) < 5e-3 ? 0.0 : each);
  return text + ")";
}

// The worst places of shells and solids: six rows of stress each, mixed to what is watched at one level; principal
// stress is looked for in each direction in which any load may have its largest.
void add_stations(const Assembly& assembly, const Channels& channels, const OutputRequest& request,
                  const StressSource& stress, LabelledRows& labelled, std::vector<Candidates::Mix>& mixes,
                  std::vector<Candidates::Item>& items) {
  if (!stress.survey || request.parts.empty() || !request.quantity->of_nodes) return;
  const StressQuantity quantity = *request.quantity->of_nodes;
  std::map<std::pair<bool, int>, int> mix_of;  // of all but principal stress
  int last = -1;
  for (const StressPlace& place : candidate_places(*stress.survey, *stress.stations, {quantity, request.parts})) {
    const StressStation& station = stress.stations->all()[static_cast<std::size_t>(place.station)];
    if (place.station != last) {
      last = place.station;
      const Eigen::MatrixXd rows = stress.stations->rows(std::array{place.station}, channels.strain_rows());
      labelled.add(assembly.describe_node(station.node, assembly.parts[static_cast<std::size_t>(station.part)].name),
                   channels.from_strain(rows, assembly.material_of(station.part).loss_factor));
    }
    const int base = static_cast<int>(labelled.size()) - 1;
    const std::string level =
        station.shell ? fmt::format(", {}", shell_levels[static_cast<std::size_t>(place.level)]) : "";
    if (quantity == StressQuantity::principal) {
      for (const Vector3& direction : candidate_directions(*stress.survey, place)) {
        items.push_back({base, static_cast<int>(mixes.size())});
        mixes.push_back({fmt::format("{}, along {}", level, direction_text(direction)),
                         quantity_rows(station, place.level, quantity, direction)});
      }
      continue;
    }
    const auto [mix, fresh] = mix_of.try_emplace({station.shell, place.level}, static_cast<int>(mixes.size()));
    if (fresh) mixes.push_back({level, quantity_rows(station, place.level, quantity)});
    items.push_back({base, mix->second});
  }
}

Candidates part_candidates(const Assembly& assembly, const Channels& channels, const OutputRequest& request,
                           const StressSource& stress_source) {
  const OutputQuantity& quantity = *request.quantity;
  const auto [first, count] = quantity.section_forces;
  LabelledRows labelled;
  std::vector<const BeamSection*> sections;
  std::vector<int> parts;
  for (const int beam : quantity.of_lines() ? request.items : std::vector<int>{}) {
    const BeamElement& element = assembly.beams[static_cast<std::size_t>(beam)];
    const BeamProperties properties = assembly.properties(element);
    const Eigen::MatrixXcd forces = channels.beam_forces(beam);
    for (std::size_t end = 0; end < 2; ++end) {
      if (const auto& at = request.stress_at;
          !at.empty() && std::find(at.begin(), at.end(), element.nodes[end]) == at.end())
        continue;
      labelled.add(
          assembly.describe_node(element.nodes[end], assembly.parts[static_cast<std::size_t>(element.part)].name),
          forces.middleRows(6 * static_cast<Eigen::Index>(end) + first, count));
      sections.push_back(&properties.at_end(end));
      parts.push_back(element.part);
    }
  }
  std::vector<Candidates::Mix> station_mixes;
  std::vector<Candidates::Item> station_items;
  add_stations(assembly, channels, request, stress_source, labelled, station_mixes, station_items);
  Candidates all = labelled.finish();
  if (!quantity.stress && !quantity.of_nodes) return all;
  all.items.clear();
  std::map<const BeamSection*, std::vector<int>> known;
  for (std::size_t k = 0; k < sections.size(); ++k) {
    auto found = known.find(sections[k]);
    if (found == known.end())
      found = known.emplace(sections[k], mixes_of(assembly, quantity, parts[k], *sections[k], all)).first;
    for (const int mix : found->second) all.items.push_back({static_cast<int>(k), mix});
  }
  for (Candidates::Item item : station_items) {
    item.mix += static_cast<int>(all.mixes.size());
    all.items.push_back(item);
  }
  all.mixes.insert(all.mixes.end(), station_mixes.begin(), station_mixes.end());
  all.width = 1;
  for (const Candidates::Mix& mix : all.mixes) all.width = std::max(all.width, static_cast<int>(mix.matrix.rows()));
  for (Candidates::Mix& mix : all.mixes) {  // rows of nothing make all equally wide
    const Eigen::Index own = mix.matrix.rows();
    mix.matrix.conservativeResize(all.width, mix.matrix.cols());
    mix.matrix.bottomRows(all.width - own).setZero();
  }
  return all;
}

constexpr double one_spot = 1e-9;  // m

// Direction and gap of one pair.
std::pair<Vector3, double> line_of(const Assembly& assembly, const OutputRequest& request,
                                   const std::array<int, 2>& pair) {
  const Vector3 apart = assembly.nodes[static_cast<std::size_t>(pair[1])].position -
                        assembly.nodes[static_cast<std::size_t>(pair[0])].position;
  if (!request.along && apart.norm() < one_spot)
    throw InputError(Problem{"watch " + request.name, "the two places lie at one spot, so no line joins them",
                             "give the direction along which it is measured", std::nullopt});
  const Vector3 along = request.along ? *request.along : Vector3(apart.normalized());
  return {along, request.gap.value_or(std::abs(apart.dot(along)))};
}

// A node of solids alone has no rotation to show, a point of nothing no motion.
void refuse_motion(const Assembly& assembly, const Channels& channels, const OutputRequest& request, int node) {
  if (!channels.moves(node))
    throw InputError(Problem{"watch " + request.name,
                             fmt::format("nothing is joined to {}, so it does not move", assembly.describe_node(node)),
                             "let it follow in a rigid or an average joint", std::nullopt});
  if (request.quantity->kind != &kind::angle || channels.has_rotation(node)) return;
  throw InputError(Problem{"watch " + request.name,
                           fmt::format("{} has no rotation: only solids meet there", assembly.describe_node(node)),
                           "watch a displacement there, or a node of shells, beams or a body", std::nullopt});
}

Candidates candidates_of(const Assembly& assembly, const Channels& channels, const OutputRequest& request,
                         const StressSource& stress) {
  const OutputQuantity& quantity = *request.quantity;
  if (quantity.subject == Subject::part) return part_candidates(assembly, channels, request, stress);
  LabelledRows labelled;
  const Eigen::Matrix3cd axes = request.axes.cast<Complex>();
  const auto add = [&](std::string label, const WatchedItem& item) {
    const MatrixXcd rows = quantity.rows(channels, item);
    const bool turned = rows.rows() == 3 && quantity.subject != Subject::spring;  // a spring has axes of its own
    labelled.add(std::move(label), turned ? MatrixXcd(axes * rows) : rows);
  };
  for (const std::array<int, 2>& pair : request.pairs)
    add(fmt::format("{} to {}", assembly.describe_node(pair[0]), assembly.describe_node(pair[1])),
        {.pair = pair, .towards = line_of(assembly, request, pair).first});
  if (quantity.subject == Subject::joint)
    for (const JointSide& side : joint_sides(assembly, request.joint))
      add(fmt::format("{} at {}", request.joint, assembly.describe_node(side.nodes.front())), {.side = &side});
  for (const int item : request.items) {
    const auto index = static_cast<std::size_t>(item);
    if (quantity.subject == Subject::node) {
      refuse_motion(assembly, channels, request, item);
      add(assembly.describe_node(item), {.index = item});
    } else if (quantity.subject == Subject::spring) {
      const Spring& spring = assembly.springs[index];
      const std::string at = assembly.describe_node(spring.nodes[0]);
      const bool own_node = assembly.nodes[static_cast<std::size_t>(spring.nodes[0])].origin == spring.joint;
      add(own_node ? at : fmt::format("{} at {}", spring.joint, at), {.index = item});
    } else if (quantity.subject == Subject::foot) {
      const int node = assembly.feet()[index].second.node;
      add(assembly.describe_node(node), {.index = item, .towards = assembly.position(node)});
    } else if (quantity.subject == Subject::base) {
      add("base " + assembly.bases[index].name, {.index = item, .towards = request.about});
    }
  }
  return labelled.finish();
}

std::string full_name(const OutputRequest& request, const std::string& component) {
  const bool bare = component.empty() || component == "magnitude";
  return fmt::format("{}.{}{}{}", request.name, request.quantity->keyword, bare ? "" : ".", bare ? "" : component);
}

}  // namespace

std::vector<std::string> components_of(const OutputQuantity& quantity) {
  if (!quantity.vector) return {""};
  if (quantity.subject == Subject::part) return {"y", "z", "magnitude"};  // across the beam
  if (quantity.is_reciprocal) return {"x", "y", "z"};
  return {"x", "y", "z", "magnitude"};
}

std::span<const OutputQuantity> output_quantities() { return quantities; }

std::string Candidates::label(std::size_t k) const {
  const Item& item = items[k];
  return base_labels[static_cast<std::size_t>(item.base)] +
         (item.mix < 0 ? std::string() : mixes[static_cast<std::size_t>(item.mix)].label);
}

Measure Output::measure(std::size_t candidate) const {
  return {candidates->label(candidate), candidates->of(candidates->rows, candidate).middleRows(first, count),
          quantity->per_input()};
}

std::vector<Output> watch(const Assembly& assembly, const Channels& channels,
                          const std::vector<OutputRequest>& requests, const StressSource& stress) {
  std::vector<Output> all;
  for (const OutputRequest& request : requests) {
    const auto candidates = std::make_shared<const Candidates>(candidates_of(assembly, channels, request, stress));
    const auto components = components_of(*request.quantity);
    for (std::size_t c = 0; c < components.size(); ++c) {
      Output watched{full_name(request, components[c]), request.name, components[c], request.quantity, candidates};
      const bool whole = watched.is_magnitude() || request.quantity->positive;
      watched.first = whole ? 0 : static_cast<int>(c);
      watched.count = whole ? candidates->width : 1;
      for (const std::array<int, 2>& pair : request.pairs)
        watched.gaps.push_back(line_of(assembly, request, pair).second);
      all.push_back(std::move(watched));
    }
  }
  return all;
}

const Output* find_output(const std::vector<Output>& all, std::string_view name) {
  for (const Output& watched : all)
    if (watched.name == name) return &watched;
  return nullptr;
}

std::vector<std::string> watched_names(const std::vector<OutputRequest>& requests) {
  std::vector<std::string> names;
  for (const OutputRequest& request : requests) {
    for (const std::string& component : components_of(*request.quantity))
      names.push_back(full_name(request, component));
  }
  return names;
}

const OutputRequest* find_request(const std::vector<OutputRequest>& requests, std::string_view name) {
  for (const OutputRequest& each : requests) {
    const std::vector<std::string> names = watched_names({each});
    if (std::find(names.begin(), names.end(), name) != names.end()) return &each;
  }
  return nullptr;
}

bool is_length(const OutputRequest& request, std::string_view name) {
  return request.quantity->vector && name == fmt::format("{}.{}", request.name, request.quantity->keyword);
}

double smallest_gap(const Assembly& assembly, const OutputRequest& request) {
  double smallest = request.gap.value_or(HUGE_VAL);
  for (const auto& pair : request.pairs) {
    const Vector3 apart = assembly.position(pair[1]) - assembly.position(pair[0]);
    if (!request.gap && (request.along || apart.norm() >= one_spot))
      smallest = std::min(smallest, line_of(assembly, request, pair).second);
  }
  return smallest;
}

bool OutputQuantity::has_meaning(const Kind* input) const {
  return !per || per == input || (per == &kind::acceleration && input == &kind::angular_acceleration);
}

}  // namespace avrenk
