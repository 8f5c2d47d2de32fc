// parts: lines with a section; shells and solids are in read_shapes.cpp.
#include <cmath>
#include <map>

#include "core/mesh/line.h"
#include "core/mesh/shapes.h"
#include "core/model/mass_properties.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

// A size of a section, at the beginning and at the end of its line.
using Size = std::array<double, 2>;

// The sizes of one shape by name, and how to make the section of them.
struct SectionShape {
  const char* key;
  std::vector<const char*> sizes;     // all due, but where a default stands below
  std::vector<const char*> optional;  // those that may be left out
};
const std::vector<SectionShape>& shapes() {
  static const std::vector<SectionShape> section_shapes{
      {"rod", {"diameter"}, {}},
      {"tube", {"diameter", "wall"}, {}},
      {"rectangle", {"width", "height"}, {}},
      {"box", {"width", "height", "wall"}, {"flange"}},
      {"I", {"width", "height", "web", "flange"}, {"bottom width", "bottom flange"}},
      {"channel", {"width", "height", "web", "flange"}, {}},
      {"angle", {"width", "height", "wall"}, {}},
      {"T", {"width", "height", "web", "flange"}, {}}};
  return section_shapes;
}

using Sizes = std::map<std::string, double>;

BeamSection make_section(const std::string& shape, const Sizes& s, double poissons_ratio) {
  const auto size = [&](const char* name, const char* otherwise) {
    const auto found = s.find(name);
    return found != s.end() ? found->second : s.at(otherwise);
  };
  if (shape == "rod") return rod_section(s.at("diameter"), poissons_ratio);
  if (shape == "tube") return tube_section(s.at("diameter"), s.at("wall"), poissons_ratio);
  if (shape == "rectangle") return rectangle_section(s.at("width"), s.at("height"), poissons_ratio);
  if (shape == "box") return box_section(s.at("width"), s.at("height"), s.at("wall"), size("flange", "wall"));
  if (shape == "I")
    return i_section(s.at("height"), s.at("web"), {s.at("width"), s.at("flange")},
                     {size("bottom width", "width"), size("bottom flange", "flange")});
  if (shape == "channel") return channel_section(s.at("width"), s.at("height"), s.at("web"), s.at("flange"));
  if (shape == "angle") return angle_section(s.at("width"), s.at("height"), s.at("wall"));
  return tee_section(s.at("width"), s.at("height"), s.at("web"), s.at("flange"));
}

// What is wrong with the sizes of a shape: the size at fault and a sentence.
std::pair<std::string, std::string> why_invalid(const std::string& shape, const Sizes& s) {
  const auto least = [&](const char* thickness, const char* across, double times) -> bool {
    return s.contains(thickness) && s.contains(across) && times * s.at(thickness) >= s.at(across);
  };
  if (shape == "tube" && least("wall", "diameter", 2)) return {"wall", "the wall is thicker than half the diameter"};
  const bool box = shape == "box", angle = shape == "angle";
  if ((box || angle) && least("wall", "width", box ? 2 : 1)) return {"wall", "the walls leave no room in the width"};
  if ((box || angle) && least("wall", "height", box ? 2 : 1)) return {"wall", "the walls leave no room in the height"};
  if (least("web", "width", 1)) return {"web", "the web is as thick as the flange is wide"};
  if (least("flange", "height", shape == "T" ? 1 : 2)) return {"flange", "the flanges leave no room for the web"};
  return {"", ""};
}

// A section as read: how it changes along its line, and whether it does.
struct ReadSection {
  SectionAlong along;
  bool tapered = false;
};

std::optional<Size> read_size(const Tree& tree, const std::string& subject, Problems& problems) {
  if (tree.is_list() && tree.items.size() != 2) {
    problems.add(tree, subject, "a size, or the sizes at both ends of the line, are due", "write [30 mm, 20 mm]");
    return std::nullopt;
  }
  Size size{};
  for (std::size_t end = 0; end < 2; ++end) {
    const auto value =
        read_quantity(tree.is_list() ? tree.items[end] : tree, kind::length, subject, problems, Sign::positive);
    if (!value) return std::nullopt;
    size[end] = *value;
  }
  return size;
}

