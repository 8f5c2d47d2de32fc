#include "figures/response_charts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/modes/modal_basis.h"
#include "figures/curves_chart.h"
#include "files/table.h"

namespace avrenk {
namespace {

constexpr double degrees = 180 / pi;
constexpr std::size_t most_series = palette_size;
constexpr double worth_a_label = 0.1;  // part of the variance from which a dominating frequency is named

Series flat_line(double level, const Chart& chart, const std::string& label) {
  return {label, {chart.x.from, chart.x.to}, {level, level}, Series::Style::limit};
}

// What charts run over: frequency, or the speed of the shaft.
DisplayUnit abscissa(const CaseResults& outcome, const ChartSource& source) {
  const double order = outcome.excitation->order;
  return order > 0 ? DisplayUnit{"rpm", order / 60} : source.show.unit(kind::frequency);
}

bool applies(const Limit& limit, const CaseResults& outcome, const Output& watched) {
  if (!covers(limit, *outcome.excitation)) return false;
  const std::string& of = limit.response()->of;
  return of == watched.name || of == fmt::format("{}.{}", watched.entry, watched.quantity->keyword);
}

struct Group {
  const OutputQuantity* quantity;
  std::vector<std::size_t> members;  // indices into watched
};

// The component of a place that is drawn: along the excited axis, or that of all loads, or that which moves most.
std::string component_drawn(const CaseResults& outcome, const ChartSource& source, const Output& watched) {
  const Excitation& excitation = *outcome.excitation;
  if (const auto axis = excitation.axis ? excitation.axis : excitation.pushed_along) return {"xyz"[*axis % 3]};
  std::string most;
  double largest = -1;
  for (std::size_t i = 0; i < source.watched.size(); ++i) {
    const Output& output = source.watched[i];
    if (output.entry != watched.entry || output.quantity != watched.quantity || output.is_magnitude()) continue;
    if (const double own = outcome.strength(i, output); own > largest * (1 + 1e-9)) {
      largest = own;
      most = output.component;
    }
  }
  return most;
}

// Motions by quantity, each one component; of other quantities those that a limit judges.
std::vector<Group> groups_of(const CaseResults& outcome, const ChartSource& source) {
  std::vector<Group> groups;
  for (std::size_t i = 0; i < source.watched.size(); ++i) {
    const Output& output = source.watched[i];
    const bool motion = output.quantity->subject == Subject::node && output.quantity->vector;
    const bool judged =
        output.is_headline() && std::any_of(source.limits.begin(), source.limits.end(),
                                            [&](const Limit& limit) { return applies(limit, outcome, output); });
    if (motion ? output.component != component_drawn(outcome, source, output) : !judged) continue;
    if (!outcome.has(output)) continue;
    auto found =
        std::find_if(groups.begin(), groups.end(), [&](const Group& g) { return g.quantity == output.quantity; });
    if (found == groups.end()) found = groups.insert(found, Group{output.quantity, {}});
    if (found->members.size() < most_series) found->members.push_back(i);
  }
  return groups;
}

std::string legend_label(const Output& watched) {
  return watched.component.empty() ? watched.entry : fmt::format("{}, {}", watched.entry, watched.component);
}

// The same of a curve in one case, which may follow one node of a place here and another there.
std::string legend_label(const Output& watched, const CaseResults& outcome, std::size_t index) {
  return legend_label(watched) + (outcome.leaders(index).size() > 1 ? " (largest of the place)" : "");
}

void add_limits(Panel& panel, const Group& group, const CaseResults& outcome, const ChartSource& source,
                const DisplayUnit& unit, const Chart& chart) {
  for (const Limit& limit : source.limits) {
    const bool shown = std::any_of(group.members.begin(), group.members.end(),
                                   [&](std::size_t i) { return applies(limit, outcome, source.watched[i]); });
    if (!shown) continue;
    const ResponseLimit& response = *limit.response();
    if (response.take.form != Take::Form::peak || response.at_least || !response.with.empty()) continue;
    const double level = unit.from_si(group.quantity->is_reciprocal
                                          ? limit.allowable * limit.factor
                                          : limit.allowable / limit.factor);  // the response itself may reach this
    panel.series.push_back(
        flat_line(level, chart, fmt::format("limit {}: {} {}", limit.name, format_number(level, 4), unit.text)));
  }
}

// Natural frequencies of the modes that carry mass along the excited axis or make something of what is drawn.
void add_natural_frequencies(Chart& chart, const CaseResults& outcome, const Group& group, const ChartSource& source) {
  constexpr double carries = 0.01, makes = 0.05;
  const ModalBasis& basis = source.basis;
  std::set<int> modes;
  if (const auto axis = outcome.excitation->axis)
    for (int r = 0; r < basis.modes; ++r)
      if (basis.effective_mass(r, *axis) >= carries * basis.rigid_mass(*axis, *axis)) modes.insert(r);
  for (const std::size_t i : group.members)
    for (const auto& [mode, share] : outcome.shares(i))
      if (mode >= 0 && mode < basis.modes && std::abs(share) >= makes) modes.insert(mode);
  for (const int r : modes) {
    const double f = abscissa(outcome, source).from_si(basis.frequency(r));
    if (f > chart.x.from && f < chart.x.to) chart.uprights.push_back({f, std::to_string(r + 1)});
  }
  if (!chart.uprights.empty()) chart.uprights_are = "natural frequency of a mode that matters here, with its number";
}

Chart empty_chart(const CaseResults& outcome, const OutputQuantity& quantity, const std::string& what,
                  const ChartSource& source) {
  const Excitation& excitation = *outcome.excitation;
  const Environment& environment = outcome.environment();
  const DisplayUnit frequency = abscissa(outcome, source);
  Chart chart;
  std::string description(quantity.description);
  description[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(description[0])));
  const bool by_base = excitation.axis && excitation.inputs.size() == 1;
  chart.title = fmt::format(
      "{}{}: {}", description, what,
      by_base ? fmt::format("{}, base excited along {}", environment.name, excitation.along) : excitation.name());
  chart.subtitle = fmt::format(
      "{}; {}", by_base ? fmt::format("profile {}, {}", environment.profile, environment.level) : excitation.heading(),
      source.heading);
  chart.x = {fmt::format("{} ({})", outcome.excitation->order > 0 ? "Speed" : "Frequency", frequency.text),
             Axis::Scale::logarithmic, frequency.from_si(outcome.grid().front()),
             frequency.from_si(outcome.grid().back())};
  return chart;
}

Series input_series(const CaseResults& outcome, const std::vector<double>& grid, const DisplayUnit& unit,
                    const std::string& label) {
  Series input{label, grid, {}, Series::Style::input};
  for (const double f : outcome.grid()) input.y.push_back(unit.from_si(outcome.excitation->reference(f)));
  return input;
}

// Spectra of the inputs of one kind; those that are the same together.
std::vector<Series> random_inputs(const CaseResults& outcome, const Kind& kind, const std::vector<double>& grid,
                                  const DisplayUnit& unit, const DisplayUnit& plain) {
  const Excitation& excitation = *outcome.excitation;
  std::vector<Series> series;
  std::vector<std::string> names;
  for (std::size_t k = 0; k < excitation.names.size(); ++k) {
    if (excitation.kinds[k] != &kind) continue;
    Series input{"", grid, {}, Series::Style::input};
    for (const double f : outcome.grid()) input.y.push_back(unit.from_si(excitation.spectrum.level(k, f)));
    const std::string rms = value_text(std::sqrt(excitation.spectrum.levels()[k].area()), plain, 3) + " RMS";
    const auto same = std::find_if(series.begin(), series.end(), [&](const Series& each) { return each.y == input.y; });
    if (same != series.end()) {
      std::string& own = names[static_cast<std::size_t>(same - series.begin())];
      own += ", " + excitation.names[k];
      same->label = fmt::format("input {}: {}{}", own, own.find(',') == std::string::npos ? "" : "each ", rms);
      continue;
    }
    names.push_back(excitation.names[k]);
    input.label = fmt::format("input{}: {}", excitation.names.size() > 1 ? " " + names.back() : "", rms);
    if (series.size() < most_series) series.push_back(std::move(input));
  }
  return series;
}

// A maximum of a drawn curve, by a parabola through its three highest points on log-log paper.
struct LocalPeak {
  std::size_t series;
  double x, y;
};

// Maxima that stand out by half from the valleys on both sides.
std::vector<LocalPeak> local_peaks(const std::vector<Series>& all) {
  constexpr double stands_out = 1.5, step = 1e-6;
  std::vector<LocalPeak> peaks;
  for (std::size_t s = 0; s < all.size(); ++s) {
    const std::vector<double>&x = all[s].x, &y = all[s].y;
    for (std::size_t k = 1; k + 1 < y.size(); ++k) {
      if (!(y[k] > y[k - 1] && y[k] >= y[k + 1] && y[k - 1] > 0 && y[k + 1] > 0)) continue;
      if (x[k + 1] < x[k] * (1 + step) || x[k] < x[k - 1] * (1 + step)) continue;  // the input falls there
      double before = y[k], after = y[k];
      for (std::size_t i = k; i-- > 0 && y[i] <= y[k];) before = std::min(before, y[i]);
      for (std::size_t i = k + 1; i < y.size() && y[i] <= y[k]; ++i) after = std::min(after, y[i]);
      if (y[k] < stands_out * std::max(before, after)) continue;
      const double a = std::log(x[k] / x[k - 1]), b = std::log(x[k + 1] / x[k]);
      const double down = std::log(y[k] / y[k - 1]) / a, up = std::log(y[k + 1] / y[k]) / b;
      const double curvature = (up - down) / (a + b), slope = down + curvature * a;
      if (!(curvature < 0)) continue;
      const double shift = -slope / (2 * curvature);
      peaks.push_back({s, x[k] * std::exp(shift), y[k] * std::exp(slope * shift + curvature * shift * shift)});
    }
  }
  std::sort(peaks.begin(), peaks.end(), [](const LocalPeak& one, const LocalPeak& two) { return one.y > two.y; });
  return peaks;
}

// Further peaks of a chart, highest first, where no other label stands at nearly the same frequency.
void label_further_peaks(Panel& panel, const DisplayUnit& unit, const DisplayUnit& frequency) {
  constexpr std::size_t most_labels = 7;
  constexpr double apart = 0.06, worth = 0.02;  // of the frequency; of the highest peak
  const std::vector<LocalPeak> further = local_peaks(panel.series);
  for (const LocalPeak& peak : further) {
    const bool named = std::any_of(panel.peaks.begin(), panel.peaks.end(),
                                   [&](const PeakLabel& other) { return std::abs(peak.x / other.x - 1) < apart; });
    if (named || panel.peaks.size() >= most_labels || peak.y < worth * further.front().y) continue;
    panel.peaks.push_back(
        {peak.series, peak.x, peak.y,
         fmt::format("{} {} @ {} {}", format_number(peak.y, 3), unit.text, format_number(peak.x, 4), frequency.text)});
  }
}

NamedChart sine_chart(const CaseResults& outcome, const Group& group, const ChartSource& source) {
  const DisplayUnit frequency = abscissa(outcome, source), unit = source.show.unit(*group.quantity->kind);
  NamedChart named{"", empty_chart(outcome, *group.quantity, "", source), ""};
  Chart& chart = named.chart;
  const std::vector<double> grid = in_unit(outcome.grid(), frequency);
  const bool upside_down = group.quantity->is_reciprocal;
  Panel magnitude{{fmt::format("{} ({})", upside_down ? "Magnitude" : "Amplitude, 0 to peak", unit.text)}, 2.1};
  magnitude.y.lowest_counts = upside_down;
  Panel phase{{"Phase (°)", Axis::Scale::linear, -180, 180, {-180, -90, 0, 90, 180}}, 1, false};
  for (const std::size_t i : group.members) {
    const SineRow& row = outcome.sine()->rows[i];
    const Output& watched = source.watched[i];
    const FineCurve curve = source.curve(outcome, i);
    const std::vector<double> x = in_unit(curve.frequency, frequency);
    magnitude.series.push_back({legend_label(watched, outcome, i), x, in_unit(curve.value, unit)});
    if (!curve.phase.empty()) {
      std::vector<double> turned;
      turned.reserve(curve.phase.size());
      for (const double each : curve.phase) turned.push_back(degrees * each);
      Series lag = phase_line(x, turned);
      lag.colour = static_cast<int>(magnitude.series.size()) - 1;
      phase.series.push_back(std::move(lag));
    }
    const double peak = unit.from_si(row.peak.value), at = frequency.from_si(row.peak.frequency);
    magnitude.peaks.push_back(
        {magnitude.series.size() - 1, at, peak,
         fmt::format("{} {} @ {} {}", format_number(peak, 3), unit.text, format_number(at, 4), frequency.text)});
    named.in_words += fmt::format("{}{} {} at {}", named.in_words.empty() ? "" : "; ", legend_label(watched),
                                  upside_down ? "is smallest" : "peaks", magnitude.peaks.back().text);
  }
  if (!upside_down) label_further_peaks(magnitude, unit, frequency);
  if (group.quantity->kind == outcome.excitation->kind)
    magnitude.series.push_back(input_series(outcome, grid, unit, "input"));
  add_limits(magnitude, group, outcome, source, unit, chart);
  add_natural_frequencies(chart, outcome, group, source);
  chart.panels = {std::move(magnitude)};
  if (!phase.series.empty()) chart.panels.push_back(std::move(phase));
  return named;
}

NamedChart random_chart(const CaseResults& outcome, const Group& group, const ChartSource& source) {
  const DisplayUnit frequency = abscissa(outcome, source), plain = source.show.unit(*group.quantity->kind),
                    unit = psd_unit(plain);
  NamedChart named{"", empty_chart(outcome, *group.quantity, " PSD", source), ""};
  Chart& chart = named.chart;
  const std::vector<double> grid = in_unit(outcome.grid(), frequency);
  Panel density{{fmt::format("PSD ({})", unit.text)}, 2.1};
  Panel ratio{{"Response/input"}, 1, false};
  Panel running{{fmt::format("Running RMS ({})", plain.text), Axis::Scale::linear}, 1, false};  // of the worst node
  const bool one_input = group.quantity->kind == outcome.excitation->kind && outcome.excitation->names.size() == 1;
  for (const std::size_t i : group.members) {
    const RandomRow& row = outcome.random()->rows[i];
    const bool one_place = outcome.leaders(i).size() == 1;
    const std::string rms = value_text(row.rms, plain, 3) + (one_place ? " RMS" : " RMS at most");
    const std::string label = legend_label(source.watched[i], outcome, i);
    const FineCurve curve = source.curve(outcome, i);
    density.series.push_back(
        {fmt::format("{}: {}", label, rms), in_unit(curve.frequency, frequency), in_unit(curve.value, unit)});
    if (one_input) {  // the response over it is the square of the transmissibility
      Series squares{"", density.series.back().x, {}};
      squares.colour = static_cast<int>(ratio.series.size());
      for (std::size_t k = 0; k < curve.frequency.size(); ++k) {
        const double input = outcome.excitation->reference(curve.frequency[k]);
        squares.y.push_back(input > 0 ? curve.value[k] / input : std::nan(""));
      }
      ratio.series.push_back(std::move(squares));
    }
    const std::vector<double> sum = running_rms(outcome.grid(), row.psd);
    running.series.push_back({legend_label(source.watched[i]), grid, in_unit(sum, plain)});
    named.in_words += fmt::format("{}{} {}", named.in_words.empty() ? "" : "; ", label, rms);
    if (row.bands.empty() || row.bands.front().share < worth_a_label) continue;
    const DominatingBand& band = row.bands.front();
    const auto k = static_cast<std::size_t>(
        std::lower_bound(outcome.grid().begin(), outcome.grid().end(), band.frequency) - outcome.grid().begin());
    const double at = frequency.from_si(band.frequency);
    density.peaks.push_back(
        {density.series.size() - 1, at,
         unit.from_si((row.of_place.empty() ? row.psd : row.of_place)[std::min(k, grid.size() - 1)]),
         fmt::format("{:.0f} % of the variance @ {} {}", 100 * band.share, format_number(at, 4), frequency.text)});
    named.in_words += fmt::format(", {}", density.peaks.back().text);
  }
  for (Series& input : random_inputs(outcome, *group.quantity->kind, grid, unit, plain))
    density.series.push_back(std::move(input));
  add_natural_frequencies(chart, outcome, group, source);
  chart.panels = {std::move(density)};
  if (one_input) chart.panels.push_back(std::move(ratio));
  chart.panels.push_back(std::move(running));
  return named;
}

std::string file_name(const CaseResults& outcome, const OutputQuantity& quantity, const std::string& more) {
  std::string name = fmt::format("{}.{}{}", outcome.name(), quantity.keyword, more);
  std::replace(name.begin(), name.end(), ' ', '-');
  return name;
}

}  // namespace

