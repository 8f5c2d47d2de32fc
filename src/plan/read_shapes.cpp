// parts of shells and solids: our own shapes, and ribs on them.
#include <algorithm>
#include <cmath>

#include "core/mesh/shapes.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

std::optional<Eigen::Vector2d> read_two(const Tree& tree, const std::string& subject, Problems& problems, Sign sign) {
  if (!tree.is_list() || tree.items.size() != 2) {
    problems.add(tree, subject, "two lengths are due", "write [620 mm, 420 mm]");
    return std::nullopt;
  }
  const auto first = read_quantity(tree.items[0], kind::length, subject, problems, sign),
             second = read_quantity(tree.items[1], kind::length, subject, problems, sign);
  return first && second ? std::optional(Eigen::Vector2d(*first, *second)) : std::nullopt;
}

// "element: 15 mm", or "divisions:" one number for each direction of the shape.
std::optional<MeshDensity> read_fineness(MapReader& map, std::size_t directions) {
  const auto [how, amount] = map.one_of({"element", "divisions"});
  if (!amount) return std::nullopt;
  MeshDensity density;
  if (how == "element") {
    density.element = read_quantity(*amount, kind::length, map.subject() + " element", map.problems(), Sign::positive);
    return density.element ? std::optional(density) : std::nullopt;
  }
  const auto amounts = one_or_more(*amount);
  if (amounts.size() != directions) {
    map.problems().add(*amount, map.subject() + " divisions",
                       fmt::format("{} numbers stand here, {} are due", amounts.size(), directions),
                       directions == 2 ? "write [24, 12]" : "write [24, 12, 2]");
    return std::nullopt;
  }
  for (const Tree* one : amounts) {
    const auto count = read_count(*one, map.subject() + " divisions", map.problems());
    if (!count) return std::nullopt;
    density.divisions.push_back(*count);
  }
  return density;
}

// Lines of nodes that must be there: {x: [-150 mm, 150 mm], y: 0 mm}.
std::array<std::vector<double>, 2> read_node_lines(const Tree& tree, const std::string& subject, Problems& problems) {
  std::array<std::vector<double>, 2> lines;
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return lines;
  for (std::size_t axis = 0; axis < 2; ++axis)
    if (const Tree* found = map.optional(axis == 0 ? "x" : "y"))
      for (const Tree* each : one_or_more(*found))
        if (const auto at = read_quantity(*each, kind::length, subject, problems)) lines[axis].push_back(*at);
  map.done();
  return lines;
}

struct ReadShape {
  Shape shape;
  MeshDensity density;
};

Shape read_plate(MapReader& map) {
  Plate plate;
  Problems& problems = map.problems();
  if (const Tree* size = map.required("size", "[620 mm, 420 mm]"))
    if (const auto both = read_two(*size, map.subject() + " size", problems, Sign::positive)) {
      plate.length = both->x();
      plate.width = both->y();
    }
  if (const Tree* lines = map.optional("lines"))
    plate.lines = read_node_lines(*lines, map.subject() + " lines", problems);
  if (const Tree* tree = map.optional("hole")) {
    MapReader hole(*tree, map.subject() + " hole", problems);
    if (hole.is_map()) {
      plate.hole.emplace();
      plate.hole->diameter = hole.required_quantity("diameter", kind::length, Sign::positive).value_or(1);
      if (const Tree* at = hole.optional("at"))
        plate.hole->at = read_two(*at, hole.subject() + " at", problems, Sign::any).value_or(Eigen::Vector2d::Zero());
      hole.done();
    }
  }
  return plate;
}

Shape read_box(MapReader& map) {
  Box box{Vector3::Ones()};
  if (const Tree* size = map.required("size", "[80 mm, 60 mm, 40 mm]"))
    if (const auto three = read_vector(*size, kind::length, map.subject() + " size", map.problems())) {
      box.size = *three;
      if (!(three->minCoeff() > 0))
        map.problems().add(*size, map.subject(), "a side is not positive", "write [80 mm, 60 mm, 40 mm]");
    }
  return box;
}

Shape read_tube(MapReader& map) {
  Cone tube;
  tube.bottom = tube.top = map.required_quantity("diameter", kind::length, Sign::positive).value_or(1);
  tube.height = map.required_quantity("height", kind::length, Sign::positive).value_or(1);
  return tube;
}

Shape read_cone(MapReader& map) {
  Cone cone{1, 1, 1};
  if (const Tree* diameters = map.required("diameters", "[180 mm, 120 mm]"))
    if (const auto both = read_two(*diameters, map.subject() + " diameters", map.problems(), Sign::positive)) {
      cone.bottom = both->x();
      cone.top = both->y();
    }
  cone.height = map.required_quantity("height", kind::length, Sign::positive).value_or(1);
  return cone;
}

Shape read_disc(MapReader& map) {
  Disc disc;
  disc.diameter = map.required_quantity("diameter", kind::length, Sign::positive).value_or(1);
  disc.hole = map.quantity("hole", kind::length, Sign::positive).value_or(0);
  return disc;
}

Shape read_sizes(const std::string& form, MapReader& map) {
  if (form == "plate") return read_plate(map);
  if (form == "box") return read_box(map);
  if (form == "tube") return read_tube(map);
  if (form == "cone") return read_cone(map);
  return read_disc(map);
}

