// materials and parts: what the model is made of.
#include <cmath>

#include "core/mesh/line.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

std::optional<BeamSection> read_section(const Tree& tree, const std::string& subject, double poissons_ratio,
                                        Problems& problems) {
  MapReader section(tree, subject + " section", problems);
  if (!section.is_map()) return std::nullopt;
  const auto [shape, sizes] = section.one_of({"rod", "tube", "rectangle"});
  section.done();
  if (!sizes) return std::nullopt;
  MapReader size(*sizes, fmt::format("{} {}", subject, shape), problems);
  if (!size.is_map()) return std::nullopt;
  std::optional<BeamSection> result;
  if (shape == "rod") {
    if (const auto diameter = size.required_quantity("diameter", kind::length, Sign::positive))
      result = rod_section(*diameter, poissons_ratio);
  } else if (shape == "tube") {
    const auto diameter = size.required_quantity("diameter", kind::length, Sign::positive);
    const auto wall = size.required_quantity("wall", kind::length, Sign::positive);
    if (diameter && wall && 2 * *wall >= *diameter)
      problems.add(*sizes->find("wall"), subject + " tube", "the wall is thicker than half the diameter",
                   "write a rod, or a thinner wall");
    else if (diameter && wall)
      result = tube_section(*diameter, *wall, poissons_ratio);
  } else {
    const auto width = size.required_quantity("width", kind::length, Sign::positive);
    const auto height = size.required_quantity("height", kind::length, Sign::positive);
    if (width && height) result = rectangle_section(*width, *height, poissons_ratio);
  }
  size.done();
  return result;
}

// The points of a line: its two ends, or all that it goes through.
std::vector<Vector3> read_points(MapReader& line) {
  std::vector<Vector3> points;
  const auto add = [&](const Tree* tree, const std::string& key) {
    const auto point =
        tree ? read_vector(*tree, kind::length, line.subject() + " " + key, line.problems()) : std::nullopt;
    if (point) points.push_back(*point);
    return point.has_value();
  };
  if (const Tree* through = line.optional("through")) {
    if (!through->is_list() || through->items.size() < 2) {
      line.problems().add(*through, line.subject(), "a list of points is due",
                          "write through: [[0 mm, 0 mm, 0 mm], [0 mm, 0 mm, 900 mm]]");
      return {};
    }
    for (const Tree& item : through->items)
      if (!add(&item, "through")) return {};
    return points;
  }
  const bool from = add(line.required("from", "[0 mm, 0 mm, 0 mm]"), "from");
  const bool to = add(line.required("to", "[0 mm, 0 mm, 900 mm]"), "to");
  return from && to ? points : std::vector<Vector3>{};
}

// One straight stretch for each pair of neighbouring points; empty with a problem noted.
std::vector<Line> read_line(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader line(tree, subject + " line", problems);
  if (!line.is_map()) return {};
  const std::size_t before = problems.count();
  const std::vector<Vector3> points = read_points(line);
  const auto [how, amount] = line.one_of({"divisions", "element"});
  std::optional<int> divisions;
  std::optional<double> size;
  if (how == "divisions") divisions = read_count(*amount, line.subject() + " divisions", problems);
  if (how == "element")
    size = read_quantity(*amount, kind::length, line.subject() + " element", problems, Sign::positive);
  std::optional<Vector3> up;
  const Tree* const up_tree = line.optional("up");
  if (up_tree) up = read_direction(*up_tree, line.subject() + " up", problems);
  line.done();
  std::vector<Line> lines;
  for (std::size_t i = 1; i < points.size(); ++i) {
    const Vector3 &from = points[i - 1], &to = points[i];
    const double length = (to - from).norm();
    if (!(length > 0)) {
      problems.add(tree, line.subject(), "it begins where it ends", "give two different points");
      break;
    }
    if (up && up->cross((to - from) / length).norm() < 1e-3) {
      problems.add(*up_tree, line.subject(), "up points along the line", "point it across the line");
      break;
    }
    const int count = divisions ? *divisions
                      : size    ? std::max(1, static_cast<int>(std::ceil(length / *size * (1 - 1e-9))))
                                : 1;
    lines.push_back({from, to, count, up.value_or(default_up(from, to))});
  }
  return problems.count() > before ? std::vector<Line>{} : lines;
}

