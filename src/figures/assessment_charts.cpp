#include "figures/assessment_charts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>
#include <utility>

#include "files/table.h"

namespace avrenk {
namespace {

constexpr double half_bar = 0.32;
constexpr double widest_margin = 200;  // %: longer bars are cut, and their text says so
constexpr std::size_t most_modes = 40, most_rows = 24;

std::string percent(double value) { return fmt::format("{:+.1f} %", value); }

}  // namespace

NamedChart margin_chart(const std::vector<LimitResult>& limits, const Show& show) {
  NamedChart named{"margins", {}, ""};
  Chart& chart = named.chart;
  const std::size_t shown = std::min(limits.size(), most_rows);
  chart.title = "Margins against the limits, worst first";
  chart.subtitle =
      fmt::format("margin: allowable / (factors × value) − 1, or value / (factors × bound) − 1{}",
                  shown < limits.size() ? fmt::format("; the {} smallest of {} are shown", shown, limits.size()) : "");
  Panel panel{{"", Axis::Scale::named}};
  Series met{"met", {}, {}, Series::Style::bars, {}, {}, 0},
      exceeded{"exceeded", {}, {}, Series::Style::bars, {}, {}, 1},
      upper{"at the upper tolerance of the input", {}, {}, Series::Style::bars, {}, {}, palette_size};
  double least = 0, most = 0;
  for (std::size_t i = shown; i-- > 0;) {  // the axis counts from below
    const LimitResult& result = limits[i];
    const double y = static_cast<double>(shown - i), margin = 100 * result.margin,
                 end = std::clamp(margin, -100.0, widest_margin);
    panel.y.names.push_back(fmt::format("{}: {}", result.limit->name,
                                        result.kind == &kind::number ? format_number(result.value, 3)
                                                                     : value_text(result.value, result.unit(show), 3)));
    const double thick = std::isnan(result.upper_margin) ? half_bar : 0.22;
    (result.met ? met : exceeded).bars.push_back({std::min(0.0, end), std::max(0.0, end), y - thick, y + half_bar});
    if (!std::isnan(result.upper_margin)) {
      const double edge = std::clamp(100 * result.upper_margin, -100.0, widest_margin);
      upper.bars.push_back({std::min(0.0, edge), std::max(0.0, edge), y - half_bar, y - 0.24});
      least = std::min(least, edge);
    }
    panel.texts.push_back({end, y + 0.05, percent(margin) + (margin > widest_margin ? ", bar cut" : ""),
                           margin < 0 ? FixedText::Side::left : FixedText::Side::right});
    least = std::min(least, end);
    most = std::max(most, end);
  }
  for (std::size_t i = 0; i < shown; ++i)
    named.in_words += fmt::format("{}{} {}", i ? "; " : "", limits[i].limit->name, percent(100 * limits[i].margin));
  const double span = std::max(most - least, 10.0);
  chart.x = {"Margin (%)", Axis::Scale::linear, least - (least < 0 ? 0.14 : 0.02) * span, most + 0.3 * span};
  if (!exceeded.bars.empty()) panel.series.push_back(std::move(exceeded));
  if (!met.bars.empty()) panel.series.push_back(std::move(met));
  if (!upper.bars.empty()) panel.series.push_back(std::move(upper));
  chart.uprights.push_back({0, "0"});
  chart.panels = {std::move(panel)};
  return named;
}

NamedChart variant_chart(const std::vector<LimitResult>& limits, const std::vector<NamedMargins>& variants) {
  NamedChart named{"variants", {}, ""};
  Chart& chart = named.chart;
  std::vector<double> stated;
  stated.reserve(limits.size());
  for (const LimitResult& each : limits) stated.push_back(each.deciding());
  std::vector<NamedMargins> named_margins{{"as stated", stated}};
  named_margins.insert(named_margins.end(), variants.begin(), variants.end());
  const auto lowest = [&](std::size_t i) {
    double least = HUGE_VAL;
    for (const NamedMargins& each : named_margins)
      if (each.margins[i] < least) least = each.margins[i];
    return least;
  };
  std::vector<std::size_t> order(limits.size());
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return lowest(a) < lowest(b); });
  constexpr std::size_t most_bars = 27;  // so that the text beside each has its height
  constexpr double half_row = 0.42;
  const std::size_t shown = std::min(order.size(), std::max<std::size_t>(1, most_bars / named_margins.size()));
  chart.title = "Margins with springs that are others, the lowest first";
  chart.subtitle = shown < order.size() ? fmt::format("the {} smallest of {} are shown", shown, order.size())
                                        : "from the modes of the springs as stated";
  Panel panel{{"", Axis::Scale::named}};
  const double thick = 2 * half_row / static_cast<double>(named_margins.size());
  double least = 0, most = 0;
  for (std::size_t k = 0; k < named_margins.size(); ++k) {
    Series series{
        named_margins[k].name, {}, {}, Series::Style::bars, {}, {}, k == 0 ? palette_size : static_cast<int>(k - 1)};
    for (std::size_t row = 0; row < shown; ++row) {
      const double margin = 100 * named_margins[k].margins[order[row]];
      if (std::isnan(margin)) continue;
      const double end = std::clamp(margin, -100.0, widest_margin),
                   top = static_cast<double>(shown - row) + half_row - thick * static_cast<double>(k);
      series.bars.push_back({std::min(0.0, end), std::max(0.0, end), top - 0.9 * thick, top});
      panel.texts.push_back({end, top - 0.5 * thick, percent(margin) + (margin > widest_margin ? ", bar cut" : ""),
                             margin < 0 ? FixedText::Side::left : FixedText::Side::right});
      least = std::min(least, end);
      most = std::max(most, end);
    }
    panel.series.push_back(std::move(series));
  }
  for (std::size_t row = shown; row-- > 0;) panel.y.names.push_back(limits[order[row]].limit->name);
  for (std::size_t row = 0; row < shown; ++row)
    named.in_words += fmt::format("{}{} {} at the least", row ? "; " : "", limits[order[row]].limit->name,
                                  percent(100 * lowest(order[row])));
  const double span = std::max(most - least, 10.0);
  chart.x = {"Margin (%)", Axis::Scale::linear, least - (least < 0 ? 0.14 : 0.02) * span, most + 0.3 * span};
  chart.uprights.push_back({0, "0"});
  chart.panels = {std::move(panel)};
  return named;
}

