#include "core/model/assembly.h"

#include <fmt/format.h>

namespace avrenk {

std::string Assembly::describe_node(int node) const {
  const Node& found = nodes.at(static_cast<std::size_t>(node));
  const auto millimetres = [&](int axis) {
    const double value = 1e3 * found.position[axis];
    return std::abs(value) < 5e-4 ? 0.0 : value;  // no "-0"
  };
  return fmt::format("{} ({:.5g}, {:.5g}, {:.5g}) mm", found.origin, millimetres(0), millimetres(1), millimetres(2));
}

void MassProperties::add(double other_mass, const Vector3& other_centre, const Matrix3& other_inertia) {
  if (other_mass == 0) {
    inertia += other_inertia;
    return;
  }
  const double sum = mass + other_mass;
  const Vector3 joint_centre = (mass * centre + other_mass * other_centre) / sum;
  const auto about_joint = [&](double m, const Vector3& at) -> Matrix3 {  // parallel axes
    const Vector3 d = at - joint_centre;
    return m * (d.squaredNorm() * Matrix3::Identity() - d * d.transpose());
  };
  inertia += other_inertia + about_joint(mass, centre) + about_joint(other_mass, other_centre);
  mass = sum;
  centre = joint_centre;
}

std::vector<std::pair<std::string, MassProperties>> mass_breakdown(const Assembly& assembly) {
  std::vector<std::pair<std::string, MassProperties>> rows;
  for (const Part& part : assembly.parts) rows.emplace_back(part.name, MassProperties{});
  for (const BeamElement& beam : assembly.beams) {
    const auto index = static_cast<std::size_t>(beam.part);
    const Part& part = assembly.parts[index];
    const double density = assembly.materials[static_cast<std::size_t>(part.material)].density;
    const BeamSection& section = part.section;
    const double length = beam.geometry.length();
    const double mass = density * section.area * length;
    const Matrix3 axes = beam.geometry.axes();
    Matrix3 local = Matrix3::Zero();  // a straight bar with the rotary inertia of its section
    local(0, 0) = density * length * (section.second_moment_y + section.second_moment_z);
    local(1, 1) = mass * length * length / 12 + density * length * section.second_moment_y;
    local(2, 2) = mass * length * length / 12 + density * length * section.second_moment_z;
    rows[index].second.add(mass, 0.5 * (beam.geometry.end1 + beam.geometry.end2), axes.transpose() * local * axes);
  }
  for (const PointMass& point : assembly.masses) {
    MassProperties properties;
    properties.add(point.mass, assembly.nodes[static_cast<std::size_t>(point.node)].position + point.offset,
                   point.inertia);
    rows.emplace_back(point.name, properties);
  }
  return rows;
}

MassProperties total_mass(const Assembly& assembly) {
  MassProperties total;
  for (const auto& [name, row] : mass_breakdown(assembly)) total.add(row.mass, row.centre, row.inertia);
  return total;
}

}  // namespace avrenk
