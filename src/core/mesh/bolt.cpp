#include "core/mesh/bolt.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
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

namespace {

// What a part takes up along a line, m from a point on it.
struct Span {
  double from = 0, to = 0;
  [[nodiscard]] double middle() const { return 0.5 * (from + to); }
  [[nodiscard]] double length() const { return to - from; }
};

// Where a line hits a triangle, along the line; absent where it does not.
std::optional<double> hit(const Vector3& origin, const Vector3& along, const std::array<Vector3, 3>& corners) {
  Matrix3 edges;
  edges << corners[1] - corners[0], corners[2] - corners[0], -along;
  const double volume = edges.determinant();
  if (std::abs(volume) < 1e-12 * edges.col(0).norm() * edges.col(1).norm()) return std::nullopt;
  const Vector3 at = edges.inverse() * (origin - corners[0]);
  constexpr double edge = -1e-9;  // a line along an edge hits one side or both
  if (at[0] < edge || at[1] < edge || at[0] + at[1] > 1 - edge) return std::nullopt;
  return at[2];
}

// What solids take up along a line: of the stretches inside, the one nearest to its origin.
std::optional<Span> solid_span(const Assembly& assembly, const Surface& surface, int part, const Vector3& origin,
                               const Vector3& along) {
  std::vector<double> hits;
  for (const Surface::Face& face : surface.faces) {
    if (face.part != part) continue;
    const auto corner = [&](int k) -> const Vector3& {
      return assembly.position(face.nodes[static_cast<std::size_t>(k)]);
    };
    std::optional<double> found = hit(origin, along, {corner(0), corner(1), corner(2)});
    if (!found && face.corners == 4) found = hit(origin, along, {corner(0), corner(2), corner(3)});
    if (found) hits.push_back(*found);
  }
  std::sort(hits.begin(), hits.end());
  std::optional<Span> best;
  double nearest = 0;
  const double spot = hits.empty() ? 0 : 1e-9 * (1 + hits.back() - hits.front());
  hits.erase(std::unique(hits.begin(), hits.end(), [&](double a, double b) { return b - a < spot; }), hits.end());
  for (std::size_t k = 0; k + 1 < hits.size(); k += 2) {
    const Span span{hits[k], hits[k + 1]};
    const double off = std::max({0.0, span.from, -span.to});
    if (!best || off < nearest) {
      best = span;
      nearest = off;
    }
  }
  return best;
}

// What a gripped part takes up along a bolt: of shells their thickness about the middle surface, of solids what lines
// through the ring that the bolt grips run through, in the mean: it may have a hole.
Span gripped_span(const Assembly& assembly, const Surface& surface, const FaceSearch& search, int part,
                  const std::vector<Vector3>& ring, const Vector3& place, const Vector3& axis) {
  const FacePoint point = search.nearest(place);
  const Part& gripped = assembly.parts[static_cast<std::size_t>(part)];
  const double at = axis.dot(point.position - place);
  if (gripped.thickness > 0) {
    const double middle = at + gripped.offset * axis.dot(point.normal);
    return {middle - 0.5 * gripped.thickness, middle + 0.5 * gripped.thickness};
  }
  Span sum;
  int lines = 0;
  for (const Vector3& corner : ring)
    if (const auto found = solid_span(assembly, surface, part, corner, axis)) {
      sum.from += found->from;
      sum.to += found->to;
      ++lines;
    }
  if (lines == 0) return {at, at};
  return {sum.from / lines, sum.to / lines};
}

// What two parts take up together; without a second that of the first.
Span together(const Span& first, const std::optional<Span>& second) {
  if (!second) return first;
  return {std::min(first.from, second->from), std::max(first.to, second->to)};
}

// The middle of a clamped length, along the bolt from its place.
double middle_of_clamp(const Span& first, const std::optional<Span>& second, double length, bool shells) {
  if (!second) {  // the bolt goes on into the base, on the side of which its place lies
    const double side = -first.middle();
    if (std::abs(side) < 1e-9 * length) return first.middle();
    return first.middle() + std::copysign(0.5 * std::max(0.0, length - first.length()), side);
  }
  const Span both = together(first, second);
  if (shells || both.length() <= length * (1 + 1e-9)) return both.middle();
  const Span& thin = first.length() <= second->length() ? first : *second;
  const Span& thick = first.length() <= second->length() ? *second : first;
  return thick.middle() > thin.middle() ? thin.from + 0.5 * length : thin.to - 0.5 * length;
}

// Which of two parts a tightened bolt grips on the outer face, as what it clamps lies between head and nut: both, or,
// where it is shorter than they are together and ends in the thicker of them, the thinner alone.
std::array<bool, 2> gripped_outside(const Span& first, const std::optional<Span>& second, double length) {
  constexpr double rounding = 1e-6;
  if (together(first, second).length() <= length * (1 + rounding)) return {true, true};
  const bool first_is_thin = second && first.length() < second->length();
  return {first_is_thin, second && !first_is_thin};
}

// Which way along the bolt the second part lies from the first, or the base: 1, −1, or 0 where both are at one height.
double from_first_to_second(const Span& first, const std::optional<Span>& second, double length) {
  const double apart = (second ? second->middle() : 0) - first.middle();
  return std::abs(apart) < 1e-9 * length ? 0 : apart;
}

}  // namespace

