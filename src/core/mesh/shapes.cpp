#include "core/mesh/shapes.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

// A block of cells over 0 ≤ s ≤ across[0], 0 ≤ t ≤ across[1], 0 ≤ u ≤ 1, mapped into space; u runs through the
// thickness.
struct Patch {
  std::array<int, 2> across{};
  std::function<Vector3(double s, double t, double u)> at;
};

class Builder {
 public:
  Builder(double spot, const Meshing& meshing) : spots_(spot), meshing_(meshing) {}

  void add(const Patch& patch, int layers) {
    cells_ += static_cast<double>(meshing_.solid ? layers : 1) * patch.across[0] * patch.across[1];
    refuse_too_many(cells_, most_nodes, "elements");
    for (int k = 0; k < (meshing_.solid ? layers : 1); ++k)
      for (int j = 0; j < patch.across[1]; ++j)
        for (int i = 0; i < patch.across[0]; ++i) add_cell(patch, i, j, k, layers);
  }
  [[nodiscard]] Mesh take() { return std::move(mesh_); }

 private:
  void add_cell(const Patch& patch, int i, int j, int k, int layers) {
    const ElementKind& kind = !meshing_.solid
                                  ? shell_kind(4)
                                  : kind_of(meshing_.quadratic ? SolidShape::hexahedron20 : SolidShape::hexahedron8);
    std::vector<int> nodes;
    if (!meshing_.solid) {
      for (const auto& [a, b] : {std::pair{0, 0}, {1, 0}, {1, 1}, {0, 1}})
        nodes.push_back(node(patch.at(i + a, j + b, 0.5)));
    } else {
      const Eigen::Matrix3Xd reference = solid_reference_nodes(kind.shape);
      for (const auto& corner : reference.colwise())
        nodes.push_back(node(
            patch.at(i + 0.5 * (1 + corner.x()), j + 0.5 * (1 + corner.y()), (k + 0.5 * (1 + corner.z())) / layers)));
    }
    mesh_.add(kind, nodes);
  }
  int node(const Vector3& at) {
    const int found = spots_.find(at);
    if (found >= 0) return found;
    mesh_.points.push_back(at);
    spots_.add(at, static_cast<int>(mesh_.points.size()) - 1);
    return static_cast<int>(mesh_.points.size()) - 1;
  }

  PointMerger spots_;
  const Meshing& meshing_;
  Mesh mesh_;
  double cells_ = 0;
};

// Coordinates of lines of nodes from −half to half: those that must be there, and equal steps between them.
std::vector<double> lines_across(double length, std::vector<double> given, const MeshDensity& density,
                                 std::size_t which) {
  given.push_back(-0.5 * length);
  given.push_back(0.5 * length);
  std::sort(given.begin(), given.end());
  given.erase(std::unique(given.begin(), given.end(), [&](double a, double b) { return b - a < 1e-6 * length; }),
              given.end());
  std::vector<double> values{given.front()};
  for (std::size_t i = 1; i < given.size(); ++i) {
    const double step = given[i] - given[i - 1];
    // Divisions are those of the whole length: each stretch gets its share.
    const int count = density.element
                          ? density.over(step, which)
                          : std::max(1, static_cast<int>(std::lround(density.over(length, which) * step / length)));
    for (int k = 1; k <= count; ++k) values.push_back(given[i - 1] + step * k / count);
  }
  return values;
}

double between(const std::vector<double>& values, double s) {
  const auto i = std::min(static_cast<std::size_t>(s), values.size() - 2);
  const double part = s - static_cast<double>(i);
  return part == 0 ? values[i] : (1 - part) * values[i] + part * values[i + 1];
}

