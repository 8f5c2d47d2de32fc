#include "core/element/section.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Vector2d;

// Corners of the polygon around a circle on which all of a point turns with its angle: position, and shear stress along
// the circle. `peak` is the largest shear stress per unit shear force, on the neutral axis; it falls with the cosine of
// the angle from there, which is exact for the thin tube and for the mean over the chord of the solid bar.
void add_round_points(BeamSection& section, double radius, double peak) {
  const double reach = 1 / std::cos(pi / round_points);
  section.outlines.resize(1);
  for (int k = 0; k < round_points; ++k) {
    // Corners lie between the axes: the polygon touches the circle where a shear force alone is largest.
    const double angle = 2 * pi * (k + 0.5) / round_points, c = reach * std::cos(angle), s = reach * std::sin(angle);
    // Along the circle, towards growing angle: Vz gives +c, Vy gives −s, a positive torque a positive stress.
    section.points.push_back({radius * c, radius * s, -peak * s, peak * c, radius / section.torsion_constant});
    section.outlines[0].emplace_back(radius * std::cos(2 * pi * k / round_points),
                                     radius * std::sin(2 * pi * k / round_points));
  }
}

// q over s = 0 … 1 through its start, middle and end.
struct Quadratic {
  double start, slope, bend;
  Quadratic(double first, double middle, double last)
      : start(first), slope(4 * middle - 3 * first - last), bend(2 * (first + last - 2 * middle)) {}
  // Ordinate of the middle corner around the arc from a to b: of all quadratics in s at once the arc lies in the
  // triangle with it.
  [[nodiscard]] double corner(double a, double b) const { return start + 0.5 * slope * (a + b) + bend * a * b; }
  // Where it turns; outside 0 … 1 where it does not.
  [[nodiscard]] double turn() const { return bend == 0 ? -1 : -0.5 * slope / bend; }
};

// Ends of short arcs of 0 … 1 that meet where one of the quadratics turns.
std::vector<double> arcs(std::vector<double> turns) {
  constexpr double longest = 1.0 / 6;
  std::erase_if(turns, [](double s) { return !(s > 1e-9 && s < 1 - 1e-9); });
  turns.insert(turns.end(), {0.0, 1.0});
  std::sort(turns.begin(), turns.end());
  std::vector<double> ends{0};
  for (std::size_t i = 0; i + 1 < turns.size(); ++i) {
    const double length = turns[i + 1] - turns[i];
    const int pieces = std::max(1, static_cast<int>(std::ceil(length / longest - 1e-9)));
    for (int k = 1; k <= pieces && length > 1e-9; ++k) ends.push_back(turns[i] + length * k / pieces);
  }
  return ends;
}

struct Rectangle {
  Vector2d centre;
  double width, height;
};

std::vector<Vector2d> outline_of(const Rectangle& r, const Vector2d& from) {
  const Vector2d at = r.centre - from, y(r.width / 2, 0), z(0, r.height / 2);
  return {at - y - z, at + y - z, at + y + z, at - y + z};
}

// A straight wall between two joints of the middle line.
struct Wall {
  int from, to;
  double thickness;
};

// Middle lines: joints and the walls between them, a tree or several.
struct MiddleLines {
  std::vector<Vector2d> joints;
  std::vector<Wall> walls;
};

struct WallFlow {
  double start = 0, middle = 0, end = 0;  // q per unit shear force, positive from `from` to `to`
};

struct SectionMoments {
  double area = 0;
  Vector2d centre = Vector2d::Zero();
  double yy = 0, zz = 0, yz = 0;  // ∫z², ∫y², ∫yz about the centroid
};

SectionMoments moments_of(const std::vector<Rectangle>& rectangles) {
  SectionMoments m;
  for (const Rectangle& r : rectangles) {
    m.area += r.width * r.height;
    m.centre += r.width * r.height * r.centre;
  }
  m.centre /= m.area;
  for (const Rectangle& r : rectangles) {
    const Vector2d d = r.centre - m.centre;
    const double area = r.width * r.height;
    m.yy += area * (d.y() * d.y() + r.height * r.height / 12);
    m.zz += area * (d.x() * d.x() + r.width * r.width / 12);
    m.yz += area * d.x() * d.y();
  }
  return m;
}

