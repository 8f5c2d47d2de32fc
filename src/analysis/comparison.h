/// analysis/comparison.h: runs and measured curves beside one another.
#pragma once

#include <map>

#include "core/identify/curve_comparison.h"
#include "core/progress.h"
#include "core/quantity/quantity.h"
#include "files/curve_files.h"
#include "files/summary.h"
#include "plan/plan_changes.h"

namespace avrenk {

/// A folder of results, or a table of curves that somebody measured.
struct ComparedSource {
  std::string path, label;
  bool is_run = false;
  std::string in;                    ///< of a measured one: the case in which it was measured; empty: there are no runs
  std::optional<Summary> summary{};  ///< of a run
  std::map<std::string, CurveFile> curves{};  ///< by case
};

/// One curve of one source; values in SI.
struct ComparedCurve {
  std::size_t source = 0;
  ResponseCurve curve;
  std::vector<double> input{};         ///< at the same points; empty: not known, or divided by already
  double highest = 0, highest_at = 0;  ///< at a point of its grid, Hz
  std::optional<Likeness> alike{};     ///< to the first
  std::vector<ResponsePeak> peaks{};
  std::vector<std::optional<std::size_t>> partners{};  ///< of each peak: that of the first curve
};

/// What several sources have of one quantity in one case.
struct ComparedQuantity {
  std::string in, name, unit;  ///< "sine.x", "tip.acceleration.x", "g"
  double factor = 1;           ///< SI value of the unit
  bool is_psd = false;
  bool per_input = false;     ///< each was divided by its own input
  bool is_component = false;  ///< of a vector whose magnitude is compared too
  std::vector<ComparedCurve> curves;
};

/// One limit of two runs, and what changed its margin, in dB (20 log₁₀ of ratios): the allowable, the factor on the
/// value, and the value itself by its input and by the rest. Of a limit from above
/// 20 log₁₀((1 + margin₂)/(1 + margin₁)) = allowable − factor − input − structure.
struct LimitChange {
  std::string name, of;
  double first = 0, second = 0;  ///< margins, %; NaN: that run has no such limit
  double allowable = 0, factor = 0;
  double input = 0;      ///< at the frequency of the peak, or the RMS; NaN where the limit is not on one curve
  double structure = 0;  ///< of what is left: the response to one unit of input
  double shift = 0;      ///< %, of the frequency of the peak; NaN: it has none
};

struct Comparison {
  std::vector<ComparedSource> sources;
  std::vector<ComparedQuantity> quantities;
  [[nodiscard]] bool has_measured() const;
};

/// Sources in the order of `words`: "payload-results", "lid.csv", "lid.csv:sine.z". A measured file belongs to the case
/// that it names, or else to the only one in whose curves all of its columns stand. With measured files only what they
/// hold is compared; a plain ratio, or a file with an input of its own, is compared with responses over their inputs.
/// @param with_modes  modes are fitted to each curve
/// @throws InputError  a column that no run watches, another dimension, no case or several that it may belong to
/// @throws FileError
[[nodiscard]] Comparison compare_curves(const std::vector<std::string>& words, bool with_modes, int threads,
                                        const Progress& progress = {});

/// "lid.csv:sine.z": the file, and the case or nothing.
[[nodiscard]] std::pair<std::string, std::string> file_and_case(const std::string& word);
/// Whether a word is a measured file, with or without a case.
[[nodiscard]] bool is_measured(const std::string& word);

/// Limits of two runs, in the order of the first; those of the second alone at the end.
[[nodiscard]] std::vector<LimitChange> limit_changes(const Comparison& comparison, std::size_t first,
                                                     std::size_t second);

}  // namespace avrenk
