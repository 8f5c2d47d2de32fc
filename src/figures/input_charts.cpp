#include "figures/input_charts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "files/table.h"

namespace avrenk {
namespace {

std::string profile_axis(const ProfileSource& source, const DisplayUnit& unit) {
  const bool base = source.kind == &kind::acceleration || source.kind == &kind::angular_acceleration;
  return !source.random ? fmt::format("Acceleration of the base, 0 to peak ({})", unit.text)
         : base         ? fmt::format("Acceleration PSD of the base ({})", unit.text)
                        : fmt::format("PSD of {} ({})", source.kind->name, unit.text);
}

// Its corners, in the units shown.
Series line_through(const LogLogTable& table, const std::string& label, const DisplayUnit& frequency,
                    const DisplayUnit& unit) {
  Series line{label, {}, {}};
  for (const PowerLaw& stretch : table.stretches())
    for (const auto& [f, v] : {std::pair{stretch.f1, stretch.v1}, {stretch.f2, stretch.v2}}) {
      line.x.push_back(frequency.from_si(f));
      line.y.push_back(unit.from_si(v));
    }
  return line;
}

}  // namespace

NamedChart profile_chart(const ProfileSource& source, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), plain = show.unit(*source.kind),
                    unit = source.random ? psd_unit(plain) : plain;
  NamedChart named{"profile." + source.name, {}, source.heading};
  Chart& chart = named.chart;
  chart.title = fmt::format("Profile {}", source.name);
  chart.subtitle = source.heading;
  chart.x = {fmt::format("Frequency ({})", frequency.text), Axis::Scale::logarithmic,
             frequency.from_si(source.input.from()), frequency.from_si(source.input.to())};
  Panel panel{{profile_axis(source, unit)}};
  Series line = line_through(source.input, "level 0 dB", frequency, unit);
  Series band{fmt::format("tolerance {}", source.tolerance), line.x, {}, Series::Style::band, {}, {}, 0};
  for (const double level : line.y) {
    band.y.push_back(level * source.lower);
    band.y2.push_back(level * source.upper);
  }
  const double whole = source.input.area();
  constexpr std::size_t most_labelled = 30;  // a measured profile has too many stretches to name each
  for (const PowerLaw& stretch : source.input.stretches()) {
    if (source.input.stretches().size() > most_labelled) break;
    const double slope = slope_in_decibels(stretch, source.random ? 10 : 20);
    const double middle = std::sqrt(stretch.f1 * stretch.f2);
    std::string text = std::abs(slope) < 0.005 ? std::string("flat") : fmt::format("{:+.3g} dB/oct", slope);
    if (source.random)
      text += fmt::format(", {} {}² ({:.0f} %)", format_number(plain.from_si(plain.from_si(stretch.moment(0))), 3),
                          plain.text, 100 * stretch.moment(0) / whole);
    named.in_words += fmt::format("; {} to {} {}: {}", format_number(frequency.from_si(stretch.f1), 4),
                                  format_number(frequency.from_si(stretch.f2), 4), frequency.text, text);
    panel.peaks.push_back({0, frequency.from_si(middle), unit.from_si(stretch.at(middle)), text, false});
  }
  line.colour = 0;
  panel.series.push_back(std::move(line));
  if (source.upper > 1) panel.series.push_back(std::move(band));
  chart.panels = {std::move(panel)};
  return named;
}

NamedChart profiles_chart(const std::vector<ProfileSource>& sources, const Show& show) {
  const ProfileSource& first = sources.front();
  const DisplayUnit frequency = show.unit(kind::frequency), plain = show.unit(*first.kind),
                    unit = first.random ? psd_unit(plain) : plain;
  NamedChart named{"profiles", {}, ""};
  named.chart.title = fmt::format("{} profiles, level 0 dB", sources.size());
  double from = first.input.from(), to = first.input.to();
  for (const ProfileSource& source : sources) {
    from = std::min(from, source.input.from());
    to = std::max(to, source.input.to());
  }
  named.chart.x = {fmt::format("Frequency ({})", frequency.text), Axis::Scale::logarithmic, frequency.from_si(from),
                   frequency.from_si(to)};
  Panel panel{{profile_axis(first, unit)}};
  for (const ProfileSource& source : sources) {
    const std::string rms =
        source.random ? ": " + value_text(std::sqrt(source.input.area()), plain, 3) + " RMS" : std::string();
    panel.series.push_back(line_through(source.input, source.name + rms, frequency, unit));
    named.in_words += (named.in_words.empty() ? "" : "; ") + source.name + rms;
  }
  named.chart.panels = {std::move(panel)};
  return named;
}