SectionMoments moments_of(const MiddleLines& lines) {
  SectionMoments m;
  const auto for_each_triangle = [&](auto&& take) {
    for (const Wall& wall : lines.walls) {
      const Vector2d a = lines.joints[static_cast<std::size_t>(wall.from)],
                     b = lines.joints[static_cast<std::size_t>(wall.to)];
      take(a, b, wall.thickness * (b - a).norm());
    }
  };
  for_each_triangle([&](const Vector2d& a, const Vector2d& b, double area) {
    m.area += area;
    m.centre += area * 0.5 * (a + b);
  });
  m.centre /= m.area;
  for_each_triangle([&](const Vector2d& a, const Vector2d& b, double area) {
    const Vector2d p = a - m.centre, q = b - m.centre;
    m.yy += area * (p.y() * p.y() + p.y() * q.y() + q.y() * q.y()) / 3;
    m.zz += area * (p.x() * p.x() + p.x() * q.x() + q.x() * q.x()) / 3;
    m.yz += area * (2 * p.x() * p.y() + 2 * q.x() * q.y() + p.x() * q.y() + q.x() * p.y()) / 6;
  });
  return m;
}

// Shear flow under a unit shear force along `direction` through the shear centre (Jourawski): with the gradient of the
// bending stress, linear over the section, the flow balances what the walls before it take up.
std::vector<WallFlow> shear_flow(const MiddleLines& lines, const Vector2d& direction) {
  const SectionMoments m = moments_of(lines);
  Eigen::Matrix2d inertia;  // ∫ r rᵀ dA
  inertia << m.zz, m.yz, m.yz, m.yy;
  const Vector2d gradient = inertia.inverse() * direction;
  std::vector<WallFlow> flows(lines.walls.size());
  std::vector<bool> known(lines.walls.size(), false);
  const auto at = [&](int joint) {  // stress gradient times 1 at a joint
    return gradient.dot(lines.joints[static_cast<std::size_t>(joint)] - m.centre);
  };
  // What flows into a joint through its known walls; walls are taken from the free ends inwards.
  const auto inflow = [&](int joint, std::size_t except, bool& complete) {
    double sum = 0;
    complete = true;
    for (std::size_t w = 0; w < lines.walls.size(); ++w) {
      if (w == except || (lines.walls[w].from != joint && lines.walls[w].to != joint)) continue;
      if (!known[w]) complete = false;
      sum += lines.walls[w].to == joint ? flows[w].end : -flows[w].start;
    }
    return sum;
  };
  for (std::size_t round = 0; round < lines.walls.size(); ++round) {
    for (std::size_t w = 0; w < lines.walls.size(); ++w) {
      if (known[w]) continue;
      const Wall& wall = lines.walls[w];
      const Vector2d a = lines.joints[static_cast<std::size_t>(wall.from)],
                     b = lines.joints[static_cast<std::size_t>(wall.to)];
      const double length = (b - a).norm(), first = at(wall.from), last = at(wall.to), t = wall.thickness;
      const double half = t * length * (3 * first + last) / 8, whole = t * length * (first + last) / 2;
      bool complete = false;
      if (const double in = inflow(wall.from, w, complete); complete) {
        flows[w] = {in, in - half, in - whole};
        known[w] = true;
      } else if (const double back = inflow(wall.to, w, complete); complete) {
        // The flow at the end leaves through the joint backwards: q(end) = −inflow.
        flows[w] = {-back + whole, -back + whole - half, -back};
        known[w] = true;
      }
    }
  }
  return flows;
}

// ∫ q²/t ds: q is quadratic along a wall, Boole's rule would do; Simpson's on q² of degree four needs the exact form.
double flow_energy(const MiddleLines& lines, const std::vector<WallFlow>& flows) {
  double sum = 0;
  for (std::size_t w = 0; w < flows.size(); ++w) {
    const Wall& wall = lines.walls[w];
    const double length =
        (lines.joints[static_cast<std::size_t>(wall.to)] - lines.joints[static_cast<std::size_t>(wall.from)]).norm();
    const double a = flows[w].start, c = flows[w].end, b = flows[w].middle;
    // q(s) through three points; ∫₀¹ q² of the Lagrange form.
    sum += length / wall.thickness * (2 * a * a + 8 * b * b + 2 * c * c + 2 * a * b + 2 * b * c - a * c) / 15;
  }
  return sum;
}

