#include "figures/chart.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <fstream>
#include <future>
#include <iterator>
#include <optional>

#include "core/error.h"

extern char** environ;

namespace avrenk {
namespace {

// 1280 x 800 with room for a legend on the right; colours are told apart with every kind of colour blindness
// (Okabe & Ito, 2008).
constexpr double width = 1280, height = 800, left = 0.08, right = 0.735, top = 0.90, bottom = 0.095, gap = 0.04;
constexpr const char* colours[] = {"#0072B2", "#D55E00", "#009E73", "#CC79A7", "#E69F00", "#56B4E9"};
constexpr double widest_detour = 0.12;  // px: points nearer to the chord than this are not seen

std::string quoted(const std::string& text) {
  std::string safe = "'";
  for (const char c : text) {
    if (c == '\'') safe += '\'';
    safe += c == '\n' ? ' ' : c;
  }
  return safe + "'";
}

struct Frame {
  double x_from, x_to, y_from, y_to;
  bool log_y;
  double pixel_bottom, pixel_top;  // from below
  [[nodiscard]] double px(double x) const {
    return width * (left + (right - left) * std::log(x / x_from) / std::log(x_to / x_from));
  }
  [[nodiscard]] double py(double y) const {
    const double part = log_y ? std::log(y / y_from) / std::log(y_to / y_from) : (y - y_from) / (y_to - y_from);
    return pixel_bottom + part * (pixel_top - pixel_bottom);
  }
};

void fit_range(const Panel& panel, Frame& frame) {
  frame.y_from = panel.y_from;
  frame.y_to = panel.y_to;
  if (frame.y_from < frame.y_to) return;
  double lowest = HUGE_VAL, highest = -HUGE_VAL;
  for (const Series& series : panel.series) {
    for (const double y : series.y) {
      if (!std::isfinite(y) || (panel.log_y && y <= 0)) continue;
      lowest = std::min(lowest, y);
      highest = std::max(highest, y);
    }
  }
  if (!(lowest <= highest)) lowest = highest = 1;
  if (panel.log_y) {
    frame.y_to = std::pow(10, std::ceil(std::log10(highest * 1.5)));
    frame.y_from = std::max(std::pow(10, std::floor(std::log10(lowest))), frame.y_to * 1e-5);
  } else {
    const double room = 0.08 * std::max(highest - lowest, 1e-12 * std::abs(highest));
    frame.y_from = lowest - room;
    frame.y_to = highest + room;
  }
}

// Greedy thinning: a point is dropped while all dropped ones stay within the detour of the chord.
std::vector<std::size_t> visible_points(const Series& series, const Frame& frame) {
  std::vector<std::size_t> kept;
  const std::size_t n = series.x.size();
  const auto good = [&](std::size_t i) { return std::isfinite(series.y[i]) && !(frame.log_y && series.y[i] <= 0); };
  std::size_t anchor = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (kept.empty() || !good(i) || !good(i - 1)) {
      kept.push_back(i);
      anchor = i;
      continue;
    }
    if (i + 1 < n && good(i + 1)) {
      const double x0 = frame.px(series.x[anchor]), y0 = frame.py(series.y[anchor]);
      const double dx = frame.px(series.x[i + 1]) - x0, dy = frame.py(series.y[i + 1]) - y0,
                   length = std::hypot(dx, dy);
      bool straight = i - anchor < 200;
      for (std::size_t k = anchor + 1; straight && k <= i; ++k)
        straight =
            std::abs((frame.px(series.x[k]) - x0) * dy - (frame.py(series.y[k]) - y0) * dx) <= widest_detour * length;
      if (straight) continue;
    }
    kept.push_back(i);
    anchor = i;
  }
  return kept;
}

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

struct Box {
  double x0, y0, x1, y1;
  [[nodiscard]] bool meets(const Box& o) const { return x0 < o.x1 && o.x0 < x1 && y0 < o.y1 && o.y0 < y1; }
};

// Texts stand above their points; one that would cover another, a circle or the frame's edge is moved up in steps.
std::string peak_labels(const Panel& panel, const Frame& frame, int& next_label) {
  std::string program;
  std::vector<Box> taken;
  for (const PeakLabel& peak : panel.peaks) {
    const double x = frame.px(peak.x), y = frame.py(peak.y);
    taken.push_back({x - 6, y - 6, x + 6, y + 6});
  }
  for (const Series& series : panel.series)
    if (series.style == Series::Style::limit)
      taken.push_back({0, frame.py(series.y.front()) - 2, width, frame.py(series.y.front()) + 2});
  for (const PeakLabel& peak : panel.peaks) {
    const double x = frame.px(peak.x), y = frame.py(peak.y), half = 3.9 * static_cast<double>(peak.text.size()) + 4;
    const double centre = std::clamp(x, width * left + half, width * right - half);
    double above = y + 16;
    const auto box = [&] { return Box{centre - half, above - 9, centre + half, above + 9}; };
    int tries = 0;
    while (tries++ < 24 &&
           std::any_of(taken.begin(), taken.end(), [&](const Box& other) { return box().meets(other); }))
      above += 10;
    if (above > frame.pixel_top - 4) above = frame.pixel_top - 4;
    taken.push_back(box());
    const char* colour = colours[peak.series % std::size(colours)];
    program += fmt::format("set label {} {} at screen {:.5f},{:.5f} center front noenhanced tc rgb '{}' font ',11'\n",
                           next_label++, quoted(peak.text), centre / width, above / height, colour);
    if (above - y > 22)
      program += fmt::format(
          "set arrow {} from screen {:.5f},{:.5f} to screen {:.5f},{:.5f} nohead lw 0.8 lc rgb '#4b5563' front\n",
          next_label++, x / width, (y + 5) / height, x / width, (above - 8) / height);
  }
  return program;
}

std::string data_block(const Series& series, const Frame& frame, int index) {
  std::string text = fmt::format("$d{} << EOD\n", index);
  for (const std::size_t i : visible_points(series, frame)) {
    if (std::isfinite(series.y[i]) && !(frame.log_y && series.y[i] <= 0))
      text += fmt::format("{:.8g} {:.6g}\n", series.x[i], series.y[i]);
    else
      text += "\n";
  }
  return text + "EOD\n";
}

std::string line_style(const Series& series, std::size_t& colour) {
  if (series.style == Series::Style::input) return "lc rgb '#4b5563' lw 1.6 dt (10,6)";
  if (series.style == Series::Style::limit) return "lc rgb '#b91c1c' lw 1.8 dt (22,8)";
  return fmt::format("lc rgb '{}' lw 2.2", colours[colour++ % std::size(colours)]);
}

std::string panel_program(const Chart& chart, const Panel& panel, Frame frame, bool last, int& next_data,
                          int& next_label) {
  fit_range(panel, frame);
  std::string data, plots;
  std::size_t colour = 0;
  for (const Series& series : panel.series) {
    data += data_block(series, frame, next_data);
    plots += fmt::format("{}$d{} using 1:2 with lines {} {}", plots.empty() ? "plot " : ", \\\n  ", next_data,
                         line_style(series, colour),
                         panel.legend && !series.label.empty() ? "title " + quoted(series.label) : "notitle");
    ++next_data;
  }
  for (const PeakLabel& peak : panel.peaks) {
    data += fmt::format("$d{} << EOD\n{:.8g} {:.6g}\nEOD\n", next_data, peak.x, peak.y);
    plots += fmt::format(", \\\n  $d{} using 1:2 with points pt 6 ps 1.1 lw 2 lc rgb '{}' notitle", next_data++,
                         colours[peak.series % std::size(colours)]);
  }
  std::string program = data;
  program += fmt::format(
      "set lmargin at screen {}\nset rmargin at screen {}\nset bmargin at screen {:.5f}\nset tmargin at screen "
      "{:.5f}\n",
      left, right, frame.pixel_bottom / height, frame.pixel_top / height);
  program += panel.log_y ? "set logscale y\nset format y '%.6g'\nset mytics 10\n"
                         : "unset logscale y\nset format y '%g'\nset mytics 2\n";
  program += fmt::format("set xrange [{:.10g}:{:.10g}]\nset yrange [{:.10g}:{:.10g}]\n", chart.x_from, chart.x_to,
                         frame.y_from, frame.y_to);
  if (panel.y_ticks.empty()) {
    program += "set ytics auto nomirror out scale 0.8,0.4\n";
  } else {
    std::string ticks;
    for (const double tick : panel.y_ticks) ticks += fmt::format("{}{:g}", ticks.empty() ? "" : ", ", tick);
    program += "set ytics (" + ticks + ") nomirror out scale 0.8,0.4\n";
  }
  program += fmt::format("set label {} {} at screen 0.017,{:.5f} center rotate by 90 noenhanced font ',12'\n",
                         next_label++, quoted(panel.y_label), 0.5 * (frame.pixel_bottom + frame.pixel_top) / height);
  program += last ? "set xlabel " + quoted(chart.x_label) + " noenhanced\n" : std::string("unset xlabel\n");
  program +=
      fmt::format("set xtics ({}) nomirror out scale 0.8,0.4\n", frequency_ticks(chart.x_from, chart.x_to, last));
  program += panel.legend ? fmt::format(
                                "set key at screen {:.5f},{:.5f} left top Left reverse noenhanced samplen 2.2 spacing "
                                "1.25 font ',11'\n",
                                right + 0.035, frame.pixel_top / height)
                          : std::string("unset key\n");
  program += peak_labels(panel, frame, next_label);
  return program + plots + "\nunset label\nunset arrow\n";
}

// Runs gnuplot with the program on its standard input; its standard error as text.
std::string run_gnuplot(const std::string& program, const std::filesystem::path& work) {
  const std::filesystem::path script = work.string() + ".gp", complaints = work.string() + ".err";
  {
    std::ofstream stream(script, std::ios::binary);
    stream << program;
    if (!stream.flush()) throw FileError(fmt::format("{}: cannot be written", script.string()));
  }
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addopen(&actions, 0, script.c_str(), O_RDONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 2, complaints.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644);
  std::vector<std::string> environment{"LC_ALL=C.UTF-8", "GNUTERM=dumb"};
  for (char** entry = environ; *entry; ++entry)
    if (const std::string text = *entry; text.starts_with("PATH=") || text.starts_with("HOME=") ||
                                         text.starts_with("XDG_") || text.starts_with("FONTCONFIG"))
      environment.push_back(text);
  std::vector<char*> pointers;
  pointers.reserve(environment.size() + 1);
  for (std::string& text : environment) pointers.push_back(text.data());
  pointers.push_back(nullptr);
  std::string name = "gnuplot";
  char* const arguments[] = {name.data(), nullptr};
  pid_t child = 0;
  const int failed = posix_spawnp(&child, "gnuplot", &actions, nullptr, arguments, pointers.data());
  posix_spawn_file_actions_destroy(&actions);
  int status = 0;
  if (failed == 0) waitpid(child, &status, 0);
  std::ifstream stream(complaints);
  std::string text{std::istreambuf_iterator<char>(stream), {}};
  std::error_code ignored;
  std::filesystem::remove(script, ignored);
  std::filesystem::remove(complaints, ignored);
  if (failed != 0) throw FileError("figures need gnuplot, which is not installed; install it, or use --no-figures");
  if (!WIFEXITED(status) || WEXITSTATUS(status) != 0) throw FileError("gnuplot failed: " + text);
  return text;
}

bool ends_with(const std::filesystem::path& file, const std::string& ending) {
  std::ifstream stream(file, std::ios::binary);
  const std::string text{std::istreambuf_iterator<char>(stream), {}};
  return text.size() > 1000 &&
         text.find(ending, text.size() - std::min<std::size_t>(text.size(), 16)) != std::string::npos;
}

}  // namespace

