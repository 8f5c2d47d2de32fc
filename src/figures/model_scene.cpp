#include "figures/model_scene.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <unordered_map>

#include "core/model/mass_properties.h"

namespace avrenk {
namespace {

using Eigen::Vector2d;

constexpr double density_of_bodies = 1500;  // kg/m³: what a sphere of a mass's size would have

// A mass is a sphere as large as it would be, but not too small and not too large beside the model.
double body_radius(const PointMass& mass, double size) {
  return std::clamp(std::cbrt(3 * mass.mass / (4 * std::numbers::pi * density_of_bodies)), 0.012 * size, 0.09 * size);
}

struct Paints {
  std::vector<int> parts, masses;
  std::vector<std::pair<std::string, int>> joints;  // springs by the name of their joint
  int dark = 0, pale = 0, base = 0;
};

// Where a node goes.
class Moved {
 public:
  Moved(const Assembly& assembly, const ModelLook& look) : assembly_(assembly), look_(look) {}
  /// Of a point that the node carries rigidly; small rotations.
  [[nodiscard]] Vector3 point(int node, const Vector3& at) const {
    if (!look_.motions) return at;
    const auto u = look_.motions->col(node);
    const Vector3 arm = at - assembly_.nodes[static_cast<std::size_t>(node)].position;
    return at + look_.scale * (u.head<3>() + u.tail<3>().cross(arm));
  }
  [[nodiscard]] Vector3 node(int node) const {
    return point(node, assembly_.nodes[static_cast<std::size_t>(node)].position);
  }
  /// Part of the largest translation, at a point that the node carries.
  [[nodiscard]] double value(int node, const Vector3& at) const {
    if (look_.node_value) return look_.node_value(node);
    if (!look_.motions || !(look_.largest > 0)) return 0;
    const auto u = look_.motions->col(node);
    const Vector3 arm = at - assembly_.nodes[static_cast<std::size_t>(node)].position;
    return (u.head<3>() + u.tail<3>().cross(arm)).norm() / look_.largest;
  }

 private:
  const Assembly& assembly_;
  const ModelLook& look_;
};

// Convex polygons that cover a section; a round bar of the same area where only numbers are known.
std::vector<std::vector<Vector2d>> outlines_of(const BeamSection& section) {
  if (!section.outlines.empty()) return section.outlines;
  std::vector<Vector2d> circle;
  circle.reserve(16);
  const double radius = std::sqrt(section.area / std::numbers::pi);
  for (int k = 0; k < 16; ++k)
    circle.emplace_back(radius * std::cos(2 * std::numbers::pi * k / 16),
                        radius * std::sin(2 * std::numbers::pi * k / 16));
  return {circle};
}

constexpr std::size_t most_spokes = 16;  // of a node that follows the mean of many

class Drawer {
 public:
  Drawer(const Assembly& assembly, const ModelLook& look)
      : assembly_(assembly), look_(look), moved_(assembly, look), size_(model_size(assembly)) {
    std::size_t i = 0;
    for (const auto& [name, colour] : model_legend(assembly)) {
      const int paint = scene_.add_paint(colour);
      if (i < assembly.parts.size())
        paints_.parts.push_back(paint);
      else if (i < assembly.parts.size() + assembly.masses.size())
        paints_.masses.push_back(paint);
      else
        paints_.joints.emplace_back(name, paint);
      ++i;
    }
    paints_.dark = scene_.add_paint({0.30, 0.33, 0.38});
    paints_.pale = scene_.add_paint({0.62, 0.65, 0.70});
    paints_.base = scene_.add_paint({0.45, 0.48, 0.53});
    for (std::size_t b = 0; b < assembly.beams.size(); ++b)
      if (shows(assembly.beams[b].part)) add_beam(b);
    for (const Component& component : assembly.components)
      if (shows(component.part)) add_component(component);
    if (!assembly.groups.empty()) add_surface(look.surface ? *look.surface : surface_of(assembly));
    if (look.ghost) add_ghost();
    if (look.parts) return;
    for (std::size_t m = 0; m < assembly.masses.size(); ++m) add_mass(assembly.masses[m], paints_.masses[m]);
    for (const Spring& spring : assembly.springs) add_spring(spring);
    for (const RigidLink& link : assembly.links)
      for (const int follow : link.follow) add_line(link.lead, follow);
    for (const Follower& follower : assembly.followers)
      if (follower.type == Joint::Type::average)  // others lie on what carries them
        for (std::size_t k = 0; k < follower.leads.size(); k += 1 + follower.leads.size() / most_spokes)
          add_line(follower.leads[k], follower.node);
    const auto feet = assembly.feet();
    feet_ = feet.size();
    for (const auto& [base, foot] : feet) add_foot(foot.node);
    if (look.loads) add_loads();
  }
  [[nodiscard]] Scene take() { return std::move(scene_); }