// Torque of the flow about the centroid of the middle lines.
double flow_torque(const MiddleLines& lines, const std::vector<WallFlow>& flows, const Vector2d& about) {
  double sum = 0;
  for (std::size_t w = 0; w < flows.size(); ++w) {
    const Vector2d a = lines.joints[static_cast<std::size_t>(lines.walls[w].from)] - about,
                   b = lines.joints[static_cast<std::size_t>(lines.walls[w].to)] - about;
    const double mean = (flows[w].start + 4 * flows[w].middle + flows[w].end) / 6;
    sum += mean * (a.x() * b.y() - a.y() * b.x());
  }
  return sum;
}

// What is common to all sections of walls: exact moments turned to principal axes.
BeamSection from_moments(const SectionMoments& m) {
  BeamSection section;
  section.area = m.area;
  const bool turned = std::abs(m.yz) > 1e-12 * (m.yy + m.zz);
  const double sign = m.yy >= m.zz ? 1 : -1;  // the angle within 45°
  const double angle = turned ? 0.5 * std::atan2(-2 * sign * m.yz, std::abs(m.yy - m.zz)) : 0;
  // About axes turned by α from y towards z.
  const double c = std::cos(angle), s = std::sin(angle);
  section.principal_angle = angle;
  section.second_moment_y = c * c * m.yy + s * s * m.zz - 2 * s * c * m.yz;
  section.second_moment_z = s * s * m.yy + c * c * m.zz + 2 * s * c * m.yz;
  return section;
}

// Half the thickness of the wall that makes a corner with another at a joint; 0 where none or several end there.
double beyond(const MiddleLines& lines, std::size_t own, int joint) {
  const Vector2d& at = lines.joints[static_cast<std::size_t>(joint)];
  double half = 0;
  int others = 0;
  const auto direction = [&](const Wall& wall) -> Vector2d {
    return (lines.joints[static_cast<std::size_t>(wall.to)] - lines.joints[static_cast<std::size_t>(wall.from)])
        .normalized();
  };
  for (std::size_t w = 0; w < lines.walls.size(); ++w) {
    const Wall& wall = lines.walls[w];
    const auto ends_there = [&](int end) { return (lines.joints[static_cast<std::size_t>(end)] - at).norm() == 0; };
    if (w == own || (!ends_there(wall.from) && !ends_there(wall.to))) continue;
    ++others;
    if (std::abs(direction(wall).dot(direction(lines.walls[own]))) < 0.5) half = 0.5 * wall.thickness;
  }
  return others == 1 ? half : 0;
}

// Shear areas and stress points. The flows are per unit force along the principal y and z, each on its own middle lines
// with the walls in the same order and place.
void add_flows(BeamSection& section, const SectionMoments& exact, const MiddleLines& lines,
               const std::vector<WallFlow>& along_y, const std::vector<WallFlow>& along_z, bool closed,
               double enclosed) {
  const double c = std::cos(section.principal_angle), s = std::sin(section.principal_angle);
  const auto add = [&](const Vector2d& at, double y, double z, double torsion) {
    const Vector2d d = at - exact.centre;
    section.points.push_back({c * d.x() + s * d.y(), -s * d.x() + c * d.y(), y, z, torsion});
  };
  for (std::size_t w = 0; w < lines.walls.size(); ++w) {
    const Wall& wall = lines.walls[w];
    const double t = wall.thickness;
    const Vector2d a = lines.joints[static_cast<std::size_t>(wall.from)],
                   b = lines.joints[static_cast<std::size_t>(wall.to)];
    const Vector2d normal = Vector2d(a.y() - b.y(), b.x() - a.x()).normalized();
    const Quadratic y(along_y[w].start, along_y[w].middle, along_y[w].end),
        z(along_z[w].start, along_z[w].middle, along_z[w].end);
    const std::vector<double> ends = arcs({y.turn(), z.turn()});
    // At a corner of two walls the outline goes on by half the thickness of the other.
    const double before = beyond(lines, w, wall.from) / (b - a).norm(),
                 after = beyond(lines, w, wall.to) / (b - a).norm();
    for (const double side : {-0.5, 0.5}) {
      if (closed && side * normal.dot(0.5 * (a + b) - exact.centre) < 0) continue;  // the outer face
      // Of an open wall the stress of torsion is largest at its faces, one way on one and the other way on the other.
      const double torsion = closed ? (a.x() * b.y() - a.y() * b.x() > 0 ? 1 : -1) / (2 * enclosed * t)
                                    : -2 * side * t / section.torsion_constant;
      const auto at = [&](double part, double from, double to) {
        add(a + part * (b - a) + side * t * normal, y.corner(from, to) / t, z.corner(from, to) / t, torsion);
      };
      at(0, 0, 0);
      if (before > 0) at(-before, 0, 0);
      for (std::size_t k = 0; k + 1 < ends.size(); ++k) at(0.5 * (ends[k] + ends[k + 1]), ends[k], ends[k + 1]);
      at(1, 1, 1);
      if (after > 0) at(1 + after, 1, 1);
    }
  }
}