NamedChart mass_chart(const ModalBasis& basis, const Show& show) {
  NamedChart named{"effective-mass", {}, ""};
  Chart& chart = named.chart;
  const DisplayUnit frequency = show.unit(kind::frequency);
  const auto part = [&](int r, int d) { return 100 * basis.effective_mass(r, d) / basis.rigid_mass(d, d); };
  std::vector<int> shown(static_cast<std::size_t>(basis.modes));
  std::iota(shown.begin(), shown.end(), 0);
  if (shown.size() > most_modes) {
    const auto most = [&](int r) { return std::max({part(r, 0), part(r, 1), part(r, 2)}); };
    std::stable_sort(shown.begin(), shown.end(), [&](int a, int b) { return most(a) > most(b); });
    shown.resize(most_modes);
    std::sort(shown.begin(), shown.end());
  }
  chart.title = "Effective mass of the modes";
  chart.subtitle = fmt::format("as a part of the whole mass; {}",
                               shown.size() < static_cast<std::size_t>(basis.modes)
                                   ? fmt::format("the {} modes of {} that carry the most", shown.size(), basis.modes)
                                   : fmt::format("all {} modes to {:.4g} Hz", basis.modes, basis.proven_below));
  chart.x = {fmt::format("Mode and its natural frequency ({})", frequency.text), Axis::Scale::named};
  for (const int r : shown)
    chart.x.names.push_back(fmt::format("{}  {}", r + 1, format_number(frequency.from_si(basis.frequency(r)), 4)));
  for (int d = 0; d < 3; ++d) {
    Panel panel{{fmt::format("Along {} (%)", "xyz"[d]), Axis::Scale::linear, 0, 108, {0, 50, 100}}, 1, d == 0};
    Series bars{"effective mass", {}, {}, Series::Style::bars, {}, {}, 0},
        sum{"running sum over all modes", {}, {}, Series::Style::steps};
    double total = 0;
    std::size_t next = 0;
    for (int r = 0; r < basis.modes; ++r) {
      total += part(r, d);
      if (next >= shown.size() || shown[next] != r) continue;
      const double x = static_cast<double>(++next);
      bars.bars.push_back({x - half_bar, x + half_bar, 0, part(r, d)});
      if (part(r, d) >= 10)
        panel.texts.push_back({x, part(r, d), fmt::format("{:.0f}", part(r, d)), FixedText::Side::above});
      sum.x.insert(sum.x.end(), {x - 0.5, x + 0.5});
      sum.y.insert(sum.y.end(), {total, total});
    }
    named.in_words += fmt::format("{}{:.1f} % of the mass along {}", d ? ", " : "In all modes ", total, "xyz"[d]);
    panel.series = {std::move(bars), std::move(sum)};
    chart.panels.push_back(std::move(panel));
  }
  return named;
}