 private:
  [[nodiscard]] bool shows(int part) const { return !look_.parts || (*look_.parts)[static_cast<std::size_t>(part)]; }
  [[nodiscard]] bool by_value() const { return look_.node_value || (look_.motions && look_.largest > 0); }
  [[nodiscard]] int paint(int own) const {
    if (look_.face_value || look_.beam_value) return paints_.pale;
    return by_value() ? Scene::by_value : own;
  }

  // A face with middle nodes is cut into triangles: of four corners around the centre, where its functions give the
  // middles half and take off a quarter of the corners; of three at its corners and between the middles.
  void add_face(const Surface::Face& face, const std::vector<int>& points, int own) {
    const auto c = static_cast<std::size_t>(face.corners);
    if (points.size() == c) {
      scene_.faces.push_back({{points[0], points[1], points[2], c == 4 ? points[3] : -1}, own});
      return;
    }
    if (c == 4) {
      Vector3 centre = Vector3::Zero();
      double value = 0;
      for (std::size_t i = 0; i < 8; ++i) {
        const double part = i < 4 ? -0.25 : 0.5;
        centre += part * scene_.points[static_cast<std::size_t>(points[i])];
        value += part * scene_.values[static_cast<std::size_t>(points[i])];
      }
      const int middle = scene_.add(centre, std::clamp(value, 0.0, 1.0),
                                    {scene_.tags[static_cast<std::size_t>(points[0])][0], face.part});
      for (std::size_t i = 0; i < 4; ++i) {
        scene_.faces.push_back({{points[i], points[4 + i], middle, -1}, own});
        scene_.faces.push_back({{points[4 + i], points[(i + 1) % 4], middle, -1}, own});
      }
      return;
    }
    for (std::size_t i = 0; i < c; ++i)
      scene_.faces.push_back({{points[i], points[c + i], points[c + (i + c - 1) % c], -1}, own});
    scene_.faces.push_back({{points[c], points[c + 1], points[c + 2], -1}, own});
  }

  void add_surface(const Surface& surface) {
    std::unordered_map<std::size_t, int> point_of;
    const auto point = [&](int node, int part) {
      const std::size_t apart = look_.parts_apart ? static_cast<std::size_t>(part) : 0;
      const auto [known, fresh] =
          point_of.try_emplace(apart * assembly_.nodes.size() + static_cast<std::size_t>(node), -1);
      int& own = known->second;
      if (fresh) own = scene_.add(moved_.node(node), moved_.value(node, assembly_.position(node)), {node, part});
      return own;
    };
    std::vector<int> points;
    for (const Surface::Face& face : surface.faces) {
      if (!shows(face.part)) continue;
      points.clear();
      bool valued = static_cast<bool>(look_.face_value);
      for (std::size_t i = 0; i < face.nodes.size(); ++i) {
        if (!look_.face_value) {
          points.push_back(point(face.nodes[i], face.part));
          continue;
        }
        const double value = look_.face_value(face, i);
        valued = valued && !std::isnan(value);
        points.push_back(scene_.add(moved_.node(face.nodes[i]), std::isnan(value) ? 0 : value));
      }
      add_face(face, points, valued ? Scene::by_value : paint(paints_.parts[static_cast<std::size_t>(face.part)]));
    }
    for (const Surface::Edge& edge : surface.feature_edges) {
      if (!shows(edge.part)) continue;
      const auto end = [&](int node) {
        return look_.face_value ? scene_.add(moved_.node(node)) : point(node, edge.part);
      };
      scene_.strokes.push_back({end(edge.from), end(edge.to), paints_.dark, 0.6});
    }
    if (look_.ghost)
      for (const Surface::Edge& edge : surface.feature_edges)
        if (shows(edge.part))
          scene_.strokes.push_back({scene_.add(assembly_.position(edge.from)), scene_.add(assembly_.position(edge.to)),
                                    paints_.pale, 1.0, false});
  }