std::optional<ReadSection> read_shape(const SectionShape& shape, const Tree& tree, const std::string& subject,
                                      double poissons_ratio, Problems& problems) {
  MapReader map(tree, fmt::format("{} {}", subject, shape.key), problems);
  if (!map.is_map()) return std::nullopt;
  const std::size_t before = problems.count();
  std::array<Sizes, 2> ends;
  const auto read = [&](const char* name, const Tree* found) {
    const auto size = found ? read_size(*found, map.subject() + " " + name, problems) : std::nullopt;
    for (std::size_t end = 0; size && end < 2; ++end) ends[end][name] = (*size)[end];
  };
  for (const char* name : shape.sizes) read(name, map.required(name, std::string(kind::length.example)));
  for (const char* name : shape.optional) read(name, map.optional(name));
  map.done();
  if (problems.count() > before) return std::nullopt;
  for (const Sizes& sizes : ends) {
    const auto [name, wrong] = why_invalid(shape.key, sizes);
    if (name.empty()) continue;
    problems.add(*tree.find(name), map.subject(), wrong, "write a thinner one, or a solid section");
    return std::nullopt;
  }
  const std::string key = shape.key;
  return ReadSection{[key, ends, poissons_ratio](double s) {
                       Sizes sizes;
                       for (const auto& [name, first] : ends[0]) sizes[name] = (1 - s) * first + s * ends[1].at(name);
                       return make_section(key, sizes, poissons_ratio);
                     },
                     ends[0] != ends[1]};
}

// [y, z] across the beam.
std::optional<Eigen::Vector2d> read_across(const Tree& tree, const Kind& kind, const std::string& subject,
                                           Problems& problems) {
  if (!tree.is_list() || tree.items.size() != 2) {
    problems.add(tree, subject, "two numbers along y and z are due", fmt::format("write [{0}, {0}]", kind.example));
    return std::nullopt;
  }
  const auto y = read_quantity(tree.items[0], kind, subject, problems),
             z = read_quantity(tree.items[1], kind, subject, problems);
  return y && z ? std::optional(Eigen::Vector2d(*y, *z)) : std::nullopt;
}

// A section given by its numbers. Its y and z are principal axes.
std::optional<ReadSection> read_given(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject + " given", problems);
  if (!map.is_map()) return std::nullopt;
  const std::size_t before = problems.count();
  BeamSection section;
  section.area = map.required_quantity("A", kind::area, Sign::positive).value_or(1);
  section.second_moment_y = map.required_quantity("Iy", kind::second_moment, Sign::positive).value_or(1);
  section.second_moment_z = map.required_quantity("Iz", kind::second_moment, Sign::positive).value_or(1);
  section.torsion_constant = map.required_quantity("J", kind::second_moment, Sign::positive).value_or(1);
  std::optional<Eigen::Vector2d> areas;
  if (const Tree* found = map.optional("shear areas"))
    areas = read_across(*found, kind::area, map.subject() + " shear areas", problems);
  if (areas && !(areas->minCoeff() > 0))
    problems.add(*tree.find("shear areas"), map.subject(), "a shear area is not positive",
                 "leave shear areas out for a beam that is rigid in shear");
  if (areas) {
    section.shear_factor_y = areas->x() / section.area;
    section.shear_factor_z = areas->y() / section.area;
  }
  if (const Tree* centre = map.optional("shear centre"))
    section.shear_centre =
        read_across(*centre, kind::length, map.subject() + " shear centre", problems).value_or(Eigen::Vector2d::Zero());
  const auto modulus = map.quantity("torsion modulus", kind::section_modulus, Sign::positive);
  section.shear_stress = modulus && areas;
  if (const Tree* fibres = map.optional("fibres")) {
    if (!fibres->is_list()) problems.add(*fibres, map.subject(), "a list of points is due", "write [[0 mm, 10 mm]]");
    for (const Tree& item : fibres->items) {
      const auto at = read_across(item, kind::length, map.subject() + " fibres", problems);
      if (!at) continue;
      for (const double across : {-1.0, 1.0})  // both shear forces and the torque may add to one another
        for (const double turning : {-1.0, 1.0})
          section.points.push_back({at->x(), at->y(), areas ? 1 / areas->x() : 0, areas ? across / areas->y() : 0,
                                    modulus ? turning / *modulus : 0});
    }
  }
  map.done();
  if (problems.count() > before) return std::nullopt;
  return ReadSection{[section](double) { return section; }, false};
}

