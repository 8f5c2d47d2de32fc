#include "files/component_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <map>
#include <sstream>

#include "core/error.h"
#include "core/spelling.h"
#include "core/words.h"
#include "files/sealed_hdf5.h"
#include "files/unit_table.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;

constexpr SealKind component_seal{"component", 1};
constexpr const char* directions[] = {"x", "y", "z", "rx", "ry", "rz"};

[[noreturn]] void refuse_file(const std::string& name, const std::string& why) {
  throw FileError(fmt::format("{}: {}", name, why));
}
[[noreturn]] void refuse_line(const std::string& name, std::size_t line, const std::string& why) {
  throw FileError(fmt::format("{}:{}: {}", name, line, why));
}

MatrixXd positions(const std::vector<Vector3>& points) {
  MatrixXd all(3, std::ssize(points));
  for (Index i = 0; i < all.cols(); ++i) all.col(i) = points[static_cast<std::size_t>(i)];
  return all;
}
std::vector<Vector3> positions_from(const MatrixXd& all) {
  std::vector<Vector3> points;
  for (Index i = 0; i < all.cols(); ++i) points.emplace_back(all.col(i));
  return points;
}

}  // namespace

void write_component(const std::filesystem::path& path, const ReducedModel& model) {
  SealedWriter file(path);
  MatrixXd columns(2, model.size());
  for (Index i = 0; i < columns.cols(); ++i)
    columns.col(i) << model.columns[static_cast<std::size_t>(i)].node,
        model.columns[static_cast<std::size_t>(i)].direction;
  file.write("interface", positions(model.interface));
  file.write("columns", columns);
  file.write("stiffness", model.stiffness);
  file.write("mass", model.mass);
  if (model.dashpot.size() > 0) file.write("dashpot", model.dashpot);
  if (model.loss.size() > 0) file.write("loss", model.loss);
  file.write("points", positions(model.points));
  file.write("recovery", model.recovery);
  file.write("bound", MatrixXd::Constant(1, 1, model.bound));
  std::string names;
  for (const std::string& each : model.names) names += each + "\n";
  file.write_text("names", names);
  file.seal(component_seal);
}

ReducedModel read_component(const std::string& bytes, const std::string& name) {
  if (const std::string broken = broken_seal_of(bytes, component_seal); !broken.empty()) refuse_file(name, broken);
  const SealedReader file = SealedReader::from_bytes(bytes);
  ReducedModel model;
  MatrixXd interface, columns, points, bound;
  const auto due = [&](const char* what, MatrixXd& matrix) {
    if (!file.read(what, matrix))
      refuse_file(name, fmt::format("no HDF5 file with a matrix of floating-point numbers called \"{}\"", what));
  };
  due("interface", interface);
  due("columns", columns);
  due("stiffness", model.stiffness);
  due("mass", model.mass);
  (void)file.read("dashpot", model.dashpot);
  (void)file.read("loss", model.loss);
  (void)file.read("points", points);
  (void)file.read("recovery", model.recovery);
  if (file.read("bound", bound) && bound.size() == 1) model.bound = bound(0, 0);
  if (columns.rows() != 2) refuse_file(name, "\"columns\" names a node and a direction for each motion, two numbers");
  if (interface.cols() > 0 && interface.rows() != 3)
    refuse_file(name, "\"interface\" gives three coordinates for each node");
  if (points.cols() > 0 && points.rows() != 3) refuse_file(name, "\"points\" gives three coordinates for each point");
  model.interface = positions_from(interface);
  model.points = positions_from(points);
  for (Index i = 0; i < columns.cols(); ++i) {
    for (Index k = 0; k < 2; ++k)
      if (!(std::abs(columns(k, i)) < 1e9) || columns(k, i) != std::round(columns(k, i)))
        refuse_file(name, fmt::format("\"columns\" has an entry {} that is no whole number", columns(k, i)));
    model.columns.push_back({static_cast<int>(columns(0, i)), static_cast<int>(columns(1, i))});
  }
  std::istringstream lines(file.read_text("names"));
  for (std::string line; std::getline(lines, line) && model.names.size() < model.points.size();)
    model.names.push_back(line);
  model.names.resize(model.points.size());
  if (const std::string why = why_invalid(model); !why.empty()) refuse_file(name, why);
  return model;
}