std::string add_bolts(Assembly& assembly, const Surface& surface, const Bolt& bolt, const std::vector<Vector3>& at,
                      const std::optional<Vector3>& along, int first_part, int second_part, int base) {
  const double radius = std::sqrt((bolt.footprint * bolt.footprint + bolt.diameter * bolt.diameter) / 8);
  const FaceSearch first(assembly, surface, {first_part}), second(assembly, surface, {second_part});
  int patch = 0;
  std::array<std::string, 2> faces;  // gripped
  for (const Vector3& place : at) {
    const Vector3 axis = along ? *along : first.nearest(place).normal, across = axis.unitOrthogonal(),
                  third = axis.cross(across);
    Spring spring;
    spring.joint = bolt.joint;
    spring.stiffness = bolt_stiffness(bolt);
    spring.loss_factor = bolt.loss_factor;
    spring.tension = bolt.tension;
    const std::vector<Vector3> ring = ellipse(place, radius * across, radius * third);
    std::array<std::optional<Span>, 2> spans;
    std::array<double, 2> gaps{};
    bool shells = true;
    for (int side = 0; side < 2; ++side) {
      const int part = side == 0 ? first_part : second_part;
      if (part < 0) continue;
      const FaceSearch& search = side == 0 ? first : second;
      const double gap = gaps[static_cast<std::size_t>(side)] = gap_to_face(search, search.nearest(place), place);
      if (gap > bolt.within)
        throw_input_error(
            "joint " + bolt.joint,
            fmt::format("the bolt at ({:.5g}, {:.5g}, {:.5g}) mm is {:.4g} mm from {}, and grips only what is within "
                        "{:.4g} mm",
                        1e3 * place.x(), 1e3 * place.y(), 1e3 * place.z(), 1e3 * gap,
                        assembly.parts[static_cast<std::size_t>(part)].name, 1e3 * bolt.within),
            fmt::format("move it, or let it grip within {:.4g} mm", 1e3 * gap * 1.01));
      spans[static_cast<std::size_t>(side)] = gripped_span(assembly, surface, search, part, ring, place, axis);
      shells = shells && assembly.parts[static_cast<std::size_t>(part)].thickness > 0;
    }
    const double sense = from_first_to_second(*spans[0], spans[1], bolt.length);
    if (sense == 0 && !along && bolt.tension)
      throw_input_error(
          "joint " + bolt.joint,
          fmt::format("which of its two sides the bolt at {} pulls towards the other is not known: both lie at one "
                      "height",
                      assembly.describe_position(place)),
          "write along, the direction from the first to the second");
    const double sign = sense < 0 ? -1 : 1;
    const std::array<bool, 2> outer = gripped_outside(*spans[0], spans[1], bolt.length);
    for (int side = 0; side < 2; ++side) {
      const int part = side == 0 ? first_part : second_part;
      const int node = static_cast<int>(assembly.nodes.size());
      spring.nodes[static_cast<std::size_t>(side)] = node;
      if (part < 0) {
        assembly.nodes.push_back({place, bolt.joint});
        assembly.bases[static_cast<std::size_t>(base)].feet.push_back({node});
        continue;
      }
      const Part& gripped = assembly.parts[static_cast<std::size_t>(part)];
      const Span& span = *spans[static_cast<std::size_t>(side)];
      const bool below = (side == 0) == (sign > 0);  // along the axis, of the two
      Vector3 from_place = Vector3::Zero();
      if (bolt.tension && !(gripped.thickness > 0)) {  // solids
        const bool outside = outer[static_cast<std::size_t>(side)];
        faces[static_cast<std::size_t>(side)] =
            fmt::format("the {} face of {}", outside ? "outer" : "inner", gripped.name);
        from_place = (below == outside ? span.from : span.to) * axis;
      }
      std::vector<Vector3> own_ring = ring;
      for (Vector3& point : own_ring) point += from_place;
      assembly.nodes.push_back({place + from_place, bolt.joint});
      const FaceSearch& search = side == 0 ? first : second;
      const Mixture mixture = footprint(search, own_ring, place + from_place);
      if (mixture.empty())
        throw_input_error("joint " + bolt.joint,
                          fmt::format("its footprint on {} falls on a line of the faces", gripped.name),
                          "let the bolt run across a face");
      assembly.followers.push_back(
          follower_of(bolt.joint, Joint::Type::bolt, node, mixture, gaps[static_cast<std::size_t>(side)], patch++));
    }
    spring.axes << across.transpose(), sign * third.transpose(), sign * axis.transpose();
    spring.point = place + middle_of_clamp(*spans[0], spans[1], bolt.length, shells) * axis;
    assembly.springs.push_back(std::move(spring));
  }
  const std::string both = faces[0].empty() || faces[1].empty() ? faces[0] + faces[1] : faces[0] + " and " + faces[1];
  return both.empty() ? both : ", gripping " + both;
}

}  // namespace avrenk
