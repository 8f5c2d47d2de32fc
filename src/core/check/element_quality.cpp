#include "core/check/element_quality.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/element/kinds.h"
#include "core/quantity/quantity.h"
#include "core/words.h"

namespace avrenk {
namespace {

double angle_between(const Vector3& a, const Vector3& b) {
  const double angle = std::atan2(a.cross(b).norm(), a.dot(b));
  return angle < 1e-6 ? 0 : angle;  // rounding
}

// Angle between the halves of a quadrilateral, cut along either diagonal.
double warp_of(const std::array<Vector3, 4>& x) {
  const auto half = [&](std::size_t i) -> Vector3 { return (x[(i + 1) % 4] - x[i]).cross(x[(i + 3) % 4] - x[i]); };
  return std::max(angle_between(half(0), half(2)), angle_between(half(1), half(3)));
}

// Edges that leave each corner of a solid, so that their triple product is positive in a sound element.
std::vector<std::array<int, 4>> corner_edges(int corners) {
  if (corners == 8)
    return {{0, 1, 3, 4}, {1, 2, 0, 5}, {2, 3, 1, 6}, {3, 0, 2, 7},
            {4, 7, 5, 0}, {5, 4, 6, 1}, {6, 5, 7, 2}, {7, 6, 4, 3}};
  if (corners == 6) return {{0, 1, 2, 3}, {1, 2, 0, 4}, {2, 0, 1, 5}, {3, 5, 4, 0}, {4, 3, 5, 1}, {5, 4, 3, 2}};
  return {{0, 1, 2, 3}};
}

}  // namespace

ElementQuality element_quality(const Assembly& assembly, const ElementGroup& group, std::size_t element) {
  const std::span<const int> nodes = group.element(element);
  const ElementKind& kind = *group.kind;
  const auto at = [&](int local) -> const Vector3& {
    return assembly.position(nodes[static_cast<std::size_t>(local)]);
  };
  ElementQuality quality;
  double longest = 0, shortest = std::numeric_limits<double>::infinity(), surface = 0;
  for (const std::vector<int>& face : kind.faces) {
    const std::size_t n = kind.corners_of(face);
    for (std::size_t i = 0; i < n; ++i) {
      const double edge = (at(face[(i + 1) % n]) - at(face[i])).norm();
      longest = std::max(longest, edge);
      shortest = std::min(shortest, edge);
    }
    if (n == 4) quality.warp = std::max(quality.warp, warp_of({at(face[0]), at(face[1]), at(face[2]), at(face[3])}));
    if (n == 3) surface += 0.5 * (at(face[1]) - at(face[0])).cross(at(face[2]) - at(face[0])).norm();
  }
  double least = std::numeric_limits<double>::infinity(), most = -least;
  const auto corner = [&](double determinant) {
    least = std::min(least, determinant);
    most = std::max(most, determinant);
  };
  if (kind.is_shell() && kind.corners == 4) {
    const Vector3 normal = (at(2) - at(0)).cross(at(3) - at(1)).normalized();
    for (int i = 0; i < 4; ++i) corner((at((i + 1) % 4) - at(i)).cross(at((i + 3) % 4) - at(i)).dot(normal));
  } else if (!kind.is_shell()) {
    for (const auto& [own, a, b, c] : corner_edges(kind.corners))
      corner((at(a) - at(own)).cross(at(b) - at(own)).dot(at(c) - at(own)));
  } else {
    corner(surface);
  }
  quality.jacobian = most > 0 ? least / most : -1;
  quality.aspect = longest / shortest;
  if (kind.is_shell() && kind.corners == 3) {  // inscribed circle r = 2A/P, of a regular one a/(2√3)
    const double around = (at(1) - at(0)).norm() + (at(2) - at(1)).norm() + (at(0) - at(2)).norm();
    quality.aspect = longest / (2 * std::sqrt(3.0) * 2 * surface / around);
  } else if (kind.corners == 4 && !kind.is_shell()) {  // inscribed sphere r = 3V/S, of a regular one a/(2√6)
    quality.aspect = longest / (2 * std::sqrt(6.0) * 0.5 * std::abs(most) / surface);
    quality.jacobian = most > 0 ? 1 : -1;
  }
  return quality;
}

std::vector<PartQuality> part_quality(const Assembly& assembly) {
  std::vector<PartQuality> part_qualities;
  for (std::size_t p = 0; p < assembly.parts.size(); ++p) {
    PartQuality part_quality;
    part_quality.part = static_cast<int>(p);
    bool any = false;
    for (const ElementGroup& group : assembly.groups) {
      if (group.part != part_quality.part) continue;
      for (std::size_t e = 0; e < group.elements(); ++e) {
        const ElementQuality quality = element_quality(assembly, group, e);
        Vector3 centre = Vector3::Zero();
        for (const int node : group.element(e)) centre += assembly.position(node) / group.kind->nodes;
        if (!any || quality.jacobian < part_quality.worst.jacobian * (1 - 1e-9)) {
          part_quality.worst.jacobian = quality.jacobian;
          part_quality.at[0] = centre;
        }
        if (!any || quality.aspect > part_quality.worst.aspect * (1 + 1e-9)) {
          part_quality.worst.aspect = quality.aspect;
          part_quality.at[1] = centre;
        }
        if (!any || quality.warp > part_quality.worst.warp + 1e-9) {
          part_quality.worst.warp = quality.warp;
          part_quality.at[2] = centre;
        }
        any = true;
        part_quality.beyond += quality.jacobian < quality_bounds.jacobian || quality.aspect > quality_bounds.aspect ||
                                       quality.warp > quality_bounds.warp
                                   ? 1
                                   : 0;
      }
    }
    if (any) part_qualities.push_back(part_quality);
  }
  return part_qualities;
}

std::vector<Finding> poor_elements(const Assembly& assembly, const std::vector<PartQuality>& quality) {
  std::vector<Finding> findings;
  for (const PartQuality& part_quality : quality) {
    const std::string subject = "part " + assembly.parts[static_cast<std::size_t>(part_quality.part)].name;
    const auto say = [&](std::size_t which, std::string what, Finding::Grade grade) {
      const Vector3& at = part_quality.at[which];
      findings.push_back({grade, subject, fmt::format("the element at {} {}", assembly.describe_position(at), what),
                          fmt::format("mesh that place anew; {} of the part {} poorly shaped",
                                      counted(static_cast<std::size_t>(part_quality.beyond), "element"),
                                      part_quality.beyond == 1 ? "is" : "are"),
                          at});
    };
    if (part_quality.worst.jacobian <= 0)
      say(0, "is folded: its Jacobian changes sign", Finding::Grade::error);
    else if (part_quality.worst.jacobian < quality_bounds.jacobian)
      say(0,
          fmt::format("is distorted: its Jacobian falls to {:.2g} of its largest value", part_quality.worst.jacobian),
          Finding::Grade::warning);
    if (part_quality.worst.aspect > quality_bounds.aspect)
      say(1, fmt::format("is {:.3g} times as long as wide", part_quality.worst.aspect), Finding::Grade::warning);
    if (part_quality.worst.warp > quality_bounds.warp)
      say(2, fmt::format("is warped by {:.3g}°", part_quality.worst.warp * 180 / pi), Finding::Grade::warning);
  }
  return findings;
}

}  // namespace avrenk
