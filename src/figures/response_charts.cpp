#include "figures/response_charts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "files/table.h"

namespace avrenk {
namespace {

constexpr double degrees = 180 / pi;
constexpr std::size_t most_series = 6;  // colours that can be told apart

const Kind& input_kind(bool angular) { return angular ? kind::angular_acceleration : kind::acceleration; }

std::vector<double> in_unit(const std::vector<double>& values, const DisplayUnit& unit) {
  std::vector<double> scaled;
  scaled.reserve(values.size());
  for (const double value : values) scaled.push_back(unit.from_si(value));
  return scaled;
}

Series flat_line(double level, const Chart& chart, const std::string& label) {
  return {label, {chart.x_from, chart.x_to}, {level, level}, Series::Style::limit};
}

// Phase in degrees with the line broken where it wraps.
Series phase_series(const std::vector<double>& grid, const Eigen::MatrixXcd& curve) {
  Series series;
  for (std::size_t k = 0; k < grid.size(); ++k) {
    const double phase = degrees * phase_of_largest(curve.col(static_cast<Eigen::Index>(k)));
    if (!series.y.empty() && std::abs(phase - series.y.back()) > 180) {
      series.x.push_back(grid[k]);
      series.y.push_back(std::nan(""));
    }
    series.x.push_back(grid[k]);
    series.y.push_back(phase);
  }
  return series;
}

struct Group {
  const WatchedQuantity* quantity;
  std::vector<std::size_t> members;  // indices into watched
};

// Motions by quantity, each the component along the excited axis.
std::vector<Group> motion_groups(const Outcome& outcome, const std::vector<Watched>& watched) {
  const std::string component(1, "xyz"[outcome.axis % 3]);
  std::vector<Group> groups;
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (watched[i].quantity->subject != Subject::node || watched[i].component != component) continue;
    if (outcome.sine.empty() && watched[i].quantity->per_input) continue;
    auto found =
        std::find_if(groups.begin(), groups.end(), [&](const Group& g) { return g.quantity == watched[i].quantity; });
    if (found == groups.end()) found = groups.insert(found, Group{watched[i].quantity, {}});
    if (found->members.size() < most_series) found->members.push_back(i);
  }
  return groups;
}

std::string legend_label(const Watched& watched) { return fmt::format("{}, {}", watched.entry, watched.component); }

void add_limits(Panel& panel, const Group& group, const Outcome& outcome, const std::vector<Watched>& watched,
                const std::vector<Limit>& limits, const DisplayUnit& unit, const Chart& chart) {
  for (const Limit& limit : limits) {
    const bool here = std::any_of(limit.environments.begin(), limit.environments.end(), [&](const std::string& name) {
      return name == outcome.environment->name || name == outcome.name();
    });
    const bool shown = std::any_of(group.members.begin(), group.members.end(), [&](std::size_t i) {
      return limit.of == watched[i].name ||
             limit.of == fmt::format("{}.{}", watched[i].entry, watched[i].quantity->keyword);
    });
    if (!here || !shown || limit.take.form != Take::Form::peak) continue;
    const double level = unit.from_si(limit.allowable / limit.factor);  // the response itself may reach this
    panel.series.push_back(
        flat_line(level, chart, fmt::format("limit {}: {} {}", limit.name, format_number(level, 4), unit.text)));
  }
}

Chart empty_chart(const Outcome& outcome, const WatchedQuantity& quantity, const std::string& what,
                  const std::string& heading, const Show& show) {
  const Environment& environment = *outcome.environment;
  Chart chart;
  std::string description(quantity.description);
  description[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(description[0])));
  chart.title = fmt::format("{}{}: {}, base excited along {}", description, what, environment.name,
                            axis_names[static_cast<std::size_t>(outcome.axis)]);
  chart.subtitle = fmt::format("profile {}, {}; {}; {} frequencies", environment.profile, environment.level, heading,
                               outcome.grid.size());
  chart.x_label = fmt::format("Frequency ({})", show.unit(kind::frequency).text);
  chart.x_from = show.unit(kind::frequency).from_si(outcome.grid.front());
  chart.x_to = show.unit(kind::frequency).from_si(outcome.grid.back());
  return chart;
}