std::string to_matrix_market(const MatrixXd& matrix, const std::string& comment) {
  const bool symmetric = matrix.rows() == matrix.cols() && matrix == matrix.transpose();
  std::string text = fmt::format("%%MatrixMarket matrix array real {}\n% {}\n{} {}\n",
                                 symmetric ? "symmetric" : "general", comment, matrix.rows(), matrix.cols());
  for (Index j = 0; j < matrix.cols(); ++j)
    for (Index i = symmetric ? j : 0; i < matrix.rows(); ++i) text += fmt::format("{}\n", matrix(i, j));
  return text;
}

MatrixXd read_matrix_market(const std::string& text, const std::string& name, const std::optional<MatrixSize>& due) {
  std::istringstream stream(text);
  std::string line;
  std::size_t number = 1;
  std::getline(stream, line);
  std::istringstream head(in_small_letters(line));
  std::string banner, object, format, field, symmetry, more;
  head >> banner >> object >> format >> field >> symmetry >> more;
  if (banner != "%%matrixmarket" || object != "matrix" || !more.empty())
    refuse_line(name, 1, "no Matrix Market file: its first line is %%MatrixMarket matrix array real symmetric");
  if ((format != "array" && format != "coordinate") || (field != "real" && field != "integer" && field != "double") ||
      (symmetry != "general" && symmetry != "symmetric" && symmetry != "skew-symmetric"))
    refuse_line(name, 1,
                fmt::format("\"{} {} {}\" is not read: array or coordinate, real or integer, general, symmetric or "
                            "skew-symmetric",
                            format, field, symmetry));
  // Numbers of the next line that has any.
  const auto next = [&](std::size_t least) {
    std::vector<double> values;
    while (values.empty() && std::getline(stream, line)) {
      ++number;
      if (line.starts_with('%')) continue;
      const char* at = line.data();
      const char* const end = at + line.size();
      for (;;) {
        while (at != end && (std::isspace(static_cast<unsigned char>(*at)) || *at == '+')) ++at;
        if (at == end) break;
        double value = 0;
        const auto [rest, bad] = std::from_chars(at, end, value);
        if (bad != std::errc{} || !std::isfinite(value))
          refuse_line(name, number, fmt::format("\"{}\" is no finite number", std::string(at, end)));
        values.push_back(value);
        at = rest;
      }
    }
    if (values.empty()) refuse_line(name, number, "the file ends before all entries are there");
    if (values.size() != least)
      refuse_line(name, number, fmt::format("the line has {} numbers, {} are due", values.size(), least));
    return values;
  };
  const bool array = format == "array";
  const std::vector<double> size = next(array ? 2 : 3);
  constexpr double most = 20000;  // rows: of a dense matrix 3 GB
  for (const double each : size)
    if (each < 0 || each != std::round(each)) refuse_line(name, number, "a size is a whole number");
  if (size[0] > most || size[1] > most)
    refuse_line(name, number, fmt::format("{} x {} is more than {:.0f} rows: reduce it first", size[0], size[1], most));
  if (symmetry != "general" && size[0] != size[1]) refuse_line(name, number, "a symmetric matrix is square");
  if (due && (size[0] != static_cast<double>(due->rows) || size[1] != static_cast<double>(due->columns)))
    refuse_line(name, number,
                fmt::format("the matrix is {} x {}, and {} x {} are due by the tables beside it", size[0], size[1],
                            due->rows, due->columns));
  // So many entries take so many bytes at least.
  const double entries = array ? (symmetry == "general" ? size[0] * size[1] : 0.5 * size[0] * size[1]) : size[2];
  if (2 * entries > 2.0 * static_cast<double>(text.size()) + 2)
    refuse_line(name, number, "it announces more entries than the file holds");
  MatrixXd matrix = MatrixXd::Zero(static_cast<Index>(size[0]), static_cast<Index>(size[1]));
  const double sign = symmetry == "skew-symmetric" ? -1 : 1;
  const auto put = [&](Index i, Index j, double value) {
    matrix(i, j) += value;
    if (symmetry != "general" && i != j) matrix(j, i) += sign * value;
  };
  if (array) {
    for (Index j = 0; j < matrix.cols(); ++j)
      for (Index i = symmetry == "general" ? 0 : (sign < 0 ? j + 1 : j); i < matrix.rows(); ++i) put(i, j, next(1)[0]);
  } else {
    for (double k = 0; k < size[2]; ++k) {
      const std::vector<double> entry = next(3);
      const double i = entry[0], j = entry[1];
      if (i != std::round(i) || j != std::round(j) || i < 1 || j < 1 || i > size[0] || j > size[1])
        refuse_line(name, number, fmt::format("there is no entry ({}, {})", i, j));
      if (symmetry != "general" && j > i)
        refuse_line(name, number, "of a symmetric matrix the lower triangle is given");
      put(static_cast<Index>(i) - 1, static_cast<Index>(j) - 1, entry[2]);
    }
  }
  while (std::getline(stream, line)) {
    ++number;
    if (!line.starts_with('%') && !trimmed(line).empty()) refuse_line(name, number, "more entries than were announced");
  }
  return matrix;
}

