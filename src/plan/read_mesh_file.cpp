// parts from mesh files.
#include <algorithm>
#include <cmath>
#include <filesystem>

#include "core/mesh/shapes.h"
#include "core/words.h"
#include "files/text_file.h"
#include "plan/array_choice.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

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
  const std::string* bytes = nullptr;
  try {
    bytes = &problems.sources().read(path, most_mesh_bytes, "a mesh");
  } catch (const FileError& error) {
    problems.add(what, subject, error.what(), "paths start from the file of the plan");
    return nullptr;
  }
  try {
    return &reading.meshes.emplace(key, as_mesh(read_vtu(*bytes, path.string()), unit, what.text, reading))
                .first->second;
  } catch (const FileError& error) {
    const std::string wrong = error.what();  // many say what to do
    problems.add(what, subject, wrong,
                 wrong.find("; ") == std::string::npos ? "give a VTK XML unstructured grid (.vtu)" : "");
    return nullptr;
  }
}

}  // namespace

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
  made.mesh_file = what.text;
  made.form = count[0] > 0 ? Part::Form::shell : Part::Form::solid;
  made.thickness = thickness.value_or(0);
  Assembly& assembly = reading.plan.assembly;
  assembly.parts.push_back(made);
  const auto index = static_cast<int>(assembly.parts.size()) - 1;
  reading.file_of[index] = file;
  for (const Placement& placement : with_mirror_images(copies.placements, copies.mirror)) {
    auto known = std::find_if(file->nodes.begin(), file->nodes.end(), [&](const auto& each) {
      return each.first.rotation == placement.rotation && each.first.shift == placement.shift;
    });
    if (known == file->nodes.end())
      known = file->nodes.insert(known, {placement, std::vector<int>(file->mesh.points.size(), -1)});
    add_cells(assembly, index, file->mesh, chosen, placement, known->second);
  }
  return true;
}

}  // namespace avrenk
