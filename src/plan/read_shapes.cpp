// parts of shells and solids: our own shapes, ribs on them, and meshes from files; where their copies stand.
#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "core/mesh/shapes.h"
#include "core/words.h"
#include "plan/array_choice.h"
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
std::optional<Fineness> read_fineness(MapReader& map, std::size_t directions) {
  const auto [how, amount] = map.one_of({"element", "divisions"});
  if (!amount) return std::nullopt;
  Fineness fineness;
  if (how == "element") {
    fineness.element = read_quantity(*amount, kind::length, map.subject() + " element", map.problems(), Sign::positive);
    return fineness.element ? std::optional(fineness) : std::nullopt;
  }
  const auto each = one_or_more(*amount);
  if (each.size() != directions) {
    map.problems().add(*amount, map.subject() + " divisions",
                       fmt::format("{} numbers stand here, {} are due", each.size(), directions),
                       directions == 2 ? "write [24, 12]" : "write [24, 12, 2]");
    return std::nullopt;
  }
  for (const Tree* one : each) {
    const auto count = read_count(*one, map.subject() + " divisions", map.problems());
    if (!count) return std::nullopt;
    fineness.divisions.push_back(*count);
  }
  return fineness;
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
  Fineness fineness;
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
  const auto fineness = read_fineness(map, (form == "box" || hole) ? 3 : 2);
  map.done();
  const Copies copies = read_copies(part, reading);
  part.done();
  if (problems.count() > before || made.material < 0 || !meshing || !fineness) return false;
  if (const auto wrong = misfit(shape, *meshing)) {
    problems.add(what, map.subject(), *wrong, "change the sizes or the thickness");
    return false;
  }
  reading.plan.assembly.parts.push_back(made);
  add_mesh(reading.plan.assembly, static_cast<int>(reading.plan.assembly.parts.size()) - 1,
           mesh_shape(shape, *meshing, *fineness), with_mirror_images(copies.placements, copies.mirror));
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
    for (const Tree& each : along->items) {
      if (!each.is_list() || each.items.size() != 2) {
        problems.add(each, map.subject() + " along", "two points are due",
                     "write [[0 mm, 0 mm, 0 mm], [90 mm, 0 mm, 0 mm]]");
        continue;
      }
      const auto from = read_vector(each.items[0], kind::length, map.subject() + " along", problems),
                 to = read_vector(each.items[1], kind::length, map.subject() + " along", problems);
      if (from && to && (*to - *from).norm() > 0) ribs.push_back({*from, *to});
      if (from && to && !((*to - *from).norm() > 0))
        problems.add(each, map.subject() + " along", "it begins where it ends", "give two different points");
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
  const auto fineness = read_fineness(map, 1);
  map.done();
  made.form = Part::Form::shell;
  made.thickness = part.required_quantity("thickness", kind::length, Sign::positive).value_or(1);
  made.extra_mass = part.quantity("extra mass", kind::area_density, Sign::not_negative).value_or(0);
  part.done();
  if (problems.count() > before || made.material < 0 || !on || !towards || !fineness) return false;
  Assembly& assembly = reading.plan.assembly;
  assembly.parts.push_back(made);
  try {
    add_ribs(assembly, static_cast<int>(assembly.parts.size()) - 1, *on, ribs, height, *towards,
             fineness->over(height, 0));
  } catch (const InputError& error) {
    problems.add(what, map.subject(), error.problems.front().wrong, error.problems.front().instead);
    return false;
  }
  return true;
}

// The file as a mesh; what is no element is left out, and said.
MeshFile as_mesh(Grid grid, double unit, const std::string& name, Reading& reading) {
  MeshFile file;
  for (const Vector3& point : grid.points) file.mesh.points.emplace_back(unit * point);
  file.arrays = std::move(grid.cell_arrays);
  file.point_arrays = std::move(grid.point_arrays);
  std::map<int, std::size_t> left_out;
  std::vector<int> nodes;
  for (std::size_t cell = 0; cell < grid.types.size(); ++cell) {
    const auto begin = cell == 0 ? 0 : grid.offsets[cell - 1];
    const ElementKind* const kind = kind_of_cell(grid.types[cell]);
    if (!kind || grid.offsets[cell] - begin != kind->nodes) {
      ++left_out[grid.types[cell]];
      continue;
    }
    nodes.assign(grid.connectivity.begin() + begin, grid.connectivity.begin() + grid.offsets[cell]);
    file.mesh.add(*kind, nodes);
    file.cell_of.resize(file.mesh.cells.size());
    for (std::size_t k = 0; k < file.mesh.cells.size(); ++k)
      if (file.mesh.cells[k].kind == kind) file.cell_of[k].push_back(cell);
  }
  for (const auto& [type, count] : left_out)
    reading.plan.notes.push_back(fmt::format("{}: {} of VTK's type {} {} left out: no shells or solids", name,
                                             counted(count, "cell"), type, count == 1 ? "is" : "are"));
  if (const int turned = turn_inverted(file.mesh); turned > 0)
    reading.plan.notes.push_back(fmt::format("{}: {} numbered inside out {} been turned", name,
                                             counted(static_cast<std::size_t>(turned), "cell"),
                                             turned == 1 ? "has" : "have"));
  return file;
}

// Reads a file once for all parts that take it in the same unit.
MeshFile* find_file(const Tree& what, const Tree& unit_tree, const std::string& subject, Reading& reading) {
  Problems& problems = reading.problems;
  if (!what.is_text() || !unit_tree.is_text()) {
    problems.add(what.is_text() ? unit_tree : what, subject, "plain text is due",
                 "write mesh: bracket.vtu, length: mm");
    return nullptr;
  }
  double unit = 1;
  try {
    unit = parse_as(kind::length, "1 " + unit_tree.text);
  } catch (const InputError& error) {
    problems.add(unit_tree, subject + " length", error.problems.front().wrong, "write the unit of the file: mm");
    return nullptr;
  }
  const auto path = std::filesystem::path(what.place.file).parent_path() / what.text;
  const std::string key = path.string() + '\n' + unit_tree.text;
  if (const auto found = reading.meshes.find(key); found != reading.meshes.end()) return &found->second;
  std::ifstream stream(path, std::ios::binary);
  if (!stream) {
    problems.add(what, subject, fmt::format("the file {} cannot be read", path.string()),
                 "paths start from the file of the plan");
    return nullptr;
  }
  std::ostringstream bytes;
  bytes << stream.rdbuf();
  try {
    return &reading.meshes.emplace(key, as_mesh(read_vtu(bytes.str(), path.string()), unit, what.text, reading))
                .first->second;
  } catch (const FileError& error) {
    const std::string wrong = error.what();  // many say what to do
    problems.add(what, subject, wrong,
                 wrong.find("; ") == std::string::npos ? "give a VTK XML unstructured grid (.vtu)" : "");
    return nullptr;
  }
}

bool read_mesh(const Tree& what, MapReader& part, Part made, std::size_t before, Reading& reading) {
  Problems& problems = reading.problems;
  const std::string& subject = part.subject();
  const Tree* const unit = part.required("length", "mm");
  const Tree* const cells_tree = part.optional("cells");
  const auto thickness = part.quantity("thickness", kind::length, Sign::positive);
  made.offset = part.quantity("offset", kind::length).value_or(0);
  made.extra_mass = part.quantity("extra mass", kind::area_density, Sign::not_negative).value_or(0);
  const Copies copies = read_copies(part, reading);
  part.done();
  MeshFile* const file = unit ? find_file(what, *unit, subject, reading) : nullptr;
  if (!file || problems.count() > before || made.material < 0) return false;
  const ArrayChoice choice(cells_tree, file->arrays, "cell", subject + " cells", problems);
  if (problems.count() > before) return false;
  std::vector<std::vector<int>> chosen(file->mesh.cells.size());
  std::array<std::size_t, 2> count{};  // shells, solids
  for (std::size_t k = 0; k < chosen.size(); ++k)
    for (std::size_t i = 0; i < file->cell_of[k].size(); ++i)
      if (choice.takes(file->cell_of[k][i])) {
        chosen[k].push_back(static_cast<int>(i));
        ++count[file->mesh.cells[k].kind->is_shell() ? 0 : 1];
      }
  if (count[0] + count[1] == 0) {
    problems.add(cells_tree ? *cells_tree : what, subject, "no cell of the file is taken",
                 cells_tree ? "its values are " + choice.known() : "it holds no shells and no solids");
    return false;
  }
  if (count[0] > 0 && count[1] > 0) {
    problems.add(cells_tree ? *cells_tree : what, subject,
                 fmt::format("{} shells and {} solids are taken", count[0], count[1]),
                 "make two parts of them with cells: {ARRAY: VALUE}");
    return false;
  }
  if ((count[0] > 0) != thickness.has_value()) {
    problems.add(part.tree(), subject, count[0] > 0 ? "shells have a thickness" : "solids have no thickness",
                 count[0] > 0 ? "write thickness: 2 mm" : "leave thickness out");
    return false;
  }
  made.form = count[0] > 0 ? Part::Form::shell : Part::Form::solid;
  made.thickness = thickness.value_or(0);
  Assembly& assembly = reading.plan.assembly;
  assembly.parts.push_back(made);
  const auto index = static_cast<int>(assembly.parts.size()) - 1;
  reading.file_of[index] = file;
  for (const Placement& placement : with_mirror_images(copies.placements, copies.mirror)) {
    auto known = std::find_if(file->nodes.begin(), file->nodes.end(), [&](const auto& each) {
      return each.first.turn == placement.turn && each.first.shift == placement.shift;
    });
    if (known == file->nodes.end())
      known = file->nodes.insert(known, {placement, std::vector<int>(file->mesh.points.size(), -1)});
    add_cells(assembly, index, file->mesh, chosen, placement, known->second);
  }
  return true;
}

std::optional<Placement> read_rotation(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return std::nullopt;
  const Tree* const about = map.required("about", "x");
  const auto by = map.required_quantity("by", kind::angle);
  const std::size_t before = problems.count();
  Vector3 through = Vector3::Zero();
  if (const Tree* point = map.optional("through"))
    through = read_vector(*point, kind::length, subject, problems).value_or(through);
  map.done();
  const auto axis = about ? read_named_direction(*about, subject + " about", problems) : std::nullopt;
  if (!axis || !by || problems.count() > before) return std::nullopt;
  Placement placement;
  placement.turn = Eigen::AngleAxisd(*by, *axis).toRotationMatrix();
  placement.turn = placement.turn.unaryExpr([](double x) {  // quarter turns exactly
    const double whole = std::round(x);
    return std::abs(x - whole) < 1e-15 ? whole : x;
  });
  placement.shift = through - placement.turn * through;
  return placement;
}

// {step: [dx, dy, dz], times: 4}, or {about: z, by: 90 deg, times: 4}: the part and its copies are `times` in all.
std::vector<Placement> read_pattern(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return {};
  const Tree* const times_tree = map.required("times", "4");
  const auto times = times_tree ? read_count(*times_tree, subject + " times", problems) : std::nullopt;
  const auto [how, what] = map.one_of({"step", "about"});
  std::optional<Placement> step;
  if (how == "step") {
    if (const auto shift = read_vector(*what, kind::length, subject + " step", problems))
      step = Placement{Matrix3::Identity(), *shift};
    map.done();
  } else if (how == "about") {
    Tree rotation = tree;
    std::erase_if(rotation.entries, [](const Tree::Entry& entry) { return entry.key == "times"; });
    step = read_rotation(rotation, subject, problems);
  }
  std::vector<Placement> all{Placement{}};
  for (int k = 1; step && times && k < *times; ++k) all.push_back(step->after(all.back()));
  return all;
}

}  // namespace