std::string chart_program(const Chart& chart) {
  std::string program =
      "reset\nset encoding utf8\nset border 3 lc rgb '#6b7280' lw 1\nset tics textcolor rgb '#1f2937'\nset logscale "
      "x\n";
  program +=
      "set style line 101 lc rgb '#d5d9e0' lw 1\nset style line 102 lc rgb '#eceff3' lw 0.7\nset grid xtics ytics "
      "mxtics mytics back ls 101, ls 102\n";
  program += "set multiplot\n";
  program += fmt::format("set label 1 {} at screen {},0.965 left noenhanced font ',16' tc rgb '#1f2937'\n",
                         quoted(chart.title), left);
  program += fmt::format("set label 2 {} at screen {},0.927 left noenhanced font ',11' tc rgb '#6b7280'\n",
                         quoted(chart.subtitle), left);
  double total = 0;
  for (const Panel& panel : chart.panels) total += panel.share;
  const double usable = top - bottom - gap * static_cast<double>(chart.panels.size() - 1);
  double from_top = top;
  int next_data = 0, next_label = 10;
  for (std::size_t i = 0; i < chart.panels.size(); ++i) {
    const double tall = usable * chart.panels[i].share / total;
    const Frame frame{chart.x_from,     chart.x_to, 0, 0, chart.panels[i].log_y, height * (from_top - tall),
                      height * from_top};
    program += panel_program(chart, chart.panels[i], frame, i + 1 == chart.panels.size(), next_data, next_label);
    from_top -= tall + gap;
  }
  return program + "unset multiplot\n";
}

