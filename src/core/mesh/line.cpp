#include "core/mesh/line.h"

#include <cmath>

#include "core/mesh/mesh.h"
#include "core/mesh/point_merger.h"
#include "core/quantity/quantity.h"

namespace avrenk {

Vector3 default_up(const Vector3& from, const Vector3& to) {
  const Vector3 along = (to - from).normalized();
  return std::abs(along.z()) > std::cos(pi / 180) ? Vector3::UnitY() : Vector3::UnitZ();
}

std::vector<Line> with_mirror_images(std::vector<Line> lines, const std::array<bool, 3>& mirror) {
  for (int axis = 0; axis < 3; ++axis) {
    if (!mirror[static_cast<std::size_t>(axis)]) continue;
    const std::size_t originals = lines.size();
    for (std::size_t i = 0; i < originals; ++i) {
      Line image = lines[i];
      for (Vector3* vector : {&image.from, &image.to, &image.up, &image.offset_from, &image.offset_to})
        (*vector)[axis] *= -1;
      image.mirrored = !image.mirrored;
      const double spot = 1e-6 * (image.to - image.from).norm();
      const auto joins = [&](const Vector3& from, const Vector3& to) {
        return (image.from - from).norm() <= spot && (image.to - to).norm() <= spot;
      };
      if (!joins(lines[i].from, lines[i].to) && !joins(lines[i].to, lines[i].from)) lines.push_back(image);
    }
  }
  return lines;
}

namespace {

// Index into assembly.tapers of an element's own sections, −1 where the part's own serves.
class Sections {
 public:
  Sections(Assembly& assembly, int part, const SectionAlong& taper) : assembly_(assembly), part_(part), taper_(taper) {}
  int of(const Line& line, double from, double to) {
    const BeamSection& beam_section = assembly_.parts[static_cast<std::size_t>(part_)].section;
    const bool turn = line.mirrored && !is_symmetric(beam_section);
    if (!taper_ && !turn) return -1;
    if (!taper_ && image_ >= 0) return image_;
    const auto at = [&](double s) {
      const BeamSection section = taper_ ? taper_(line.begin + s * (line.end - line.begin)) : beam_section;
      return turn ? mirrored(section) : section;
    };
    auto& sections = assembly_.tapers.emplace_back();
    for (std::size_t i = 0; i < beam_stations; ++i)
      sections[i] = at(from + (to - from) * static_cast<double>(i) / (beam_stations - 1));
    const auto index = static_cast<int>(assembly_.tapers.size()) - 1;
    if (!taper_) image_ = index;
    return index;
  }

 private:
  Assembly& assembly_;
  int part_;
  const SectionAlong& taper_;
  int image_ = -1;
};

}  // namespace

void mesh_lines(Assembly& assembly, int part, const std::vector<Line>& lines, const SectionAlong& taper) {
  Eigen::AlignedBox3d box;
  double elements = 0;
  for (const Line& line : lines) elements += line.divisions;
  refuse_too_many(elements, most_nodes, "elements");
  for (const Line& line : lines) {
    box.extend(line.from);
    box.extend(line.to);
  }
  const double spot = 1e-6 * box.diagonal().norm();
  PointMerger spots(spot);
  const auto node_at = [&](const Vector3& at) {
    int node = spots.find(at);
    if (node >= 0) return node;
    node = static_cast<int>(assembly.nodes.size());
    assembly.nodes.push_back({at, assembly.parts[static_cast<std::size_t>(part)].name});
    spots.add(at, node);
    return node;
  };
  Sections sections(assembly, part, taper);
  for (const Line& line : lines) {
    int before = node_at(line.from);
    const Vector3 first = line.from + line.offset_from, last = line.to + line.offset_to;
    Vector3 end1 = first;
    for (int i = 1; i <= line.divisions; ++i) {
      const double s = static_cast<double>(i) / line.divisions;
      const Vector3 end2 = (1 - s) * first + s * last;
      const int node = node_at(i == line.divisions ? line.to : end2);
      BeamElement element{{before, node},
                          part,
                          {end1, end2, line.up},
                          sections.of(line, static_cast<double>(i - 1) / line.divisions, s),
                          {}};
      for (std::size_t d = 0; d < 6; ++d) {
        element.released[d] = i == 1 && line.released[d];
        element.released[d + 6] = i == line.divisions && line.released[d + 6];
      }
      // Ends that are not offset lie exactly on their nodes, wherever the spot put those.
      const auto on_node = [&](int n) { return assembly.nodes[static_cast<std::size_t>(n)].position; };
      if (i > 1 || line.offset_from.isZero(0)) element.geometry.end1 = on_node(before);
      if (i < line.divisions || line.offset_to.isZero(0)) element.geometry.end2 = on_node(node);
      assembly.beams.push_back(element);
      before = node;
      end1 = end2;
    }
  }
}

}  // namespace avrenk