NamedChart preload_chart(const std::vector<PreloadLevel>& levels, const std::string& about, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  std::vector<const PreloadLevel*> order;
  order.reserve(levels.size());
  for (const PreloadLevel& each : levels) order.push_back(&each);
  std::sort(order.begin(), order.end(), [](const auto* a, const auto* b) { return a->level < b->level; });
  const PreloadLevel& least = **std::min_element(
      order.begin(), order.end(), [](const auto* a, const auto* b) { return std::abs(a->level) < std::abs(b->level); });
  NamedChart named{"preload", {}, ""};
  Chart& chart = named.chart;
  chart.title = fmt::format("Natural frequencies under parts of {}", about);
  chart.subtitle = fmt::format("each over that at {:.4g} %; straight between the levels asked for", 100 * least.level);
  chart.x = {fmt::format("Part of {} (%)", about), Axis::Scale::linear, 100 * order.front()->level,
             100 * order.back()->level};
  Panel panel{{fmt::format("Frequency over that at {:.4g} %", 100 * least.level), Axis::Scale::linear}};
  constexpr Eigen::Index most = 6;
  for (Eigen::Index r = 0; r < std::min(most, least.frequency.size()); ++r) {
    Series line{fmt::format("mode {}, {}", r + 1, value_text(least.frequency[r], frequency, 4)), {}, {}};
    for (const PreloadLevel* preload_level : order) {
      if (r >= preload_level->frequency.size() || !(least.frequency[r] > 0)) continue;
      line.x.push_back(100 * preload_level->level);
      line.y.push_back(preload_level->frequency[r] / least.frequency[r]);
    }
    panel.series.push_back(std::move(line));
  }
  named.in_words = fmt::format("The first mode goes from {} at {:.4g} % to {} at {:.4g} %.",
                               value_text(order.front()->frequency[0], frequency, 4), 100 * order.front()->level,
                               value_text(order.back()->frequency[0], frequency, 4), 100 * order.back()->level);
  chart.panels = {std::move(panel)};
  return named;
}

NamedChart order_chart(const std::vector<OrderSource>& orders, const ModalBasis& basis, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  const Environment& environment = *orders.front().excitation.environment;
  const double from = environment.grid.from, to = environment.grid.to;  // revolutions a second
  NamedChart named{environment.name + ".orders", {}, ""};
  Chart& chart = named.chart;
  chart.title = fmt::format("Orders of the shaft and natural frequencies: {}", environment.name);
  chart.subtitle = "a circle where an order meets a mode that it drives, with the number of the mode and the speed";
  chart.x = {"Speed (rpm)", Axis::Scale::linear, 60 * from, 60 * to};
  Panel panel{{fmt::format("Frequency ({})", frequency.text), Axis::Scale::linear}};
  constexpr double worth_a_mark = 0.05;
  std::set<int> modes;
  for (const OrderSource& order_source : orders) {
    const double order = order_source.excitation.order;
    panel.series.push_back({fmt::format("order {:g}", order),
                            {60 * from, 60 * to},
                            {frequency.from_si(order * from), frequency.from_si(order * to)}});
    for (const DrivenMode& driven_mode : order_source.driven) {
      if (driven_mode.motion < worth_a_mark * order_source.driven.front().motion) continue;
      modes.insert(driven_mode.mode);
      const double f = basis.frequency(driven_mode.mode), speed = 60 * f / order;
      panel.peaks.push_back({panel.series.size() - 1, speed, frequency.from_si(f),
                             fmt::format("{}: {} rpm", driven_mode.mode + 1, format_number(speed, 4))});
      named.in_words += fmt::format("{}order {:g} meets mode {} at {} rpm", named.in_words.empty() ? "" : "; ", order,
                                    driven_mode.mode + 1, format_number(speed, 4));
    }
  }
  bool first = true;
  for (const int mode : modes) {
    const double f = frequency.from_si(basis.frequency(mode));
    panel.series.push_back(
        {std::exchange(first, false) ? "natural frequency" : "", {60 * from, 60 * to}, {f, f}, Series::Style::input});
  }
  chart.panels = {std::move(panel)};
  return named;
}

