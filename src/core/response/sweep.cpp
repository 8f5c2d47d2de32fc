#include "core/response/sweep.h"

#include <algorithm>
#include <cmath>

#include "core/excitation/frequency_grid.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;

constexpr double points_a_half_bandwidth = 16;
constexpr double ring_down = 8;  // times the decay: e^-8 is left by then

// From before a resonance to where what it leaves has died down.
std::vector<std::pair<double, double>> windows_of(const ModalBasis& basis, const ModalDamping& damping, double rate) {
  std::vector<std::pair<double, double>> windows;
  for (int r = 0; r < basis.size(); ++r) {
    const double f = basis.frequency(r), ratio = std::max(damping.effective_ratio(r), 1e-12);
    // The response rings for 1/(ζω); the sweep covers a frequency span in that time.
    const double span = ring_down * rate * std::log(2.0) / 60 * f / (ratio * 2 * pi * f);
    windows.emplace_back(f * (1 - 6 * ratio), f * (1 + 6 * ratio) + span);
  }
  return windows;
}

// Logarithmic points, and fine equal steps around each resonance and after it, where the response still rings.
std::vector<double> sweep_grid(const ModalBasis& basis, const ModalDamping& damping, const LogLogTable& amplitude,
                               const std::vector<std::pair<double, double>>& windows, double from, double to) {
  std::vector<double> grid{from, to};
  for (const double f : amplitude.curve_points()) grid.push_back(f);
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

struct Poles {
  Complex first, second;  // +iω and −iω
};
Poles poles_of(double omega, double zeta, double eta) {
  const Complex root = std::sqrt(Complex(zeta * zeta - 1, -eta));
  const Complex one = omega * (-zeta + root), two = omega * (-zeta - root);
  return one.imag() > 0 ? Poles{one, two} : Poles{two, one};
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

SweptResponse::SweptResponse(const Transfer& transfer, const LogLogTable& amplitude, double octaves_per_minute,
                             double from, double to)
    : windows_(windows_of(transfer.basis(), transfer.damping(), octaves_per_minute)),
      grid_(sweep_grid(transfer.basis(), transfer.damping(), amplitude, windows_, from, to)),
      levels_(amplitude.levels(grid_)),
      states_(transfer, grid_, levels_) {  // the bases' own motion is right; the modes follow
  const ModalBasis& basis = transfer.basis();
  const ModalDamping& damping = transfer.damping();
  const Index points = static_cast<Index>(grid_.size()), m = basis.size();
  const double growth = octaves_per_minute * std::log(2.0) / 60;  // ω' = growth ω
  Eigen::MatrixXcd force(m, points);
  for (Index k = 0; k < points; ++k)
    force.col(k) =
        levels_[static_cast<std::size_t>(k)] * transfer.modal_force(grid_[static_cast<std::size_t>(k)]).col(0);
  for (Index r = 0; r < m; ++r) {
    const double omega_r = basis.omega[r], zeta = damping.zeta[r], eta = damping.eta[r];
    const auto [s1, s2] = poles_of(omega_r, zeta, eta);
    const double f = omega_r / (2 * pi);
    if (f < from / 1.3 || f > 1.3 * to) continue;  // never passed: it stays in the steady state
    Complex slow = 0;
    for (Index k = 0; k < points; ++k) {
      const double omega = 2 * pi * grid_[static_cast<std::size_t>(k)];
      if (k == 0) {
        slow = following(force(r, 0), s1 - Complex(0, omega), growth * omega);
      } else {
        // Substeps over which the detuning changes little beside what it is, or beside a quarter of the decay.
        const double before = 2 * pi * grid_[static_cast<std::size_t>(k - 1)];
        const double time = std::log(omega / before) / growth;
        const double change = std::abs(omega - before) * time;  // phase by which the detuning drifts in the step
        const int steps = std::clamp(static_cast<int>(std::ceil(std::sqrt(change) / 0.05)), 1, 20000);
        const double h = time / steps;
        for (int i = 0; i < steps; ++i) {
          const double part = (i + 0.5) / steps, now = before * std::exp(growth * time * part);
          const Complex rate = s1 - Complex(0, now), forcing = force(r, k - 1) * (1 - part) + force(r, k) * part;
          const Complex forcing_slope = (force(r, k) - force(r, k - 1)) / time;
          // Exact for a constant rate and a forcing linear in time about the middle of the step.
          const Complex x = rate * h, grown = std::exp(x);
          const Complex phi1 = std::abs(x) < 1e-5 ? 1.0 + 0.5 * x : (grown - 1.0) / x;
          const Complex phi2 = std::abs(x) < 1e-3 ? 0.5 + x / 6.0 + x * x / 24.0 : (phi1 - 1.0) / x;
          slow = grown * slow + h * (phi1 * (forcing - 0.5 * h * forcing_slope) + phi2 * h * forcing_slope);
        }
      }
      const Complex counter = following(force(r, k), s2 - Complex(0, omega), growth * omega);
      const Complex q = (slow - counter) / (s1 - s2), velocity = (s1 * slow - s2 * counter) / (s1 - s2);
      const Complex acceleration =
          force(r, k) - 2 * zeta * omega_r * velocity - Complex(1, eta) * omega_r * omega_r * q;
      for (const auto& [block, value] : {std::pair{std::size_t{0}, q}, {1, velocity}, {2, acceleration}}) {
        states_.parts_[block](r, k) = value.real();
        states_.parts_[block](r, points + k) = value.imag();
      }
    }
  }
}

SinePeak SweptResponse::peak(const Measure& measure, int mode) const {
  const auto& [first, last] = windows_[static_cast<std::size_t>(mode)];
  const auto begin = std::lower_bound(grid_.begin(), grid_.end(), first) - grid_.begin(),
             end = std::upper_bound(grid_.begin(), grid_.end(), last) - grid_.begin();
  const Eigen::MatrixXcd w = states_.times(measure.rows, begin, end - begin);
  SinePeak best{-1, 0, 0, false};
  for (Index k = 0; k < w.cols(); ++k) {
    const auto i = static_cast<std::size_t>(begin + k);
    const double value = largest_over_phase(w.col(k)) / (measure.per_input ? levels_[i] : 1);
    if (value > best.value) best = {value, grid_[i], phase_of_largest(w.col(k)), false};
  }
  best.at_end = best.frequency == grid_.front() || best.frequency == grid_.back();
  return best;
}

}  // namespace avrenk
