#include "files/mode_grid.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/parallel.h"
#include "core/system/energy.h"
#include "files/table.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Von Mises stress of every node, N x k, Pa; zero where no shell or solid is.
MatrixXd node_stress(const Assembly& assembly, const StressStations& stations, const MatrixXd& motions, int threads) {
  MatrixXd stress = MatrixXd::Zero(static_cast<Index>(assembly.nodes.size()), motions.cols());
  constexpr std::size_t at_once = 256;
  const std::size_t stretches = (stations.size() + at_once - 1) / at_once;
  std::vector<MatrixXd> values(stretches);  // of each station, the highest of its levels
  run_jobs(stretches, threads, [&](std::size_t stretch) {
    const std::size_t first = stretch * at_once, count = std::min(at_once, stations.size() - first);
    const MatrixXd rows = stations.rows(
        first, count, [&](int node) -> MatrixXd { return motions.middleRows(6L * node, 6); }, motions.cols());
    MatrixXd own = MatrixXd::Zero(static_cast<Index>(count), motions.cols());
    for (std::size_t s = 0; s < count; ++s) {
      const StressStation& station = stations.all()[first + s];
      for (int level = 0; level < levels_of(station); ++level)
        own.row(static_cast<Index>(s)) =
            own.row(static_cast<Index>(s))
                .cwiseMax(
                    (von_mises_rows(station, level) * rows.middleRows(6 * static_cast<Index>(s), 6)).colwise().norm());
    }
    values[stretch] = std::move(own);
  });
  for (std::size_t s = 0; s < stations.size(); ++s) {
    auto row = stress.row(stations.all()[s].node);
    row = row.cwiseMax(values[s / at_once].row(static_cast<Index>(s % at_once)));
  }
  return stress;
}

// Strain energy over volume of every cell of the grid, J/m³; zero of joints and bodies.
MatrixXd densities(const Assembly& assembly, Index cells, const MatrixXd& motions, int threads) {
  MatrixXd density = MatrixXd::Zero(cells, motions.cols());
  Index cell = 0;
  for (const BeamElement& beam : assembly.beams) {
    const double volume = assembly.properties(beam).sections[1]->area * beam.geometry.length();
    density.row(cell++) = strain_energy_of(assembly, beam, motions) / volume;
  }
  for (const ElementGroup& group : assembly.groups) {
    const VectorXd volume = volume_of(assembly, group);
    density.middleRows(cell, volume.size()) =
        volume.cwiseInverse().asDiagonal() * strain_energy_of(assembly, group, motions, threads);
    cell += volume.size();
  }
  return density;
}

GridArray single(std::string name, const VectorXd& values, double factor) {
  GridArray array{std::move(name), 1, {}};
  array.single = true;
  array.values.reserve(static_cast<std::size_t>(values.size()));
  for (const double value : values) array.values.push_back(factor * value);
  return array;
}

}  // namespace

Grid mode_grid(const Assembly& assembly, const System& system, const ModalBasis& basis, const StressStations* stations,
               const Show& show, int threads) {
  const DisplayUnit length = show.unit(kind::length), stress = show.unit(kind::stress),
                    frequency = show.unit(kind::frequency);
  Grid grid = model_grid(assembly, show);
  const Index cells = static_cast<Index>(grid.types.size());
  constexpr int at_once = 16;
  for (int first = 0; first < basis.modes; first += at_once) {
    const int count = std::min(at_once, basis.modes - first);
    MatrixXd unknowns = MatrixXd::Zero(system.free + system.supports, count);
    unknowns.topRows(system.free) = basis.shapes.middleCols(first, count);
    const MatrixXd motions = system.transformation.transpose() * unknowns;
    MatrixXd mises;
    if (stations) mises = node_stress(assembly, *stations, motions, threads);
    const MatrixXd density = densities(assembly, cells, motions, threads);
    for (int k = 0; k < count; ++k) {
      const NodeMotions own = motions.col(k).reshaped(6, static_cast<Index>(assembly.nodes.size()));
      const double largest = own.topRows<3>().colwise().norm().maxCoeff(), densest = density.col(k).maxCoeff();
      const std::string name =
          fmt::format("mode {}, {}", first + k + 1, value_text(basis.frequency(first + k), frequency, 4));
      const double scale = largest > 0 ? 1 / largest : 0;
      grid.point_arrays.push_back(
          displacement_array(name + ": displacement (part of the largest)", assembly, own, scale));
      grid.point_arrays.back().single = true;
      if (stations) {
        VectorXd values = VectorXd::Zero(static_cast<Index>(grid.points.size()));
        values.head(mises.rows()) = mises.col(k);
        grid.point_arrays.push_back(
            single(fmt::format("{}: von Mises ({} per {} of the largest displacement)", name, stress.text, length.text),
                   values, stress.from_si(1) / length.from_si(1) * scale));
      }
      grid.cell_arrays.push_back(single(name + ": strain energy density (part of the largest)", density.col(k),
                                        densest > 0 ? 1 / densest : 0));
    }
  }
  return grid;
}

}  // namespace avrenk
