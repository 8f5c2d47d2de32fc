#include "figures/curves_chart.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "files/table.h"

namespace avrenk {

Series phase_line(std::span<const double> x, std::span<const double> phase) {
  Series series;
  for (std::size_t k = 0; k < x.size(); ++k) {
    if (!series.y.empty() && std::abs(phase[k] - series.y.back()) > 180) {
      series.x.push_back(x[k]);
      series.y.push_back(std::nan(""));
    }
    series.x.push_back(x[k]);
    series.y.push_back(phase[k]);
  }
  return series;
}

Chart curves_chart(const std::string& title, const std::string& subtitle, std::span<const PlottedCurve> curves,
                   const std::string& frequency) {
  Chart chart;
  chart.title = title;
  chart.subtitle = subtitle;
  chart.x = {fmt::format("Frequency ({})", frequency), Axis::Scale::logarithmic, HUGE_VAL, 0};
  Panel amplitudes{{"Amplitude, 0 to peak"}, 2.1},
      phases{{"Phase (°)", Axis::Scale::linear, -180, 180, {-180, -90, 0, 90, 180}}, 1, false}, densities{{"PSD"}, 2.1};
  for (const PlottedCurve& curve : curves) {
    Panel& panel = curve.is_psd ? densities : amplitudes;
    panel.y.label = fmt::format("{} ({})", curve.is_psd ? "PSD" : "Amplitude, 0 to peak", curve.unit);
    Series series{curve.label, curve.frequency, curve.value};
    // Logarithmic axes have no place for a frequency of 0, nor for a curve that is zero everywhere.
    const auto is_positive = [](double value) { return value > 0; };
    const auto first = std::find_if(series.x.begin(), series.x.end(), is_positive);
    if (first == series.x.end() || std::none_of(series.y.begin(), series.y.end(), is_positive)) continue;
    chart.x.from = std::min(chart.x.from, *first);
    chart.x.to = std::max(chart.x.to, series.x.back());
    const auto top = static_cast<std::size_t>(std::max_element(series.y.begin(), series.y.end()) - series.y.begin());
    const double highest = curve.peak > 0 ? curve.peak : series.y[top],
                 at = curve.peak > 0 ? curve.peak_at : series.x[top];
    if (highest > 0)
      panel.peaks.push_back(
          {panel.series.size(), at, highest,
           fmt::format("{} {} @ {} {}", format_number(highest, 3), curve.unit, format_number(at, 4), frequency)});
    if (!curve.phase.empty()) {
      Series lag = phase_line(curve.frequency, curve.phase);
      lag.colour = static_cast<int>(panel.series.size()) % palette_size;
      phases.series.push_back(std::move(lag));
    }
    panel.series.push_back(std::move(series));
  }
  for (Panel* const panel : {&amplitudes, &phases, &densities})
    if (!panel->series.empty()) chart.panels.push_back(std::move(*panel));
  return chart;
}

}  // namespace avrenk
