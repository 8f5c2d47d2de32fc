#include "core/load/applied.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/element/discrete.h"
#include "core/error.h"
#include "core/mesh/average.h"
#include "core/mesh/face.h"
#include "core/model/mass_properties.h"
#include "core/system/system.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::Vector2d;

void add_force(LoadColumn& column, int node, const Vector6& force) {
  column.on_nodes.try_emplace(node, Vector6::Zero()).first->second += force;
}

Vector3 mean_of(const Assembly& assembly, const std::vector<int>& nodes) {
  Vector3 sum = Vector3::Zero();
  for (const int node : nodes) sum += assembly.position(node);
  return sum / static_cast<double>(nodes.size());
}

// Points and weights on a face, exact to degree 5 along each of its two directions, of triangles in all (Radon 1948).
struct FacePointWeight {
  Vector2d at;
  double weight;
};
std::vector<FacePointWeight> face_rule(bool triangle) {
  std::vector<FacePointWeight> rule;
  if (!triangle) {
    const double g = std::sqrt(0.6);
    const double points[] = {-g, 0, g}, weights[] = {5.0 / 9, 8.0 / 9, 5.0 / 9};
    for (int i = 0; i < 3; ++i)
      for (int j = 0; j < 3; ++j) rule.push_back({{points[i], points[j]}, weights[i] * weights[j]});
    return rule;
  }
  rule.push_back({{1.0 / 3, 1.0 / 3}, 0.1125});
  const double root = std::sqrt(15.0);
  for (const double sign : {-1.0, 1.0}) {
    const double a = (6 + sign * root) / 21, weight = (155 + sign * root) / 2400;
    for (const Vector2d& at : {Vector2d(a, a), Vector2d(1 - 2 * a, a), Vector2d(a, 1 - 2 * a)})
      rule.push_back({at, weight});
  }
  return rule;
}

// Adds ∫ N dF to the nodes of a face, of dF = force(dA); the area vector dA by the order of the corners.
template <typename Force>
void distribute(const Assembly& assembly, const Surface::Face& face, const Force& force, LoadColumn& column) {
  for (const auto& [at, weight] : face_rule(face.corners == 3)) {
    const FaceFunctions f = face_functions(face.nodes.size(), at);
    Vector3 along = Vector3::Zero(), across = Vector3::Zero();
    for (std::size_t i = 0; i < face.nodes.size(); ++i) {
      along += f.slope(0, static_cast<Index>(i)) * assembly.position(face.nodes[i]);
      across += f.slope(1, static_cast<Index>(i)) * assembly.position(face.nodes[i]);
    }
    Vector6 here = Vector6::Zero();
    here.head<3>() = force(Vector3(weight * along.cross(across)));
    for (std::size_t i = 0; i < face.nodes.size(); ++i)
      add_force(column, face.nodes[i], f.value[static_cast<Index>(i)] * here);
  }
}

void refuse_without_faces(const std::string& name, const std::vector<const Surface::Face*>& faces) {
  if (faces.empty())
    throw_input_error("load " + name, "no face of shells or solids has all of its nodes in the place",
                      "choose the nodes of a surface, by a plane, a box, or the surface of a part");
}

// 1 where the area vector of a face looks to where the pressure comes from, else −1.
double sign_of(const Assembly& assembly, const std::string& name, const Surface::Face& face, const PressureSide& side) {
  const Part& part = assembly.parts[static_cast<std::size_t>(face.part)];
  if (part.form == Part::Form::solid) return 1;
  if (!side.direction && !side.point)
    throw_input_error("load " + name, fmt::format("part {} is made of shells, which have two sides", part.name),
                      "say where the pressure comes from: a direction, or a point that it comes from");
  const Vector3 area = area_vector(assembly, face);
  Vector3 centre = Vector3::Zero();
  for (int i = 0; i < face.corners; ++i)
    centre += assembly.position(face.nodes[static_cast<std::size_t>(i)]) / face.corners;
  const Vector3 towards = side.direction ? *side.direction : Vector3(*side.point - centre);
  constexpr double edge_on = 0.01;  // cosine
  const double cosine = area.normalized().dot(towards.normalized());
  if (!(std::abs(cosine) > edge_on))
    throw_input_error("load " + name,
                      fmt::format("an element of part {} at {} is seen edge-on from where the pressure comes",
                                  part.name, assembly.describe_position(centre)),
                      "name another direction or point, or a smaller place");
  return cosine > 0 ? 1 : -1;
}

}  // namespace