std::optional<NamedChart> share_chart(const CaseResults& outcome, const ChartSource& source) {
  if (outcome.grid().empty() || source.watched.empty()) return std::nullopt;
  const bool sine = outcome.sine() != nullptr;
  const DisplayUnit frequency = source.show.unit(kind::frequency);
  NamedChart named{outcome.name() + ".shares", {}, ""};
  Chart& chart = named.chart;
  chart.title = fmt::format("Modes that make the {}: {}", sine ? "peaks" : "RMS values", outcome.name());
  chart.subtitle = sine ? "share of each mode in the largest value, at its instant; opposite ones to the left"
                        : "share of each mode in the variance; opposite ones, by correlation, to the left";
  struct Row {
    std::string name;
    const std::vector<std::pair<int, double>>* shares;
  };
  std::vector<Row> rows;
  std::map<int, double> weight;  // of each mode over all rows
  for (std::size_t i = 0; i < source.watched.size() && rows.size() < most_rows; ++i) {
    const auto& shares = outcome.shares(i);
    if (!source.watched[i].is_headline() || shares.empty()) continue;
    std::string name = fmt::format("{}.{}", source.watched[i].entry, source.watched[i].quantity->keyword);
    if (sine)
      name += fmt::format(" @ {}\u00a0{}", format_number(frequency.from_si(outcome.sine()->rows[i].peak.frequency), 4),
                          frequency.text);
    rows.push_back({std::move(name), &shares});
    for (const auto& [mode, share] : shares) weight[mode] += std::abs(share);
  }
  if (rows.empty()) return std::nullopt;
  // The heaviest modes get a colour each, in the order of their numbers; the others are grey.
  std::vector<std::pair<double, int>> heaviest;
  heaviest.reserve(weight.size());
  for (const auto& [mode, sum] : weight) heaviest.emplace_back(-sum, mode);
  std::sort(heaviest.begin(), heaviest.end());
  std::vector<int> coloured;
  for (std::size_t k = 0; k < std::min<std::size_t>(heaviest.size(), palette_size); ++k)
    coloured.push_back(heaviest[k].second);
  std::sort(coloured.begin(), coloured.end());
  Panel panel{{"", Axis::Scale::named}};
  for (std::size_t k = 0; k < coloured.size(); ++k) {
    const int mode = coloured[k];
    const std::string label =
        mode < 0 ? std::string("the base's own motion")
        : mode >= source.basis.modes
            ? fmt::format("residual vector {}", mode + 1 - source.basis.modes)
            : fmt::format("mode {}, {}", mode + 1, value_text(source.basis.frequency(mode), frequency, 4));
    panel.series.push_back({label, {}, {}, Series::Style::bars, {}, {}, static_cast<int>(k)});
  }
  panel.series.push_back({"others of 0.5 % and more", {}, {}, Series::Style::bars, {}, {}, palette_size});
  double least = 0, most = 100;
  for (std::size_t i = rows.size(); i-- > 0;) {
    const double y = static_cast<double>(rows.size() - i);
    panel.y.names.push_back(rows[i].name);
    double right = 0, left = 0;
    std::string words;
    for (const auto& [mode, share] : *rows[i].shares) {
      const auto found = std::find(coloured.begin(), coloured.end(), mode);
      double& end = share > 0 ? right : left;
      panel.series[static_cast<std::size_t>(found - coloured.begin())].bars.push_back(
          {std::min(end, end + 100 * share), std::max(end, end + 100 * share), y - half_bar, y + half_bar});
      end += 100 * share;
    }
    least = std::min(least, left);
    most = std::max(most, right);
    const auto& [mode, share] = rows[i].shares->front();
    named.in_words += fmt::format("{}{}: {} {:.0f} %", named.in_words.empty() ? "" : "; ", rows[i].name,
                                  mode < 0 ? std::string("base") : fmt::format("mode {}", mode + 1), 100 * share);
  }
  if (panel.series.back().bars.empty()) panel.series.pop_back();
  chart.x = {sine ? "Share of the peak (%)" : "Share of the variance (%)", Axis::Scale::linear,
             least < 0 ? least - 4 : 0, most + 4};
  if (least < 0) chart.uprights.push_back({0, ""});
  chart.panels = {std::move(panel)};
  return named;
}

}  // namespace avrenk
