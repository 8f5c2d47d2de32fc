// parts that are known by their dynamics alone: reduced models from files, and modes that somebody else found.
#include <algorithm>
#include <filesystem>

#include "core/mesh/components.h"
#include "core/modes/reduction.h"
#include "core/quantity/meant.h"
#include "core/words.h"
#include "files/component_file.h"
#include "files/modes_file.h"
#include "files/unit_table.h"
#include "files/vtu.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

using Eigen::Index;

// The bytes of a file that the plan names, and how to call it; nullptr with a problem noted.
const std::string* read_file(const Tree& tree, const std::string& subject, const std::string& what, Reading& reading,
                             std::string& name) {
  if (!tree.is_text()) {
    reading.problems.add(tree, subject, "the name of a file is due", "write it as text: box.h5");
    return nullptr;
  }
  const auto path = std::filesystem::path(tree.place.file).parent_path() / tree.text;
  name = path.string();
  try {
    return &reading.problems.sources().read(path, most_component_bytes, what);
  } catch (const FileError& error) {
    reading.problems.add(tree, subject, error.what(), "paths start from the file of the plan");
    return nullptr;
  }
}

// {stiffness: K.mtx, mass: M.mtx, columns: columns.csv, …}
std::optional<ReducedModel> read_matrices(const Tree& tree, const std::string& subject, Reading& reading) {
  MapReader map(tree, subject, reading.problems);
  const std::size_t before = reading.problems.count();
  ReducedModel model;
  const Tree *const stiffness = map.required("stiffness", "K.mtx"), *const mass = map.required("mass", "M.mtx"),
                    *const columns = map.required("columns", "columns.csv"), *const dashpot = map.optional("dashpot"),
                    *const loss = map.optional("loss"), *const recovery = map.optional("recovery"),
                    *const points = map.optional("points");
  map.done();
  if (recovery && !points)
    reading.problems.add(*recovery, subject, "which points it recovers is not said",
                         "write points: points.csv beside it");
  const auto matrix = [&](const Tree* from, const MatrixSize& due, Eigen::MatrixXd& to) {
    std::string name;
    if (const std::string* text = from ? read_file(*from, subject, "a matrix", reading, name) : nullptr)
      to = read_matrix_market(*text, name, due);
  };
  const auto table = [&](const Tree* from, const auto& read) {
    std::string name;
    if (const std::string* text = from ? read_file(*from, subject, "a table", reading, name) : nullptr)
      read(*text, name, model);
  };
  table(columns, read_columns_table);
  table(points, read_points_table);
  if (reading.problems.count() > before) return std::nullopt;
  const MatrixSize square{model.size(), model.size()}, rows{6 * std::ssize(model.points), model.size()};
  matrix(stiffness, square, model.stiffness);
  matrix(mass, square, model.mass);
  matrix(dashpot, square, model.dashpot);
  matrix(loss, square, model.loss);
  matrix(recovery, rows, model.recovery);
  if (reading.problems.count() > before) return std::nullopt;
  if (points && !recovery) model.recovery.resize(0, 0);
  if (const std::string why = why_invalid(model); !why.empty()) {
    reading.problems.add(tree, subject, why, "look at the matrices, and at what columns says of each row");
    return std::nullopt;
  }
  return model;
}

const std::vector<UnitTable::Column>& mode_columns() {
  static const std::vector<UnitTable::Column> columns{{"mode", nullptr, false},
                                                      {"frequency", &kind::frequency},
                                                      {"modal mass", &kind::mass},
                                                      {"participation x", &kind::mass},
                                                      {"participation y", &kind::mass},
                                                      {"participation z", &kind::mass},
                                                      {"participation rx", &kind::first_moment, false},
                                                      {"participation ry", &kind::first_moment, false},
                                                      {"participation rz", &kind::first_moment, false},
                                                      {"damping ratio", &kind::ratio, false},
                                                      {"loss factor", &kind::ratio, false},
                                                      {"Q", &kind::number, false}};
  return columns;
}

[[noreturn]] void refuse_line(const UnitTable& table, std::size_t line, const std::string& why) {
  throw FileError(fmt::format("{}:{}: {}", table.name(), line, why));
}

