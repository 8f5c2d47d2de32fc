#include "core/response/sweep.h"

#include <algorithm>
#include <cmath>

#include "core/excitation/frequency_grid.h"
#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;

constexpr double points_a_half_bandwidth = 16;
constexpr double ring_down = 8;  // times the decay: e^-8 is left by then

// From before a resonance to where what it leaves has died down.
std::vector<std::pair<double, double>> windows_of(const ModalBasis& basis, const ModalDamping& damping, double rate) {
  std::vector<std::pair<double, double>> windows;
  for (int r = 0; r < basis.with_mass(); ++r) {
    const double f = basis.frequency(r), ratio = std::max(damping.effective_ratio(r), 1e-12);
    // The response rings for 1/(ζω); the sweep covers a frequency span in that time.
    const double span = ring_down * rate * std::log(2.0) / 60 * f / (ratio * 2 * pi * f);
    windows.emplace_back(f * (1 - 6 * ratio), f * (1 + 6 * ratio) + span);
  }
  return windows;
}

// Logarithmic points, and fine equal steps around each resonance and after it, where the response still rings.
std::vector<double> sweep_grid(const ModalBasis& basis, const ModalDamping& damping, const Drive& drive,
                               const std::vector<std::pair<double, double>>& windows, double from, double to) {
  std::vector<double> grid{from, to};
  for (const double f : drive.curve_points()) grid.push_back(f);
  for (double f = from; f < to; f *= std::pow(2, 1.0 / 48)) grid.push_back(f);
  for (int r = 0; r < basis.modes; ++r) {
    const auto& [first, last] = windows[static_cast<std::size_t>(r)];
    if (last < from || first > to) continue;
    const double step = damping.effective_ratio(r) * basis.frequency(r) / points_a_half_bandwidth;
    const double count = std::min(4000.0, std::ceil((last - first) / step));
    for (int k = 0; k <= count; ++k) grid.push_back(first + (last - first) * k / count);
  }
  return once_inside(std::move(grid), from, to);
}

// Steady envelope that follows a slowly changing forcing: g' = λ g + F gives g = −F/λ − (F/λ)'/λ + …
Complex following(Complex forcing, Complex rate, double frequency_rate) {
  // λ = s − iω, λ' = −iω'. The change of the forcing itself is left to the next order.
  return -forcing / rate * (1.0 + Complex(0, frequency_rate) / (rate * rate));
}

}  // namespace

double sweep_parameter(double octaves_per_minute, double quality, double frequency) {
  return octaves_per_minute * std::log(2.0) * quality * quality / (60 * frequency);
}

namespace {

// Envelope g of g' = (s − iω(t)) g + F(t) on the points of the grid, from the steady state on; ω' = growth ω.
Eigen::VectorXcd swept_envelope(Complex s, const Eigen::VectorXcd& forcing, const std::vector<double>& grid,
                                double growth) {
  Eigen::VectorXcd envelope(forcing.size());
  Complex slow = following(forcing[0], s - Complex(0, 2 * pi * grid[0]), growth * 2 * pi * grid[0]);
  envelope[0] = slow;
  for (Index k = 1; k < forcing.size(); ++k) {
    const double omega = 2 * pi * grid[static_cast<std::size_t>(k)],
                 before = 2 * pi * grid[static_cast<std::size_t>(k - 1)];
    // Substeps over which the detuning changes little beside what it is, or beside a quarter of the decay.
    const double time = std::log(omega / before) / growth;
    const double change = std::abs(omega - before) * time;  // phase by which the detuning drifts in the step
    const int steps = std::clamp(static_cast<int>(std::ceil(std::sqrt(change) / 0.05)), 1, 20000);
    const double h = time / steps;
    for (int i = 0; i < steps; ++i) {
      const double part = (i + 0.5) / steps, now = before * std::exp(growth * time * part);
      const Complex rate = s - Complex(0, now), middle = forcing[k - 1] * (1 - part) + forcing[k] * part;
      const Complex forcing_slope = (forcing[k] - forcing[k - 1]) / time;
      // Exact for a constant rate and a forcing linear in time about the middle of the step.
      const Complex x = rate * h, grown = std::exp(x);
      const Complex phi1 = std::abs(x) < 1e-5 ? 1.0 + 0.5 * x : (grown - 1.0) / x;
      const Complex phi2 = std::abs(x) < 1e-3 ? 0.5 + x / 6.0 + x * x / 24.0 : (phi1 - 1.0) / x;
      slow = grown * slow + h * (phi1 * (middle - 0.5 * h * forcing_slope) + phi2 * h * forcing_slope);
    }
    envelope[k] = slow;
  }
  return envelope;
}

Eigen::VectorXcd followed_envelope(Complex s, const Eigen::VectorXcd& forcing, const std::vector<double>& grid,
                                   double growth) {
  Eigen::VectorXcd envelope(forcing.size());
  for (Index k = 0; k < forcing.size(); ++k) {
    const double omega = 2 * pi * grid[static_cast<std::size_t>(k)];
    envelope[k] = following(forcing[k], s - Complex(0, omega), growth * omega);
  }
  return envelope;
}

}  // namespace

