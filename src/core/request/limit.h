/// core/request/limit.h: what must be met.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <variant>
#include <vector>

#include "core/excitation/profile.h"

namespace avrenk {

/// What is taken of a response.
struct Take {
  enum class Form { peak, rms, sigma, probability, largest, psd };
  Form form = Form::peak;
  double sigma = 1;     ///< multiple of the RMS; of a probability that of 1, 2 or 3σ
  double quantile = 0;  ///< of the largest in the duration: what it stays below so often; 0: its mean
  [[nodiscard]] std::string words() const;  ///< "peak", "RMS", "3σ", "99.73 %", "largest", "largest 95 %"
};

/// How far an input may be lowered for a limit.
struct NotchRule {
  double deepest = 0;  ///< part of an amplitude specified that is left at least; 0: as little as it takes
  double floor = 0;    ///< SI, of the input: an amplitude, or a PSD
};

/// How large a PSD may be over frequency, (unit of the quantity)²/Hz.
struct AllowedPsd {
  LogLogTable table;         ///< outside of it nothing is limited
  bool times_input = false;  ///< it is multiplied with the PSD of the input: force limiting
  [[nodiscard]] double at(double frequency, double input) const {
    return table.at(frequency) * (times_input ? input : 1);
  }
};

/// Of a watched quantity.
struct ResponseLimit {
  std::string of;                           ///< "tip.acceleration.z"
  std::vector<std::string> environments{};  ///< "random" (all its axes) or "random.z"
  Take take{}, take_random{};               ///< of sine and static environments; of random ones
  std::string with{};                       ///< the static environment whose answer is added
  std::optional<double> at_least{};         ///< m that must be left of a clearance's gap; replaces the allowable
  bool at_upper = false;                    ///< the verdict is taken at the upper tolerance of the input
  std::optional<AllowedPsd> allowed_psd{};  ///< of a PSD, in place of the allowable
  std::optional<NotchRule> notch{};         ///< inputs of bases are lowered where this limit would be passed
};
/// Of the lowest mode with enough effective mass along a direction.
struct FrequencyLimit {
  int direction = 2;                ///< 0..5
  double effective_mass_above = 0;  ///< fraction of the total
  bool below = false;               ///< it must lie below the bound, else above
};
struct MassLimit {
  std::string part{};  ///< empty: of the whole model
  bool below = true;   ///< the bound, else above
};
/// What is left of a life, or used of it.
struct LifeLimit {
  std::vector<std::string> lives{};  ///< whose worst subject counts
  bool of_damage = false;            ///< damage of one time through; else how often it may be gone through
  bool below = false;                ///< it must lie below the bound, else above
};
/// What other limits make together: a formula that must not pass 1, of names R = 1/(1 + margin) of limits.
struct InteractionLimit {
  std::string formula{};
  std::vector<std::pair<std::string, std::string>> ratios{};  ///< name in it, limit
};

struct Limit {
  std::string name{};
  std::string requirement{};  ///< what it shows, by the user's identifier
  double allowable = 0;       ///< SI; of a frequency, mass or life its bound, of what is upside down the least
  double factor = 1;          ///< product of the factors of safety on the value
  std::string factors{};      ///< "yield 1.25 × model 1.1", for tables
  std::string property{};     ///< "yield of strut-alloy", where the allowable is a material's
  std::variant<ResponseLimit, FrequencyLimit, MassLimit, LifeLimit, InteractionLimit> kind{};

  /// nullptr where it is of another kind.
  [[nodiscard]] const ResponseLimit* response() const { return std::get_if<ResponseLimit>(&kind); }
  [[nodiscard]] ResponseLimit* response() { return std::get_if<ResponseLimit>(&kind); }
  [[nodiscard]] bool is_notching() const { return response() && response()->notch; }
  [[nodiscard]] bool is_at_upper() const { return response() && response()->at_upper; }
};

}  // namespace avrenk