NamedChart envelope_chart(const EnvelopeSource& source, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), plain = show.unit(source.kind),
                    unit = source.random ? psd_unit(plain) : plain;
  NamedChart named{source.name, {}, source.heading};
  Chart& chart = named.chart;
  chart.title = source.title;
  chart.subtitle = source.heading;
  chart.x = {fmt::format("Frequency ({})", frequency.text), Axis::Scale::logarithmic,
             frequency.from_si(source.grid.front()), frequency.from_si(source.grid.back())};
  Panel panel{
      {source.random ? fmt::format("PSD ({})", unit.text) : fmt::format("Amplitude, 0 to peak ({})", unit.text)}};
  const std::vector<double> grid(source.grid.begin(), source.grid.end());
  const auto rms = [&](double area) {
    return source.random ? ": " + value_text(std::sqrt(area), plain, 3) + " RMS" : "";
  };
  const double drawn_rms = curve_rms(source.grid, source.values);
  panel.series.push_back({"response" + rms(drawn_rms * drawn_rms), in_unit(grid, frequency),
                          in_unit({source.values.begin(), source.values.end()}, unit)});
  if (source.averaged)
    panel.series.push_back({"averaged over bands", in_unit(grid, frequency), in_unit(source.envelope.averaged, unit)});
  Series lines = line_through(source.envelope.table, "envelope" + rms(source.envelope.table.area()), frequency, unit);
  lines.style = Series::Style::limit;
  named.in_words += fmt::format("; {} straight lines from {} {} on", source.envelope.table.stretches().size(),
                                format_number(lines.y.front(), 3), unit.text);
  panel.series.push_back(std::move(lines));
  chart.panels = {std::move(panel)};
  return named;
}

NamedChart notch_chart(const NotchedInput& input, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), unit = input.unit(show);
  NamedChart named{input.applied->name() + ".input", {}, input.specified->heading()};
  Chart& chart = named.chart;
  chart.title = fmt::format("{}: input", input.applied->name());
  chart.subtitle = input.specified->heading();
  chart.x = {fmt::format("Frequency ({})", frequency.text), Axis::Scale::logarithmic,
             frequency.from_si(input.grid.front()), frequency.from_si(input.grid.back())};
  Panel panel{
      {fmt::format("{} ({})", input.specified->is_random() ? "PSD of the input" : "Input, 0 to peak", unit.text)}};
  Series full = line_through(input.full(), "specified", frequency, unit);
  full.style = Series::Style::input;
  panel.series.push_back(std::move(full));
  panel.series.push_back(
      {"highest that keeps all limits", in_unit(input.grid, frequency), in_unit(input.highest, unit)});
  Series lines = line_through(input.table, "applied", frequency, unit);
  lines.style = Series::Style::limit;
  panel.series.push_back(std::move(lines));
  for (const Notch& notch : input.notches)
    named.in_words += fmt::format("; {} dB at {} for {}", format_number(notch.depth, 2),
                                  value_text(notch.at, frequency, 4), notch.limits.front()->name);
  chart.panels = {std::move(panel)};
  return named;
}

NamedChart load_profile_chart(const LoadProfileSource& source, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), unit = show.unit(source.kind);
  const double from = source.amplitude.from(), to = source.amplitude.to();
  NamedChart named{"profile." + source.name, {}, source.heading};
  Chart& chart = named.chart;
  chart.title = fmt::format("Profile {}", source.name);
  chart.subtitle = source.heading;
  chart.x = {fmt::format("Frequency ({})", frequency.text), Axis::Scale::logarithmic, frequency.from_si(from),
             frequency.from_si(to)};
  std::vector<double> grid = source.amplitude.curve_points();
  constexpr int points = 200;
  for (int k = 0; k <= points; ++k) grid.push_back(from * std::pow(to / from, static_cast<double>(k) / points));
  grid = once_inside(std::move(grid), from, to);
  Series line{"level 0 dB", {}, {}}, lag{"phase", {}, {}};
  Series band{fmt::format("tolerance {}", source.tolerance), {}, {}, Series::Style::band, {}, {}, 0};
  bool zero = false, turns = false;
  for (const double f : grid) {
    const std::complex<double> amplitude = source.amplitude.at(f);
    const double level = unit.from_si(std::abs(amplitude));
    zero = zero || !(level > 0);
    turns = turns || std::abs(std::arg(amplitude)) > 1e-12;
    line.x.push_back(frequency.from_si(f));
    line.y.push_back(level);
    lag.x.push_back(line.x.back());
    lag.y.push_back(std::arg(amplitude) * 180 / pi);
    band.x.push_back(line.x.back());
    band.y.push_back(level * source.lower);
    band.y2.push_back(level * source.upper);
  }
  std::string what(source.kind.name.substr(source.kind.name.find(' ') + 1));
  what[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(what[0])));
  Panel panel{
      {fmt::format("{}, 0 to peak ({})", what, unit.text), zero ? Axis::Scale::linear : Axis::Scale::logarithmic}};
  named.in_words += fmt::format("; {} {} at {} {} to {} {} at {} {}", format_number(line.y.front(), 4), unit.text,
                                format_number(line.x.front(), 4), frequency.text, format_number(line.y.back(), 4),
                                unit.text, format_number(line.x.back(), 4), frequency.text);
  line.colour = 0;
  panel.series.push_back(std::move(line));
  if (source.upper > 1) panel.series.push_back(std::move(band));
  chart.panels = {std::move(panel)};
  if (turns) {
    Panel phase{{"Phase (°)", Axis::Scale::linear}, 1, false};
    phase.series.push_back(std::move(lag));
    chart.panels.push_back(std::move(phase));
  }
  return named;
}

}  // namespace avrenk
