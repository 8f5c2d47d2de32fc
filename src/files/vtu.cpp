#include "files/vtu.h"

#include <zlib.h>

#include <array>
#include <bit>
#include <cstdint>
#include <pugixml.hpp>
#include <sstream>

#include "core/element/kinds.h"
#include "core/error.h"
#include "core/model/assembly.h"
#include "core/parallel.h"
#include "files/base64.h"

namespace avrenk {
namespace {

static_assert(std::endian::native == std::endian::little, "binary data is written as it lies in memory");

constexpr std::size_t block_size = 1 << 20;  // bytes before compression

template <class Number>
std::string_view bytes_of(const std::vector<Number>& numbers) {
  return {reinterpret_cast<const char*>(numbers.data()), numbers.size() * sizeof(Number)};
}

// Header (number of blocks, size of a block, size of a last partial one, compressed sizes), then the blocks.
std::string packed(std::string_view bytes) {
  std::vector<std::uint64_t> header{0, block_size, bytes.size() % block_size};
  std::string blocks;
  for (std::size_t at = 0; at < bytes.size(); at += block_size) {
    const std::string_view block = bytes.substr(at, block_size);
    uLongf size = compressBound(static_cast<uLong>(block.size()));
    std::string small(size, '\0');
    if (compress2(reinterpret_cast<Bytef*>(small.data()), &size, reinterpret_cast<const Bytef*>(block.data()),
                  static_cast<uLong>(block.size()), Z_BEST_SPEED) != Z_OK)  // more effort gains a hundredth
      throw FileError("a field could not be compressed");
    blocks.append(small, 0, size);
    header.push_back(size);
    ++header[0];
  }
  return base64(bytes_of(header)) + base64(blocks);
}

void add_packed(pugi::xml_node parent, const char* type, const std::string& name, int components,
                const std::string& text) {
  pugi::xml_node array = parent.append_child("DataArray");
  array.append_attribute("type") = type;
  array.append_attribute("Name") = name.c_str();
  array.append_attribute("NumberOfComponents") = components;
  array.append_attribute("format") = "binary";
  array.text().set(text.c_str());
}

template <class Number>
void add_array(pugi::xml_node parent, const char* type, const std::string& name, int components,
               const std::vector<Number>& values) {
  add_packed(parent, type, name, components, packed(bytes_of(values)));
}

std::string packed(const GridArray& array) {
  if (!array.single) return packed(bytes_of(array.values));
  const std::vector<float> rounded(array.values.begin(), array.values.end());
  return packed(bytes_of(rounded));
}

// Arrays are packed side by side, which takes longer than all else, and put in one after the other.
void add_arrays(pugi::xml_node parent, const std::vector<GridArray>& arrays, int threads) {
  std::vector<std::string> texts(arrays.size());
  run_jobs(arrays.size(), threads, [&](std::size_t i) { texts[i] = packed(arrays[i]); });
  for (std::size_t i = 0; i < arrays.size(); ++i)
    add_packed(parent, arrays[i].single ? "Float32" : "Float64", arrays[i].name, arrays[i].components, texts[i]);
}

}  // namespace

std::string to_vtu(const Grid& grid, int threads) {
  pugi::xml_document document;
  pugi::xml_node file = document.append_child("VTKFile");
  file.append_attribute("type") = "UnstructuredGrid";
  file.append_attribute("version") = "1.0";
  file.append_attribute("byte_order") = "LittleEndian";
  file.append_attribute("header_type") = "UInt64";
  file.append_attribute("compressor") = "vtkZLibDataCompressor";
  pugi::xml_node piece = file.append_child("UnstructuredGrid").append_child("Piece");
  piece.append_attribute("NumberOfPoints") = static_cast<unsigned long long>(grid.points.size());
  piece.append_attribute("NumberOfCells") = static_cast<unsigned long long>(grid.types.size());
  std::vector<double> points;
  for (const Vector3& point : grid.points) points.insert(points.end(), point.begin(), point.end());
  add_array(piece.append_child("Points"), "Float64", "Points", 3, points);
  pugi::xml_node cells = piece.append_child("Cells");
  add_array(cells, "Int64", "connectivity", 1, grid.connectivity);
  add_array(cells, "Int64", "offsets", 1, grid.offsets);
  add_array(cells, "UInt8", "types", 1, grid.types);
  pugi::xml_node at_points = piece.append_child("PointData"), at_cells = piece.append_child("CellData");
  add_arrays(at_points, grid.point_arrays, threads);
  add_arrays(at_cells, grid.cell_arrays, threads);
  std::ostringstream text;
  document.save(text, " ");
  return text.str();
}

Grid model_grid(const Assembly& assembly, const Show& show) {
  enum CellKind { beam, body, spring, rigid_link, shell, solid, average, component };
  const DisplayUnit length = show.unit(kind::length);
  Grid grid;
  GridArray part{"part", 1, {}}, what{"kind", 1, {}};
  const auto add = [&](std::initializer_list<int> cell, int own, CellKind own_kind) {
    grid.add_cell(cell.size() == 1 ? Grid::vertex : Grid::line, std::span(cell.begin(), cell.size()));
    part.values.push_back(own);
    what.values.push_back(own_kind);
  };
  for (const Node& node : assembly.nodes) grid.points.push_back(node.position / length.factor);
  for (const BeamElement& each : assembly.beams) add({each.nodes[0], each.nodes[1]}, each.part, beam);
  for (const ElementGroup& group : assembly.groups)
    for (std::size_t e = 0; e < group.elements(); ++e) {
      grid.add_cell(static_cast<std::uint8_t>(group.kind->cell_type), group.element(e));
      part.values.push_back(group.part);
      what.values.push_back(group.kind->is_shell() ? shell : solid);
    }
  for (const Component& each : assembly.components)
    for (int i = 0; i < each.interface; ++i) add({each.nodes[static_cast<std::size_t>(i)]}, each.part, component);
  for (std::size_t m = 0; m < assembly.masses.size(); ++m) {
    const PointMass& mass = assembly.masses[m];
    grid.points.emplace_back((assembly.nodes[static_cast<std::size_t>(mass.node)].position + mass.offset) /
                             length.factor);
    add({static_cast<int>(grid.points.size()) - 1}, static_cast<int>(assembly.parts.size() + m), body);
  }
  for (const Spring& each : assembly.springs)
    if (each.nodes[1] >= 0) add({each.nodes[0], each.nodes[1]}, -1, spring);
  for (const RigidLink& link : assembly.links)
    for (const int follow : link.follow) add({link.lead, follow}, -1, rigid_link);
  for (const Follower& follower : assembly.followers)
    if (follower.type == Joint::Type::average)
      for (const int lead : follower.leads) add({lead, follower.node}, -1, average);
  grid.cell_arrays = {std::move(part), std::move(what)};
  return grid;
}

GridArray displacement_array(const std::string& name, const Assembly& assembly, const NodeMotions& motions,
                             double factor) {
  GridArray array{name, 3, {}};
  const auto add = [&](const Vector3& value) {
    for (const double component : value) array.values.push_back(factor * component);
  };
  for (Eigen::Index node = 0; node < motions.cols(); ++node) add(motions.col(node).head<3>());
  for (const PointMass& mass : assembly.masses) {
    const auto u = motions.col(mass.node);
    add(u.head<3>() + u.tail<3>().cross(mass.offset));
  }
  return array;
}

}  // namespace avrenk
