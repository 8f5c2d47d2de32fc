/// files/vtu.h: VTK XML unstructured grids, an open format for fields on a mesh (VTK file formats, XML, version 1.0).
#pragma once

#include <cstdint>
#include <span>
#include <string>

#include "core/quantity/show.h"
#include "core/response/fields.h"

namespace avrenk {

/// Numbers or texts at every point or cell.
struct GridArray {
  std::string name;  ///< with its unit
  int components = 1;
  std::vector<double> values;        ///< component by component, point after point
  std::vector<std::string> texts{};  ///< instead of numbers
  bool single = false;               ///< written in single precision
};

/// Points, cells by the points that they join, and arrays over both.
struct Grid {
  enum CellType : unsigned char { vertex = 1, line = 3 };  ///< those that we write; others as VTK numbers them
  std::vector<Vector3> points;
  std::vector<std::int64_t> connectivity;  ///< points of the first cell, then of the second …
  std::vector<std::int64_t> offsets;       ///< end of each cell in `connectivity`
  std::vector<std::uint8_t> types;
  std::vector<GridArray> point_arrays, cell_arrays;

  void add_cell(std::uint8_t type, std::span<const int> nodes) {
    connectivity.insert(connectivity.end(), nodes.begin(), nodes.end());
    offsets.push_back(static_cast<std::int64_t>(connectivity.size()));
    types.push_back(type);
  }
};

/// The file: little-endian binary, compressed with zlib, as base64 inside the XML.
[[nodiscard]] std::string to_vtu(const Grid& grid, int threads = 0);

/// What a mesh file may have at most.
inline constexpr std::size_t most_mesh_bytes = std::size_t{8} << 30U;

/// Reads an unstructured grid: data as ascii or base64 inside the XML, or appended as base64 or raw bytes; plain or
/// compressed with zlib; any of the integer and floating-point types, in either byte order, headers of 32 or 64 bits;
/// several pieces become one grid. What the file claims is checked before memory is taken for it.
/// @param name  of the file, for messages
/// @throws FileError  it is no such file, is cut short, or contradicts itself: says what and where
[[nodiscard]] Grid read_vtu(const std::string& bytes, const std::string& name);

/// The model: points in `show`'s unit of length; lines for beams, springs, rigid links and averages,
/// vertices for bodies, cells of shells and solids. Cell arrays "part" (the row of the mass table, from 0; −1 of
/// joints) and "kind" (0 beam, 1 body, 2 spring, 3 rigid link, 4 shell, 5 solid, 6 average). The bodies' centres are
/// the points after the nodes.
[[nodiscard]] Grid model_grid(const Assembly& assembly, const Show& show);

/// Translation of every point of model_grid, in SI units times a factor.
[[nodiscard]] GridArray displacement_array(const std::string& name, const Assembly& assembly,
                                           const NodeMotions& motions, double factor);

}  // namespace avrenk