  void add_beam(std::size_t index) {
    const BeamElement& beam = assembly_.beams[index];
    const BeamProperties properties = assembly_.properties(beam);
    const Matrix3 axes = beam.geometry.axes();
    const auto first = outlines_of(properties.at_end(0)), last = outlines_of(properties.at_end(1));
    std::array<double, 2> values{std::nan(""), std::nan("")};
    if (look_.beam_value) values = {look_.beam_value(index, 0), look_.beam_value(index, 1)};
    const bool valued = !std::isnan(values[0]) && !std::isnan(values[1]);
    const int colour = valued ? Scene::by_value : paint(paints_.parts[static_cast<std::size_t>(beam.part)]);
    for (std::size_t o = 0; o < std::min(first.size(), last.size()); ++o) {
      const std::size_t corners = std::min(first[o].size(), last[o].size());
      std::array<std::vector<int>, 2> rings;
      for (std::size_t end = 0; end < 2; ++end) {
        const Vector3& centre = end == 0 ? beam.geometry.end1 : beam.geometry.end2;
        const auto& outline = end == 0 ? first[o] : last[o];
        const int node = beam.nodes[end];
        for (std::size_t k = 0; k < corners; ++k) {
          const Vector3 at =
              centre + outline[k].x() * axes.row(1).transpose() + outline[k].y() * axes.row(2).transpose();
          rings[end].push_back(
              scene_.add(moved_.point(node, at), valued ? values[end] : moved_.value(node, at), {node, beam.part}));
        }
      }
      for (std::size_t k = 0; k < corners; ++k) {
        const std::size_t next = (k + 1) % corners;
        scene_.faces.push_back({{rings[0][k], rings[0][next], rings[1][next], rings[1][k]}, colour});
        if (corners <= 6) scene_.strokes.push_back({rings[0][k], rings[1][k], paints_.dark, 0.7});
      }
      for (const auto& ring : rings) {
        for (std::size_t k = 1; k + 1 < corners; ++k)
          scene_.faces.push_back({{ring[0], ring[k], ring[k + 1], -1}, colour});
        for (std::size_t k = 0; k < corners; ++k)
          scene_.strokes.push_back({ring[k], ring[(k + 1) % corners], paints_.dark, corners <= 6 ? 0.5 : 0.35});
      }
    }
  }

  void add_mass(const PointMass& mass, int own) {
    const Vector3 centre = assembly_.nodes[static_cast<std::size_t>(mass.node)].position + mass.offset;
    const Vector3 at = moved_.point(mass.node, centre);
    const double radius = body_radius(mass, size_);
    const double value = moved_.value(mass.node, centre);
    constexpr int around = 24, high = 12;
    std::vector<int> above;
    for (int j = 0; j <= high; ++j) {
      std::vector<int> ring;
      const double polar = std::numbers::pi * j / high;
      for (int i = 0; i < around; ++i) {
        const double turn = 2 * std::numbers::pi * i / around;
        ring.push_back(scene_.add(
            at + radius * Vector3(std::sin(polar) * std::cos(turn), std::sin(polar) * std::sin(turn), std::cos(polar)),
            value, {mass.node, -1}));
      }
      for (std::size_t i = 0; j > 0 && i < static_cast<std::size_t>(around); ++i) {
        const std::size_t next = (i + 1) % static_cast<std::size_t>(around);
        scene_.faces.push_back({{above[i], above[next], ring[next], ring[i]}, paint(own)});
      }
      above = std::move(ring);
    }
    if (mass.offset.norm() > 1e-9 * size_)
      scene_.strokes.push_back(
          {scene_.add(moved_.node(mass.node),
                      moved_.value(mass.node, assembly_.nodes[static_cast<std::size_t>(mass.node)].position)),
           scene_.add(at, value), paint(paints_.dark), 1.6});
  }

