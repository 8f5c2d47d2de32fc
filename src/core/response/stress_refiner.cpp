#include "core/response/stress_refiner.h"

#include <Eigen/Eigenvalues>
#include <cmath>

namespace avrenk {

using Eigen::MatrixXd;

WorstStress StressRefiner::locate(const StressPlace& place, const StressField& field, const LoadState& state,
                                  const LoadMatrix& load, std::size_t index) const {
  const StressStation& station = stations_.all()[static_cast<std::size_t>(place.station)];
  const auto motions = [&](int node) { return channels_.strain_rows(node); };
  const std::vector<MatrixXd> each =
      stations_.rows_by_element(static_cast<std::size_t>(place.station), motions, channels_.strain_columns());
  MatrixXd mean = MatrixXd::Zero(6, channels_.strain_columns());
  for (const MatrixXd& own : each) mean += own / static_cast<double>(each.size());
  const MatrixXd mises = von_mises_rows(station, place.level);
  const auto& loss_factor = assembly_.material_of(station.part).loss_factor;
  WorstStress worst{place, field.value(place.level, place.station)};
  double level = 1;
  if (state.type == Environment::Type::sine) {
    const Measure measure{"", channels_.from_strain(mises * mean, loss_factor)};
    const SinePeak peak = state.response->peak(measure);
    worst.value = peak.value;
    worst.frequency = peak.frequency;
    worst.phase = peak.phase;
    level = state.response->level(measure, peak.frequency);
  }
  const MatrixXd x = columns_at(state, load, index, worst.frequency, level);
  double difference = 0;
  for (const MatrixXd& own : each)
    difference += (mises * ((own - mean) * x)).squaredNorm() / static_cast<double>(each.size());
  const double whole = (mises * (mean * x)).squaredNorm();
  if (each.size() > 1) worst.jump = whole > 0 ? std::sqrt(difference / whole) : 0;
  if (state.type != Environment::Type::random) {
    Vector6 now = (mean * x).col(0);
    if (state.type == Environment::Type::sine) {
      const Eigen::VectorXcd w = (mean * x).col(0) + Complex(0, 1) * (mean * x).col(1);
      now = (w * std::polar(1.0, -worst.phase)).real();
    }
    const Vector3 ascending =
        Eigen::SelfAdjointEigenSolver<Matrix3>(stress_tensor(station, place.level, now)).eigenvalues();
    worst.principal = ascending.reverse();
  }
  return worst;
}

}  // namespace avrenk
