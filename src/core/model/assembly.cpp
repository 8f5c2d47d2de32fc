#include "core/model/assembly.h"

#include <fmt/format.h>

#include "core/element/discrete.h"
#include "core/element/kinds.h"
#include "core/model/mass_properties.h"
#include "core/model/spring_law.h"

namespace avrenk {

std::vector<std::pair<int, SupportNode>> Assembly::feet() const {
  std::vector<std::pair<int, SupportNode>> all;
  for (std::size_t b = 0; b < bases.size(); ++b)
    for (const SupportNode& foot : bases[b].feet) all.emplace_back(static_cast<int>(b), foot);
  return all;
}

BeamProperties Assembly::properties(const BeamElement& beam) const {
  const Part& part = parts[static_cast<std::size_t>(beam.part)];
  const Material& material = materials[static_cast<std::size_t>(part.material)];
  BeamProperties properties = uniform(part.section, material.elastic(), part.mass_factor * material.density);
  if (beam.taper >= 0)
    for (std::size_t i = 0; i < beam_stations; ++i)
      properties.sections[i] = &tapers[static_cast<std::size_t>(beam.taper)][i];
  properties.extra_mass = part.mass_factor * part.extra_mass;
  properties.released = beam.released;
  return properties;
}

namespace {

// Plane stress and transverse shear of an orthotropic sheet, its x along the projection of the material's.
ShellSection orthotropic_shell(const Orthotropic& constants, double thickness, double density) {
  const double ex = constants.youngs_modulus.x(), ey = constants.youngs_modulus.y(), nu = constants.poissons_ratio.x(),
               divisor = 1 - nu * nu * ey / ex;
  ShellSection section;
  section.thickness = thickness;
  section.density = density;
  section.in_plane << ex / divisor, nu * ey / divisor, 0, nu * ey / divisor, ey / divisor, 0, 0, 0,
      constants.shear_modulus.x();
  section.transverse = Eigen::Vector2d(constants.shear_modulus.z(), constants.shear_modulus.y()).asDiagonal();
  return section;
}

}  // namespace

ElementBlock Assembly::block(const ElementGroup& group) const {
  const Part& part = parts[static_cast<std::size_t>(group.part)];
  const Material& material = material_of(group.part);
  Eigen::Matrix3Xd coordinates(3, static_cast<Eigen::Index>(group.nodes.size()));
  for (std::size_t i = 0; i < group.nodes.size(); ++i)
    coordinates.col(static_cast<Eigen::Index>(i)) = position(group.nodes[i]);
  const Matrix3 axes = material.axes * group.rotation.transpose();
  const double density = part.mass_factor * material.density;
  if (group.kind->is_shell()) {
    ShellSection section = material.orthotropic ? orthotropic_shell(*material.orthotropic, part.thickness, density)
                                                : isotropic_shell(part.thickness, material.youngs_modulus,
                                                                  material.poissons_ratio, density);
    section.extra_mass = part.mass_factor * part.extra_mass;
    section.offset = part.offset;
    if (material.orthotropic) section.along = axes.row(0);
    return ShellBlock{group.kind->nodes, std::move(coordinates), section};
  }
  return SolidBlock{group.kind->shape, std::move(coordinates),
                    material.orthotropic ? orthotropic_elasticity(*material.orthotropic, axes)
                                         : isotropic_elasticity(material.youngs_modulus, material.poissons_ratio),
                    density};
}

std::vector<bool> Assembly::used_nodes() const {
  std::vector<bool> used(nodes.size());
  const auto use = [&](const auto& list) {
    for (const int node : list)
      if (node >= 0) used[static_cast<std::size_t>(node)] = true;
  };
  for (const BeamElement& beam : beams) use(beam.nodes);
  for (const ElementGroup& group : groups) use(group.nodes);
  for (const Component& component : components) use(component.nodes);
  for (const PointMass& mass : masses) use(std::array{mass.node});
  for (const Spring& spring : springs) use(spring.nodes);
  for (const RigidLink& link : links) {
    use(link.follow);
    use(std::array{link.lead});
  }
  for (const Follower& follower : followers) {
    use(follower.leads);
    use(std::array{follower.node});
  }
  for (const auto& [base, foot] : feet()) use(std::array{foot.node});
  return used;
}

std::string Assembly::describe_node(int node) const {
  return describe_node(node, nodes.at(static_cast<std::size_t>(node)).origin);
}

std::string Assembly::describe_node(int node, const std::string& of) const {
  const Node& found = nodes.at(static_cast<std::size_t>(node));
  return fmt::format("{} {}", of, describe_position(found.position, 5));
}

std::string position_in_words(const Vector3& position, const DisplayUnit& length, int digits) {
  const auto said = [&](int axis) {
    constexpr double rounding = 5e-7;                                                   // m
    return std::abs(position[axis]) < rounding ? 0.0 : length.from_si(position[axis]);  // no "-0"
  };
  return fmt::format("({0:.{3}g}, {1:.{3}g}, {2:.{3}g}) {4}", said(0), said(1), said(2), digits, length.text);
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

void MassProperties::add(const Moments& moments) {
  if (moments.mass == 0) return;
  const Vector3 own_centre = moments.first / moments.mass;
  const Matrix3 about_centre = moments.second - moments.mass * own_centre * own_centre.transpose();
  add(moments.mass, own_centre, about_centre.trace() * Matrix3::Identity() - about_centre);
}

namespace {

// Of the rigid motions of its interface: Rᵀ M R about the origin.
Moments mass_of(const Component& component, const Assembly& assembly) {
  Eigen::MatrixXd rigid = Eigen::MatrixXd::Zero(component.mass.rows(), 6);
  for (int i = 0; i < component.interface; ++i)
    rigid.middleRows<6>(6 * static_cast<Eigen::Index>(i)) =
        rigid_arm(Vector3::Zero(), assembly.position(component.nodes[static_cast<std::size_t>(i)]));
  const Matrix6 mass = rigid.transpose() * component.mass * rigid;
  Moments moments;
  moments.mass = mass.topLeftCorner<3, 3>().trace() / 3;
  const Matrix3 first = mass.topRightCorner<3, 3>();  // −m [c ×]
  moments.first = 0.5 * Vector3(first(1, 2) - first(2, 1), first(2, 0) - first(0, 2), first(0, 1) - first(1, 0));
  const Matrix3 inertia = mass.bottomRightCorner<3, 3>();
  moments.second = 0.5 * inertia.trace() * Matrix3::Identity() - inertia;
  return moments;
}

}  // namespace

std::vector<std::pair<std::string, MassProperties>> mass_breakdown(const Assembly& assembly) {
  std::vector<std::pair<std::string, MassProperties>> rows;
  for (const Part& part : assembly.parts) rows.emplace_back(part.name, MassProperties{});
  for (const BeamElement& beam : assembly.beams)
    for (const BeamSlice& slice : slices(beam.geometry, assembly.properties(beam)))
      rows[static_cast<std::size_t>(beam.part)].second.add(slice.mass, slice.centre, slice.inertia);
  for (const ElementGroup& group : assembly.groups)
    rows[static_cast<std::size_t>(group.part)].second.add(moments(assembly.block(group)));
  for (const Component& component : assembly.components)
    rows[static_cast<std::size_t>(component.part)].second.add(mass_of(component, assembly));
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

bool Spring::has_dashpot() const { return !dashpot.isZero(0); }

Vector3 Assembly::reference() const { return bases.empty() ? Vector3::Zero() : bases.front().point; }

std::size_t ElementGroup::elements() const { return nodes.size() / static_cast<std::size_t>(kind->nodes); }

std::span<const int> ElementGroup::element(std::size_t i) const {
  const auto n = static_cast<std::size_t>(kind->nodes);
  return std::span(nodes).subspan(i * n, n);
}

Elastic Material::elastic() const { return {youngs_modulus, youngs_modulus / (2 * (1 + poissons_ratio))}; }

}  // namespace avrenk