// One line a mode: frequency, modal mass, participation, and damping where it was measured.
void take_modes(const UnitTable& table, const std::vector<int>& chosen, SuppliedModes& modes,
                std::map<std::string, Index>& number) {
  std::vector<const UnitTable::Row*> rows;
  for (std::size_t r = 0; r < table.rows().size(); ++r) {
    if (!chosen.empty() && std::find(chosen.begin(), chosen.end(), static_cast<int>(r) + 1) == chosen.end()) continue;
    rows.push_back(&table.rows()[r]);
    const std::string own = table.has("mode") ? rows.back()->text("mode") : fmt::format("{}", r + 1);
    if (!number.emplace(own, std::ssize(rows) - 1).second)
      refuse_line(table, rows.back()->line(), fmt::format("mode \"{}\" stands there twice", own));
  }
  for (const int each : chosen)
    if (each > static_cast<int>(table.rows().size()))
      throw FileError(fmt::format("{}: mode {} is chosen, and there are {}", table.name(), each, table.rows().size()));
  if (rows.empty()) throw FileError(fmt::format("{}: no mode stands in it", table.name()));
  const auto count = std::ssize(rows);
  modes.frequency.resize(count);
  modes.modal_mass.resize(count);
  modes.participation = Eigen::MatrixXd::Zero(count, 6);
  const bool damped = table.has("damping ratio") || table.has("Q"), lossy = table.has("loss factor");
  if (static_cast<int>(table.has("damping ratio")) + static_cast<int>(table.has("Q")) +
          static_cast<int>(table.has("loss factor")) >
      1)
    throw FileError(
        fmt::format("{}:1: damping is said in two ways: keep one of damping ratio, Q and loss factor", table.name()));
  if (damped) modes.zeta.resize(count);
  if (lossy) modes.eta.resize(count);
  for (Index r = 0; r < count; ++r) {
    const UnitTable::Row& row = *rows[static_cast<std::size_t>(r)];
    modes.frequency[r] = row.value("frequency");
    modes.modal_mass[r] = row.value("modal mass");
    if (!(modes.frequency[r] > 0)) refuse_line(table, row.line(), "a frequency is more than zero");
    if (!(modes.modal_mass[r] > 0)) refuse_line(table, row.line(), "a modal mass is more than zero");
    for (int d = 0; d < 6; ++d) {
      static constexpr const char* names[] = {"x", "y", "z", "rx", "ry", "rz"};
      modes.participation(r, d) = row.optional_value(fmt::format("participation {}", names[d])).value_or(0);
    }
    const auto positive = [&](double value, const char* what) {
      if (!(value >= 0)) refuse_line(table, row.line(), fmt::format("a {} is not negative", what));
      return value;
    };
    if (table.has("damping ratio")) modes.zeta[r] = positive(row.value("damping ratio"), "damping ratio");
    if (table.has("Q")) {
      if (!(row.value("Q") > 0)) refuse_line(table, row.line(), "a Q is more than zero");
      modes.zeta[r] = 0.5 / row.value("Q");
    }
    if (lossy) modes.eta[r] = positive(row.value("loss factor"), "loss factor");
  }
}

// One line for each mode and point.
void take_shapes(const UnitTable& table, const std::map<std::string, Index>& number, const std::set<std::string>& all,
                 SuppliedModes& modes) {
  std::map<std::string, Index> point;
  for (std::size_t p = 0; p < modes.names.size(); ++p) point[modes.names[p]] = static_cast<Index>(p);
  modes.has_rotations = table.has("rx") || table.has("ry") || table.has("rz");
  if (modes.has_rotations && !(table.has("rx") && table.has("ry") && table.has("rz")))
    throw FileError(fmt::format("{}:1: rotations are all three or none: rx, ry, rz", table.name()));
  modes.shapes = Eigen::MatrixXd::Zero(6 * std::ssize(modes.points), modes.frequency.size());
  Eigen::MatrixXi given = Eigen::MatrixXi::Zero(std::ssize(modes.points), modes.frequency.size());
  for (const UnitTable::Row& row : table.rows()) {
    const std::string mode = row.text("mode"), name = row.text("point");
    const auto at = point.find(name);
    if (at == point.end()) {
      std::vector<std::string> names;
      names.reserve(point.size());
      for (const auto& [each, index] : point) names.push_back(each);
      refuse_line(table, row.line(), fmt::format("no point is called \"{}\"; {}", name, suggest_name(name, names)));
    }
    const auto found = number.find(mode);
    if (found == number.end()) {
      if (all.contains(mode)) continue;  // not chosen
      refuse_line(table, row.line(), fmt::format("there is no mode \"{}\"", mode));
    }
    if (given(at->second, found->second)++ > 0)
      refuse_line(table, row.line(), fmt::format("mode {} of point {} stands there twice", mode, name));
    static constexpr const char* names[] = {"x", "y", "z", "rx", "ry", "rz"};
    for (int d = 0; d < (modes.has_rotations ? 6 : 3); ++d)
      modes.shapes(6 * at->second + d, found->second) = row.value(names[d]);
  }
  for (Index p = 0; p < given.rows(); ++p)
    for (Index r = 0; r < given.cols(); ++r)
      if (given(p, r) == 0) {
        const auto mode =
            std::find_if(number.begin(), number.end(), [&](const auto& each) { return each.second == r; });
        throw FileError(fmt::format("{}: the shape of mode {} at point {} is missing", table.name(), mode->first,
                                    modes.names[static_cast<std::size_t>(p)]));
      }
}

