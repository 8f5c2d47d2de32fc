/// core/assess/limits.h: does it pass? Margins of responses and frequencies against what is allowed.
#pragma once

#include "core/assess/life.h"
#include "core/modes/spring_variation.h"
#include "core/quantity/show.h"
#include "core/request/limit.h"
#include "core/response/case_results.h"
#include "core/response/on_random.h"
#include "core/response/sine_run.h"

namespace avrenk {

struct LimitResult {
  const Limit* limit = nullptr;
  std::string what;                                ///< "tip.acceleration.z, 3σ, random.z"
  std::string where;                               ///< node or mode
  double frequency = std::nan("");                 ///< Hz, at which a sine by itself makes it; NaN of others
  std::vector<std::pair<double, double>> bands{};  ///< Hz, in which a sine exceeds it, between points of the curve
  int mode = -1;                                   ///< that makes most of a response by itself; −1: none is known
  const Kind* kind = nullptr;
  bool is_psd = false;  ///< value and allowable are PSDs, its margin that of their roots
  double value = 0;     ///< SI or Hz
  double allowable = 0;
  /// allowable/(factor × value) − 1; value/(factor × allowable) − 1 of one that must lie above; of lives and damages
  /// what amplitudes may grow by, the same to the power of 1/k
  double margin = 0;
  double upper_margin = 0;  ///< the same at the upper tolerance of the input; NaN if it has none
  bool met = false;
  bool answered = true;      ///< false: a case that it needs could not be answered, so that it is not met
  bool gaussian = true;      ///< false: n sigma of a magnitude has no fixed probability
  bool upper_bound = false;  ///< n sigma added to a static value: never low
  /// Of a Gaussian response with a duration: with which probability the allowable, over the factor, is passed in it;
  /// NaN of others.
  double exceeded = std::nan("");
  /// The unit of value and allowable.
  [[nodiscard]] DisplayUnit unit(const Show& show) const {
    return is_psd ? psd_unit(show.unit(*kind)) : show.unit(*kind);
  }
  /// Makes it one that is not met, by however much.
  void refuse();
  /// The margin that decides.
  [[nodiscard]] double deciding() const {
    return limit->is_at_upper() && upper_margin == upper_margin ? upper_margin : margin;
  }
};

/// By what decides, the worst first.
void sort_worst_first(std::vector<LimitResult>& results);

/// The lowest mode that carries the effective mass that a limit on a frequency asks for; −1: none below what is known.
/// @param with_springs  the modes with springs as they are at them, where there are such
[[nodiscard]] int limited_mode(const FrequencyLimit& wanted, const ModalBasis& basis,
                               std::span<const SpringMode> with_springs = {});

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