LoadColumn point_load(const Assembly& assembly, const Surface& surface, const PointLoad& load) {
  LoadColumn column;
  const auto count = static_cast<double>(load.nodes.size());
  if (load.nodes.size() == 1) {
    const Vector3& at = assembly.position(load.nodes[0]);
    add_force(column, load.nodes[0], rigid_arm(at, load.through.value_or(at)).transpose() * load.amount);
    return column;
  }
  if (load.sharing == Sharing::as_a_body) {
    std::vector<Vector3> points;
    std::vector<Mixture> motions;
    for (const int node : load.nodes) {
      points.push_back(assembly.position(node));
      motions.push_back({{node, Matrix6::Identity()}});
    }
    const Mixture mixture = best_fit(points, motions, std::vector<double>(points.size(), 1.0),
                                     load.through.value_or(mean_of(assembly, load.nodes)));
    if (mixture.empty())
      throw_input_error(
          "load " + load.name,
          fmt::format("its {} nodes lie on one line, so that nothing carries a turn about it", load.nodes.size()),
          "let it act on a place of three nodes or more that do not lie on a line, or be shared equally");
    for (const auto& [node, share] : mixture) add_force(column, node, share.transpose() * load.amount);
    return column;
  }
  std::vector<double> weights(load.nodes.size(), 1 / count);
  if (load.sharing == Sharing::by_area) {
    weights = tributary_areas(assembly, surface, load.nodes);
    double sum = 0;
    for (const double each : weights) sum += each;
    if (!(sum > 0))
      throw_input_error("load " + load.name,
                        "no face of shells or solids has all of its nodes in the place, so it has no area",
                        "let it be shared equally, or choose the nodes of a surface");
    for (double& each : weights) each /= sum;
  }
  for (std::size_t i = 0; i < load.nodes.size(); ++i) add_force(column, load.nodes[i], weights[i] * load.amount);
  return column;
}

std::vector<const Surface::Face*> faces_within(const Surface& surface, const std::vector<int>& nodes) {
  const std::set<int> chosen(nodes.begin(), nodes.end());
  std::vector<const Surface::Face*> faces;
  for (const Surface::Face& face : surface.faces)
    if (std::all_of(face.nodes.begin(), face.nodes.end(), [&](int node) { return chosen.contains(node); }))
      faces.push_back(&face);
  return faces;
}

std::vector<PressedFace> pressed_faces(const Assembly& assembly, const std::string& name,
                                       const std::vector<const Surface::Face*>& faces, const PressureSide& side) {
  refuse_without_faces(name, faces);
  std::vector<PressedFace> pressed_faces;
  pressed_faces.reserve(faces.size());
  for (const Surface::Face* face : faces) {
    const double sign = sign_of(assembly, name, *face, side);
    PressedFace pressed_face{Vector3::Zero(), 0, 0, {}};
    LoadColumn column;
    const auto press = [&](const Vector3& area) -> Vector3 {
      pressed_face.area += area.norm();
      return -sign * area;
    };
    distribute(assembly, *face, press, column);
    for (const auto& [node, force] : column.on_nodes) pressed_face.forces.emplace_back(node, force.head<3>());
    const auto corner = [&](int i) { return assembly.position(face->nodes[static_cast<std::size_t>(i)]); };
    for (int i = 0; i < face->corners; ++i) {
      pressed_face.centre += corner(i) / face->corners;
      for (int k = 0; k < i; ++k)
        pressed_face.diameter = std::max(pressed_face.diameter, (corner(i) - corner(k)).norm());
    }
    pressed_faces.push_back(std::move(pressed_face));
  }
  return pressed_faces;
}

LoadColumn uniform_pressure(const std::vector<PressedFace>& faces) {
  LoadColumn column;
  for (const PressedFace& face : faces)
    for (const auto& [node, force] : face.forces) {
      Vector6 six = Vector6::Zero();
      six.head<3>() = force;
      add_force(column, node, six);
    }
  return column;
}

LoadColumn traction(const Assembly& assembly, const std::string& name, const std::vector<const Surface::Face*>& faces,
                    const Vector3& direction) {
  refuse_without_faces(name, faces);
  LoadColumn column;
  for (const Surface::Face* face : faces)
    distribute(
        assembly, *face, [&](const Vector3& area) -> Vector3 { return area.norm() * direction; }, column);
  return column;
}

Load rotating_force(const Assembly& assembly, const Surface& surface, const PointLoad& at, const Vector3& axis,
                    bool positive, const std::optional<Vector3>& mark) {
  // x for z, y for x, z for y; of a slanted axis that which it is least along.
  Index main = 0;
  axis.cwiseAbs().maxCoeff(&main);
  Vector3 first = mark.value_or(Vector3::Unit((main + 1) % 3));
  first -= first.dot(axis) * axis;
  if (!(first.norm() > 1e-6))
    throw_input_error("load " + at.name, "the mark lies along the axis of rotation",
                      "name a direction square to the axis");
  first.normalize();
  Load load;
  load.name = at.name;
  for (const Vector3& direction : {first, Vector3(axis.cross(first))}) {
    PointLoad own = at;
    own.amount << direction, Vector3::Zero();
    load.columns.push_back(point_load(assembly, surface, own));
  }
  load.factors = {1, {0, positive ? -1.0 : 1.0}};
  return load;
}

Resultant resultant_of(const Assembly& assembly, const LoadColumn& column, const Vector3& about) {
  Resultant sum;
  for (const auto& [node, force] : outer_forces(assembly, column)) {
    sum.force += force.head<3>();
    sum.moment += force.tail<3>() + (assembly.position(node) - about).cross(Vector3(force.head<3>()));
  }
  if (column.field) {
    const MassProperties mass = total_mass(assembly);
    sum.force += mass.mass * *column.field;
    sum.moment += (mass.centre - about).cross(Vector3(mass.mass * *column.field));
  }
  return sum;
}

}  // namespace avrenk