// Walls that close no cell.
BeamSection open_section(const std::vector<Rectangle>& rectangles, const MiddleLines& lines) {
  const SectionMoments exact = moments_of(rectangles), thin = moments_of(lines);
  BeamSection section = from_moments(exact);
  for (const Rectangle& r : rectangles)
    section.torsion_constant += std::max(r.width, r.height) * std::pow(std::min(r.width, r.height), 3) / 3;
  const double c = std::cos(section.principal_angle), s = std::sin(section.principal_angle);
  const auto along_y = shear_flow(lines, Vector2d(c, s)), along_z = shear_flow(lines, Vector2d(-s, c));
  section.shear_factor_y = 1 / flow_energy(lines, along_y) / section.area;
  section.shear_factor_z = 1 / flow_energy(lines, along_z) / section.area;
  // A force through the shear centre has the torque of its flow: Vz at (ys, zs) gives ys, Vy gives −zs.
  const Vector2d from_thin(flow_torque(lines, shear_flow(lines, Vector2d::UnitY()), thin.centre),
                           -flow_torque(lines, shear_flow(lines, Vector2d::UnitX()), thin.centre));
  section.shear_centre = from_thin + thin.centre - exact.centre;
  for (int axis = 0; axis < 2; ++axis)
    if (std::abs(section.shear_centre[axis]) < 1e-12 * std::sqrt(section.area)) section.shear_centre[axis] = 0;
  add_flows(section, exact, lines, along_y, along_z, false, 0);
  for (const Rectangle& r : rectangles) section.outlines.push_back(outline_of(r, exact.centre));
  return section;
}

}  // namespace

std::string describe(const BeamSection& section, const StressPoint& point, const DisplayUnit& length) {
  const double c = std::cos(section.principal_angle), s = std::sin(section.principal_angle);
  const auto said = [&](double x) { return std::abs(x) < 5e-10 ? 0.0 : length.from_si(x); };
  return fmt::format("fibre ({:.3g}, {:.3g}) {}", said(c * point.y - s * point.z), said(s * point.y + c * point.z),
                     length.text);
}

BeamSection mirrored(BeamSection section) {
  section.principal_angle *= -1;
  section.shear_centre.x() *= -1;
  for (StressPoint& point : section.points) {  // Vy and the torque change their sign in a mirror, Vz does not
    point.y *= -1;
    point.shear_y *= -1;
    point.torsion *= -1;
  }
  for (auto& outline : section.outlines) {
    for (Vector2d& corner : outline) corner.x() *= -1;
    std::reverse(outline.begin(), outline.end());  // anticlockwise again
  }
  return section;
}

bool is_symmetric(const BeamSection& section) { return section.principal_angle == 0 && section.shear_centre.x() == 0; }

BeamSection rod_section(double diameter, double poissons_ratio) {
  const double second_moment = pi * std::pow(diameter, 4) / 64, area = pi * diameter * diameter / 4;
  const double shear = 6 * (1 + poissons_ratio) / (7 + 6 * poissons_ratio);
  BeamSection section{area, second_moment, second_moment, 2 * second_moment, shear, shear};
  add_round_points(section, diameter / 2, 4 / (3 * area));
  return section;
}

BeamSection tube_section(double diameter, double wall, double poissons_ratio) {
  const double inner = diameter - 2 * wall;
  const double second_moment = pi * (std::pow(diameter, 4) - std::pow(inner, 4)) / 64;
  const double ratio = std::pow(inner / diameter, 2), sum = std::pow(1 + ratio, 2);
  const double shear =
      6 * (1 + poissons_ratio) * sum / ((7 + 6 * poissons_ratio) * sum + (20 + 12 * poissons_ratio) * ratio);
  BeamSection section{
      pi * (diameter * diameter - inner * inner) / 4, second_moment, second_moment, 2 * second_moment, shear, shear};
  // Half the ring's first moment over I and twice the wall: VQ/(I b) on the neutral axis.
  const double first_moment = (std::pow(diameter, 3) - std::pow(inner, 3)) / 12;
  add_round_points(section, diameter / 2, first_moment / (second_moment * 2 * wall));
  return section;
}

