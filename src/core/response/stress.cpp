#include "core/response/stress.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "core/element/kinds.h"
#include "core/parallel.h"
#include "core/quantity/quantity.h"
#include "core/simd.h"
#include "core/system/free_shape.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;

const double one_surface = std::cos(30 * pi / 180);

// Nodes of one element and what its shell axes are.
Matrix3 axes_of(const ShellBlock& block, std::size_t element) {
  return shell_axes(block.coordinates.middleCols(static_cast<Index>(element) * block.nodes, block.nodes),
                    block.section);
}

Matrix3 station_axes(const Vector3& normal, const Vector3& along) {
  Vector3 x = along.isZero(0) ? (std::abs(normal.x()) > 0.9 ? Vector3::UnitY() : Vector3::UnitX()) : along;
  x -= x.dot(normal) * normal;
  if (x.norm() < 1e-6) x = normal.unitOrthogonal();
  Matrix3 axes;
  axes.row(0) = x.normalized();
  axes.row(2) = normal;
  axes.row(1) = normal.cross(x.normalized());
  return axes;
}

}  // namespace

StressStations::StressStations(const Assembly& assembly) : assembly_(assembly) {
  for (const ElementGroup& group : assembly.groups) {
    blocks_.push_back(assembly.block(group));
    station_of_.emplace_back(group.nodes.size(), -1);
  }
  struct Corner {
    int node;
    Part part;
  };
  std::vector<Corner> corners;
  for (std::size_t p = 0; p < assembly.parts.size(); ++p) {
    part_begin_.push_back(stations_.size());
    corners.clear();
    for (std::size_t g = 0; g < assembly.groups.size(); ++g) {
      const ElementGroup& group = assembly.groups[g];
      if (group.part != static_cast<int>(p)) continue;
      const auto n = static_cast<std::size_t>(group.kind->nodes);
      for (std::size_t at = 0; at < group.nodes.size(); ++at)
        corners.push_back({group.nodes[at], {g, at / n, at % n, false}});
    }
    std::stable_sort(corners.begin(), corners.end(), [](const Corner& a, const Corner& b) { return a.node < b.node; });
    for (std::size_t first = 0; first < corners.size();) {
      std::size_t last = first;
      while (last < corners.size() && corners[last].node == corners[first].node) ++last;
      // Each corner joins the first station of the node that lies in its surface, or makes one.
      const std::size_t before = stations_.size();
      std::vector<std::vector<Part>> members;
      for (; first < last; ++first) {
        Part part = corners[first].part;
        const auto* const shell = std::get_if<ShellBlock>(&blocks_[part.group]);
        std::size_t k = 0;
        Matrix3 axes = Matrix3::Identity();
        if (shell) {
          axes = axes_of(*shell, part.element);
          const Vector3 normal = axes.row(2);
          while (before + k < stations_.size() && std::abs(stations_[before + k].axes.row(2).dot(normal)) < one_surface)
            ++k;
        }
        if (before + k == stations_.size()) {
          if (shell) axes = station_axes(axes.row(2), shell->section.along);
          stations_.push_back({corners[first].node, static_cast<int>(p), shell != nullptr, axes});
          members.emplace_back();
        } else if (shell) {
          part.turned = stations_[before + k].axes.row(2).dot(axes.row(2)) < 0;
        }
        members[k].push_back(part);
        station_of_[part.group][part.element * static_cast<std::size_t>(assembly.groups[part.group].kind->nodes) +
                                part.local] = static_cast<int>(before + k);
      }
      for (const auto& each : members) {
        begin_.push_back(parts_.size());
        parts_.insert(parts_.end(), each.begin(), each.end());
      }
    }
  }
  part_begin_.push_back(stations_.size());
  begin_.push_back(parts_.size());
}

MatrixXd StressStations::element_rows(std::size_t group, std::size_t element) const {
  const auto index = static_cast<Index>(element);
  if (const auto* shell = std::get_if<ShellBlock>(&blocks_[group])) return shell_nodal_stress_rows(*shell, index);
  return solid_nodal_stress_rows(std::get<SolidBlock>(blocks_[group]), index);
}

