#include "core/response/case_response.h"

#include <fmt/format.h>

#include <cmath>

#include "core/error.h"
#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/system/system.h"

namespace avrenk {

using Eigen::VectorXcd;
using Eigen::VectorXd;

namespace {

void require_enough_modes(const Excitation& excitation, const ModalBasis& basis) {
  for (int r = basis.modes; r < basis.with_mass(); ++r) {
    if (basis.frequency(r) > excitation.grid.to) continue;
    throw InputError(
        Problem{"modes",
                fmt::format("the residual vector at {:.5g} Hz falls inside environment {}, which reaches {:.5g} Hz",
                            basis.frequency(r), excitation.environment->name, excitation.grid.to),
                fmt::format("compute modes up to {:.4g} Hz or more", 1.5 * excitation.grid.to), std::nullopt});
  }
}

}  // namespace

VectorXcd static_state(const Excitation& excitation, const System& system, const ModalBasis& basis,
                       const SpringVariation* springs) {
  const StateLayout layout = layout_of(basis);
  // Gravity g acts on the model as a base acceleration of −g would, seen from the base.
  Vector6 field = Vector6::Zero();
  field.head<3>() = excitation.environment->at_rest().acceleration;
  const VectorXd loads = excitation.loads.rowwise().sum().real(),
                 displaced = displacement_of(*excitation.environment, layout.motions);
  VectorXcd z = VectorXcd::Zero(layout.size()), all_loads = loads.cast<Complex>();
  VectorXd q = (basis.rigid_participation * field + basis.load_participation * loads).cwiseQuotient(basis.stiffness());
  if (springs) {
    const VectorXd unstressed = springs->at_rest(basis, q, springs->base_travel() * displaced);
    q += (springs->forces() * unstressed).cwiseQuotient(basis.stiffness());
    Eigen::MatrixXcd columns = all_loads;
    springs->put(unstressed.cast<Complex>(), columns);
    all_loads = columns;
  }
  z.segment(layout.modal(0), layout.modes) = q.cast<Complex>();
  z.segment(layout.base(2), layout.motions) = (-(system.together * field)).cast<Complex>();
  z.segment(layout.base(0), layout.motions) = displaced.cast<Complex>();
  z.tail(layout.loads) = all_loads;
  return z;
}

std::vector<double> curve_points(const Excitation& excitation, const ModalDamping& damping) {
  std::vector<double> all = excitation.curve_points();
  if (damping.springs)
    for (const double f : damping.springs->breakpoints()) all.push_back(f);
  return once_inside(std::move(all), excitation.grid.from, excitation.grid.to);
}

void require_response(const Excitation& excitation, const ModalBasis& basis, const ModalDamping& damping) {
  if (excitation.is_static()) return;
  require_damping(basis, damping, excitation.grid.from, excitation.grid.to);
  require_enough_modes(excitation, basis);
}

GridCost grid_cost(const Excitation& excitation, const ModalBasis& basis, const ModalDamping& damping,
                   std::size_t rows) {
  if (excitation.is_static()) return {};
  const double points =
      most_points(excitation.grid, curve_points(excitation, damping).size(), resonances(basis, damping).size());
  // Three derivatives of coordinates and bases, real and imaginary parts; the coordinates once more while they are
  // made, twice as many as modes where the equations are of first order; the curves.
  const double states = 3 * static_cast<double>(basis.size() + basis.statics.influence.cols()) +
                        static_cast<double>(damping.modes.coordinates());
  return {points, 16 * points * (states + static_cast<double>(rows))};
}

CaseResponse::CaseResponse(std::shared_ptr<const Excitation> applied, const System& system, const ModalBasis& basis,
                           const ModalDamping& damping, int threads)
    : excitation(std::move(applied)) {
  require_response(*excitation, basis, damping);
  if (excitation->is_static()) {
    still = static_state(*excitation, system, basis, damping.springs.get());
    return;
  }
  transfer.emplace(basis, damping, InputColumns{excitation->base, excitation->loads});
  grid = frequency_grid(excitation->grid, curve_points(*excitation, damping), resonances(basis, damping));
  if (excitation->is_sine()) {
    sine.emplace(*transfer, excitation->drive, grid, grid_shortfall(excitation->grid.points_per_resonance));
    return;
  }
  std::vector<double> cuts;
  for (const auto& [from, to] : environment().random().bands) cuts.insert(cuts.end(), {from, to});
  covariance = integrate_covariance(*transfer, excitation->spectrum, cuts, threads);
}

}  // namespace avrenk