  void add_spring(const Spring& spring) {
    if (spring.unilateral && spring.unilateral->is_open) return;  // it carries nothing
    const int from = spring.nodes[0], to = spring.nodes[1];
    const Vector3 a = moved_.node(from), b = to < 0 ? Vector3(spring.point) : moved_.node(to);
    const auto joint = std::find_if(paints_.joints.begin(), paints_.joints.end(),
                                    [&](const auto& each) { return each.first == spring.joint; });
    const int colour = paint(joint->second);
    const double va = moved_.value(from, assembly_.nodes[static_cast<std::size_t>(from)].position),
                 vb = to < 0 ? 0 : moved_.value(to, assembly_.nodes[static_cast<std::size_t>(to)].position);
    Vector3 along = b - a;
    Vector3 across = along.cross(std::abs(along.z()) > 0.9 * along.norm() ? Vector3::UnitY() : Vector3::UnitZ());
    const double length = along.norm(), least = 0.02 * size_;
    const Vector3 from_end = assembly_.position(from), to_end = to < 0 ? Vector3(spring.point) : assembly_.position(to);
    if ((to_end - from_end).norm() < 0.1 * least) {  // both ends at one spot as built: a small cross
      for (int d = 0; d < 3; ++d) {
        // Contacts are many and lie between what would hide them.
        const Vector3 half = (spring.unilateral ? 0.2 : 0.5) * least * Vector3::Unit(d);
        scene_.strokes.push_back({scene_.add(a - half, va), scene_.add(a + half, va), colour,
                                  spring.unilateral ? 2.0 : 3.0, true, spring.unilateral.has_value()});
      }
      return;
    }
    across = std::max(0.16 * length, 0.35 * least) * across.normalized();
    constexpr int turns = 8;
    int last = scene_.add(a, va, {from, -1});
    for (int k = 1; k <= turns + 1; ++k) {
      const double part = k > turns ? 1 : (k - 0.5) / turns;
      const Vector3 side = k > turns ? Vector3::Zero() : Vector3((k % 2 ? 1 : -1) * across);
      const int next = scene_.add(a + part * along + side, (1 - part) * va + part * vb, {k > turns ? to : -1, -1});
      scene_.strokes.push_back({last, next, colour, 2.4});
      last = next;
    }
  }

  // A star from the middle of its interface to its nodes and points: its shape is not known.
  void add_component(const Component& component) {
    const std::span nodes(component.nodes.data(), static_cast<std::size_t>(component.interface));
    const int home = nodes.front(), own = paint(paints_.parts[static_cast<std::size_t>(component.part)]);
    Vector3 middle = Vector3::Zero();
    for (const int node : nodes) middle += assembly_.position(node) / static_cast<double>(nodes.size());
    const auto add_spoke = [&](int node) {
      if ((assembly_.position(node) - middle).norm() < 1e-6 * size_) return;
      scene_.strokes.push_back({scene_.add(moved_.point(home, middle), moved_.value(home, middle), {home, -1}),
                                scene_.add(moved_.node(node), moved_.value(node, assembly_.position(node)), {node, -1}),
                                own, 3});
    };
    for (const int node : nodes) add_spoke(node);
    for (const Follower& follower : assembly_.followers)
      if (follower.type == Joint::Type::recovery &&
          std::find(follower.leads.begin(), follower.leads.end(), home) != follower.leads.end())
        add_spoke(follower.node);
  }
  void add_line(int from, int to) {
    if ((assembly_.position(from) - assembly_.position(to)).norm() < 0.015 * size_) return;  // a speck
    const auto end = [&](int node) {
      return scene_.add(moved_.node(node), moved_.value(node, assembly_.nodes[static_cast<std::size_t>(node)].position),
                        {node, -1});
    };
    scene_.strokes.push_back({end(from), end(to), paint(paints_.dark), 1.6});
  }

