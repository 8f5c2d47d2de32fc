// bench/models.h: the models that are timed, and what is measured of them.
#pragma once

#include <cmath>
#include <cstdlib>
#include <fstream>
#include <functional>
#include <string>

#include "core/clock.h"
#include "core/mesh/line.h"
#include "core/mesh/select.h"
#include "core/mesh/shapes.h"

namespace avrenk::bench {

inline double seconds(const std::function<void()>& work) {
  const StopWatch watch;
  work();
  return watch.seconds();
}

/// GiB: "VmHWM:" (the most so far) or "VmRSS:" (now) of the process.
inline double memory(const std::string& name) {
  std::ifstream status("/proc/self/status");
  for (std::string line; std::getline(status, line);)
    if (line.starts_with(name)) return std::atof(line.substr(name.size() + 1).c_str()) / 1048576;
  return 0;
}

inline Assembly alloy_part(const std::string& name) {
  Assembly model;
  model.materials = {{"alloy", 71e9, 0.33, 2810, std::nullopt}};
  model.parts = {{name}};
  return model;
}

inline void hold(Assembly& model, const std::function<bool(const Vector3&)>& held) {
  model.bases = {{"fixture", {}, Vector3::Zero()}};
  for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node)
    if (held(model.position(node))) model.bases[0].feet.push_back({node});
}

/// A block of hexahedra, n x m x k elements over sides in m, held at its bottom or at one end.
inline Assembly solids_of(const Vector3& sides, int n, int m, int k, bool quadratic = false, bool at_end = false) {
  Assembly model = alloy_part("block");
  model.parts[0].form = Part::Form::solid;
  add_mesh(model, 0, mesh_shape(Box{sides}, {true, quadratic, 0, 1}, {std::nullopt, {n, m, k}}), {Placement{}});
  hold(model, [&](const Vector3& p) { return at_end ? p.x() < 1e-9 - 0.5 * sides.x() : p.z() < 1e-9; });
  return model;
}
inline Assembly block_of(int n, bool quadratic = false) {
  return solids_of(Vector3::Constant(0.1), n, n, n, quadratic);
}

/// A plate of n x n shells of four nodes, 0.5 m wide and 2 mm thick, held along one edge.
inline Assembly plate_of(int n) {
  Assembly model = alloy_part("plate");
  model.parts[0].form = Part::Form::shell;
  model.parts[0].thickness = 0.002;
  add_mesh(model, 0, mesh_shape(Plate{0.5, 0.5}, {false, false, 0.002, 1}, {std::nullopt, {n, n}}), {Placement{}});
  hold(model, [](const Vector3& p) { return p.x() < -0.2499; });
  return model;
}

/// A quarter of a cylinder of n x n shells, radius 0.3 m, 0.5 m high, 2 mm thick, held along its bottom: bending and
/// stretching are coupled, and the matrices full.
inline Assembly shell_of(int n) {
  Assembly model = plate_of(n);
  constexpr double radius = 0.3, quarter = 1.5707963267948966;
  for (Node& node : model.nodes) {
    const double angle = quarter * (node.position.x() + 0.25) / 0.5;
    node.position = {radius * std::cos(angle), radius * std::sin(angle), node.position.y() + 0.25};
  }
  hold(model, [](const Vector3& p) { return p.z() < 1e-9; });
  return model;
}

/// Square bays stacked along z: four legs, rings and one diagonal a face, each beam in two elements; fixed at z = 0.
inline Assembly tower_of(int unknowns) {
  Assembly model;
  model.materials = {{"alloy", 71e9, 0.33, 2810, std::nullopt}};
  model.parts = {{"tower", 0, tube_section(0.03, 0.002, 0.33)}};
  const double side = 0.5;
  const int nodes_a_storey = 4 + 4 + 4 + 4;  // corners, and the middles of legs, rings, diagonals
  const int storeys = unknowns / (6 * nodes_a_storey);
  const Vector3 corner[4] = {{0, 0, 0}, {side, 0, 0}, {side, side, 0}, {0, side, 0}};
  std::vector<Line> lines;
  const auto add = [&](const Vector3& from, const Vector3& to) {
    lines.push_back({from, to, 2, default_up(from, to)});
  };
  for (int s = 0; s < storeys; ++s) {
    const Vector3 low(0, 0, side * s), high(0, 0, side * (s + 1));
    for (int k = 0; k < 4; ++k) {
      const int next = (k + 1) % 4;
      add(corner[k] + low, corner[k] + high);
      add(corner[k] + high, corner[next] + high);
      add(corner[k] + low, corner[next] + high);
    }
  }
  mesh_lines(model, 0, lines);
  model.bases = {{"fixture", {}, Vector3::Zero()}};
  for (const int node : nodes_in_plane(model, nodes_of_part(model, ""), Vector3::Zero(), Vector3::UnitZ(), 1e-9))
    model.bases[0].feet.push_back({node});
  return model;
}

}  // namespace avrenk::bench