void StressStations::add_in_station_axes(const Part& part, const StressStation& station, const MatrixXd& element_rows,
                                         double factor, Eigen::Ref<MatrixXd, 0, Eigen::OuterStride<>> sum) const {
  const auto node_rows = element_rows.middleRows<6>(6 * static_cast<Index>(part.local));
  const auto* const shell = std::get_if<ShellBlock>(&blocks_[part.group]);
  if (!shell) {
    sum += factor * node_rows;
    return;
  }
  const Matrix3 axes = axes_of(*shell, part.element);
  const double x = axes.row(0).dot(station.axes.row(0)), y = axes.row(1).dot(station.axes.row(0)),
               size = std::hypot(x, y);
  const double c = x / size, s = y / size, sign = part.turned ? -1 : 1;
  Matrix3 rotation;
  rotation << c * c, s * s, 2 * c * s, s * s, c * c, -2 * c * s, -sign * c * s, sign * c * s, sign * (c * c - s * s);
  rotation *= factor;
  for (Index k = 0; k < node_rows.cols(); ++k) {
    const Vector6 values = node_rows.col(k);
    sum.col(k).head<3>() += rotation * (part.turned ? values.tail<3>() : values.head<3>());
    sum.col(k).tail<3>() += rotation * (part.turned ? values.head<3>() : values.tail<3>());
  }
}

namespace {

// Σ_k c_k p_k of six rows c and eight columns: rows of a panel, eight numbers each, that begin at `at`; six
// coefficients a row of the panel. For wide registers too, where the machine has them.
__attribute__((target_clones("avx512f", "fma", "default"))) void sum_of_rows(const double* panel, const Index* at,
                                                                             const double* coefficients, Index terms,
                                                                             double* out) {
  SimdDoubles s0{}, s1{}, s2{}, s3{}, s4{}, s5{};
  for (Index k = 0; k < terms; ++k) {
    const SimdDoubles p = *reinterpret_cast<const SimdDoubles*>(panel + at[k]);
    const double* const c = coefficients + 6 * k;
    s0 += c[0] * p;
    s1 += c[1] * p;
    s2 += c[2] * p;
    s3 += c[3] * p;
    s4 += c[4] * p;
    s5 += c[5] * p;
  }
  auto* const sums = reinterpret_cast<SimdDoubles*>(out);
  sums[0] = s0;
  sums[1] = s1;
  sums[2] = s2;
  sums[3] = s3;
  sums[4] = s4;
  sums[5] = s5;
}

// The six rows of one station on the motions of the nodes around it.
struct AroundStation {
  std::vector<Index> at;             // of each motion that counts: where its row begins in a panel
  std::vector<double> coefficients;  // six each
};

}  // namespace