namespace {

// Shear stress of torsion per unit Gθ on the sides of a rectangle a x b, b ≤ a, from the middle (0) of a side to its
// corner (1): Timoshenko & Goodier, Theory of Elasticity, art. 109.
double torsion_on_long(double a, double b, double part) {
  double sum = 0;
  for (int n = 1; n < 400; n += 2) {
    const double x = n * pi * a / (2 * b);
    if (x * (1 - part) > 40) break;
    // cosh(x part)/cosh(x) without overflow
    sum += std::exp(x * (part - 1)) * (1 + std::exp(-2 * x * part)) / (1 + std::exp(-2 * x)) / (n * n);
  }
  return part == 1 ? 0 : b * (1 - 8 / (pi * pi) * sum);
}
double torsion_on_short(double a, double b, double part) {
  double sum = 0;
  for (int n = 1; n < 400; n += 2)
    sum += (n % 4 == 1 ? 1 : -1) * std::tanh(n * pi * a / (2 * b)) * std::cos(0.5 * n * pi * part) / (n * n);
  return part == 1 ? 0 : b * 8 / (pi * pi) * sum;
}

}  // namespace

BeamSection rectangle_section(double width, double height, double poissons_ratio) {
  const double a = std::max(width, height), b = std::min(width, height);
  // J = a b³ (1/3 − (64/π⁵)(b/a) Σ_odd tanh(nπa/2b)/n⁵), ibid.
  double series = 0;
  for (int n = 1; n < 400; n += 2) series += std::tanh(n * pi * a / (2 * b)) / std::pow(n, 5);
  const double torsion = a * std::pow(b, 3) * (1.0 / 3 - 64 / std::pow(pi, 5) * b / a * series);
  const double shear = 10 * (1 + poissons_ratio) / (12 + 11 * poissons_ratio), area = width * height;
  BeamSection section{area, width * std::pow(height, 3) / 12, height * std::pow(width, 3) / 12, torsion, shear, shear};
  section.outlines = {outline_of({Vector2d::Zero(), width, height}, Vector2d::Zero())};
  const auto on = [&](bool along_width, double part) {
    return (along_width == (width >= height) ? torsion_on_long(a, b, part) : torsion_on_short(a, b, part)) / torsion;
  };
  // Arcs of each half side around which the parabola 1 − part² of the shear force and the curve of torsion have
  // corners; that of torsion falls within a width of the end of a side.
  const auto ends_on = [&](bool along_width) {
    const double last = along_width == (width >= height) ? b / a : 1;  // that stretch as a part of the half side
    std::vector<double> ends;
    ends.reserve(16);
    const int pieces = last < 1 ? static_cast<int>(std::ceil((1 - last) / 0.2)) : 0;
    for (int k = 0; k < pieces; ++k) ends.push_back((1 - last) * k / pieces);
    for (const double from_end : {1.0, 0.75, 0.55, 0.35, 0.2, 0.08, 0.0}) ends.push_back(1 - last * from_end);
    return ends;
  };
  for (const bool along_width : {true, false}) {
    const std::vector<double> ends = ends_on(along_width);
    for (std::size_t k = 0; k < ends.size(); ++k) {
      const bool corner = k + 1 == ends.size();
      if (corner && !along_width) break;  // it is there
      const double from = ends[k], to = corner ? from : ends[k + 1], middle = 0.5 * (from + to);
      const double parabola = 1.5 / area * (1 - from * to);
      const double twist =
          corner ? 0
                 : std::min(on(along_width, from),
                            2 * on(along_width, middle) - 0.5 * (on(along_width, from) + on(along_width, to)));
      for (const double side : {-1.0, 1.0})
        for (const double half : {-1.0, 1.0}) {
          const double at = half * middle;
          if (along_width)  // Vy runs along it; the torque turns the other way on the other side
            section.points.push_back({at * width / 2, side * height / 2, parabola, 0, -side * twist});
          else
            section.points.push_back({side * width / 2, at * height / 2, 0, parabola, side * twist});
        }
    }
  }
  return section;
}