// {tip: [0 mm, 0 mm, 600 mm], …}: points by name, for shapes that are given at many.
void read_named_points(const Tree& tree, const std::string& subject, SuppliedModes& modes, Problems& problems) {
  if (!tree.is_map() || tree.entries.empty()) {
    problems.add(tree, subject, "a map of points is due, because the shapes are given at many",
                 "write points: {tip: [0 mm, 0 mm, 600 mm]}");
    return;
  }
  for (const Tree::Entry& entry : tree.entries)
    if (const auto at = read_vector(entry.value, kind::length, subject + " " + entry.key, problems)) {
      modes.names.push_back(entry.key);
      modes.points.push_back(*at);
    }
}

// Moves each point to the nearest of some; says how far that is.
std::vector<Index> take_nearest(const Eigen::Matrix3Xd& among, const std::string& file, SuppliedModes& modes,
                                double within) {
  std::vector<Index> places;
  for (std::size_t p = 0; p < modes.points.size(); ++p) {
    Index nearest = 0;
    const double off = (among.colwise() - modes.points[p]).colwise().norm().minCoeff(&nearest);
    if (off > within)
      throw FileError(fmt::format("{}: the point nearest to {} is {}, {:.4g} mm off", file, modes.names[p],
                                  position_in_words(among.col(nearest), display_unit("mm")), 1e3 * off));
    modes.points[p] = among.col(nearest);
    places.push_back(nearest);
  }
  return places;
}

constexpr double nearest_within = 1e-3;  // m

// Point arrays of three components, one a mode, called as the mode or "mode" and its name.
void take_grid_shapes(const Tree& tree, const std::string& subject, const std::map<std::string, Index>& number,
                      SuppliedModes& modes, Reading& reading) {
  MapReader map(tree, subject + " shapes", reading.problems);
  const Tree *const mesh = map.required("mesh", "modes.vtu"), *const length = map.required("length", "mm");
  map.done();
  std::string name;
  const std::string* const bytes = mesh ? read_file(*mesh, subject, "a mesh", reading, name) : nullptr;
  const auto unit = length && length->is_text()
                        ? read_quantity(text_at("1 " + length->text, length->place), kind::length, subject + " length",
                                        reading.problems, Sign::positive)
                        : std::nullopt;
  if (!bytes || !unit) return;
  const Grid grid = read_vtu(*bytes, name);
  Eigen::Matrix3Xd points(3, std::ssize(grid.points));
  for (Index i = 0; i < points.cols(); ++i) points.col(i) = *unit * grid.points[static_cast<std::size_t>(i)];
  if (points.cols() == 0) throw FileError(fmt::format("{}: it has no points", name));
  const std::vector<Index> places = take_nearest(points, name, modes, nearest_within);
  modes.shapes = Eigen::MatrixXd::Zero(6 * std::ssize(modes.points), modes.frequency.size());
  for (const auto& [mode, column] : number) {
    const auto found =
        std::find_if(grid.point_arrays.begin(), grid.point_arrays.end(), [&, &own = mode](const GridArray& each) {
          return each.components == 3 && (each.name == own || each.name == "mode " + own);
        });
    if (found == grid.point_arrays.end()) {
      std::vector<std::string> names;
      for (const GridArray& each : grid.point_arrays) names.push_back(each.name);
      throw FileError(fmt::format("{}: no array of points and three components is called \"{}\" or \"mode {}\"; {}",
                                  name, mode, mode, suggest_name("mode " + mode, names)));
    }
    for (std::size_t p = 0; p < places.size(); ++p)
      for (Index d = 0; d < 3; ++d) {
        const double value = found->values[static_cast<std::size_t>(3 * places[p] + d)];
        if (!(std::abs(value) <= most_meant))
          throw FileError(fmt::format("{}: {} moves by {:g} in mode {}, which is no number to be meant", name,
                                      modes.names[p], value, mode));
        modes.shapes(6 * static_cast<Index>(p) + d, column) = value;
      }
  }
}

