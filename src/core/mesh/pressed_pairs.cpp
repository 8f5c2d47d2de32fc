#include "core/mesh/pressed_pairs.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/error.h"
#include "core/mesh/attach.h"
#include "core/mesh/face.h"
#include "core/mesh/footprint.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::Vector2d;

// Gauss points of a face, enough for ∫N² of quadratic ones.
struct Sample {
  Vector2d at;
  double weight;
};
const std::vector<Sample>& face_samples(bool triangle) {
  static const std::vector<Sample> square = [] {
    std::vector<Sample> all;
    const double g = std::sqrt(0.6);
    for (const auto& [x, u] : {std::pair(-g, 5.0 / 9), {0.0, 8.0 / 9}, {g, 5.0 / 9}})
      for (const auto& [y, v] : {std::pair(-g, 5.0 / 9), {0.0, 8.0 / 9}, {g, 5.0 / 9}}) all.push_back({{x, y}, u * v});
    return all;
  }();
  static const std::vector<Sample> three_sided = [] {  // degree 4: Strang & Fix
    std::vector<Sample> all;
    for (const auto& [a, weight] :
         {std::pair(0.445948490915965, 0.223381589678011), {0.091576213509771, 0.109951743655322}})
      for (const Vector2d& at : {Vector2d(a, a), Vector2d(1 - 2 * a, a), Vector2d(a, 1 - 2 * a)})
        all.push_back({at, 0.5 * weight});
    return all;
  }();
  return triangle ? three_sided : square;
}

// A node of the pressing side: its part of the surface, and E/h of what it belongs to.
struct Pressing {
  double area = 0;
  double stiffness = 0;  // N/m³ times area
};

class Pairing {
 public:
  Pairing(Assembly& assembly, const Surface& surface, const ContactSurfaces& request)
      : assembly_(assembly), surface_(surface), request_(request), carrier_(assembly, surface, request.to) {}

  PressedPairs run() {
    if (carrier_.empty())
      refuse("joint " + request_.joint, "what is pressed on has no faces", "name parts of shells or solids");
    find_faces();
    find_pairs();
    return made_;
  }

 private:
  [[nodiscard]] bool carries(int part) const {
    return std::find(request_.to.begin(), request_.to.end(), part) != request_.to.end();
  }
  [[nodiscard]] double modulus_of(int part) const { return assembly_.material_of(part).youngs_modulus; }

  // Faces of the pressing side that look at the other, and what of them belongs to each node.
  void find_faces() {
    const std::set<int> chosen(request_.nodes.begin(), request_.nodes.end());
    shells_ = shell_sides(assembly_, surface_, [&](int part) { return !carries(part); });
    for (const Surface::Face& face : surface_.faces) {
      if (carries(face.part)) continue;
      if (!std::all_of(face.nodes.begin(), face.nodes.end(), [&](int node) { return chosen.contains(node); })) continue;
      const Vector3 area = area_vector(assembly_, face);
      Vector3 centre = Vector3::Zero();
      for (int i = 0; i < face.corners; ++i)
        centre += assembly_.position(face.nodes[static_cast<std::size_t>(i)]) / face.corners;
      const FacePoint point = carrier_.nearest(centre);
      const bool solid = assembly_.parts[static_cast<std::size_t>(face.part)].form == Part::Form::solid;
      const bool on_solid = carrier_.part(point).form == Part::Form::solid;
      constexpr double towards = 0.7;  // within 45° of the other side
      const double cosine = area.normalized().dot(point.normal);
      if (solid && on_solid ? cosine > -towards : std::abs(cosine) < towards) continue;
      share_out(face, area.norm());
    }
    if (nodes_.empty())
      refuse("joint " + request_.joint, fmt::format("no face of {} looks at what it is to press on", request_.pressing),
             "name a part whose surface lies on the other");
  }

  void share_out(const Surface::Face& face, double area) {
    Eigen::VectorXd squares = Eigen::VectorXd::Zero(std::ssize(face.nodes));
    for (const Sample& sample : face_samples(face.corners == 3))
      squares += sample.weight * face_functions(face.nodes.size(), sample.at).value.cwiseAbs2();
    squares *= area / squares.sum();
    const double stiffness = modulus_of(face.part) / std::sqrt(area);
    for (std::size_t i = 0; i < face.nodes.size(); ++i) {
      Pressing& own = nodes_[face.nodes[i]];
      own.area += squares[static_cast<Index>(i)];
      own.stiffness += squares[static_cast<Index>(i)] * stiffness;
    }
  }

