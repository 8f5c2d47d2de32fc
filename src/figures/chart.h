/// figures/chart.h: one description of a chart and one renderer (gnuplot through a pipe).
#pragma once

#include <array>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "core/quantity/quantity.h"

namespace avrenk {

/// What is drawn in one colour, with one entry in the legend.
struct Series {
  enum class Style {
    line,
    input,  ///< grey, dashed
    limit,  ///< red, long dashes
    band,   ///< filled between y and y2
    bars,   ///< rectangles
    steps,  ///< a thin line, for running sums
  };
  std::string label;         ///< empty: not in the legend
  std::vector<double> x, y;  ///< a NaN in y breaks the line
  Style style = Style::line;
  std::vector<double> y2{};                   ///< other edge of a band
  std::vector<std::array<double, 4>> bars{};  ///< x from, x to, y from, y to
  int colour = -1;                            ///< index of a colour; −1: the next one; see palette_size
};
/// Lengths of the dashes and gaps of an input, by how many stand before it.
[[nodiscard]] std::vector<int> input_dashes(const std::vector<Series>& all, std::size_t index);

/// Colours that are told apart with every kind of colour blindness (Okabe & Ito, 2008), and a grey after them.
inline constexpr const char* palette[] = {"#0072B2", "#D55E00", "#009E73", "#CC79A7", "#E69F00", "#56B4E9", "#9ca3af"};
inline constexpr int palette_size = 6;  ///< without the grey

/// A point worth reading off: a text beside it, with a circle on it or not, in the colour of its series.
struct PeakLabel {
  std::size_t series = 0;
  double x = 0, y = 0;
  std::string text;
  bool circle = true;
};

/// A text that stays where it is put: beside the end of a bar.
struct FixedText {
  double x = 0, y = 0;
  std::string text;
  enum class Side { right, left, above } side = Side::right;  ///< of the point
};

struct Axis {
  std::string label;
  enum class Scale { logarithmic, linear, named } scale = Scale::logarithmic;
  double from = 0, to = 0;           ///< equal: from the data; a logarithmic y axis shows five decades at most
  std::vector<double> ticks{};       ///< empty: by themselves
  std::vector<std::string> names{};  ///< of a named axis, at 1, 2, 3, …
  bool lowest_counts = false;        ///< of five decades it shows the lowest, not the highest
};

struct Panel {
  Axis y;
  double share = 1;  ///< of the height
  bool legend = true;
  std::vector<Series> series{};
  std::vector<PeakLabel> peaks{};
  std::vector<FixedText> texts{};
};

/// A vertical line across all panels, with its name above the first.
struct Upright {
  double x = 0;
  std::string name;
};

/// Panels share one x axis.
struct Chart {
  std::string title, subtitle;
  Axis x;
  std::vector<Panel> panels{};
  std::vector<Upright> uprights{};
  std::string uprights_are{};  ///< what the uprights stand for: the last entry of the legend
};

/// The gnuplot program that draws the chart, without terminal and output: the same text from the same chart.
[[nodiscard]] std::string chart_program(const Chart& chart);

/// A chart and where it goes: BASE.svg and BASE.png, 1280 x 800.
struct ChartFiles {
  const Chart* chart = nullptr;
  std::filesystem::path base;
};

/// Draws charts in one process of gnuplot, which takes longer to start than to draw one. Each file is written beside
/// its target and renamed when it is known to be whole.
/// @throws FileError  gnuplot is missing, fails or complains, no typeface is installed, or a file does not end as it
/// should
void draw_charts(std::span<const ChartFiles> charts);
void draw_chart(const Chart& chart, const std::filesystem::path& base);

/// Numbers as they are drawn.
[[nodiscard]] std::vector<double> in_unit(const std::vector<double>& values, const DisplayUnit& unit);

/// A chart with the name its file gets, and in one sentence what it shows: the text for those who cannot see it.
struct NamedChart {
  std::string name;
  Chart chart;
  std::string in_words;
};

}  // namespace avrenk
