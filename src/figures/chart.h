/// figures/chart.h: one description of a chart and one renderer (gnuplot through a pipe).
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace avrenk {

struct Series {
  enum class Style { line, input, limit };
  std::string label;
  std::vector<double> x, y;  ///< a NaN in y breaks the line
  Style style = Style::line;
};

/// A point worth reading off: a circle and a text beside it, in the colour of its series.
struct PeakLabel {
  std::size_t series = 0;
  double x = 0, y = 0;
  std::string text;
};

struct Panel {
  std::string y_label;
  bool log_y = true;
  double y_from = 0, y_to = 0;  ///< equal: from the data; a log panel shows five decades at most
  std::vector<double> y_ticks;  ///< empty: by themselves
  double share = 1;             ///< of the height
  bool legend = true;
  std::vector<Series> series;
  std::vector<PeakLabel> peaks;
};

/// Panels share one logarithmic x axis.
struct Chart {
  std::string title, subtitle, x_label;
  double x_from = 0, x_to = 0;
  std::vector<Panel> panels;
};

/// The gnuplot program that draws the chart, without terminal and output: the same text from the same chart.
[[nodiscard]] std::string chart_program(const Chart& chart);

/// Writes BASE.svg and BASE.png, 1280 x 800, each beside its target and renamed when it is known to be whole.
/// @throws FileError  gnuplot is missing, fails or complains, or the file does not end as it should
void draw_chart(const Chart& chart, const std::filesystem::path& base);

/// Draws several charts, two at a time.
void draw_charts(const std::vector<std::pair<std::filesystem::path, Chart>>& charts);

}  // namespace avrenk