// Frequencies, shapes and participation from the layout of results.h5.
void take_results(const std::string& bytes, const std::string& name, const std::vector<int>& chosen,
                  SuppliedModes& modes) {
  const GivenShapes given = read_given_shapes(bytes, name);
  std::vector<Index> columns;
  for (Index r = 0; r < given.frequency.size(); ++r)
    if (chosen.empty() || std::find(chosen.begin(), chosen.end(), static_cast<int>(r) + 1) != chosen.end())
      columns.push_back(r);
  for (const int each : chosen)
    if (each > given.frequency.size())
      throw FileError(fmt::format("{}: mode {} is chosen, and there are {}", name, each, given.frequency.size()));
  modes.frequency = given.frequency(columns);
  modes.modal_mass = Eigen::VectorXd::Ones(modes.frequency.size());
  modes.participation = given.participation(columns, Eigen::all);
  const std::vector<Index> places = take_nearest(given.nodes, name, modes, nearest_within);
  modes.shapes = Eigen::MatrixXd::Zero(6 * std::ssize(modes.points), modes.frequency.size());
  modes.has_rotations = true;
  for (std::size_t p = 0; p < places.size(); ++p)
    for (Index d = 0; d < 6; ++d) {
      const Index row = given.row(d, places[p]);
      if (row < 0 && d < 3)
        throw FileError(
            fmt::format("{}: {} lies at a node that has no motion of its own in the file", name, modes.names[p]));
      if (row < 0)
        modes.has_rotations = false;
      else
        modes.shapes.row(6 * static_cast<Index>(p) + d) = given.shapes.row(row)(columns);
    }
}

