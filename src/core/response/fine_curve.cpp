#include "core/response/fine_curve.h"

#include <algorithm>
#include <cmath>

#include "core/quantity/quantity.h"
#include "core/response/steady_state.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::VectorXcd;

struct CurvePoint {
  double frequency = 0, value = 0, phase = 0;
};

class CurveDrawer {
 public:
  CurveDrawer(const Excitation& excitation, const Transfer& transfer, const Output& watched,
              std::span<const std::size_t> candidates)
      : excitation_(excitation),
        per_input_(watched.quantity->per_input()),
        has_phase_(excitation.is_sine() && candidates.size() == 1 && watched.count == 1),
        has_meaning_(excitation.is_random() ? !per_input_ : watched.quantity->has_meaning(excitation.kind)),
        is_reciprocal_(watched.quantity->is_reciprocal) {
    traces_.reserve(candidates.size());
    for (const std::size_t candidate : candidates) traces_.emplace_back(transfer, watched.measure(candidate).rows);
  }

  [[nodiscard]] bool has_phase() const { return has_phase_; }

  [[nodiscard]] CurvePoint at(double frequency) const {
    if (!has_meaning_) return {frequency, std::nan(""), 0};
    if (excitation_.is_random()) {
      const Eigen::MatrixXcd roots = excitation_.spectrum.root(frequency);
      double largest = 0;
      for (const Trace& trace : traces_) {
        double psd = 0;
        for (Index c = 0; c < roots.cols(); ++c) psd += trace.at(frequency, roots.col(c)).squaredNorm();
        largest = std::max(largest, psd);
      }
      return {frequency, largest, 0};
    }
    VectorXcd amplitudes = excitation_.drive.at(frequency);
    if (per_input_) {
      const double level = std::abs(amplitudes[0]);
      if (!(level > 0)) return {frequency, std::nan(""), 0};
      amplitudes = amplitudes.size() == 1 ? VectorXcd::Ones(1) : VectorXcd(amplitudes / level);
    }
    double value = 0, phase = 0;
    for (const Trace& trace : traces_) {
      const VectorXcd w = trace.at(frequency, amplitudes);
      value = std::max(value, largest_over_phase(w));
      if (has_phase_) phase = phase_of_largest(w);
    }
    if (!is_reciprocal_) return {frequency, value, phase};
    return {frequency, value > 0 ? 1 / value : std::nan(""), -phase};
  }

 private:
  const Excitation& excitation_;
  std::vector<Trace> traces_;
  bool per_input_, has_phase_, has_meaning_, is_reciprocal_;
};

// Whether a point lies on the straight line between two others.
class Straightness {
 public:
  Straightness(double highest, bool has_phase) : floor_(depth_drawn * highest), has_phase_(has_phase) {}
  [[nodiscard]] bool holds(const CurvePoint& a, const CurvePoint& m, const CurvePoint& b) const {
    if (!std::isfinite(a.value + m.value + b.value)) return true;
    const double part = std::log(m.frequency / a.frequency) / std::log(b.frequency / a.frequency);
    const double line = (1 - part) * drawn(a) + part * drawn(b);
    if (std::abs(line - drawn(m)) > straight_enough) return false;
    if (!has_phase_ || std::min({a.value, m.value, b.value}) <= floor_) return true;
    // Both turns from the first point, each by less than half a cycle.
    const double whole = std::remainder(b.phase - a.phase, 2 * pi), own = std::remainder(m.phase - a.phase, 2 * pi);
    return std::abs(own - part * whole) <= phase_drawn;
  }

 private:
  [[nodiscard]] double drawn(const CurvePoint& point) const { return std::log(std::max(point.value, floor_)); }
  double floor_;
  bool has_phase_;
};

}  // namespace

FineCurve fine_curve(const Excitation& excitation, const Transfer& transfer, const Output& watched,
                     std::span<const std::size_t> candidates, std::span<const double> grid) {
  const CurveDrawer drawer(excitation, transfer, watched, candidates);
  std::vector<CurvePoint> points;
  points.reserve(grid.size());
  double highest = 0;
  for (const double f : grid) {
    points.push_back(drawer.at(f));
    highest = std::max(highest, std::isfinite(points.back().value) ? points.back().value : 0);
  }
  if (highest > 0) {
    constexpr double narrowest = 1e-6;  // of the frequency: less is a step
    const Straightness straight(highest, drawer.has_phase());
    std::vector<CurvePoint> all, ahead;  // ahead: right ends of stretches not looked at yet, the nearest last
    for (const CurvePoint& point : points) {
      if (all.empty()) {
        all.push_back(point);
        continue;
      }
      ahead.push_back(point);
      while (!ahead.empty()) {
        const CurvePoint& left = all.back();
        const CurvePoint right = ahead.back();
        const double third = std::cbrt(right.frequency / left.frequency);
        if (third < 1 + narrowest) {
          all.push_back(right);
          ahead.pop_back();
          continue;
        }
        const CurvePoint first = drawer.at(left.frequency * third), second = drawer.at(right.frequency / third);
        if (straight.holds(left, first, right) && straight.holds(left, second, right)) {
          all.push_back(right);
          ahead.pop_back();
        } else {
          ahead.push_back(second);
          ahead.push_back(first);
        }
      }
    }
    points = std::move(all);
  }
  FineCurve curve;
  for (const CurvePoint& point : points) {
    curve.frequency.push_back(point.frequency);
    curve.value.push_back(point.value);
    if (drawer.has_phase()) curve.phase.push_back(point.phase);
  }
  return curve;
}

FineCurve fine_curve(const CaseResults& outcome, std::size_t index, const Transfer& transfer, const Output& watched) {
  return fine_curve(*outcome.excitation, transfer, watched, outcome.leaders(index), outcome.grid());
}

}  // namespace avrenk
