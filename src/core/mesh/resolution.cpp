#include "core/mesh/resolution.h"

#include <algorithm>
#include <cmath>

#include "core/element/kinds.h"
#include "core/mesh/surface.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

struct Stiff {
  double plate = 0, shear = 0;  // E/(1 − ν²) of the softest direction, and the softest G across the thickness
};

Stiff softest(const Material& material, Part::Form form) {
  if (const auto& ortho = material.orthotropic) {
    if (form == Part::Form::solid) return {ortho->youngs_modulus.minCoeff(), ortho->shear_modulus.minCoeff()};
    return {ortho->youngs_modulus.head<2>().minCoeff(), ortho->shear_modulus.tail<2>().minCoeff()};  // z is across
  }
  const double nu = material.poissons_ratio;
  return {material.youngs_modulus / (1 - nu * nu), material.youngs_modulus / (2 * (1 + nu))};
}

// Longest edge; a middle node cuts it in two.
double longest_edge(const Assembly& assembly, const ElementGroup& group) {
  double longest = 0;
  for (std::size_t e = 0; e < group.elements(); ++e) {
    const auto nodes = group.element(e);
    for (const std::vector<int>& face : group.kind->faces) {
      const std::size_t corners = group.kind->corners_of(face);
      for (std::size_t i = 0; i < corners; ++i)
        longest = std::max(longest, (assembly.position(nodes[static_cast<std::size_t>(face[i])]) -
                                     assembly.position(nodes[static_cast<std::size_t>(face[(i + 1) % corners])]))
                                        .norm());
    }
  }
  return group.kind->is_quadratic() ? 0.5 * longest : longest;
}

}  // namespace

double bending_frequency(double wavelength, double stiffness_over_mass, double shear_speed) {
  const double k = 2 * pi / wavelength, bending2 = k * k * stiffness_over_mass, shear2 = shear_speed * shear_speed;
  return std::sqrt(bending2 * shear2 / (bending2 + shear2)) / wavelength;
}

double element_for(const MeshReach& reach, double frequency) {
  // (2πf)² = ω² with c² = ω²/k²: ω²(1/(k⁴ D/μ) + 1/(k² c_s²)) = 1, quadratic in 1/k².
  const double omega = 2 * pi * frequency, a = 1 / reach.stiffness_over_mass,
               b = 1 / (reach.shear_speed * reach.shear_speed);
  const double inverse2 = (-b + std::sqrt(b * b + 4 * a / (omega * omega))) / (2 * a);  // 1/k²
  return 2 * pi * std::sqrt(inverse2) / reach.waves;
}

std::vector<MeshReach> mesh_reach(const Assembly& assembly) {
  std::vector<double> edge(assembly.parts.size(), 0), volume(assembly.parts.size(), 0), area(assembly.parts.size(), 0);
  for (const ElementGroup& group : assembly.groups) {
    const auto p = static_cast<std::size_t>(group.part);
    edge[p] = std::max(edge[p], longest_edge(assembly, group));
    ElementBlock block = assembly.block(group);
    if (auto* solid = std::get_if<SolidBlock>(&block)) {
      solid->density = 1;
      volume[p] += solid_moments(*solid).mass;
    }
  }
  const bool solids = std::any_of(assembly.parts.begin(), assembly.parts.end(),
                                  [](const Part& part) { return part.form == Part::Form::solid; });
  if (solids)
    for (const Surface::Face& face : surface_of(assembly).faces)
      area[static_cast<std::size_t>(face.part)] += area_vector(assembly, face).norm();
  std::vector<MeshReach> mesh_reaches;
  for (std::size_t p = 0; p < assembly.parts.size(); ++p) {
    const Part& part = assembly.parts[p];
    const Material& material = assembly.material_of(static_cast<int>(p));
    if (part.form == Part::Form::line || edge[p] == 0) continue;
    const Stiff stiff = softest(material, part.form);
    const double t = part.form == Part::Form::shell ? part.thickness : 2 * volume[p] / area[p],
                 mass = part.mass_factor * (material.density * t + part.extra_mass);
    if (!(mass > 0)) continue;
    MeshReach mesh_reach{static_cast<int>(p), edge[p]};
    mesh_reach.stiffness_over_mass = stiff.plate * t * t * t / (12 * mass);
    mesh_reach.shear_speed = std::sqrt(5.0 / 6 * stiff.shear * t / mass);
    mesh_reach.frequency =
        bending_frequency(mesh_reach.waves * edge[p], mesh_reach.stiffness_over_mass, mesh_reach.shear_speed);
    mesh_reaches.push_back(mesh_reach);
  }
  std::vector<MeshReach> lines(assembly.parts.size());
  for (const BeamElement& beam : assembly.beams) {
    const BeamProperties properties = assembly.properties(beam);
    const BeamSection& section = properties.middle();
    const double mass = properties.density * section.area + properties.extra_mass, length = beam.geometry.length();
    if (!(mass > 0)) continue;
    const double factor = std::min(section.shear_factor_y, section.shear_factor_z);
    const double shear = factor > 0 ? std::sqrt(factor * properties.elastic.shear_modulus * section.area / mass) : 1e9;
    MeshReach now{beam.part, length, 0, beams_a_wave};
    now.stiffness_over_mass =
        properties.elastic.youngs_modulus * std::min(section.second_moment_y, section.second_moment_z) / mass;
    now.shear_speed = shear;
    now.frequency = bending_frequency(now.waves * length, now.stiffness_over_mass, shear);
    MeshReach& own = lines[static_cast<std::size_t>(beam.part)];
    if (own.frequency == 0 || now.frequency < own.frequency) own = now;
  }
  for (const MeshReach& own : lines)
    if (own.frequency > 0) mesh_reaches.push_back(own);
  std::sort(mesh_reaches.begin(), mesh_reaches.end(),
            [](const MeshReach& a, const MeshReach& b) { return a.part < b.part; });
  return mesh_reaches;
}

}  // namespace avrenk
