/// core/response/case_results.h: the answers of one case of an environment: peaks, RMS or static values of all that is
/// watched.
#pragma once

#include <array>
#include <memory>
#include <string>
#include <variant>

#include "core/excitation/excitation.h"
#include "core/response/output.h"
#include "core/response/random.h"
#include "core/response/steady_state.h"

namespace avrenk {

/// Peak of the sine response together with a static one: the largest over phase and frequency of their sum.
struct WithStatic {
  std::string at_rest;                ///< the static environment
  double value = 0, upper_value = 0;  ///< at the level applied, and at its upper tolerance
  std::string where;
};

/// One watched quantity in one environment and axis.
struct SineRow {
  SinePeak peak;
  std::string where;          ///< the worst candidate
  std::size_t candidate = 0;  ///< its index into Output::candidates
  Eigen::MatrixXcd curve;     ///< of the worst candidate: 1 to 3 rows x grid points, per the level applied
  std::vector<std::pair<int, double>> shares;  ///< mode (from 0; −1: base motion, −2: loads) and its part of the peak
  double amplification = 0;                    ///< over the static answer to the same inputs; NaN: it has none
  std::optional<HalfPower> half_power;         ///< absent where the curve does not fall by half on both sides
  double sweep_parameter = 0;                  ///< S of the mode with the largest share; NaN without a sweep rate
  std::optional<SinePeak> swept;               ///< where S is above slow_sweep
  /// Relative change of the response at the peak when modes are coupled by their damping; NaN of components.
  double coupling = 0;
  std::vector<WithStatic> with_static;  ///< those asked for
  std::vector<double> of_place;         ///< the largest of all candidates at each point, where there are several
  std::vector<std::size_t> leaders;     ///< the worst candidate, and others that make it somewhere
  /// nullptr where it was not asked for.
  [[nodiscard]] const WithStatic* together_with(const std::string& at_rest) const;
};
struct RandomRow {
  double rms = 0;
  std::string where;
  std::size_t candidate = 0;  ///< the worst one: its index into Output::candidates
  /// What it stays below 68.27, 95.45 and 99.73 % of the time, the largest over the candidates: 1, 2 and 3σ of what is
  /// Gaussian, else by the distribution of the length of a Gaussian vector. NaN where cases are combined.
  std::array<double, 3> within{};
  double curve_rms = 0;     ///< the drawn curve's own integral
  std::vector<double> psd;  ///< of the worst candidate, unit²/Hz
  std::vector<std::pair<int, double>>
      shares;  ///< mode (from 0; −1: base motion, −2: loads) and part of the variance, largest first
  std::vector<ModePair> pairs;        ///< those that make most, with their sign, largest without it first
  std::vector<double> inputs;         ///< of several inputs the part of the variance that each makes; they add up to 1
  std::vector<DominatingBand> bands;  ///< largest share first
  std::vector<double> in_bands;       ///< RMS over each of Environment::bands
  SpectralMoments moments;
  double largest = 0;  ///< expected largest in the duration; NaN without a duration, or if not Gaussian
  double largest_low = 0, largest_high = 0;  ///< its 5 % and 95 % quantiles
  double coupling = 0;  ///< relative change of the PSD at the dominating frequency when modes are coupled; NaN likewise
  Eigen::VectorXd candidate_rms;
  std::vector<double> of_place;      ///< PSD: the largest of all candidates at each point, where there are several
  std::vector<std::size_t> leaders;  ///< the worst candidate, and others that make it somewhere
};
struct StaticRow {
  double value = 0;  ///< its size, which is judged
  std::string where;
  Eigen::VectorXd rows;      ///< of every base of the candidates
  double with_sign = value;  ///< the same with its sign where it is one number; of a magnitude its size
};

/// One row for each watched quantity; the grid (Hz) is empty where cases are combined.
struct SineAnswers {
  std::vector<double> grid;
  std::vector<SineRow> rows;
};
struct RandomAnswers {
  std::vector<double> grid;
  std::vector<RandomRow> rows;
  double integration_error = 0;
};
struct StaticAnswers {
  std::vector<StaticRow> rows;
};

struct CaseResults {
  std::shared_ptr<const Excitation> excitation;
  std::variant<StaticAnswers, SineAnswers, RandomAnswers> answers;
  /// nullptr where it is of another type.
  [[nodiscard]] const SineAnswers* sine() const { return std::get_if<SineAnswers>(&answers); }
  [[nodiscard]] const RandomAnswers* random() const { return std::get_if<RandomAnswers>(&answers); }
  [[nodiscard]] const StaticAnswers* at_rest() const { return std::get_if<StaticAnswers>(&answers); }
  [[nodiscard]] const Environment& environment() const { return *excitation->environment; }
  [[nodiscard]] std::string name() const { return excitation->name(); }
  [[nodiscard]] bool is_combined() const { return excitation->is_combined; }
  /// Its peaks have no frequency and no phase of their own.
  [[nodiscard]] bool is_root_sum() const;
  [[nodiscard]] const std::vector<double>& grid() const;
  /// Whether a watched quantity means something here: a ratio to the input under a sine of its kind only.
  [[nodiscard]] bool has(const Output& watched) const;
  /// Modes and their shares of one watched quantity, largest first.
  [[nodiscard]] const std::vector<std::pair<int, double>>& shares(std::size_t watched) const;
  /// Candidates that a curve of a watched quantity follows: the worst, and behind it others of its place that are
  /// larger than it somewhere, where these were looked for.
  [[nodiscard]] std::vector<std::size_t> leaders(std::size_t watched) const;
  /// The number that stands for a watched quantity: peak, RMS (0 where it has none) or static value.
  [[nodiscard]] double headline(std::size_t watched) const;
  /// What tells how strongly the model responds there: the headline, or one over it where that is upside down.
  [[nodiscard]] double strength(std::size_t index, const Output& watched) const;
};

/// Whether another outcome is that of the same case notched: it, and not this one, is what is applied.
[[nodiscard]] bool is_replaced(const Excitation& excitation, const std::vector<CaseResults>& outcomes);

/// What lies this far below the largest of its kind is rounding, and prints as zero.
inline constexpr double rounding_of_answers = 1e-10;
/// Of each watched quantity whether any of some outcomes of one environment is more than rounding beside the strongest
/// of its kind: newtons say nothing about metres, ratios nothing about amplitudes.
[[nodiscard]] std::vector<std::vector<bool>> real_answers(const std::vector<const CaseResults*>& outcomes,
                                                          const std::vector<Output>& watched);
/// Of one outcome.
[[nodiscard]] std::vector<bool> real_answers(const CaseResults& outcome, const std::vector<Output>& watched);

/// The peak of a sine with the largest ratio to the static answer (of a direct answer, which has none, the first that
/// there is), inside the band: index of the watched quantity, −1 if none has any.
[[nodiscard]] int strongest_peak(const CaseResults& outcome, const std::vector<Output>& watched);
/// The largest acceleration of a sine: index of the watched quantity, −1 if there is none.
[[nodiscard]] int largest_acceleration(const CaseResults& outcome, const std::vector<Output>& watched);

/// All cases of one environment together: the largest of them (envelope), or the root of the sum of squares for axes
/// that act at the same time without a fixed phase. Of random RMS it is exact, candidate by candidate; of sine peaks it
/// takes each axis's largest wherever and at whatever frequency it occurs, which is never low.
[[nodiscard]] CaseResults combine(const Environment& environment, const std::vector<const CaseResults*>& cases,
                                  const std::vector<Output>& watched);

}  // namespace avrenk
