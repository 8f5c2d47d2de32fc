#include "figures/chart.h"

#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/error.h"
#include "figures/chart_labels.h"
#include "figures/gnuplot.h"
#include "figures/text.h"

namespace avrenk {
namespace {

double across(double px) { return px / chart_width; }
double up(double px) { return px / chart_height; }

// 1, 2 and 5 of each decade are major; all of them in a narrow band.
std::string frequency_ticks(double from, double to, bool labelled) {
  std::string list;
  for (double decade = std::pow(10, std::floor(std::log10(from))); decade <= to; decade *= 10) {
    for (int k = 1; k < 10; ++k) {
      const double f = k * decade;
      if (f < from * (1 - 1e-9) || f > to * (1 + 1e-9)) continue;
      const bool major = k == 1 || k == 2 || k == 5 || to / from < 12;
      list += fmt::format("{}'{}' {:g} {}", list.empty() ? "" : ", ", major && labelled ? fmt::format("{:g}", f) : "",
                          f, major ? 0 : 1);
    }
  }
  return list;
}

// Everything that a plot command needs beside the data blocks; numbers are handed out once a chart.
struct Numbers {
  int data = 0, label = 10;
};

std::string label_at(int& number, const std::string& text, double x, double y, const char* align, double points,
                     const char* colour, const char* more = "") {
  return fmt::format("set label {} {} at screen {:.5f},{:.5f} {} front noenhanced tc rgb '{}' font ',{:g}' {}\n",
                     number++, gnuplot_text(text), across(x), up(y), align, colour, points, more);
}

std::string stroke(int& number, double x0, double y0, double x1, double y1, const std::string& style) {
  return fmt::format("set arrow {} from screen {:.5f},{:.5f} to screen {:.5f},{:.5f} nohead {} front\n", number++,
                     across(x0), up(y0), across(x1), up(y1), style);
}

// The colour of a series: its own, or the next of those that are not spoken for; −1 of inputs and limits.
int colour_of(const std::vector<Series>& series, std::size_t index) {
  int next = 0;
  for (std::size_t i = 0; i < series.size(); ++i) {
    const Series& drawn = series[i];
    if (drawn.style == Series::Style::input || drawn.style == Series::Style::limit) {
      if (i == index) return -1;
      continue;
    }
    const int own = drawn.colour >= 0 ? drawn.colour : next++ % palette_size;
    if (i == index) return own;
  }
  return 0;
}

const char* colour_name(const std::vector<Series>& series, std::size_t index) {
  return palette[static_cast<std::size_t>(std::clamp(colour_of(series, index), 0, palette_size))];
}

std::string peak_labels(const Panel& panel, const Frame& frame, int& number) {
  std::string program;
  for (const PlacedLabel& placed_label : placed_labels(panel, frame)) {
    if (placed_label.leader) {
      const auto& [x0, y0, x1, y1] = *placed_label.leader;
      program += stroke(number, x0, y0, x1, y1, "lw 0.8 lc rgb '#4b5563'");
    }
    program += label_at(number, placed_label.peak->text, placed_label.x, placed_label.y, "center", label_points,
                        colour_name(panel.series, placed_label.peak->series), "boxed");
  }
  return program;
}

std::string data_block(const Series& series, const Frame& frame, int index) {
  std::string text = fmt::format("$d{} << EOD\n", index);
  for (const auto& [x0, x1, y0, y1] : series.bars)
    text += fmt::format("{:.8g} {:.6g} {:.8g} {:.8g} {:.6g} {:.6g}\n", 0.5 * (x0 + x1), 0.5 * (y0 + y1), x0, x1,
                        std::min(y0, y1), std::max(y0, y1));
  if (series.style == Series::Style::bars) return text + "EOD\n";
  for (const std::size_t i : visible_points(series, frame)) {
    if (!drawable(series, frame, i))
      text += "\n";
    else if (series.style == Series::Style::band)
      text += fmt::format("{:.8g} {:.6g} {:.6g}\n", series.x[i], series.y[i], series.y2[i]);
    else
      text += fmt::format("{:.8g} {:.6g}\n", series.x[i], series.y[i]);
  }
  return text + "EOD\n";
}

std::string line_style(const std::vector<Series>& all, std::size_t index) {
  switch (all[index].style) {
    case Series::Style::input:
      return fmt::format("lc rgb '#4b5563' lw 1.6 dt ({})", fmt::join(input_dashes(all, index), ","));
    case Series::Style::limit:
      return "lc rgb '#b91c1c' lw 1.8 dt (22,8)";
    case Series::Style::steps:
      return "lc rgb '#1f2937' lw 1.4";
    default:
      return fmt::format("lc rgb '{}' lw 2.2", colour_name(all, index));
  }
}

std::string plot_clause(const std::vector<Series>& all, std::size_t index, int data) {
  const std::string colour = colour_name(all, index);
  switch (all[index].style) {
    case Series::Style::bars:
      return fmt::format("$d{} using 1:2:3:4:5:6 with boxxyerror fs solid 0.9 noborder lc rgb '{}' notitle", data,
                         colour);
    case Series::Style::band:
      return fmt::format("$d{} using 1:2:3 with filledcurves fs transparent solid 0.16 noborder lc rgb '{}' notitle",
                         data, colour);
    default:
      return fmt::format("$d{} using 1:2 with lines {} notitle", data, line_style(all, index));
  }
}

// Entries from a height downwards; returns the program and moves the height.
std::string legend_entry(Numbers& numbers, const std::string& text, const std::string& style, bool filled,
                         const std::string& colour, double left, double& top) {
  std::string program;
  const double x = left, y = top - 9;
  if (filled)
    program += fmt::format(
        "set object {} rectangle from screen {:.5f},{:.5f} to screen {:.5f},{:.5f} fc rgb '{}' fs solid {} noborder\n",
        numbers.label++, across(x), up(y - 6), across(x + legend_sample), up(y + 6), colour, style);
  else
    program += stroke(numbers.label, x, y, x + legend_sample, y, style);
  for (const std::string& line : wrapped_text(text, label_points, legend_width - legend_sample - 20)) {
    program += label_at(numbers.label, line, x + legend_sample + 9, top - 9, "left", label_points, "#1f2937");
    top -= legend_line;
  }
  top -= 6;
  return program;
}

std::string legend(const Chart& chart, const Panel& panel, bool first, const Frame& frame, Numbers& numbers) {
  std::string program;
  double top = frame.top;
  const double left = frame.right + 40;
  for (std::size_t i = 0; panel.legend && i < panel.series.size(); ++i) {
    const Series& series = panel.series[i];
    if (series.label.empty()) continue;
    const bool filled = series.style == Series::Style::bars || series.style == Series::Style::band;
    program +=
        legend_entry(numbers, series.label,
                     filled ? (series.style == Series::Style::band ? "0.16" : "0.9") : line_style(panel.series, i),
                     filled, colour_name(panel.series, i), left, top);
  }
  if (first && !chart.uprights_are.empty())
    program += legend_entry(numbers, chart.uprights_are, "lc rgb '#6b7280' lw 1 dt (2,4)", false, "", left, top);
  return program;
}

// Names stand above the first panel where there is room for them.
std::string uprights(const Chart& chart, bool first, const Frame& frame, Numbers& numbers) {
  std::string program;
  double free_from = 0;
  for (const Upright& upright : chart.uprights) {
    const double x = frame.px(upright.x);
    if (x < frame.left || x > frame.right) continue;
    program += stroke(numbers.label, x, frame.bottom, x, frame.top, "lw 1 lc rgb '#9ca3af' dt (2,4)");
    const double half = 0.5 * text_width(upright.name, 8.5);
    if (!first || x - half < free_from) continue;
    free_from = x + half + 5;
    program += label_at(numbers.label, upright.name, x, frame.top + 9, "center", 8.5, "#6b7280");
  }
  return program;
}

std::string y_axis(const Panel& panel, const Frame& frame, const Layout& layout, Numbers& numbers) {
  std::string program;
  if (panel.y.scale == Axis::Scale::named) {
    program += "unset logscale y\nunset ytics\n";
    for (std::size_t i = 0; i < layout.names.size(); ++i) {
      const auto& lines = layout.names[i];
      double y = frame.py(static_cast<double>(i) + 1) + 0.5 * 17 * static_cast<double>(lines.size() - 1);
      for (const std::string& line : lines) {
        program += label_at(numbers.label, line, frame.left - 10, y, "right", label_points, "#1f2937");
        y -= 17;
      }
    }
    return program;
  }
  program += frame.log_y ? "set logscale y\nset format y '%.6g'\nset mytics 10\n"
                         : "unset logscale y\nset format y '%g'\nset mytics 2\n";
  if (panel.y.ticks.empty()) {
    // A low panel has room for few.
    const double step = frame.top - frame.bottom < 160 && !frame.log_y ? 0.5 * (frame.y_to - frame.y_from) : 0;
    program += step > 0 ? fmt::format("set ytics {:.1g} nomirror out scale 0.8,0.4\n", step)
                        : std::string("set ytics auto nomirror out scale 0.8,0.4\n");
  } else {
    std::string ticks;
    for (const double tick : panel.y.ticks) ticks += fmt::format("{}{:g}", ticks.empty() ? "" : ", ", tick);
    program += "set ytics (" + ticks + ") nomirror out scale 0.8,0.4\n";
  }
  const double points = fitting_size(panel.y.label, 12, frame.top - frame.bottom + 24, 2);
  double x = 22;
  for (const std::string& line : wrapped_text(panel.y.label, points, frame.top - frame.bottom + 24)) {
    program +=
        label_at(numbers.label, line, x, 0.5 * (frame.bottom + frame.top), "center rotate by 90", points, "#1f2937");
    x += 16;
  }
  return program;
}

std::string x_axis(const Axis& axis, const Frame& frame, bool last, Numbers& numbers) {
  std::string program = axis.scale == Axis::Scale::logarithmic ? "set logscale x\n" : "unset logscale x\n";
  if (axis.scale == Axis::Scale::logarithmic) {
    program +=
        fmt::format("set xtics ({}) nomirror out scale 0.8,0.4\n", frequency_ticks(frame.x_from, frame.x_to, last));
  } else if (axis.scale == Axis::Scale::linear) {
    program +=
        fmt::format("set xtics auto nomirror out scale 0.8,0.4\nset mxtics 2\nset format x '{}'\n", last ? "%g" : "");
  } else {
    program += "unset xtics\n";
    for (std::size_t i = 0; last && i < axis.names.size(); ++i)
      program += label_at(numbers.label, axis.names[i], frame.px(static_cast<double>(i) + 1), frame.bottom - 8,
                          "right rotate by 90", label_points, "#1f2937");
  }
  if (last)
    program += label_at(numbers.label, axis.label, 0.5 * (frame.left + frame.right), 18, "center", 12, "#1f2937");
  return program;
}

std::string fixed_texts(const Panel& panel, const Frame& frame, Numbers& numbers) {
  std::string program;
  for (const FixedText& text : panel.texts) {
    const double x = frame.px(text.x), y = frame.py(text.y);
    const bool left = text.side == FixedText::Side::left, above = text.side == FixedText::Side::above;
    program += label_at(numbers.label, text.text,
                        above  ? x
                        : left ? x - 6
                               : x + 6,
                        above ? y + 12 : y,
                        above  ? "center"
                        : left ? "right"
                               : "left",
                        label_points, "#1f2937");
  }
  return program;
}

bool has_points(const Series& series, const Frame& frame) {
  if (series.style == Series::Style::bars) return !series.bars.empty();
  for (std::size_t i = 0; i < series.x.size(); ++i)
    if (drawable(series, frame, i)) return true;
  return false;
}

std::string panel_program(const Chart& chart, Panel panel, const Layout& layout, Frame frame, bool first, bool last,
                          Numbers& numbers) {
  const auto is_drawn = [&](const Series& series) { return has_points(series, frame); };
  if (frame.log_y && std::none_of(panel.series.begin(), panel.series.end(), is_drawn)) {  // all of it is zero
    panel.y.scale = Axis::Scale::linear;
    frame.log_y = false;
  }
  fit_range(panel, frame);
  std::string program, plots;
  for (std::size_t i = 0; i < panel.series.size(); ++i) {
    if (!is_drawn(panel.series[i])) continue;
    program += data_block(panel.series[i], frame, numbers.data);
    plots += (plots.empty() ? "plot " : ", \\\n  ") + plot_clause(panel.series, i, numbers.data++);
  }
  for (const PeakLabel& peak : panel.peaks) {
    if (!peak.circle) continue;
    program += fmt::format("$d{} << EOD\n{:.8g} {:.6g}\nEOD\n", numbers.data, peak.x, peak.y);
    plots += plots.empty() ? "plot " : ", \\\n  ";
    plots += fmt::format("$d{} using 1:2 with points pt 6 ps 1.1 lw 2 lc rgb '{}' notitle", numbers.data++,
                         colour_name(panel.series, peak.series));
  }
  program += fmt::format(
      "set lmargin at screen {:.5f}\nset rmargin at screen {:.5f}\nset bmargin at screen {:.5f}\nset tmargin at screen "
      "{:.5f}\n",
      across(frame.left), across(frame.right), up(frame.bottom), up(frame.top));
  // Ranges after the scales: on a scale left from the panel before, they would be impossible.
  program += y_axis(panel, frame, layout, numbers) + x_axis(chart.x, frame, last, numbers) +
             fmt::format("set xrange [{:.10g}:{:.10g}]\nset yrange [{:.10g}:{:.10g}]\nunset key\n", frame.x_from,
                         frame.x_to, frame.y_from, frame.y_to) +
             uprights(chart, first, frame, numbers) + legend(chart, panel, first, frame, numbers) +
             fixed_texts(panel, frame, numbers) + peak_labels(panel, frame, numbers.label);
  if (plots.empty()) plots = "plot NaN notitle";  // no number at all: the axes alone
  return program + plots + "\nunset label\nunset arrow\nunset object\n";
}

}  // namespace

std::vector<int> input_dashes(const std::vector<Series>& all, std::size_t index) {
  static const std::array<std::vector<int>, 4> dashes{{{10, 6}, {3, 4}, {14, 4, 3, 4}, {6, 3, 1, 3}}};
  const auto before = std::count_if(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(index),
                                    [](const Series& each) { return each.style == Series::Style::input; });
  return dashes[static_cast<std::size_t>(before) % dashes.size()];
}

std::string chart_program(const Chart& chart) {
  const Layout layout = layout_of(chart);
  Numbers numbers;
  std::string program =
      "reset\nset encoding utf8\nset border 3 lc rgb '#6b7280' lw 1\nset tics textcolor rgb '#1f2937'\n"
      "set style line 101 lc rgb '#d5d9e0' lw 1\nset style line 102 lc rgb '#eceff3' lw 0.7\nset grid xtics ytics "
      "mxtics mytics back ls 101, ls 102\nset style textbox opaque noborder fc rgb '#ffffff' margins 0.3,0.3\n"
      "set multiplot\n";
  double y = 772;
  for (const std::string& line : layout.title) {
    program += label_at(numbers.label, line, 102, y, "left", layout.title_points, "#1f2937");
    y -= 25;
  }
  y -= 5;
  for (const std::string& line : layout.subtitle) {
    program += label_at(numbers.label, line, 102, y, "left", layout.subtitle_points, "#6b7280");
    y -= 17;
  }
  constexpr double gap = 32;
  double total = 0;
  for (const Panel& panel : chart.panels) total += panel.share;
  const double usable = layout.top - layout.bottom - gap * static_cast<double>(chart.panels.size() - 1);
  const bool named = chart.x.scale == Axis::Scale::named;
  const double x_from = named ? 0.4 : chart.x.from,
               x_to = named ? static_cast<double>(chart.x.names.size()) + 0.6 : chart.x.to;
  double from_top = layout.top;
  for (std::size_t i = 0; i < chart.panels.size(); ++i) {
    const Panel& panel = chart.panels[i];
    const double tall = usable * panel.share / total;
    const Frame frame{
        chart.x,      x_from,          x_to,    0, 0, panel.y.scale == Axis::Scale::logarithmic, layout.left,
        layout.right, from_top - tall, from_top};
    program += panel_program(chart, panel, layout, frame, i == 0, i + 1 == chart.panels.size(), numbers);
    from_top -= tall + gap;
  }
  return program + "unset multiplot\n";
}

void draw_charts(std::span<const ChartFiles> charts) {
  if (charts.empty()) return;
  need_typeface();
  struct Output {
    const char *ending, *terminal, *last_bytes;
  };
  // One size of text in both: the one counts points of 4/3 pixels, the other pixels.
  constexpr Output outputs[] = {
      {".svg", "svg size 1280,800 fontscale 1.33333 font 'DejaVu Sans,12' background '#ffffff' name 'avrenk'",
       "</svg>"},
      {".png", "pngcairo size 1280,800 font 'DejaVu Sans,12' background '#ffffff'", "IEND"}};
  const auto partial = [](const ChartFiles& files, const Output& output) {
    return std::filesystem::path(files.base.string() + output.ending + ".partial");
  };
  std::string whole;
  for (const ChartFiles& files : charts) {
    const std::string program = chart_program(*files.chart);
    for (const Output& output : outputs)
      whole += fmt::format("set terminal {}\nset output {}\n{}set output\n", output.terminal,
                           gnuplot_text(partial(files, output).string()), program);
  }
  const std::string complaint = run_gnuplot(whole, charts.front().base.string() + ".partial");
  for (const ChartFiles& files : charts)
    for (const Output& output : outputs)
      if (!complaint.empty() || !ends_with(partial(files, output), output.last_bytes))
        throw FileError(fmt::format("{}{}: gnuplot wrote no whole figure{}{}", files.base.string(), output.ending,
                                    complaint.empty() ? "" : ": ", complaint));
  for (const ChartFiles& files : charts)
    for (const Output& output : outputs)
      std::filesystem::rename(partial(files, output), files.base.string() + output.ending);
}

void draw_chart(const Chart& chart, const std::filesystem::path& base) {
  draw_charts(std::array{ChartFiles{&chart, base}});
}

std::vector<double> in_unit(const std::vector<double>& values, const DisplayUnit& unit) {
  std::vector<double> scaled;
  scaled.reserve(values.size());
  for (const double value : values) scaled.push_back(unit.from_si(value));
  return scaled;
}

}  // namespace avrenk
