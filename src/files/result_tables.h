/// files/result_tables.h: what the core computed, as tables in the units asked for. No arithmetic beyond units and
/// sums.
#pragma once

#include "core/quantity/show.h"
#include "core/response/cross_spectrum.h"
#include "core/response/fields.h"
#include "core/response/on_random.h"
#include "core/response/stress_found.h"
#include "files/table.h"

namespace avrenk {

/// Sine: the largest over frequency and phase of all that is watched, where and at what frequency and phase.
[[nodiscard]] Table peak_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show);
/// RMS of each input of a random case: "5.23 g", or "x 5.23 g, pump 3.1 N".
[[nodiscard]] std::string random_inputs_in_words(const Excitation& excitation, const Show& show);
/// Random: 1σ, 2σ, 3σ of all that is watched, and the modes that make it.
[[nodiscard]] Table rms_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show);
/// Why each peak: shares of the modes, amplification over the static answer, half-power Q, sweep.
[[nodiscard]] Table sine_reason_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show);
/// Dominating frequencies, crossings, expected largest, spectral moments.
[[nodiscard]] Table random_reason_table(const CaseResults& outcome, const std::vector<Output>& watched,
                                        const Show& show);
/// What each of several random inputs makes of the variance; no rows of a single one.
[[nodiscard]] Table input_table(const CaseResults& outcome, const std::vector<Output>& watched);
/// RMS over the bands that the environment asks for; no rows where it asks for none.
[[nodiscard]] Table band_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show);
/// Tones or bands that act on a random environment: of magnitudes and single numbers, with their components.
[[nodiscard]] Table on_random_table(const OnRandom& both, const std::vector<Output>& watched, const Show& show);
/// Pairs of modes that make most of each variance; no rows where no pair makes a percent.
[[nodiscard]] Table pair_table(const CaseResults& outcome, const std::vector<Output>& watched);
/// PSDs, cross PSD, phase and coherence of two responses over frequency.
[[nodiscard]] Table cross_table(const CrossSpectrum& spectrum, const Show& show);
/// The answer to a static environment.
[[nodiscard]] Table static_answer_table(const CaseResults& outcome, const std::vector<Output>& watched,
                                        const Show& show);
/// One line a watched quantity, one column an axis of the environment; magnitudes stand for their components.
[[nodiscard]] Table overview_table(const std::vector<const CaseResults*>& axes, const std::vector<Output>& watched,
                                   const Show& show);
/// Magnitude and phase, or PSD, of every watched quantity at every frequency of the grid.
[[nodiscard]] Table curve_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show);
/// Largest motion and von Mises stress of the whole model at the frequencies asked for.
/// @param shapes    of all cases
/// @param stress    of cases held at those frequencies
[[nodiscard]] Table whole_table(const CaseResults& outcome, const std::vector<OperatingDeflectionShape>& shapes,
                                const StressFound& stress, const Assembly& assembly, const Show& show);
/// Magnitude and phase (sine) or PSD (random) of every magnitude and single number at the frequencies that the plan
/// asks for by `at`; no rows where it asks for none.
[[nodiscard]] Table asked_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show);
}  // namespace avrenk
