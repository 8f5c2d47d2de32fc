/// core/response/stress_survey.h: von Mises stress of every node of shells and solids in every environment at once.
#pragma once

#include <cmath>

#include "core/response/environment.h"
#include "core/response/stress.h"

namespace avrenk {

/// One environment along one axis, or a steady one.
struct StressLoad {
  const Environment* environment = nullptr;
  int axis = 0;
};

/// A station at one level.
struct StressPlace {
  int station = 0, level = 0;
  friend bool operator<(const StressPlace& a, const StressPlace& b) {
    return std::pair(a.station, a.level) < std::pair(b.station, b.level);
  }
  friend bool operator==(const StressPlace&, const StressPlace&) = default;
};

/// One of the worst places under a load, located exactly.
struct WorstStress {
  StressPlace place;
  double value = 0, frequency = 0, phase = 0;  ///< as in StressField
  /// What the elements that meet there differ from their mean by, as a part of it: the root of the mean over them of
  /// the von Mises stress of the difference squared. The mesh is too coarse there for a stress much better than that.
  /// NaN where a single element stands: nothing to compare it with.
  double jump = std::nan("");
  /// Principal stresses at the instant of the largest, largest first, Pa; NaN of a random load.
  Vector3 principal = Vector3::Constant(std::nan(""));
};

/// Von Mises stress of all stations under one load; of a shell at bottom, middle and top, of a solid in the first row.
struct StressField {
  StressLoad load;
  std::string name;                   ///< as Outcome::name()
  Eigen::Matrix3Xd value;             ///< Pa: largest over phase and grid (sine), RMS (random), or steady
  Eigen::Matrix3Xd frequency, phase;  ///< sine: Hz, rad; else empty
  /// The worst hundred, and the worst ten of each part, largest first. A sine peak is located between grid points; its
  /// values stand in the field too.
  std::vector<WorstStress> worst;
  /// The worst of one part; nullptr if it has none.
  [[nodiscard]] const WorstStress* worst_of(const StressStations& stations, int part) const;
};

/// Fields of sine environments are taken on the grid, where a peak may be lower than it is by `shortfall` at most;
/// which stations are the worst follows from them, and those are then located exactly.
struct StressSurvey {
  std::vector<bool> parts;  ///< those that were looked at
  std::vector<StressField> fields;
  double shortfall = 0;
};

/// Rows of stress on the modal coordinates are made once, stretch by stretch, and multiplied with the states of all
/// loads together: at no time more than about `bytes_at_once` for each thread.
/// @param parts  which parts to look at
/// @throws NumericalError  an RMS integral does not settle
[[nodiscard]] StressSurvey survey_stress(const Assembly& assembly, const System& system, const ModalBasis& basis,
                                         const ModalDamping& damping, const StressStations& stations,
                                         const std::vector<StressLoad>& loads, const std::vector<bool>& parts,
                                         int threads, std::size_t bytes_at_once = 8U << 20U);

/// The `most` largest values over the places of some parts, largest first. @param value  as in StressField
[[nodiscard]] std::vector<StressPlace> largest_places(const Eigen::Matrix3Xd& value, const StressStations& stations,
                                                      const std::vector<int>& parts, std::size_t most);

/// All places of the given parts that could be the worst of any field, of the axes of one environment together, or of a
/// sine environment and the steady one that it comes after: the `most` largest of each.
[[nodiscard]] std::vector<StressPlace> candidate_places(const StressSurvey& survey, const StressStations& stations,
                                                        const std::vector<int>& parts, std::size_t most = 100);

}  // namespace avrenk