void draw_chart(const Chart& chart, const std::filesystem::path& base) {
  const std::string program = chart_program(chart);
  struct Output {
    const char *ending, *terminal, *last_bytes;
  };
  for (const Output& output :
       {Output{".svg", "svg size 1280,800 font 'DejaVu Sans,12' background '#ffffff' name 'avrenk'", "</svg>"},
        Output{".png", "pngcairo size 1280,800 font 'DejaVu Sans,12' background '#ffffff'", "IEND"}}) {
    const std::filesystem::path target = base.string() + output.ending, partial = target.string() + ".partial";
    const std::string complaint = run_gnuplot(fmt::format("set terminal {}\nset output {}\n{}set output\n",
                                                          output.terminal, quoted(partial.string()), program),
                                              partial);
    if (!complaint.empty() || !ends_with(partial, output.last_bytes))
      throw FileError(fmt::format("{}: gnuplot wrote no whole figure{}{}", target.string(),
                                  complaint.empty() ? "" : ": ", complaint));
    std::filesystem::rename(partial, target);
  }
}

void draw_charts(const std::vector<std::pair<std::filesystem::path, Chart>>& charts) {
  std::atomic<std::size_t> next{0};
  const auto work = [&] {
    for (std::size_t i = next++; i < charts.size(); i = next++) draw_chart(charts[i].second, charts[i].first);
  };
  std::future<void> second = std::async(std::launch::async, work);
  work();
  second.get();
}

}  // namespace avrenk
