/// files/curve_files.h: curves over frequency in a CSV file: those of a run, and measured ones in the same form.
#pragma once

#include <complex>
#include <optional>
#include <vector>

#include "core/quantity/quantity.h"

namespace avrenk {

/// One response over frequency.
struct FileCurve {
  std::string name;  ///< "tip.acceleration.z"
  std::string unit;  ///< "g", "g²/Hz"
  Unit si{};
  std::vector<double> magnitude;               ///< SI; not a number where a run has none
  std::vector<std::complex<double>> response;  ///< the same with its phase; empty: it has none
};

struct CurveFile {
  std::string file;
  std::vector<double> grid;  ///< Hz, rising; at a step of the input two of a run are equal
  std::optional<FileCurve> input{};
  std::vector<FileCurve> curves;
  [[nodiscard]] const FileCurve* find(const std::string& name) const;
};

/// Columns "frequency (Hz)" first, then of each response its magnitude, "box.acceleration.z (g)", and
/// "box.acceleration.z phase (deg)" where it is known; or "… real (g)" and "… imaginary (g)"; or a PSD, "(g^2/Hz)".
/// "input (g)", "input amplitude" and "input PSD" name the input; columns in rpm are left out.
/// @throws FileError   the file cannot be read
/// @throws InputError  a line is not that: file, line, column
[[nodiscard]] CurveFile read_curves(const std::string& file);

/// A plain ratio: a response over its input already.
[[nodiscard]] inline bool is_ratio(const FileCurve& curve) { return curve.si.dimension == Dimension{}; }
/// Magnitudes as they are: a PSD, where its unit is one per Hz.
[[nodiscard]] bool is_psd(const FileCurve& curve);

}  // namespace avrenk