std::vector<NamedChart> response_charts(const CaseResults& outcome, const ChartSource& source) {
  std::vector<NamedChart> charts;
  if (outcome.grid().empty()) return charts;  // static, or cases combined
  for (const Group& group : groups_of(outcome, source)) {
    charts.push_back(outcome.sine() ? sine_chart(outcome, group, source) : random_chart(outcome, group, source));
    charts.back().name = file_name(outcome, *group.quantity, "");
  }
  return charts;
}

std::vector<NamedChart> complex_charts(const CaseResults& outcome, const ChartSource& source) {
  std::vector<NamedChart> charts;
  if (outcome.grid().empty() || !outcome.sine()) return charts;
  for (const Group& group : groups_of(outcome, source)) {
    const DisplayUnit unit = source.show.unit(*group.quantity->kind);
    NamedChart named{file_name(outcome, *group.quantity, ".parts"),
                     empty_chart(outcome, *group.quantity, ", real and imaginary part", source), ""};
    const std::vector<double> grid = in_unit(outcome.grid(), abscissa(outcome, source));
    Panel real{{fmt::format("Real part ({})", unit.text), Axis::Scale::linear}},
        imaginary{{fmt::format("Imaginary part ({})", unit.text), Axis::Scale::linear}, 1, false};
    for (const std::size_t i : group.members) {
      if (source.watched[i].count != 1) continue;
      const Eigen::MatrixXcd& curve = outcome.sine()->rows[i].curve;
      const std::string label = legend_label(source.watched[i]) +
                                (outcome.leaders(i).size() > 1 ? " at " + outcome.sine()->rows[i].where : "");
      Series in_phase{label, grid, {}}, quarter{label, grid, {}};
      for (Eigen::Index k = 0; k < curve.cols(); ++k) {
        in_phase.y.push_back(unit.from_si(curve(0, k).real()));
        quarter.y.push_back(unit.from_si(curve(0, k).imag()));
      }
      named.in_words += fmt::format("{}{}", named.in_words.empty() ? "Channels: " : "; ", label);
      real.series.push_back(std::move(in_phase));
      imaginary.series.push_back(std::move(quarter));
    }
    if (real.series.empty()) continue;
    add_natural_frequencies(named.chart, outcome, group, source);
    named.chart.panels = {std::move(real), std::move(imaginary)};
    charts.push_back(std::move(named));
  }
  return charts;
}