SweptResponse::SweptResponse(const Transfer& transfer, const Drive& drive, double octaves_per_minute, double from,
                             double to)
    : transfer_(transfer),
      windows_(windows_of(transfer.basis(), transfer.damping(), octaves_per_minute)),
      grid_(sweep_grid(transfer.basis(), transfer.damping(), drive, windows_, from, to)),
      levels_(drive.references(grid_)),
      amplitudes_(drive.at(grid_)) {
  const ModalBasis& basis = transfer.basis();
  const ModalDamping& damping = transfer.damping();
  const DampedModes& modes = damping.modes;
  const Index points = static_cast<Index>(grid_.size()), m = basis.size();
  const double growth = octaves_per_minute * std::log(2.0) / 60;
  MatrixXcd force(m, points);
  for (Index k = 0; k < points; ++k)
    force.col(k) = transfer.modal_force(grid_[static_cast<std::size_t>(k)]) * amplitudes_.col(k);
  const MatrixXcd forcing = modes.forces(force);
  const auto passed = [&](Complex s) {  // else it stays in the steady state
    const double f = std::abs(s) / (2 * pi);
    return s.imag() > 0 && f >= from / 1.3 && f <= 1.3 * to;
  };
  coordinates_.resize(modes.coordinates(), points);
  if (modes.is_first_order()) {
    MatrixXcd& c = coordinates_;
    const Index n = modes.triangle().rows();
    for (Index j = c.rows() - 1; j >= 0; --j) {  // what a later coordinate of a triangle does forces those before it
      const Complex s = modes.poles()[j];
      Eigen::VectorXcd driven = forcing.row(j).transpose();
      if (!modes.is_diagonal() && !modes.is_static(j))
        driven += (modes.triangle().row(j).tail(n - 1 - j) * c.middleRows(j + 1, n - 1 - j)).transpose();
      c.row(j) = (modes.is_static(j) ? driven
                  : passed(s)        ? swept_envelope(s, driven, grid_, growth)
                                     : followed_envelope(s, driven, grid_, growth))
                     .transpose();
    }
  } else {
    // Coordinates of second order: c = (g₁ − g₂)/(s₁ − s₂).
    std::vector<double> omegas;
    for (const double f : grid_) omegas.push_back(2 * pi * f);
    coordinates_ = forcing;
    modes.respond_each(omegas, coordinates_);
    rates_ = coordinates_;
    for (Index k = 0; k < points; ++k) rates_.col(k) *= Complex(0, omegas[static_cast<std::size_t>(k)]);
    for (Index r = 0; r < coordinates_.rows(); ++r) {
      const Complex one = modes.poles()[r], two = modes.other_pole(r);
      if (!passed(one)) continue;
      const Eigen::VectorXcd own = forcing.row(r).transpose(), slow = swept_envelope(one, own, grid_, growth),
                             counter = followed_envelope(two, own, grid_, growth);
      coordinates_.row(r) = ((slow - counter) / (one - two)).transpose();
      rates_.row(r) = ((one * slow - two * counter) / (one - two)).transpose();
    }
  }
  force_ = std::move(force);
}