std::optional<std::array<bool, 3>> read_mirror(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader copies(tree, subject + " copies", problems);
  if (!copies.is_map()) return std::nullopt;
  const Tree* const mirror = copies.required("mirror", "y");
  copies.done();
  if (!mirror) return std::nullopt;
  std::array<bool, 3> axes{};
  for (const Tree* each : one_or_more(*mirror)) {
    const auto axis = read_word(*each, {"x", "y", "z"}, subject + " mirror", problems);
    if (!axis) return std::nullopt;
    axes[static_cast<std::size_t>(*axis)] = true;
  }
  return axes;
}

bool read_part(const Tree& tree, const std::string& name, Reading& reading) {
  Problems& problems = reading.problems;
  const std::string subject = "part " + name;
  const std::size_t before = problems.count();
  MapReader part(tree, subject, problems);
  if (!part.is_map()) return false;
  std::vector<Line> lines;
  if (const Tree* line = part.required("line", "{from: [0 mm, 0 mm, 0 mm], to: [0 mm, 0 mm, 900 mm], divisions: 12}"))
    for (const Tree* each : one_or_more(*line))
      for (const Line& stretch : read_line(*each, subject, problems)) lines.push_back(stretch);
  const Tree* const material_tree =
      part.required("material", reading.materials.names().empty() ? "NAME" : reading.materials.names().front());
  const int* const material = material_tree ? reading.materials.find(*material_tree, subject, problems) : nullptr;
  const Tree* const section_tree = part.required("section", "{tube: {diameter: 22 mm, wall: 2 mm}}");
  const double poissons_ratio =
      material ? reading.plan.assembly.materials[static_cast<std::size_t>(*material)].poissons_ratio : 0.3;
  const auto section = section_tree ? read_section(*section_tree, subject, poissons_ratio, problems) : std::nullopt;
  if (const Tree* copies = part.optional("copies"))
    if (const auto mirror = read_mirror(*copies, subject, problems)) lines = with_mirror_images(lines, *mirror);
  part.done();
  if (problems.count() > before || !material || !section || lines.empty()) return false;
  Assembly& assembly = reading.plan.assembly;
  assembly.parts.push_back({name, *material, *section});
  mesh_lines(assembly, static_cast<int>(assembly.parts.size()) - 1, lines);
  return true;
}

}  // namespace

void read_materials(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    const std::string subject = "material " + entry.key;
    reading.plan.subjects[subject] = entry.place;
    MapReader map(entry.value, subject, reading.problems);
    if (!map.is_map()) {
      reading.materials.declare(entry.key, std::nullopt);
      continue;
    }
    const std::size_t before = reading.problems.count();
    Material material;
    material.name = entry.key;
    material.youngs_modulus = map.required_quantity("E", kind::stress, Sign::positive).value_or(1);
    material.poissons_ratio = map.required_quantity("nu", kind::number).value_or(0);
    material.density = map.required_quantity("density", kind::density, Sign::not_negative).value_or(0);
    material.loss_factor = map.quantity("loss factor", kind::ratio, Sign::not_negative);
    map.done();
    if (!(material.poissons_ratio > -1 && material.poissons_ratio < 0.5))
      reading.problems.add(*entry.value.find("nu"), subject,
                           fmt::format("nu = {:g} is impossible", material.poissons_ratio),
                           "it lies between -1 and 0.5");
    if (material.loss_factor && *material.loss_factor > 2)
      reading.problems.add(*entry.value.find("loss factor"), subject,
                           fmt::format("a loss factor of {:g} is not damping any more", *material.loss_factor),
                           "write, for example, 0.4 %");
    if (reading.problems.count() > before) {
      reading.materials.declare(entry.key, std::nullopt);
      continue;
    }
    reading.materials.declare(entry.key, static_cast<int>(reading.plan.assembly.materials.size()));
    reading.plan.assembly.materials.push_back(material);
  }
}

void read_parts(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    reading.plan.subjects["part " + entry.key] = entry.place;
    if (read_part(entry.value, entry.key, reading))
      reading.parts.declare(entry.key, static_cast<int>(reading.plan.assembly.parts.size()) - 1);
    else
      reading.parts.declare(entry.key, std::nullopt);
  }
}

}  // namespace avrenk