void add(Builder& builder, const Plate& plate, const Meshing& meshing, const MeshDensity& density) {
  const double t = meshing.thickness;
  if (!plate.hole) {
    const std::vector<double> x = lines_across(plate.length, plate.lines[0], density, 0),
                              y = lines_across(plate.width, plate.lines[1], density, 1);
    builder.add({{static_cast<int>(x.size()) - 1, static_cast<int>(y.size()) - 1},
                 [&](double s, double r, double u) { return Vector3(between(x, s), between(y, r), t * (u - 0.5)); }},
                meshing.layers);
    return;
  }
  // Four patches between the hole and one side of the plate each.
  const Eigen::Vector2d centre = plate.hole->at;
  const double radius = 0.5 * plate.hole->diameter;
  const std::array<Eigen::Vector2d, 4> corner{Eigen::Vector2d(-0.5 * plate.length, -0.5 * plate.width),
                                              {0.5 * plate.length, -0.5 * plate.width},
                                              {0.5 * plate.length, 0.5 * plate.width},
                                              {-0.5 * plate.length, 0.5 * plate.width}};
  const double away = std::max(plate.length, plate.width) / 2 - radius;
  const int radial = density.over(away, 2);
  for (std::size_t side = 0; side < 4; ++side) {
    const Eigen::Vector2d &from = corner[side], &to = corner[(side + 1) % 4];
    const int count = density.over((to - from).norm(), side % 2);
    const double first = std::atan2(from.y() - centre.y(), from.x() - centre.x());
    double last = std::atan2(to.y() - centre.y(), to.x() - centre.x());
    if (last < first) last += 2 * pi;
    builder.add({{count, radial},
                 [=](double s, double r, double u) {
                   const double along = s / count, out = r / radial, angle = first + along * (last - first);
                   const Eigen::Vector2d edge = (1 - along) * from + along * to,
                                         inner = centre + radius * Eigen::Vector2d(std::cos(angle), std::sin(angle));
                   const Eigen::Vector2d at = (1 - out) * edge + out * inner;
                   return Vector3(at.x(), at.y(), t * (u - 0.5));
                 }},
                meshing.layers);
  }
}

void add(Builder& builder, const Box& box, const Meshing& meshing, const MeshDensity& density) {
  const Vector3& size = box.size;
  const int nx = density.over(size.x(), 0), ny = density.over(size.y(), 1), nz = density.over(size.z(), 2);
  if (meshing.solid) {
    builder.add({{nx, ny},
                 [&](double s, double t, double u) {
                   return Vector3(size.x() * (s / nx - 0.5), size.y() * (t / ny - 0.5), size.z() * u);
                 }},
                nz);
    return;
  }
  // Walls by their middle surface, normals outward.
  const Vector3 half = 0.5 * (size.array() - meshing.thickness).matrix(), centre(0, 0, 0.5 * size.z());
  const std::array<int, 3> count{nx, ny, nz};
  for (int axis = 0; axis < 3; ++axis)
    for (const int side : {-1, 1}) {
      const int first = side > 0 ? (axis + 1) % 3 : (axis + 2) % 3, second = side > 0 ? (axis + 2) % 3 : (axis + 1) % 3;
      const int m = count[static_cast<std::size_t>(first)], n = count[static_cast<std::size_t>(second)];
      builder.add({{m, n},
                   [&half, &centre, axis, side, first, second, m, n](double s, double t, double) {
                     Vector3 at;
                     at[axis] = side * half[axis];
                     at[first] = half[first] * (2 * s / m - 1);
                     at[second] = half[second] * (2 * t / n - 1);
                     return Vector3(centre + at);
                   }},
                  1);
    }
}

void add(Builder& builder, const Cone& cone, const Meshing& meshing, const MeshDensity& density) {
  const double slope = 0.5 * (cone.top - cone.bottom) / cone.height;
  const double level = meshing.thickness * std::hypot(1, slope);  // the wall cut by a plane z = constant
  const double widest = std::max(cone.bottom, cone.top);
  const int around = std::max(8, density.over(pi * widest, 0)),
            along = density.over(std::hypot(cone.height, slope * cone.height), 1);
  builder.add({{around, along},
               [&](double s, double t, double u) {
                 const double z = cone.height * t / along;
                 const double radius = 0.5 * cone.bottom + slope * z - (1 - u) * level, angle = 2 * pi * s / around;
                 return Vector3(radius * std::cos(angle), radius * std::sin(angle), z);
               }},
              meshing.layers);
}

