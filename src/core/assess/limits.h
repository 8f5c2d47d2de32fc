/// core/assess/limits.h: does it pass? Margins of responses and frequencies against what is allowed.
#pragma once

#include <variant>

#include "core/assess/life.h"
#include "core/quantity/show.h"
#include "core/response/case_results.h"
#include "core/response/on_random.h"
#include "core/response/sine_run.h"

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

struct LimitResult {
  const Limit* limit = nullptr;
  std::string what;   ///< "tip.acceleration.z, 3σ, random.z"
  std::string where;  ///< node or mode
  const Kind* kind = nullptr;
  bool is_psd = false;  ///< value and allowable are PSDs, its margin that of their roots
  double value = 0;     ///< SI or Hz
  double allowable = 0;
  /// allowable/(factor × value) − 1; value/(factor × allowable) − 1 of one that must lie above; of lives and damages
  /// what amplitudes may grow by, the same to the power of 1/k
  double margin = 0;
  double upper_margin = 0;  ///< the same at the upper tolerance of the input; NaN if it has none
  bool met = false;
  bool gaussian = true;      ///< false: n sigma of a magnitude has no fixed probability
  bool upper_bound = false;  ///< n sigma added to a static value: never low
  /// Of a Gaussian response with a duration: with which probability the allowable, over the factor, is passed in it;
  /// NaN of others.
  double exceeded = std::nan("");
  /// The unit of value and allowable.
  [[nodiscard]] DisplayUnit unit(const Show& show) const {
    return is_psd ? psd_unit(show.unit(*kind)) : show.unit(*kind);
  }
  /// The margin that decides.
  [[nodiscard]] double deciding() const {
    return limit->is_at_upper() && upper_margin == upper_margin ? upper_margin : margin;
  }
};

/// Whether a limit judges a case: it names it, or all cases of its environment. What is notched is judged like what it
/// was made from.
[[nodiscard]] bool covers(const Limit& limit, const Excitation& excitation);

/// What limits want of a sine case together with static answers.
/// @param at_rest  the static outcomes, found by name
[[nodiscard]] std::vector<StaticSum> sums_for(const std::vector<Limit>& limits, const Excitation& excitation,
                                              const std::vector<const CaseResults*>& at_rest,
                                              const std::vector<Output>& watched);

/// One result a limit: the worst over its environments and axes that were run, and over all places of a watched
/// quantity; of an input that is notched what is applied, not what is specified. Worst margin first. A limit none of
/// whose environments was run gives no result. Of what acts on a random environment both together are judged. A
/// frequency is that of the modes with springs as they are at it, where there are such.
[[nodiscard]] std::vector<LimitResult> check_limits(
    const std::vector<Limit>& limits, const std::vector<CaseResults>& outcomes, const std::vector<Output>& watched,
    const ModalBasis& basis, const Assembly& assembly, const std::vector<OnRandom>& on_random = {},
    const std::vector<Life>& lives = {}, std::span<const SpringMode> with_springs = {});

}  // namespace avrenk