  void add_foot(int node) {
    const Vector3 at = assembly_.nodes[static_cast<std::size_t>(node)].position;
    // Many feet are a face or an edge: small blocks leave it in sight.
    const double half = 0.018 * size_ * std::min(1.0, 3 / std::sqrt(static_cast<double>(feet_)));
    std::array<int, 8> corners{};
    for (std::size_t k = 0; k < 8; ++k)
      corners[k] = scene_.add(at + half * Vector3(k & 1 ? 1 : -1, k & 2 ? 1 : -1, k & 4 ? 0.4 : -1.6), 0, {node, -1});
    const auto at_corner = [&](std::size_t k) { return corners[k]; };
    for (const std::array<std::size_t, 4>& side : {std::array<std::size_t, 4>{0, 1, 3, 2},
                                                   {4, 5, 7, 6},
                                                   {0, 1, 5, 4},
                                                   {2, 3, 7, 6},
                                                   {0, 2, 6, 4},
                                                   {1, 3, 7, 5}}) {
      scene_.faces.push_back(
          {{at_corner(side[0]), at_corner(side[1]), at_corner(side[2]), at_corner(side[3])}, paints_.base});
      for (std::size_t k = 0; k < 4; ++k)
        scene_.strokes.push_back({at_corner(side[k]), at_corner(side[(k + 1) % 4]), paints_.dark, 0.6});
    }
  }

  // A shaft and four barbs; a moment has a second head.
  void add_loads() {
    const std::vector<LoadArrow> arrows = load_arrows(assembly_);
    if (arrows.empty()) return;
    const int colour = scene_.add_paint(load_colour);
    for (const LoadArrow& arrow : arrows) {
      const Vector3 along = arrow.to - arrow.from;
      const Vector3 side = (std::abs(along.x()) < 0.9 * along.norm() ? Vector3::UnitX() : Vector3::UnitY())
                               .cross(along)
                               .normalized(),
                    other = along.normalized().cross(side);
      const auto stroke = [&](const Vector3& from, const Vector3& to, double width) {
        scene_.strokes.push_back({scene_.add(from), scene_.add(to), colour, width, false, true});
      };
      stroke(arrow.from, arrow.to, 2);
      for (int head = 0; head < (arrow.moment ? 2 : 1); ++head) {
        const Vector3 tip = arrow.to - 0.22 * head * along;
        for (const Vector3& barb : {side, Vector3(-side), other, Vector3(-other)})
          stroke(tip, tip - 0.25 * along + 0.09 * along.norm() * barb, 2);
      }
    }
  }

  void add_ghost() {
    const auto at = [&](const Vector3& point) { return scene_.add(point); };
    for (const BeamElement& beam : assembly_.beams)
      if (shows(beam.part))
        scene_.strokes.push_back({at(beam.geometry.end1), at(beam.geometry.end2), paints_.pale, 1.3, false});
    for (const PointMass& mass : assembly_.masses) {
      if (look_.parts) break;
      const Vector3& node = assembly_.nodes[static_cast<std::size_t>(mass.node)].position;
      const int centre = at(node + mass.offset);
      for (int d = 0; d < 3; ++d) {
        const Vector3 half = 0.012 * size_ * Vector3::Unit(d);
        scene_.strokes.push_back({at(scene_.points[static_cast<std::size_t>(centre)] - half),
                                  at(scene_.points[static_cast<std::size_t>(centre)] + half), paints_.pale, 1.3,
                                  false});
      }
    }
  }