void add(Builder& builder, const Disc& disc, const Meshing& meshing, const MeshDensity& density) {
  const double outer = 0.5 * disc.diameter, inner = 0.5 * disc.hole, t = meshing.thickness;
  const int around = std::max(8, density.over(2 * pi * outer, 0));
  if (disc.hole > 0) {
    const int radial = density.over(outer - inner, 1);
    builder.add({{around, radial},
                 [&](double s, double r, double u) {
                   const double radius = outer + (inner - outer) * r / radial, angle = 2 * pi * s / around;
                   return Vector3(radius * std::cos(angle), radius * std::sin(angle), t * (u - 0.5));
                 }},
                meshing.layers);
    return;
  }
  // A square core with bulging sides and four patches around it.
  const int side = std::max(2, (around + 3) / 4), radial = std::max(1, density.over(0.5 * outer, 1));
  const auto core = [&](double a, double b) {  // −1 ≤ a, b ≤ 1
    const double bulge = 0.12;
    return Eigen::Vector2d(0.36 * outer * a * (1 + bulge * (1 - b * b)), 0.36 * outer * b * (1 + bulge * (1 - a * a)));
  };
  builder.add({{side, side},
               [&](double s, double r, double u) {
                 const Eigen::Vector2d at = core(2 * s / side - 1, 2 * r / side - 1);
                 return Vector3(at.x(), at.y(), t * (u - 0.5));
               }},
              meshing.layers);
  for (int quarter = 0; quarter < 4; ++quarter) {
    const Eigen::Rotation2Dd rotation(0.5 * pi * quarter);
    builder.add({{side, radial},
                 [&](double s, double r, double u) {
                   const double along = 2 * s / side - 1, angle = 0.25 * pi * along, out = 1 - r / radial;
                   const Eigen::Vector2d rim = outer * Eigen::Vector2d(std::sin(angle), -std::cos(angle)),
                                         at = rotation * ((out * rim + (1 - out) * core(along, -1)).eval());
                   return Vector3(at.x(), at.y(), t * (u - 0.5));
                 }},
                meshing.layers);
  }
}

double smallest_step(const Shape& shape, const MeshDensity& density) {
  const double size = std::visit(
      [](const auto& own) {
        using Own = std::decay_t<decltype(own)>;
        if constexpr (std::is_same_v<Own, Plate>) return std::max(own.length, own.width);
        if constexpr (std::is_same_v<Own, Box>) return own.size.maxCoeff();
        if constexpr (std::is_same_v<Own, Cone>) return std::max({own.bottom, own.top, own.height});
        if constexpr (std::is_same_v<Own, Disc>) return own.diameter;
      },
      shape);
  int most = 1;
  for (const int each : density.divisions) most = std::max(most, each);
  return density.element ? std::min(*density.element, size) : size / most;
}

}  // namespace

int elements_over(double length, double element) {
  const double count = std::ceil(length / element * (1 - 1e-9));
  refuse_too_many(count, most_in_a_row, "elements in a row");
  return std::max(1, static_cast<int>(count));
}

int MeshDensity::over(double length, std::size_t which) const {
  return element ? elements_over(length, *element) : divisions[std::min(which, divisions.size() - 1)];
}

std::optional<std::string> why_invalid(const Shape& shape, const Meshing& meshing) {
  const double t = meshing.thickness;
  if (const auto* plate = std::get_if<Plate>(&shape)) {
    for (std::size_t axis = 0; axis < 2; ++axis)
      for (const double at : plate->lines[axis])
        if (std::abs(at) > 0.5 * (axis == 0 ? plate->length : plate->width) * (1 + 1e-9))
          return "a line of nodes lies beyond the edge";
    if (!plate->hole) return std::nullopt;
    if (!plate->lines[0].empty() || !plate->lines[1].empty())
      return "a plate with a hole has no lines of nodes to choose";
    const double radius = 0.5 * plate->hole->diameter;
    if (std::abs(plate->hole->at.x()) + radius >= 0.5 * plate->length ||
        std::abs(plate->hole->at.y()) + radius >= 0.5 * plate->width)
      return "the hole reaches the edge";
    return std::nullopt;
  }
  if (const auto* box = std::get_if<Box>(&shape)) {
    if (!meshing.solid && 2 * t >= box->size.minCoeff()) return "the walls leave no room inside";
    return std::nullopt;
  }
  if (const auto* cone = std::get_if<Cone>(&shape)) {
    const double wall = t * std::hypot(1, 0.5 * (cone->top - cone->bottom) / cone->height);
    if (2 * wall >= std::min(cone->bottom, cone->top)) return "the wall leaves no room inside";
    return std::nullopt;
  }
  const auto& disc = std::get<Disc>(shape);
  if (disc.hole >= disc.diameter) return "the hole is as wide as the disc";
  return std::nullopt;
}

Mesh mesh_shape(const Shape& shape, const Meshing& meshing, const MeshDensity& density) {
  double spot = 1e-4 * smallest_step(shape, density);
  if (meshing.solid && meshing.thickness > 0) spot = std::min(spot, 1e-3 * meshing.thickness / meshing.layers);
  Builder builder(spot, meshing);
  std::visit([&](const auto& own) { add(builder, own, meshing, density); }, shape);
  return builder.take();
}

}  // namespace avrenk