NamedChart cross_chart(const CrossSpectrum& spectrum, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  const auto& [first, second] = spectrum.request->of;
  NamedChart named{"cross." + spectrum.request->name,
                   {},
                   fmt::format("{} and {} go together by {:+.3f} at one instant", first, second, spectrum.correlation)};
  Chart& chart = named.chart;
  chart.title = fmt::format("{}: {} to {}", spectrum.excitation->name(), first, second);
  chart.subtitle = named.in_words;
  chart.x = {fmt::format("Frequency ({})", frequency.text), Axis::Scale::logarithmic,
             frequency.from_si(spectrum.grid.front()), frequency.from_si(spectrum.grid.back())};
  const std::vector<double> grid = in_unit(spectrum.grid, frequency);
  Panel density{{"PSD, each in its unit squared/Hz"}, 1.6},
      phase{{"Phase (°)", Axis::Scale::linear, -180, 180, {-180, -90, 0, 90, 180}}, 1, false},
      coherence{{"Coherence", Axis::Scale::linear, 0, 1.02}, 1, false};
  std::vector<double> size, angle, together;
  for (std::size_t p = 0; p < grid.size(); ++p) {
    size.push_back(std::abs(spectrum.cross[p]) /
                   (show.unit(*spectrum.kinds[0]).factor * show.unit(*spectrum.kinds[1]).factor));
    angle.push_back(std::arg(spectrum.cross[p]) * 180 / pi);
    // Where it passes ±180° the line breaks.
    if (p > 0 && std::abs(angle[p] - angle[p - 1]) > 180) angle[p - 1] = std::nan("");
    together.push_back(spectrum.coherence(p));
  }
  density.series = {{first, grid, in_unit(spectrum.psd[0], psd_unit(show.unit(*spectrum.kinds[0])))},
                    {second, grid, in_unit(spectrum.psd[1], psd_unit(show.unit(*spectrum.kinds[1])))},
                    {"cross PSD, magnitude", grid, std::move(size)}};
  phase.series = {{"", grid, std::move(angle), Series::Style::line, {}, {}, 2}};
  coherence.series = {{"", grid, std::move(together), Series::Style::line, {}, {}, 2}};
  chart.panels = {std::move(density), std::move(phase), std::move(coherence)};
  return named;
}

}  // namespace avrenk