  const Assembly& assembly_;
  const ModelLook& look_;
  Moved moved_;
  double size_;
  std::size_t feet_ = 0;
  Paints paints_;
  Scene scene_;
};

}  // namespace

double model_size(const Assembly& assembly) {
  Vector3 low = Vector3::Constant(HUGE_VAL), high = -low;
  const auto take = [&](const Vector3& point) {
    low = low.cwiseMin(point);
    high = high.cwiseMax(point);
  };
  for (const Node& node : assembly.nodes) take(node.position);
  for (const PointMass& mass : assembly.masses)
    take(assembly.nodes[static_cast<std::size_t>(mass.node)].position + mass.offset);
  const double size = (high - low).maxCoeff();
  return size > 0 ? size : 1;
}

std::vector<std::pair<std::string, Colour>> model_legend(const Assembly& assembly) {
  std::vector<std::pair<std::string, Colour>> legend;
  const auto add = [&](const std::string& name) { legend.emplace_back(name, part_colour(legend.size())); };
  for (const Part& part : assembly.parts) add(part.name);
  for (const PointMass& mass : assembly.masses) add(mass.name);
  const std::size_t before = legend.size();
  for (const Spring& spring : assembly.springs)
    if (std::none_of(legend.begin() + static_cast<std::ptrdiff_t>(before), legend.end(),
                     [&](const auto& each) { return each.first == spring.joint; }))
      add(spring.joint);
  return legend;
}

Scene model_scene(const Assembly& assembly, const ModelLook& look) { return Drawer(assembly, look).take(); }

std::vector<LoadArrow> load_arrows(const Assembly& assembly) {
  constexpr double length = 0.09;        // of the model's size
  constexpr double worth_drawing = 0.2;  // of the largest force of the load
  constexpr double apart = 0.11;         // of the model's size: nearer ones of one load are left out
  std::vector<LoadArrow> arrows;
  const double whole = model_size(assembly), size = length * whole;
  std::map<int, double> bodies;  // radius at their nodes: an arrow ends where it meets one
  for (const PointMass& mass : assembly.masses)
    if (mass.offset.norm() < body_radius(mass, whole)) bodies[mass.node] = body_radius(mass, whole);
  for (std::size_t l = 0; l < assembly.loads.size() && assembly.loads[l].is_declared(); ++l)
    for (const LoadColumn& column : assembly.loads[l].columns)
      for (const bool moment : {false, true}) {
        std::vector<std::pair<Vector3, Vector3>> acting;  // where, and how much
        double largest = 0;
        for (const auto& [node, six] : column.on_nodes) {
          const Vector3 amount = moment ? six.tail<3>() : six.head<3>();
          const auto body = bodies.find(node);
          acting.emplace_back(
              assembly.position(node) - (body == bodies.end() ? 0 : body->second) * amount.stableNormalized(), amount);
        }
        for (const auto& [beam, per_length] : column.on_beams)
          if (const BeamGeometry& g = assembly.beams[static_cast<std::size_t>(beam)].geometry; !moment)
            acting.emplace_back(0.5 * (g.end1 + g.end2), per_length);
        if (column.field && !moment) acting.emplace_back(total_mass(assembly).centre, *column.field);
        for (const auto& [at, amount] : acting) largest = std::max(largest, amount.norm());
        std::erase_if(acting, [&](const auto& each) { return !(each.second.norm() > worth_drawing * largest); });
        std::vector<Vector3> drawn;
        for (const auto& [at, amount] : acting) {
          const bool near = std::any_of(drawn.begin(), drawn.end(), [&, where = at](const Vector3& other) {
            return (other - where).norm() < apart * whole;
          });
          if (near) continue;
          drawn.push_back(at);
          arrows.push_back({at - size * amount / largest, at, moment, l});
        }
      }
  return arrows;
}

}  // namespace avrenk