// Rows on q, q̇ and q̈ = p − V q̇ − (Λ + iD) q as rows on the coordinates; the bases' own motion is the steady one, and
// so are the rates of what has no mass.
MatrixXcd SweptResponse::response(const MatrixXcd& rows, Index begin, Index end) const {
  const StateLayout& layout = transfer_.layout();
  const DampedModes& modes = transfer_.damping().modes;
  const auto block = [&](int derivative) { return rows.middleCols(layout.modal(derivative), layout.modes); };
  const Index massless = transfer_.basis().massless;
  MatrixXcd on_acceleration = block(2);
  const MatrixXcd on_massless_acceleration = on_acceleration.rightCols(massless);
  on_acceleration.rightCols(massless).setZero();
  const auto [elastic, viscous] = transfer_.damping().force_rows(transfer_.basis(), on_acceleration);
  const MatrixXcd on_q = block(0) - elastic, on_velocity = block(1) - viscous;
  const auto inside = [&](const MatrixXcd& table) { return table.middleCols(begin, end - begin); };
  MatrixXcd w = on_acceleration * inside(force_);
  if (modes.is_first_order()) {
    w += (modes.rows(on_q) + modes.velocity_rows(on_velocity)) * inside(coordinates_);
  } else {
    w += modes.rows(on_q) * inside(coordinates_) + modes.rows(on_velocity) * inside(rates_);
  }
  if (massless > 0) {
    const MatrixXcd massless_motion = modes.modal(inside(coordinates_)).bottomRows(massless);
    const MatrixXcd rates = on_velocity.rightCols(massless) * massless_motion,
                    accelerations = on_massless_acceleration * massless_motion;
    for (Index k = 0; k < w.cols(); ++k) {
      const double omega = 2 * pi * grid_[static_cast<std::size_t>(begin + k)];
      if (modes.is_first_order()) w.col(k) += Complex(0, omega) * rates.col(k);
      w.col(k) -= omega * omega * accelerations.col(k);
    }
  }
  for (int derivative = 0; derivative < 3; ++derivative) {
    const MatrixXcd own = rows.middleCols(layout.base(derivative), layout.motions) * transfer_.inputs().base;
    for (Index k = begin; k < end; ++k)
      w.col(k - begin) += std::pow(Complex(0, 2 * pi * grid_[static_cast<std::size_t>(k)]), derivative - 2) *
                          (own * amplitudes_.col(k));
  }
  return w + rows.middleCols(layout.load(), layout.loads) * transfer_.inputs().applied(inside(amplitudes_));
}

SinePeak SweptResponse::peak(const Measure& measure, int mode) const {
  const auto& [first, last] = windows_[static_cast<std::size_t>(mode)];
  const auto begin = std::lower_bound(grid_.begin(), grid_.end(), first) - grid_.begin(),
             end = std::upper_bound(grid_.begin(), grid_.end(), last) - grid_.begin();
  const MatrixXcd w = response(measure.rows, begin, end);
  SinePeak best{-1, 0, 0, false};
  for (Index k = 0; k < w.cols(); ++k) {
    const auto i = static_cast<std::size_t>(begin + k);
    const double value = largest_over_phase(w.col(k)) / (measure.per_input ? std::max(levels_[i], 1e-300) : 1);
    if (value > best.value) best = {value, grid_[i], phase_of_largest(w.col(k)), false};
  }
  best.at_end = best.frequency == grid_.front() || best.frequency == grid_.back();
  return best;
}

}  // namespace avrenk