MatrixXd StressStations::rows(std::span<const int> stations, const MotionRows& motions, Order order) const {
  // Element by element, so that each is computed once for the whole stretch.
  struct Use {
    std::size_t group, element, s;
    const Part* part;
  };
  std::vector<Use> uses;
  for (std::size_t s = 0; s < stations.size(); ++s) {
    const auto station = static_cast<std::size_t>(stations[s]);
    for (std::size_t k = begin_[station]; k < begin_[station + 1]; ++k)
      uses.push_back({parts_[k].group, parts_[k].element, s, &parts_[k]});
  }
  std::stable_sort(uses.begin(), uses.end(), [](const Use& a, const Use& b) {
    return std::pair(a.group, a.element) < std::pair(b.group, b.element);
  });
  // Neighbours share nodes: the rows of each are made once, and all of them together.
  std::vector<int> nodes;
  for (const Use& use : uses) {
    const auto own = assembly_.groups[use.group].element(use.element);
    nodes.insert(nodes.end(), own.begin(), own.end());
  }
  std::sort(nodes.begin(), nodes.end());
  nodes.erase(std::unique(nodes.begin(), nodes.end()), nodes.end());
  // What each station makes of motions does not depend on how many columns there are.
  std::vector<AroundStation> around(stations.size());
  MatrixXd of_element, own;
  for (std::size_t u = 0; u < uses.size(); ++u) {
    const Use& use = uses[u];
    const ElementGroup& group = assembly_.groups[use.group];
    if (u == 0 || use.group != uses[u - 1].group || use.element != uses[u - 1].element)
      of_element = element_rows(use.group, use.element);
    const auto station = static_cast<std::size_t>(stations[use.s]);
    const auto meeting = static_cast<double>(begin_[station + 1] - begin_[station]);
    own.setZero(6, of_element.cols());
    add_in_station_axes(*use.part, stations_[station], of_element, 1 / meeting, own);
    AroundStation& sum = around[use.s];
    const auto element_nodes = group.element(use.element);
    const Index of_node = group.kind->motions;
    if (sum.at.empty()) {  // so many nodes more than its own as elements meet
      const auto most = static_cast<std::size_t>(meeting * static_cast<double>(of_node)) * element_nodes.size();
      sum.at.reserve(most);
      sum.coefficients.reserve(6 * most);
    }
    for (std::size_t i = 0; i < element_nodes.size(); ++i) {
      const Index at =
          6L * simd_width * (std::lower_bound(nodes.begin(), nodes.end(), element_nodes[i]) - nodes.begin());
      Index place = 0;  // node by node
      while (place < std::ssize(sum.at) && sum.at[static_cast<std::size_t>(place)] != at) place += of_node;
      if (place == std::ssize(sum.at)) {
        for (Index k = 0; k < of_node; ++k) sum.at.push_back(at + simd_width * k);
        sum.coefficients.resize(6 * sum.at.size(), 0);
      }
      Eigen::Map<MatrixXd>(sum.coefficients.data() + 6 * place, 6, of_node) +=
          own.middleCols(of_node * static_cast<Index>(i), of_node);
    }
  }
  const MotionRows::Panels panels = motions.of_nodes(nodes);
  const Index count = std::ssize(stations);
  const Index moving = motions.columns - std::ssize(motions.free_shapes);
  const Index of_component = order == Order::by_station ? 1 : count, of_station = order == Order::by_station ? 6 : 1;
  MatrixXd sum(6 * count, motions.columns);
  std::vector<double> panel(6 * simd_width * nodes.size());
  std::array<double, 6 * simd_width> values{};
  for (Index column = 0; column < moving; column += simd_width) {
    const Index now = std::min<Index>(simd_width, moving - column);
    panels(column, now, panel.data());
    for (Index s = 0; s < count; ++s) {
      const AroundStation& own_rows = around[static_cast<std::size_t>(s)];
      sum_of_rows(panel.data(), own_rows.at.data(), own_rows.coefficients.data(), std::ssize(own_rows.at),
                  values.data());
      for (Index j = 0; j < now; ++j)
        for (Index c = 0; c < 6; ++c)
          sum(c * of_component + s * of_station, column + j) = values[static_cast<std::size_t>(c * simd_width + j)];
    }
  }
  for (Index k = 0; k < std::ssize(motions.free_shapes); ++k)
    for (Index s = 0; s < count; ++s) {
      const Vector6 free = of_free_shape(static_cast<std::size_t>(stations[static_cast<std::size_t>(s)]),
                                         *motions.free_shapes[static_cast<std::size_t>(k)]);
      for (Index c = 0; c < 6; ++c) sum(c * of_component + s * of_station, moving + k) = -free[c];
    }
  return sum;
}

Vector6 StressStations::of_free_shape(const Part& part, const StressStation& station, const LoadColumn& column) const {
  MatrixXd six = MatrixXd::Zero(6, 1);
  const ElementGroup& group = assembly_.groups[part.group];
  if (column.warmer.contains(group.part))
    add_in_station_axes(part, station,
                        element_rows(part.group, part.element) * free_motions(assembly_, group, part.element, column),
                        1, six);
  return six;
}

Vector6 StressStations::of_free_shape(std::size_t station, const LoadColumn& column) const {
  Vector6 sum = Vector6::Zero();
  for (std::size_t k = begin_[station]; k < begin_[station + 1]; ++k)
    sum += of_free_shape(parts_[k], stations_[station], column) /
           static_cast<double>(begin_[station + 1] - begin_[station]);
  return sum;
}

std::vector<MatrixXd> StressStations::rows_by_element(std::size_t station, const MotionRows& motions) const {
  std::vector<MatrixXd> products;
  for (std::size_t k = begin_[station]; k < begin_[station + 1]; ++k) {
    const ElementGroup& group = assembly_.groups[parts_[k].group];
    const Index of_node = group.kind->motions;
    const MatrixXd of_nodes = motions.whole(group.element(parts_[k].element));
    MatrixXd moves(of_node * group.kind->nodes, motions.columns);
    for (Index i = 0; i < group.kind->nodes; ++i)
      moves.middleRows(of_node * i, of_node) = of_nodes.middleRows(6 * i, of_node);
    products.emplace_back(MatrixXd::Zero(6, motions.columns));
    add_in_station_axes(parts_[k], stations_[station], element_rows(parts_[k].group, parts_[k].element) * moves, 1,
                        products.back());
    Index at = motions.columns - std::ssize(motions.free_shapes);
    for (const LoadColumn* free : motions.free_shapes)
      products.back().col(at++) -= of_free_shape(parts_[k], stations_[station], *free);
  }
  return products;
}