// Whether shells or solids, how many over the thickness, and how thick. Boxes are solid unless they have a wall.
std::optional<Meshing> read_meshing(const std::string& form, MapReader& part, Part& made) {
  Meshing meshing;
  Problems& problems = part.problems();
  const std::size_t before = problems.count();
  const Tree* const elements = part.optional("elements");
  meshing.solid = form == "box";
  if (elements)
    if (const auto word =
            read_word(*elements, {"shells", "solids", "quadratic solids"}, part.subject() + " elements", problems)) {
      meshing.solid = *word > 0;
      meshing.quadratic = *word == 2;
    }
  const bool block = form == "box" && meshing.solid;
  if (!block) meshing.thickness = part.required_quantity("thickness", kind::length, Sign::positive).value_or(1);
  const Tree* const layers = (meshing.solid && !block) || problems.count() > before ? part.optional("layers") : nullptr;
  if (layers) meshing.layers = read_count(*layers, part.subject() + " layers", problems).value_or(1);
  if (!meshing.solid) {
    made.thickness = meshing.thickness;
    made.offset = part.quantity("offset", kind::length).value_or(0);
    made.extra_mass = part.quantity("extra mass", kind::area_density, Sign::not_negative).value_or(0);
  }
  made.form = meshing.solid ? Part::Form::solid : Part::Form::shell;
  return problems.count() > before ? std::nullopt : std::optional(meshing);
}

bool read_shape(const std::string& form, const Tree& what, MapReader& part, Part made, std::size_t before,
                Reading& reading) {
  Problems& problems = reading.problems;
  MapReader map(what, part.subject() + " " + form, problems);
  if (!map.is_map()) return false;
  const Shape shape = read_sizes(form, map);
  const auto meshing = read_meshing(form, part, made);
  const bool hole = std::holds_alternative<Plate>(shape) && std::get<Plate>(shape).hole;
  const auto density = read_fineness(map, (form == "box" || hole) ? 3 : 2);
  map.done();
  const Copies copies = read_copies(part, reading);
  part.done();
  if (problems.count() > before || made.material < 0 || !meshing || !density) return false;
  if (const auto wrong = why_invalid(shape, *meshing)) {
    problems.add(what, map.subject(), *wrong, "change the sizes or the thickness");
    return false;
  }
  reading.plan.assembly.parts.push_back(made);
  add_mesh(reading.plan.assembly, static_cast<int>(reading.plan.assembly.parts.size()) - 1,
           mesh_shape(shape, *meshing, *density), with_mirror_images(copies.placements, copies.mirror));
  return true;
}

bool read_ribs(const Tree& what, MapReader& part, Part made, std::size_t before, Reading& reading) {
  Problems& problems = reading.problems;
  MapReader map(what, part.subject() + " ribs", problems);
  if (!map.is_map()) return false;
  const Tree* const on_tree = map.required("on", "PART");
  const int* const on = on_tree ? reading.parts.find(*on_tree, map.subject(), problems) : nullptr;
  std::vector<Rib> ribs;
  if (const Tree* along = map.required("along", "[[[-310 mm, 60 mm, 180 mm], [310 mm, 60 mm, 180 mm]]]")) {
    if (!along->is_list())
      problems.add(*along, map.subject(), "a list of lines is due",
                   "write [[[0 mm, 0 mm, 0 mm], [90 mm, 0 mm, 0 mm]]]");
    for (const Tree& item : along->items) {
      if (!item.is_list() || item.items.size() != 2) {
        problems.add(item, map.subject() + " along", "two points are due",
                     "write [[0 mm, 0 mm, 0 mm], [90 mm, 0 mm, 0 mm]]");
        continue;
      }
      const auto from = read_vector(item.items[0], kind::length, map.subject() + " along", problems),
                 to = read_vector(item.items[1], kind::length, map.subject() + " along", problems);
      if (from && to && (*to - *from).norm() > 0) ribs.push_back({*from, *to});
      if (from && to && !((*to - *from).norm() > 0))
        problems.add(item, map.subject() + " along", "it begins where it ends", "give two different points");
    }
  }
  const double height = map.required_quantity("height", kind::length, Sign::positive).value_or(1);
  std::optional<Vector3> towards;
  if (const Tree* tree = map.required("towards", "-z")) {
    const std::array<const char*, 6> words{"x", "y", "z", "-x", "-y", "-z"};
    if (tree->is_list())
      towards = read_direction(*tree, map.subject() + " towards", problems);
    else if (const auto word = read_word(*tree, {words.begin(), words.end()}, map.subject() + " towards", problems))
      towards = Vector3((*word < 3 ? 1 : -1) * Vector3::Unit(*word % 3));
  }
  const auto density = read_fineness(map, 1);
  map.done();
  made.form = Part::Form::shell;
  made.thickness = part.required_quantity("thickness", kind::length, Sign::positive).value_or(1);
  made.extra_mass = part.quantity("extra mass", kind::area_density, Sign::not_negative).value_or(0);
  part.done();
  if (problems.count() > before || made.material < 0 || !on || !towards || !density) return false;
  Assembly& assembly = reading.plan.assembly;
  assembly.parts.push_back(made);
  try {
    add_ribs(assembly, static_cast<int>(assembly.parts.size()) - 1, *on, ribs, height, *towards,
             density->over(height, 0));
  } catch (const InputError& error) {
    problems.add(what, map.subject(), error.problems.front().wrong, error.problems.front().remedy);
    return false;
  }
  return true;
}

}  // namespace

bool read_continuum(const std::string& form, const Tree& what, MapReader& part, Part made, std::size_t before,
                    Reading& reading) {
  if (form == "mesh") return read_mesh(what, part, std::move(made), before, reading);
  if (form == "ribs") return read_ribs(what, part, std::move(made), before, reading);
  return read_shape(form, what, part, std::move(made), before, reading);
}

}  // namespace avrenk