std::optional<ReducedModel> read_supplied(const Tree& tree, const std::string& subject, Reading& reading) {
  Problems& problems = reading.problems;
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return std::nullopt;
  const std::size_t before = problems.count();
  SuppliedModes modes;
  const auto [how, source] = map.one_of({"modes", "file"});
  const Tree* const points = map.required("points", how == "file" ? "{tip: [0 mm, 0 mm, 600 mm]}" : "points.csv");
  const Tree* const shapes = how == "file" ? nullptr : map.required("shapes", "shapes.csv");
  modes.mass = map.required_quantity("mass", kind::mass, Sign::positive).value_or(0);
  if (const Tree* about = map.optional("about"))
    modes.about = read_vector(*about, kind::length, subject + " about", problems).value_or(Vector3::Zero());
  const Tree *const centre = map.optional("centre"), *const inertia = map.optional("inertia");
  if (centre) modes.centre = read_vector(*centre, kind::length, subject + " centre", problems);
  if (inertia) modes.inertia = read_inertia(*inertia, subject + " inertia", problems);
  if (!centre != !inertia)
    problems.add(tree, subject, "centre of gravity and inertia go together", "give both, or neither");
  std::vector<int> chosen;
  if (const Tree* numbers = map.optional("numbers"))
    for (const Tree* each : one_or_more(*numbers))
      if (const auto number = read_count(*each, subject + " numbers", problems)) chosen.push_back(*number);
  map.done();
  const bool at_many = how == "file" || (shapes && shapes->is_map());
  if (points && at_many) read_named_points(*points, subject + " points", modes, problems);
  std::string name, points_name, shapes_name;
  const std::string* const bytes = source ? read_file(*source, subject, "modes", reading, name) : nullptr;
  const std::string* const places =
      points && !at_many ? read_file(*points, subject, "a table", reading, points_name) : nullptr;
  const std::string* const lines =
      shapes && !at_many ? read_file(*shapes, subject, "a table", reading, shapes_name) : nullptr;
  if (problems.count() > before || !bytes) return std::nullopt;
  if (places) {
    ReducedModel read;
    read_points_table(*places, points_name, read);
    modes.names = read.names;
    modes.points = read.points;
    std::vector<std::string> sorted = modes.names;
    std::sort(sorted.begin(), sorted.end());
    if (const auto twice = std::adjacent_find(sorted.begin(), sorted.end()); twice != sorted.end())
      throw FileError(fmt::format("{}: point \"{}\" stands there twice", points_name, *twice));
  }
  if (how == "file") {
    take_results(*bytes, name, chosen, modes);
  } else {
    std::map<std::string, Index> number;
    const UnitTable table(*bytes, name, mode_columns());
    take_modes(table, chosen, modes, number);
    if (at_many) {
      take_grid_shapes(*shapes, subject, number, modes, reading);
      if (problems.count() > before) return std::nullopt;
    } else {
      std::set<std::string> names;
      for (std::size_t r = 0; r < table.rows().size(); ++r)
        names.insert(table.has("mode") ? table.rows()[r].text("mode") : fmt::format("{}", r + 1));
      take_shapes(UnitTable(*lines, shapes_name,
                            {{"mode", nullptr},
                             {"point", nullptr},
                             {"x", &kind::number},
                             {"y", &kind::number},
                             {"z", &kind::number},
                             {"rx", &kind::per_length, false},
                             {"ry", &kind::per_length, false},
                             {"rz", &kind::per_length, false}}),
                  number, names, modes);
    }
  }
  ReducedModel model = as_component(modes);
  std::string carried;
  for (int d = 0; d < 3; ++d)
    carried += fmt::format(
        "{}{:.3g} % along {}", d > 0 ? ", " : "",
        100 * modes.participation.col(d).cwiseAbs2().cwiseQuotient(modes.modal_mass).sum() / modes.mass, "xyz"[d]);
  reading.plan.notes.push_back(fmt::format(
      "{}: {}, which carry {} of the mass; the rest rides on the base. Not known: what lies beyond their frequencies "
      "(no "
      "residual vectors), motion of other points, stress{}{}",
      subject, counted(static_cast<std::size_t>(modes.frequency.size()), "mode"), carried,
      modes.has_rotations ? "" : ", rotations of points",
      modes.inertia ? "" : "; turns of the base know only the inertia of the modes, for want of centre and inertia"));
  return model;
}

}  // namespace

bool read_component_part(const std::string& form, const Tree& what, MapReader& part, Part made, std::size_t before,
                         Reading& reading) {
  const std::string subject = part.subject() + " " + form;
  const Copies copies = read_copies(part, reading);
  part.done();
  std::optional<ReducedModel> model;
  try {
    if (form == "supplied modes") {
      model = read_supplied(what, subject, reading);
    } else if (what.is_map()) {
      model = read_matrices(what, subject, reading);
    } else {
      std::string name;
      if (const std::string* bytes = read_file(what, subject, "a component", reading, name))
        model = read_component(*bytes, name);
    }
  } catch (const FileError& error) {
    reading.problems.add(what, subject, error.what(), "");
  } catch (const InputError& error) {
    for (const Problem& problem : error.problems) reading.problems.add(what, subject, problem.wrong, problem.remedy);
  }
  if (reading.problems.count() > before || !model) return false;
  Assembly& assembly = reading.plan.assembly;
  made.form = Part::Form::component;
  made.material = static_cast<int>(assembly.materials.size());
  Material none;  // E, density and all else zero: it has no material of its own
  none.name = "of a component";
  assembly.materials.push_back(none);
  assembly.parts.push_back(made);
  const auto index = static_cast<int>(assembly.parts.size()) - 1;
  auto& points = reading.recovered[made.name];
  for (const Placement& placement : with_mirror_images(copies.placements, copies.mirror)) {
    const PlacedComponent placed = add_component(assembly, index, *model, placement);
    for (std::size_t p = 0; p < placed.points.size(); ++p) points.emplace_back(model->names[p], placed.points[p]);
  }
  if (model->bound > 0)
    reading.plan.notes.push_back(
        fmt::format("{}: {} motions of its interface and {} coordinates; its own modes are kept to {:.5g} Hz",
                    part.subject(), model->size() - model->coordinates(), model->coordinates(), model->bound));
  return true;
}

}  // namespace avrenk
