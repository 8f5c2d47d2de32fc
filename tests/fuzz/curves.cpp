// A table of measured curves, and what is made of those that are whole.
#include <algorithm>
#include <cmath>

#include "core/identify/curve_comparison.h"
#include "files/curve_files.h"
#include "fuzz/input.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace avrenk;
  const std::string file = fuzz::file_of("curves.csv", data, size);
  fuzz::try_to([&] {
    const CurveFile read = read_curves(file);
    for (const FileCurve& each : read.curves) {
      if (each.magnitude.size() != read.grid.size()) __builtin_trap();
      if (!std::all_of(each.magnitude.begin(), each.magnitude.end(), [](double v) { return std::isfinite(v); }))
        continue;
      const ResponseCurve curve{read.grid, each.magnitude, each.response, is_psd(each)};
      for (const ResponsePeak& peak : response_peaks(curve, {}))
        if (peak.mode.is_fitted && !(peak.mode.frequency > 0)) __builtin_trap();
      if (const auto alike = likeness(curve, curve); alike && std::abs(alike->level) > 1e-9) __builtin_trap();
    }
  });
  return 0;
}
