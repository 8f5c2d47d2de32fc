/// files/vtu.h: VTK XML unstructured grids, an open format for fields on a mesh (VTK file formats, XML, version 1.0).
#pragma once

#include <string>

#include "core/quantity/show.h"
#include "core/response/fields.h"

namespace avrenk {

/// Numbers at every point or cell.
struct GridArray {
  std::string name;  ///< with its unit
  int components = 1;
  std::vector<double> values;
};

struct Grid {
  enum CellType : unsigned char { vertex = 1, line = 3 };
  std::vector<Vector3> points;
  std::vector<std::vector<int>> cells;
  std::vector<CellType> types;
  std::vector<GridArray> point_arrays, cell_arrays;
};

/// The file: little-endian binary, compressed with zlib, as base64 inside the XML.
[[nodiscard]] std::string to_vtu(const Grid& grid);

/// The model: points in `show`'s unit of length; lines for beams, springs and rigid links, vertices for bodies. Cell
/// arrays "part" (the row of the mass table, from 0; −1 of joints) and "kind" (0 beam, 1 body, 2 spring, 3 rigid link).
/// The bodies' centres are the points after the nodes.
[[nodiscard]] Grid model_grid(const Assembly& assembly, const Show& show);

/// Translation of every point of model_grid, in SI units times a factor.
[[nodiscard]] GridArray displacement_array(const std::string& name, const Assembly& assembly,
                                           const NodeMotions& motions, double factor);

}  // namespace avrenk