Copies read_copies(MapReader& part, Reading& reading) {
  Problems& problems = reading.problems;
  Copies result;
  Placement own;
  if (const Tree* rotation = part.optional("rotation"))
    for (const Tree* each : one_or_more(*rotation))
      if (const auto turn = read_rotation(*each, part.subject() + " rotation", problems)) own = turn->after(own);
  if (const Tree* position = part.optional("position"))
    if (const auto shift = read_vector(*position, kind::length, part.subject() + " position", problems))
      own = Placement{Matrix3::Identity(), *shift}.after(own);
  result.placements = {own};
  const Tree* const tree = part.optional("copies");
  if (!tree) return result;
  MapReader copies(*tree, part.subject() + " copies", problems);
  if (!copies.is_map()) return result;
  const Tree* const mirror = copies.optional("mirror");
  const Tree* const pattern = copies.optional("pattern");
  copies.done();
  if (tree->entries.empty())
    problems.add(*tree, copies.subject(), "nothing says how",
                 "write copies: {mirror: y}, or {pattern: {step: [50 mm, 0 mm, 0 mm], times: 4}}");
  if (mirror)
    for (const Tree* each : one_or_more(*mirror))
      if (const auto axis = read_word(*each, {"x", "y", "z"}, part.subject() + " mirror", problems))
        result.mirror[static_cast<std::size_t>(*axis)] = true;
  if (pattern) {
    result.placements.clear();
    for (const Placement& each : read_pattern(*pattern, part.subject() + " pattern", problems))
      result.placements.push_back(each.after(own));
  }
  return result;
}

bool read_continuum(const std::string& form, const Tree& what, MapReader& part, Part made, std::size_t before,
                    Reading& reading) {
  if (form == "mesh") return read_mesh(what, part, std::move(made), before, reading);
  if (form == "ribs") return read_ribs(what, part, std::move(made), before, reading);
  return read_shape(form, what, part, std::move(made), before, reading);
}

}  // namespace avrenk