std::optional<ReadSection> read_section(const Tree& tree, const std::string& subject, double poissons_ratio,
                                        Problems& problems) {
  MapReader section(tree, subject + " section", problems);
  if (!section.is_map()) return std::nullopt;
  std::vector<std::string> keys;
  for (const SectionShape& shape : shapes()) keys.emplace_back(shape.key);
  keys.emplace_back("given");
  const auto [key, sizes] = section.one_of(keys);
  section.done();
  if (!sizes) return std::nullopt;
  for (const SectionShape& shape : shapes())
    if (key == shape.key) return read_shape(shape, *sizes, subject, poissons_ratio, problems);
  return read_given(*sizes, subject, problems);
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

// An offset for both ends, or one for each.
void read_offset(const Tree& tree, const std::string& subject, Line& first, Line& last, Problems& problems) {
  if (tree.is_list()) {
    const auto both = read_vector(tree, kind::length, subject, problems);
    if (both) first.offset_from = last.offset_to = *both;
    return;
  }
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return;
  if (const Tree* from = map.optional("from"))
    first.offset_from = read_vector(*from, kind::length, subject + " from", problems).value_or(Vector3::Zero());
  if (const Tree* to = map.optional("to"))
    last.offset_to = read_vector(*to, kind::length, subject + " to", problems).value_or(Vector3::Zero());
  map.done();
}

// Motions in the beam's own axes that pass no force, at the beginning and at the end of the line.
void read_releases(const Tree& tree, const std::string& subject, Line& first, Line& last, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return;
  const std::vector<std::string> names(axis_names.begin(), axis_names.end());
  for (const bool end : {false, true}) {
    const Tree* const found = map.optional(end ? "to" : "from");
    if (!found) continue;
    for (const Tree* each : one_or_more(*found))
      if (const auto axis = read_word(*each, names, subject, problems))
        (end ? last : first).released[static_cast<std::size_t>(*axis) + (end ? 6 : 0)] = true;
  }
  map.done();
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
  const Tree* const offset = line.optional("offset");
  const Tree* const releases = line.optional("releases");
  line.done();
  double whole = 0, along = 0;
  for (std::size_t i = 1; i < points.size(); ++i) whole += (points[i] - points[i - 1]).norm();
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
    const int count = divisions ? *divisions : size ? elements_over(length, *size) : 1;
    Line stretch{from, to, count, up.value_or(default_up(from, to))};
    stretch.begin = along / whole;
    along += length;
    stretch.end = i + 1 == points.size() ? 1 : along / whole;
    lines.push_back(stretch);
  }
  if (lines.empty()) return lines;
  if (offset) read_offset(*offset, line.subject() + " offset", lines.front(), lines.back(), problems);
  if (releases) read_releases(*releases, line.subject() + " releases", lines.front(), lines.back(), problems);
  return problems.count() > before ? std::vector<Line>{} : lines;
}

