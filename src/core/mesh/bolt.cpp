#include "core/mesh/bolt.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/error.h"
#include "core/mesh/attach.h"
#include "core/mesh/footprint.h"
#include "core/quantity/quantity.h"

namespace avrenk {

Vector6 bolt_stiffness(const Bolt& bolt) {
  const BeamSection section =
      rod_section(bolt.diameter, 0.5 * bolt.material.youngs_modulus / bolt.material.shear_modulus - 1);
  const double e = bolt.material.youngs_modulus, g = bolt.material.shear_modulus, l = bolt.length;
  const double shear =
      1 / (l * l * l / (12 * e * section.second_moment_y) + l / (section.shear_factor_y * g * section.area));
  Vector6 stiffness;
  stiffness << shear, shear, e * section.area / l, e * section.second_moment_y / l, e * section.second_moment_y / l,
      g * section.torsion_constant / l;
  return stiffness;
}

void add_bolts(Assembly& assembly, const Surface& surface, const Bolt& bolt, const std::vector<Vector3>& at,
               const std::optional<Vector3>& along, int first_part, int second_part, int base) {
  const double radius = std::sqrt((bolt.footprint * bolt.footprint + bolt.diameter * bolt.diameter) / 8);
  const FaceSearch first(assembly, surface, {first_part}), second(assembly, surface, {second_part});
  int patch = 0;
  for (const Vector3& place : at) {
    const Vector3 axis = along ? *along : first.nearest(place).normal, across = axis.unitOrthogonal(),
                  third = axis.cross(across);
    Spring spring;
    spring.joint = bolt.joint;
    spring.point = place;
    spring.stiffness = bolt_stiffness(bolt);
    spring.loss_factor = bolt.loss_factor;
    spring.axes << across.transpose(), third.transpose(), axis.transpose();
    for (int side = 0; side < 2; ++side) {
      const int part = side == 0 ? first_part : second_part;
      const FaceSearch& search = side == 0 ? first : second;
      const int node = static_cast<int>(assembly.nodes.size());
      assembly.nodes.push_back({place, bolt.joint});
      spring.nodes[static_cast<std::size_t>(side)] = node;
      if (part < 0) {
        assembly.bases[static_cast<std::size_t>(base)].feet.push_back({node});
        continue;
      }
      const std::string& name = assembly.parts[static_cast<std::size_t>(part)].name;
      const double gap = gap_to_face(search, search.nearest(place), place);
      if (gap > bolt.within)
        refuse(
            "joint " + bolt.joint,
            fmt::format("the bolt at ({:.5g}, {:.5g}, {:.5g}) mm is {:.4g} mm from {}, and grips only what is within "
                        "{:.4g} mm",
                        1e3 * place.x(), 1e3 * place.y(), 1e3 * place.z(), 1e3 * gap, name, 1e3 * bolt.within),
            fmt::format("move it, or write within: {:.4g} mm", 1e3 * gap * 1.01));
      const Mixture mixture = footprint(search, ellipse(place, radius * across, radius * third), place);
      if (mixture.empty())
        refuse("joint " + bolt.joint, fmt::format("its footprint on {} falls on a line of the faces", name),
               "let the bolt run across a face");
      assembly.followers.push_back(follower_of(bolt.joint, Joint::Type::bolt, node, mixture, gap, patch++));
    }
    assembly.springs.push_back(std::move(spring));
  }
}

}  // namespace avrenk
