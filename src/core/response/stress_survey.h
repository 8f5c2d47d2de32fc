/// core/response/stress_survey.h: stress of every node of shells and solids in every environment at once.
#pragma once

#include <cmath>
#include <map>

#include "core/response/case_response.h"
#include "core/response/channels.h"
#include "core/response/stress.h"

namespace avrenk {

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
  /// the quantity of the difference squared. The mesh is too coarse there for a stress much better than that.
  /// NaN where a single element stands: nothing to compare it with.
  double jump = std::nan("");
  /// Principal stresses at the instant of the largest, largest first, Pa; NaN of a random load.
  Vector3 principal = Vector3::Constant(std::nan(""));
  Vector3 direction = Vector3::Zero();  ///< as in StressField
};

/// One quantity of stress at all stations under one load; of a shell at bottom, middle and top, of a solid in the first
/// row. NaN where it was not looked at.
struct StressField {
  std::shared_ptr<const Excitation> excitation;
  StressQuantity quantity = StressQuantity::von_mises;
  /// Pa: largest over phase and grid (sine), RMS (random), or static, with its sign unless it is von Mises.
  Eigen::Matrix3Xd value;
  Eigen::Matrix3Xd frequency, phase;  ///< sine: Hz, rad; else empty
  /// Of principal stress the direction in which the normal stress is largest, global; column 3 station + level; else
  /// empty.
  Eigen::Matrix3Xd direction;
  /// The worst hundred, and the worst ten of each part, largest without their sign first. A sine peak is located
  /// between grid points; its values stand in the field too.
  std::vector<WorstStress> worst;
  [[nodiscard]] auto direction_at(const StressPlace& place) { return direction.col(3L * place.station + place.level); }
  [[nodiscard]] Vector3 direction_at(const StressPlace& place) const;
  [[nodiscard]] std::string name() const { return excitation->name(); }  ///< as CaseResults::name()
  /// Of a sine, whose largest is at a frequency and phase of its own.
  [[nodiscard]] bool has_frequency() const { return frequency.size() > 0; }
  /// The worst of one part; nullptr if it has none.
  [[nodiscard]] const WorstStress* worst_of(const StressStations& stations, int part) const;
};

/// Fields of sine environments are taken on the grid, where a peak may be lower than it is by `shortfall` at most;
/// which stations are the worst follows from them, and those are then located exactly.
struct StressSurvey {
  std::vector<StressField> fields;  ///< quantity by quantity, load by load
  double shortfall = 0;
  /// Of places that could be the worst, directions in which normal stress is largest under more than one load: axes
  /// that act together, a sweep on top of a static load. Found on the grid.
  std::map<StressPlace, std::vector<Vector3>> directions;
};

/// Puts what a survey of further loads found behind what is known.
void add(StressSurvey& known, StressSurvey&& more);

/// What somebody wants to see, and of which parts.
struct StressDemand {
  StressQuantity quantity = StressQuantity::von_mises;
  std::vector<int> parts;
  std::vector<int> nodes{};  ///< at which alone, if every demand names some
};

/// Rows of stress on the modal coordinates are made once, stretch by stretch, and multiplied with the states of all
/// loads together: at no time more than about `bytes_at_once` for each thread.
[[nodiscard]] StressSurvey survey_stress(const Assembly& assembly, const System& system, const ModalBasis& basis,
                                         const ModalDamping& damping, const StressStations& stations,
                                         const CaseResponses& loads, const std::vector<StressDemand>& demands,
                                         int threads, std::size_t bytes_at_once = 8U << 20U);

/// The `most` values over the places of some parts that are largest without their sign, largest first; places without a
/// value are left out. @param value  as in StressField
[[nodiscard]] std::vector<StressPlace> largest_places(const Eigen::Matrix3Xd& value, const StressStations& stations,
                                                      const std::vector<int>& parts, std::size_t most);

/// How often a load counts on top of a static one, as limits may add any of them: a sweep once, a random one three
/// times its RMS; 0 where the first does not vary or the second is not static.
[[nodiscard]] double weight_on_top(const Environment& load, const Environment& at_rest);

/// All places of the given parts that could be the worst of any field of a quantity, of the axes of one environment
/// together, or of an environment on top of a static one: the `most` largest of each.
[[nodiscard]] std::vector<StressPlace> candidate_places(const StressSurvey& survey, const StressStations& stations,
                                                        const StressDemand& demand, std::size_t most = 100);

/// Directions to look in at a place for the largest principal stress: those of all loads, and of them together.
[[nodiscard]] std::vector<Vector3> candidate_directions(const StressSurvey& survey, const StressPlace& place);

}  // namespace avrenk