// The line part of a plan: its section and its lines, placed and copied.
bool read_lines(const Tree& tree, MapReader& part, Part made, std::size_t before, Reading& reading) {
  Problems& problems = reading.problems;
  const std::string& subject = part.subject();
  std::vector<Line> lines;
  if (const Tree* line = part.optional("line"))
    for (const Tree* each : one_or_more(*line))
      for (const Line& stretch : read_line(*each, subject, problems)) lines.push_back(stretch);
  const Tree* const section_tree = part.required("section", "{tube: {diameter: 22 mm, wall: 2 mm}}");
  static const Material unknown;  // its name was wrong, which has been said
  const Material& material =
      made.material < 0 ? unknown : reading.plan.assembly.materials[static_cast<std::size_t>(made.material)];
  const auto section =
      section_tree ? read_section(*section_tree, subject, material.poissons_ratio, problems) : std::nullopt;
  if (material.orthotropic)
    problems.add(*tree.find("material"), subject, "beams are made of isotropic materials",
                 "give a material with one E, that along the beam");
  const Copies copies = read_copies(part, reading);
  made.extra_mass = part.quantity("extra mass", kind::line_density, Sign::not_negative).value_or(0);
  part.done();
  if (problems.count() > before || made.material < 0 || !section || lines.empty()) return false;
  std::vector<Line> placed;
  for (const Placement& placement : copies.placements) {
    for (Line line : lines) {
      line.from = placement(line.from);
      line.to = placement(line.to);
      for (Vector3* vector : {&line.up, &line.offset_from, &line.offset_to}) *vector = placement.rotation * *vector;
      placed.push_back(line);
    }
  }
  Assembly& assembly = reading.plan.assembly;
  made.section = section->along(0);
  assembly.parts.push_back(made);
  const std::size_t first = assembly.beams.size();
  mesh_lines(assembly, static_cast<int>(assembly.parts.size()) - 1, with_mirror_images(placed, copies.mirror),
             section->tapered ? section->along : SectionAlong());
  for (std::size_t beam = first; beam < assembly.beams.size(); ++beam) {
    if (releases_hold(assembly.beams[beam].geometry, assembly.properties(assembly.beams[beam]))) continue;
    problems.add(tree, subject, "what is released at both ends leaves an element loose in itself",
                 "release a torque or a length at one end only, or divide the line");
    return false;
  }
  return true;
}

// Parts that the plan wants to have the mass that was weighed.
void scale_to_weighed(Reading& reading) {
  Assembly& assembly = reading.plan.assembly;
  if (reading.scaled.empty()) return;
  for (const auto& [name, properties] : mass_breakdown(assembly))
    for (Part& part : assembly.parts) {
      if (part.name != name || !reading.scaled.contains(name) || !(properties.mass > 0)) continue;
      part.mass_factor = *part.weighed / properties.mass;
      reading.plan.notes.push_back(fmt::format("part {}: density times {:.4g}, so that it has the {:.4g} kg weighed",
                                               name, part.mass_factor, *part.weighed));
    }
}

bool read_part(const Tree& tree, const std::string& name, Reading& reading) {
  Problems& problems = reading.problems;
  const std::size_t before = problems.count();
  MapReader part(tree, "part " + name, problems);
  if (!part.is_map()) return false;
  const auto [form, what] =
      part.one_of({"line", "plate", "box", "tube", "cone", "disc", "ribs", "mesh", "component", "supplied modes"});
  if (form == "component" || form == "supplied modes") {
    Part made;
    made.name = name;
    return read_component_part(form, *what, part, made, before, reading);
  }
  const Tree* const material_tree =
      part.required("material", reading.materials.names().empty() ? "NAME" : reading.materials.names().front());
  const int* const material =
      material_tree ? reading.materials.find(*material_tree, part.subject(), problems) : nullptr;
  Part made;
  made.name = name;
  made.weighed = part.quantity("weighed", kind::mass, Sign::positive);
  if (read_scaling(part, made.weighed.has_value())) reading.scaled.insert(name);
  if (!what) return false;                    // which keys belong here cannot be told
  made.material = material ? *material : -1;  // all else is read too, so that its problems are said in the same reading
  try {
    return form == "line" ? read_lines(tree, part, made, before, reading)
                          : read_continuum(form, *what, part, made, before, reading);
  } catch (const InputError& error) {  // of its mesh
    for (const Problem& problem : error.problems)
      problems.add(*what, part.subject() + (problem.subject.empty() ? "" : " " + problem.subject), problem.wrong,
                   problem.remedy);
    return false;
  }
}

}  // namespace

void read_parts(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    reading.plan.subjects["part " + entry.key] = entry.place;
    if (read_part(entry.value, entry.key, reading))
      reading.parts.declare(entry.key, static_cast<int>(reading.plan.assembly.parts.size()) - 1);
    else
      reading.parts.declare(entry.key, std::nullopt);
  }
  scale_to_weighed(reading);
}

}  // namespace avrenk
