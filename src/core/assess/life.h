/// core/assess/life.h: how long it lasts: the damage of environments in sequence at the worst place of what is watched
/// (theory, "Life").
#pragma once

#include <map>

#include "core/assess/fatigue.h"
#include "core/response/case_response.h"
#include "core/response/output.h"
#include "core/response/stress_survey.h"

namespace avrenk {

/// Around one resonance of a sweep, from minimum to minimum of the amplitude.
struct SweptResonance {
  double frequency = 0, amplitude = 0;  ///< Hz; SI, of the peak
  double cycles = 0;                    ///< that do the same damage at the amplitude of the peak
  double borne = 0;                     ///< cycles that are borne at it: N
  double damage = 0;
};

/// What one case does at the worst place.
struct LifePart {
  std::shared_ptr<const Excitation> excitation;
  const Exposure* exposure = nullptr;
  std::array<double, 3> damage{};          ///< by Counting; of a sine all alike
  double cycles = 0;                       ///< of a sine all of them; of a random one upward crossings of zero
  double amplitude = 0;                    ///< SI: of a sine the largest, of a random one the RMS
  double irregularity = 0;                 ///< of a random one α₂ = ν₀/ν_p
  std::vector<SweptResonance> resonances;  ///< of a sweep: those that do a thousandth of its damage or more
};

struct Life {
  const LifeRequest* request = nullptr;
  const LifeSubject* subject = nullptr;
  std::string where;                 ///< the worst place
  double mean = 0, mean_factor = 1;  ///< SI, of the static environment there; what amplitudes are multiplied with
  std::array<double, 3> damage{};    ///< of one time through, by Counting: sums over the parts
  std::vector<LifePart> parts;
  /// Of shells and solids the damage at every station and level, 3 x stations, NaN where it was not looked at; swept
  /// curves are summed over two points between those of their grid.
  Eigen::Matrix3Xd field;
  [[nodiscard]] double counted_damage() const { return damage[static_cast<std::size_t>(request->counting)]; }
  /// How often it may be gone through: 1/D.
  [[nodiscard]] double times() const { return 1 / counted_damage(); }
  /// What all amplitudes may be multiplied with until it is borne just once, D^(−1/k).
  [[nodiscard]] double factor_on_stress() const { return std::pow(counted_damage(), -1 / subject->line.slope); }
};

/// Less damage than this in one time through is none.
inline constexpr double no_damage = 1e-30;

/// One case as it answers, and the rows of what is watched on its modes.
struct LifeCase {
  const CaseResponse* load = nullptr;
  const std::vector<Output>* watched = nullptr;
  const Channels* channels = nullptr;
};

/// Every subject of every request whose environments were all run. Sums over two points between those of the grid find
/// the worst of all places; there, swept amplitudes are integrated to a billionth.
/// @param cases     single cases, static ones too; of an input that is notched only what is applied
/// @param stations  of shells and solids, where subjects have them
/// @throws InputError  a dwell outside the band of its environment
[[nodiscard]] std::vector<Life> find_lives(const std::vector<LifeRequest>& requests, const Assembly& assembly,
                                           const std::vector<LifeCase>& cases, const StressStations* stations,
                                           int threads);

}  // namespace avrenk