  void find_pairs() {
    std::set<int> own;
    for (const ElementGroup& group : assembly_.groups)
      if (carries(group.part)) own.insert(group.nodes.begin(), group.nodes.end());
    double nearest = std::numeric_limits<double>::infinity();
    int nearest_node = -1;
    for (const auto& [node, pressing] : nodes_) {
      if (own.contains(node))
        refuse("joint " + request_.joint,
               fmt::format("{} belongs to both sides, which cannot open there", assembly_.describe_node(node)),
               "let the parts have nodes of their own where they touch: leave a merge out, or draw them apart");
      const Vector3& x = assembly_.position(node);
      const FacePoint point = carrier_.nearest(x);
      const ShellSide& shell = shells_.of(node);
      const double gap = gap_to_face(carrier_, point, x, shell);
      if (gap < nearest) {
        nearest = gap;
        nearest_node = node;
      }
      if (gap <= request_.within * (1 + 1e-9) + 1e-12) add_pair(node, pressing, point, shell);
    }
    if (made_.count == 0)
      refuse("joint " + request_.joint,
             fmt::format("nothing is near enough: the nearest, {}, is {:.4g} mm off, and only what is within {:.4g} mm "
                         "presses",
                         assembly_.describe_node(nearest_node), 1e3 * nearest, 1e3 * request_.within),
             fmt::format("close the gap, or let it reach to within {:.4g} mm", 1e3 * nearest * 1.01));
  }

  void add_pair(int node, const Pressing& pressing, const FacePoint& point, const ShellSide& shell) {
    const Vector3& x = assembly_.position(node);
    const Part& carrier = carrier_.part(point);
    const bool on_shell = carrier.form == Part::Form::shell;
    const double height = (x - point.position).dot(point.normal) - (on_shell ? carrier.offset : 0);
    const double halves = shell.half + (on_shell ? 0.5 * carrier.thickness : 0);
    Vector3 away = point.normal;  // from what carries to what presses
    if (on_shell) {
      constexpr double same_plane = 1e-9;  // m
      if (std::abs(height) < same_plane)
        refuse("joint " + request_.joint,
               fmt::format("{} lies in the middle surface of {}, and on which side it presses is not known",
                           assembly_.describe_node(node), carrier.name),
               "draw the parts as far apart as half their thicknesses");
      if (height < 0) away = -away;
    }
    const double drawn = std::abs(on_shell ? height : std::max(height, 0.0)) - halves;
    const double own = pressing.stiffness / pressing.area, other = carrier_stiffness(point),
                 per_area = request_.stiffness.value_or(softer_hundredfold * std::min(own, other));
    Spring spring;
    spring.joint = request_.joint;
    const int carried = static_cast<int>(assembly_.nodes.size());
    // The surfaces touch half a thickness off the nodes of a shell.
    spring.point = x - shell.half * away;
    assembly_.nodes.push_back({spring.point, request_.joint});
    assembly_.followers.push_back(follower_of(request_.joint, Joint::Type::contact, carried,
                                              carrier_.carry(point, spring.point), std::max(drawn, 0.0), made_.count));
    spring.nodes = {carried, node};
    const Vector3 across = away.unitOrthogonal();
    spring.axes << across.transpose(), away.cross(across).transpose(), away.transpose();
    const double stiffness = per_area * pressing.area;
    spring.stiffness[2] = stiffness;
    if (request_.sticks) spring.stiffness.head<2>().setConstant(stiffness);
    spring.loss_factor = request_.loss_factor;
    spring.one_sided = OneSided{2, 1, request_.gap.value_or(drawn), request_.friction_holds};
    assembly_.springs.push_back(std::move(spring));
    made_.least_stiffness = made_.count == 0 ? per_area : std::min(made_.least_stiffness, per_area);
    made_.most_stiffness = std::max(made_.most_stiffness, per_area);
    made_.area += pressing.area;
    ++made_.count;
  }

  // E/h of the face that carries.
  [[nodiscard]] double carrier_stiffness(const FacePoint& point) const {
    const Surface::Face& face = carrier_.face(point);
    return modulus_of(face.part) / std::sqrt(area_vector(assembly_, face).norm());
  }

  static constexpr double softer_hundredfold = 100;

  Assembly& assembly_;
  const Surface& surface_;
  const ContactSurfaces& request_;
  FaceSearch carrier_;
  ShellSides shells_;
  std::map<int, Pressing> nodes_;
  PressedPairs made_;
};

}  // namespace

PressedPairs add_contact(Assembly& assembly, const Surface& surface, const ContactSurfaces& request) {
  return Pairing(assembly, surface, request).run();
}

}  // namespace avrenk