Chart sine_chart(const Outcome& outcome, const Group& group, const std::vector<Watched>& watched,
                 const std::vector<Limit>& limits, const std::string& heading, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), unit = show.unit(*group.quantity->kind);
  Chart chart = empty_chart(outcome, *group.quantity, "", heading, show);
  const std::vector<double> grid = in_unit(outcome.grid, frequency);
  Panel magnitude{fmt::format("Amplitude, 0 to peak ({})", unit.text), true, 0, 0, {}, 2.1, true, {}, {}};
  Panel phase{"Phase (°)", false, -180, 180, {-180, -90, 0, 90, 180}, 1, false, {}, {}};
  for (std::size_t s = 0; s < group.members.size(); ++s) {
    const std::size_t i = group.members[s];
    const SineRow& row = outcome.sine[i];
    Series series{legend_label(watched[i]), grid, {}, Series::Style::line};
    for (Eigen::Index k = 0; k < row.curve.cols(); ++k)
      series.y.push_back(unit.from_si(largest_over_phase(row.curve.col(k))));
    magnitude.series.push_back(std::move(series));
    Series lag = phase_series(outcome.grid, row.curve);
    lag.x = in_unit(lag.x, frequency);
    phase.series.push_back(std::move(lag));
    const double peak = unit.from_si(row.peak.value), at = frequency.from_si(row.peak.frequency);
    magnitude.peaks.push_back(
        {s, at, peak,
         fmt::format("{} {} @ {} {}", format_number(peak, 3), unit.text, format_number(at, 4), frequency.text)});
  }
  if (group.quantity->kind == &input_kind(outcome.environment->angular)) {
    Series input{"input", grid, {}, Series::Style::input};
    for (const double f : outcome.grid) input.y.push_back(unit.from_si(outcome.environment->input.at(f)));
    magnitude.series.push_back(std::move(input));
  }
  add_limits(magnitude, group, outcome, watched, limits, unit, chart);
  chart.panels = {std::move(magnitude), std::move(phase)};
  return chart;
}

Chart random_chart(const Outcome& outcome, const Group& group, const std::vector<Watched>& watched,
                   const std::string& heading, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), plain = show.unit(*group.quantity->kind),
                    unit = psd_unit(plain);
  Chart chart = empty_chart(outcome, *group.quantity, " PSD", heading, show);
  const std::vector<double> grid = in_unit(outcome.grid, frequency);
  Panel panel{fmt::format("PSD ({})", unit.text), true, 0, 0, {}, 1, true, {}, {}};
  for (const std::size_t i : group.members) {
    const RandomRow& row = outcome.random[i];
    panel.series.push_back(
        {fmt::format("{}: {} {} RMS", legend_label(watched[i]), format_number(plain.from_si(row.rms), 3), plain.text),
         grid, in_unit(row.psd, unit), Series::Style::line});
  }
  if (group.quantity->kind == &input_kind(outcome.environment->angular)) {
    Series input{fmt::format("input: {} {} RMS",
                             format_number(plain.from_si(std::sqrt(outcome.environment->input.area())), 3), plain.text),
                 grid,
                 {},
                 Series::Style::input};
    for (const double f : outcome.grid) input.y.push_back(unit.from_si(outcome.environment->input.at(f)));
    panel.series.push_back(std::move(input));
  }
  chart.panels = {std::move(panel)};
  return chart;
}

}  // namespace

std::vector<NamedChart> response_charts(const Outcome& outcome, const std::vector<Watched>& watched,
                                        const std::vector<Limit>& limits, const std::string& heading,
                                        const Show& show) {
  std::vector<NamedChart> charts;
  if (outcome.grid.empty()) return charts;  // steady, or axes combined
  for (const Group& group : motion_groups(outcome, watched)) {
    std::string name = fmt::format("{}.{}", outcome.name(), group.quantity->keyword);
    std::replace(name.begin(), name.end(), ' ', '-');
    charts.push_back({name, outcome.sine.empty() ? random_chart(outcome, group, watched, heading, show)
                                                 : sine_chart(outcome, group, watched, limits, heading, show)});
  }
  return charts;
}

Chart profile_chart(const std::string& name, const LogLogTable& input, bool random, bool angular,
                    const std::string& heading, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), plain = show.unit(input_kind(angular)),
                    unit = random ? psd_unit(plain) : plain;
  Chart chart;
  chart.title = fmt::format("Profile {}", name);
  chart.subtitle = heading;
  chart.x_label = fmt::format("Frequency ({})", frequency.text);
  chart.x_from = frequency.from_si(input.from());
  chart.x_to = frequency.from_si(input.to());
  Panel panel{random ? fmt::format("Acceleration PSD of the base ({})", unit.text)
                     : fmt::format("Acceleration of the base, 0 to peak ({})", unit.text),
              true,
              0,
              0,
              {},
              1,
              true,
              {},
              {}};
  Series series{name, {}, {}, Series::Style::line};
  for (const PowerLaw& stretch : input.stretches()) {
    series.x.insert(series.x.end(), {frequency.from_si(stretch.f1), frequency.from_si(stretch.f2)});
    series.y.insert(series.y.end(), {unit.from_si(stretch.v1), unit.from_si(stretch.v2)});
  }
  panel.series.push_back(std::move(series));
  chart.panels = {std::move(panel)};
  return chart;
}

}  // namespace avrenk