std::string place_in_words(const Assembly& assembly, const StressStation& station, int level) {
  std::string words = assembly.describe_node(station.node, assembly.parts[static_cast<std::size_t>(station.part)].name);
  if (station.shell) words += ", " + std::string(shell_levels[static_cast<std::size_t>(level)]);
  return words;
}

MatrixXd von_mises_rows(const StressStation& station, int level) {
  // x² + y² + z² − xy − yz − zx = (x − (y + z)/2)² + ¾(y − z)²
  const double half = 0.5, root = std::sqrt(0.75), shear = std::sqrt(3.0);
  if (!station.shell) {
    MatrixXd rows = MatrixXd::Zero(5, 6);
    rows.row(0) << 1, -half, -half, 0, 0, 0;
    rows.row(1) << 0, root, -root, 0, 0, 0;
    rows.bottomRightCorner(3, 3) = shear * Matrix3::Identity();
    return rows;
  }
  Matrix3 plane;
  plane << 1, -half, 0, 0, root, 0, 0, 0, shear;
  MatrixXd rows = MatrixXd::Zero(3, 6);
  const double bottom = 1 - 0.5 * level;
  rows.leftCols<3>() = bottom * plane;
  rows.rightCols<3>() = (1 - bottom) * plane;
  return rows;
}

std::string_view name_of(StressQuantity quantity) {
  constexpr std::array<std::string_view, 8> names{"von Mises", "principal stress", "stress xx", "stress yy",
                                                  "stress zz", "stress xy",        "stress yz", "stress zx"};
  return names[static_cast<std::size_t>(quantity)];
}

bool has_quantity(bool shell, StressQuantity quantity) {
  return !shell || (quantity != StressQuantity::zz && quantity != StressQuantity::yz && quantity != StressQuantity::zx);
}

MatrixXd quantity_rows(const StressStation& station, int level, StressQuantity quantity, const Vector3& direction) {
  if (quantity == StressQuantity::von_mises) return von_mises_rows(station, level);
  Vector6 row = Vector6::Zero();  // on xx yy zz xy yz zx
  if (quantity == StressQuantity::principal) {
    const Vector3 n = station.axes * direction;
    row << n.cwiseAbs2(), 2 * n.x() * n.y(), 2 * n.y() * n.z(), 2 * n.z() * n.x();
  } else {
    row[static_cast<int>(quantity) - static_cast<int>(StressQuantity::xx)] = 1;
  }
  if (!station.shell) return row.transpose();
  const double bottom = 1 - 0.5 * level;
  const Vector3 plane(row[0], row[1], row[3]);
  MatrixXd both(1, 6);
  both << bottom * plane.transpose(), (1 - bottom) * plane.transpose();
  return both;
}

MatrixXd highest_von_mises(const StressStations& stations, const MatrixXd& motions, int threads) {
  constexpr std::size_t at_once = 256;
  MatrixXd highest = MatrixXd::Zero(static_cast<Eigen::Index>(stations.size()), motions.cols());
  const std::size_t stretches = (stations.size() + at_once - 1) / at_once;
  run_jobs(stretches, threads, [&](std::size_t stretch) {
    const std::size_t first = stretch * at_once, count = std::min(at_once, stations.size() - first);
    std::vector<int> own_stations(count);
    std::iota(own_stations.begin(), own_stations.end(), static_cast<int>(first));
    const MatrixXd rows = stations.rows(own_stations, rows_of_motions(motions));
    for (std::size_t s = 0; s < count; ++s) {
      const StressStation& station = stations.all()[first + s];
      auto own = highest.row(static_cast<Eigen::Index>(first + s));
      for (int level = 0; level < levels_of(station); ++level)
        own = own.cwiseMax(
            (von_mises_rows(station, level) * rows.middleRows(6 * static_cast<Eigen::Index>(s), 6)).colwise().norm());
    }
  });
  return highest;
}

Matrix3 stress_tensor(const StressStation& station, int level, const Vector6& values) {
  Matrix3 local = Matrix3::Zero();
  if (station.shell) {
    const double bottom = 1 - 0.5 * level;
    const Vector3 plane = bottom * values.head<3>() + (1 - bottom) * values.tail<3>();
    local << plane[0], plane[2], 0, plane[2], plane[1], 0, 0, 0, 0;
  } else {
    local << values[0], values[3], values[5], values[3], values[1], values[4], values[5], values[4], values[2];
  }
  return station.axes.transpose() * local * station.axes;
}

}  // namespace avrenk