std::string columns_table(const ReducedModel& model) {
  std::string text = "node,direction,x (m),y (m),z (m)\n";
  for (const auto& [node, direction] : model.columns) {
    if (node < 0) {
      text += ",coordinate,,,\n";
      continue;
    }
    const Vector3& at = model.interface[static_cast<std::size_t>(node)];
    text += fmt::format("{},{},{},{},{}\n", node + 1, directions[direction], at.x(), at.y(), at.z());
  }
  return text;
}

std::string points_table(const ReducedModel& model) {
  std::string text = "point,x (m),y (m),z (m)\n";
  for (std::size_t p = 0; p < model.points.size(); ++p) {
    std::string name = p < model.names.size() ? model.names[p] : "";
    std::replace(name.begin(), name.end(), '"', '\'');
    text += fmt::format("\"{}\",{},{},{}\n", name, model.points[p].x(), model.points[p].y(), model.points[p].z());
  }
  return text;
}

void read_columns_table(const std::string& text, const std::string& name, ReducedModel& model) {
  const UnitTable table(
      text, name,
      {{"node", nullptr}, {"direction", nullptr}, {"x", &kind::length}, {"y", &kind::length}, {"z", &kind::length}});
  std::map<std::string, int> known;
  for (const UnitTable::Row& row : table.rows()) {
    if (row.text("direction") == "coordinate") {
      model.columns.push_back({-1, 0});
      continue;
    }
    const auto* const direction = std::find(std::begin(directions), std::end(directions), row.text("direction"));
    if (direction == std::end(directions))
      refuse_line(name, row.line(),
                  fmt::format("\"{}\" is no direction: x, y, z, rx, ry, rz, or coordinate", row.text("direction")));
    const auto [at, fresh] = known.try_emplace(row.text("node"), static_cast<int>(model.interface.size()));
    const Vector3 position(row.value("x"), row.value("y"), row.value("z"));
    if (fresh)
      model.interface.push_back(position);
    else if ((position - model.interface[static_cast<std::size_t>(at->second)]).norm() > 1e-9)
      refuse_line(name, row.line(), fmt::format("node {} lies elsewhere in a line before", at->first));
    model.columns.push_back({at->second, static_cast<int>(direction - std::begin(directions))});
  }
}

void read_points_table(const std::string& text, const std::string& name, ReducedModel& model) {
  const UnitTable table(text, name,
                        {{"point", nullptr}, {"x", &kind::length}, {"y", &kind::length}, {"z", &kind::length}});
  for (const UnitTable::Row& row : table.rows()) {
    model.names.push_back(row.text("point"));
    model.points.emplace_back(row.value("x"), row.value("y"), row.value("z"));
  }
}

}  // namespace avrenk
