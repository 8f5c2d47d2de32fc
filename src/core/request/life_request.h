/// core/request/life_request.h: whose life is wanted, and through what.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/model/fatigue_line.h"
#include "core/request/stress_quantity.h"

namespace avrenk {

/// Ways to count the cycles of a Gaussian process from its spectral moments, each compared with rainflow counting of
/// records in its test.
enum class Counting { narrow_band, dirlik, tovo_benasciutti };
inline constexpr std::array<std::string_view, 3> counting_names{"narrow band", "Dirlik", "Tovo-Benasciutti"};

/// How long, or how often, an environment acts; every case of it, one after the other.
struct Exposure {
  std::string environment;  ///< "sine" (all its axes) or "sine.x"
  double sweeps = 0;        ///< of a sine: times through its band
  double dwell_at = 0;      ///< Hz, of a sine that is held; 0: it sweeps
  double seconds = 0;       ///< of a random one, or of a dwell
};

/// A watched quantity whose life is wanted. Of magnitudes and von Mises stress an amplitude is the largest of a cycle,
/// and a random one has the PSD of the sum of the squares (Preumont & Piéfort, J. Vib. Acoust. 116, 1994).
struct LifeSubject {
  std::string of;  ///< "struts.normal stress"
  FatigueLine line;
  std::vector<int> parts{};                  ///< of shells and solids
  std::optional<StressQuantity> of_nodes{};  ///< of these: the stress that it is, not principal stress
  std::vector<int> nodes{};                  ///< ascending: at which alone it is looked at; empty: everywhere
};

struct LifeRequest {
  std::string name;
  std::vector<LifeSubject> subjects;
  std::vector<Exposure> through;         ///< all of it once is one time through
  std::string with;                      ///< the static environment that makes the mean stress; empty: none
  double factor = 1;                     ///< product of the factors of safety on stress
  std::string factors;                   ///< "model 1.1", for tables
  Counting counting = Counting::dirlik;  ///< that counts
};

}  // namespace avrenk
