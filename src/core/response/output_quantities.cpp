// The quantities that can be watched: what each is called, and the rows that make it.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/response/channels.h"
#include "core/response/output.h"

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

}  // namespace

std::vector<std::string> components_of(const OutputQuantity& quantity) {
  if (!quantity.vector) return {""};
  if (quantity.subject == Subject::part) return {"y", "z", "magnitude"};  // across the beam
  if (quantity.is_reciprocal) return {"x", "y", "z"};
  return {"x", "y", "z", "magnitude"};
}

std::span<const OutputQuantity> output_quantities() { return quantities; }

bool OutputQuantity::has_meaning(const Kind* input) const {
  return !per || per == input || (per == &kind::acceleration && input == &kind::angular_acceleration);
}

std::string output_name(const OutputRequest& request, const std::string& component) {
  const bool bare = component.empty() || component == "magnitude";
  return fmt::format("{}.{}{}{}", request.name, request.quantity->keyword, bare ? "" : ".", bare ? "" : component);
}

std::vector<std::string> watched_names(const std::vector<OutputRequest>& requests) {
  std::vector<std::string> names;
  for (const OutputRequest& request : requests) {
    for (const std::string& component : components_of(*request.quantity))
      names.push_back(output_name(request, component));
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

}  // namespace avrenk
