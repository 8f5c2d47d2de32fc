#include "core/response/stress_refiner.h"

#include <array>
#include <cmath>

#include "core/algebra.h"
#include "core/dense.h"
#include "core/response/principal_stress.h"

namespace avrenk {

using Eigen::MatrixXd;

namespace {
constexpr int most_turns = 20;
}  // namespace

WorstStress StressRefiner::locate(const StressPlace& place, const StressField& field, const CaseResponse& excited,
                                  const LoadMatrix& load, std::size_t index) const {
  const StressStation& station = stations_.all()[static_cast<std::size_t>(place.station)];
  const std::vector<MatrixXd> node_rows =
      stations_.rows_by_element(static_cast<std::size_t>(place.station), channels_.strain_rows());
  MatrixXd mean = MatrixXd::Zero(6, channels_.strain_columns());
  for (const MatrixXd& own : node_rows) mean += own / static_cast<double>(node_rows.size());
  WorstStress worst{place, field.value(place.level, place.station)};
  worst.direction = field.direction_at(place);
  const auto rows_now = [&] { return quantity_rows(station, place.level, field.quantity, worst.direction); };
  if (excited.sine) {
    const auto& loss_factor = assembly_.material_of(station.part).loss_factor;
    // Of a principal stress the best frequency of a direction and the best direction at that frequency in turn: the
    // largest of both, which never falls.
    for (int turn = 0; turn < most_turns; ++turn) {
      const Measure measure{"", channels_.from_strain(rows_now() * mean, loss_factor)};
      const SinePeak peak = excited.sine->peak(measure);
      worst.value = peak.value;
      worst.frequency = peak.frequency;
      worst.phase = peak.phase;
      if (field.quantity != StressQuantity::principal) break;
      const MatrixXd stress = mean * columns_at(excited, load, index, peak.frequency);
      const LargestNormalStress next = largest_normal_stress(std::array{
          stress_tensor(station, place.level, stress.col(0)), stress_tensor(station, place.level, stress.col(1))});
      if (next.square <= peak.value * peak.value * (1 + 1e-12)) break;
      worst.direction = next.direction;
    }
  }
  const MatrixXd rows = rows_now();
  const MatrixXd x = columns_at(excited, load, index, worst.frequency);
  double difference = 0;
  for (const MatrixXd& own : node_rows)
    difference += (rows * ((own - mean) * x)).squaredNorm() / static_cast<double>(node_rows.size());
  const double whole = (rows * (mean * x)).squaredNorm();
  if (node_rows.size() > 1) worst.jump = whole > 0 ? std::sqrt(difference / whole) : 0;
  if (!excited.covariance) {
    Vector6 now = (mean * x).col(0);
    if (excited.sine) {
      const Eigen::VectorXcd w = (mean * x).col(0) + Complex(0, 1) * (mean * x).col(1);
      now = (w * std::polar(1.0, -worst.phase)).real();
    }
    worst.principal = tensor_eigen(stress_tensor(station, place.level, now)).values.reverse();
  }
  return worst;
}

}  // namespace avrenk
