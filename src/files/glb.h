/// files/glb.h: binary glTF 2.0 (Khronos Group, ISO/IEC 12113:2022), an open format for scenes: triangles and lines
/// over shared vertices, and shapes that move them.
#pragma once

#include <array>
#include <string>
#include <vector>

#include "core/algebra.h"

namespace avrenk {

/// Triangles or lines of one colour, by their vertices. Lines stand in a mesh of their own that the scene does not
/// show, as loaders fail at lines that move; our page draws them.
struct GlbPrimitive {
  std::string name;
  std::array<double, 3> colour{};  ///< red, green, blue: 0 to 1, sRGB
  bool lines = false;
  std::vector<std::uint32_t> vertices;  ///< three a triangle, two a line
};

/// A shape: displacement of every vertex. Written as 16-bit numbers, its largest component as 1 in units of
/// GlbModel::unit (extension KHR_mesh_quantization); what it was before stays with the reader of the file.
struct GlbShape {
  std::string name;
  Eigen::Matrix3Xf displacement;
  bool animated = false;  ///< with one cycle of a second, whose largest component is one unit
};

/// A number of every vertex, which viewers ignore and our page reads: 16 bits, 0 to 1 of its largest; NaN is 65535.
struct GlbValue {
  std::string name;
  Eigen::VectorXf values;
};

/// Vertices in m, z up: the file turns them as the format wants it.
struct GlbModel {
  Eigen::Matrix3Xf points;
  double unit = 1;  ///< m, of the shapes' displacement
  std::vector<GlbPrimitive> primitives;
  std::vector<GlbShape> shapes;
  std::vector<GlbValue> values;
  std::vector<std::pair<std::string, std::vector<std::int32_t>>>
      indices;        ///< numbers of every vertex, such as of nodes
  std::string notes;  ///< JSON, kept as `extras` of the file
};

/// The file. Accessors that only our page reads stand in the asset's extras: {"notes": …, "unit": m,
/// "shapes": [{"name", "accessor", "largest"}], "values": [{"name", "accessor", "largest"}],
/// "indices": {NAME: accessor}}.
[[nodiscard]] std::string to_glb(const GlbModel& model);

}  // namespace avrenk