BeamSection box_section(double width, double height, double web, double flange) {
  const std::vector<Rectangle> rectangles{{{0, (height - flange) / 2}, width, flange},
                                          {{0, -(height - flange) / 2}, width, flange},
                                          {{(width - web) / 2, 0}, web, height - 2 * flange},
                                          {{-(width - web) / 2, 0}, web, height - 2 * flange}};
  const double b = (width - web) / 2, h = (height - flange) / 2;
  // Eight half walls, anticlockwise from the middle of the right web. By symmetry a force along z has no flow in the
  // middle of the flanges, one along y none in the middle of the webs: the cell is cut there.
  const std::vector<Vector2d> corners{{b, 0}, {b, h}, {0, h}, {-b, h}, {-b, 0}, {-b, -h}, {0, -h}, {b, -h}};
  const auto cut = [&](const std::vector<std::size_t>& joints) {
    MiddleLines lines{corners, {}};
    for (int k = 0; k < 8; ++k) {
      const bool along_y = k % 4 == 1 || k % 4 == 2;
      lines.walls.push_back({k, (k + 1) % 8, along_y ? flange : web});
    }
    for (const std::size_t joint : joints) {  // the wall that arrives there ends at a joint of its own
      lines.walls[(joint + 7) % 8].to = static_cast<int>(lines.joints.size());
      lines.joints.push_back(corners[joint]);
    }
    return lines;
  };
  const MiddleLines for_z = cut({2, 6}), for_y = cut({0, 4});
  const SectionMoments exact = moments_of(rectangles);
  BeamSection section = from_moments(exact);
  section.outlines = {outline_of({Vector2d::Zero(), width, height}, Vector2d::Zero())};
  const double enclosed = 4 * b * h;
  section.torsion_constant = 4 * enclosed * enclosed / (4 * b / flange + 4 * h / web);
  const auto along_y = shear_flow(for_y, Vector2d::UnitX()), along_z = shear_flow(for_z, Vector2d::UnitY());
  section.shear_factor_y = 1 / flow_energy(for_y, along_y) / section.area;
  section.shear_factor_z = 1 / flow_energy(for_z, along_z) / section.area;
  add_flows(section, exact, {corners, cut({}).walls}, along_y, along_z, true, enclosed);
  return section;
}

BeamSection i_section(double height, double web, const Flange& top, const Flange& bottom) {
  const double clear = height - top.thickness - bottom.thickness;
  const double high = height - top.thickness / 2, low = bottom.thickness / 2;
  return open_section({{{0, high}, top.width, top.thickness},
                       {{0, low}, bottom.width, bottom.thickness},
                       {{0, bottom.thickness + clear / 2}, web, clear}},
                      {{{-bottom.width / 2, low},
                        {bottom.width / 2, low},
                        {0, low},
                        {0, high},
                        {-top.width / 2, high},
                        {top.width / 2, high}},
                       {{0, 2, bottom.thickness},
                        {1, 2, bottom.thickness},
                        {2, 3, web},
                        {4, 3, top.thickness},
                        {5, 3, top.thickness}}});
}

BeamSection channel_section(double width, double height, double web, double flange) {
  const double h = (height - flange) / 2, from = web / 2;
  return open_section(
      {{{width / 2, h}, width, flange}, {{width / 2, -h}, width, flange}, {{from, 0}, web, height - 2 * flange}},
      {{{width, h}, {from, h}, {from, -h}, {width, -h}}, {{0, 1, flange}, {1, 2, web}, {2, 3, flange}}});
}

BeamSection angle_section(double width, double height, double wall) {
  const double corner = wall / 2;
  return open_section({{{width / 2, corner}, width, wall}, {{corner, (height + wall) / 2}, wall, height - wall}},
                      {{{width, corner}, {corner, corner}, {corner, height}}, {{0, 1, wall}, {1, 2, wall}}});
}

BeamSection tee_section(double width, double height, double web, double flange) {
  const double high = height - flange / 2;
  return open_section(
      {{{0, high}, width, flange}, {{0, (height - flange) / 2}, web, height - flange}},
      {{{-width / 2, high}, {width / 2, high}, {0, high}, {0, 0}}, {{0, 2, flange}, {1, 2, flange}, {2, 3, web}}});
}

}  // namespace avrenk
