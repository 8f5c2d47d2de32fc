#include "files/mode_grid.h"

#include <fmt/format.h>

#include "core/modes/modal_basis.h"
#include "core/system/energy.h"
#include "files/table.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// The highest of the stations at every node, N x k; zero where no shell or solid is.
MatrixXd at_nodes(const Assembly& assembly, const StressStations& stations, const MatrixXd& values) {
  MatrixXd highest = MatrixXd::Zero(static_cast<Index>(assembly.nodes.size()), values.cols());
  for (std::size_t s = 0; s < stations.size(); ++s) {
    auto row = highest.row(stations.all()[s].node);
    row = row.cwiseMax(values.row(static_cast<Index>(s)));
  }
  return highest;
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
  constexpr int at_once = 64;  // modes: what elements are made of is computed once for them
  for (int first = 0; first < basis.modes; first += at_once) {
    const int count = std::min(at_once, basis.modes - first);
    const MatrixXd motions = system.motions(basis.shapes.middleCols(first, count));
    MatrixXd mises;
    if (stations) mises = at_nodes(assembly, *stations, highest_von_mises(*stations, motions, threads));
    MatrixXd density = MatrixXd::Zero(cells, count);  // of joints and bodies zero
    const MatrixXd of_elements = strain_energy_density(assembly, motions, threads);
    density.topRows(of_elements.rows()) = of_elements;
    for (int k = 0; k < count; ++k) {
      const NodeMotions node_motions = motions.col(k).reshaped(6, static_cast<Index>(assembly.nodes.size()));
      const double largest = node_motions.topRows<3>().colwise().norm().maxCoeff(), densest = density.col(k).maxCoeff();
      const std::string name =
          fmt::format("mode {}, {}", first + k + 1, value_text(basis.frequency(first + k), frequency, 4));
      const double scale = largest > 0 ? 1 / largest : 0;
      grid.point_arrays.push_back(
          displacement_array(name + ": displacement (part of the largest)", assembly, node_motions, scale));
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
