#include "core/excitation/profile.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/error.h"
#include "core/excitation/steps.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

double octaves(double f1, double f2) { return std::log2(f2 / f1); }

void check(const std::vector<Breakpoint>& points) {
  if (points.size() < 2)
    throw_input_error("", points.empty() ? "the table is empty" : "the table has one point",
                      "give at least two points");
  for (std::size_t i = 0; i < points.size(); ++i) {
    if (!(points[i].frequency > 0))
      throw_input_error("", fmt::format("frequency {:g} Hz is not positive", points[i].frequency), "");
    if (points[i].level && !(*points[i].level > 0))
      throw_input_error("", fmt::format("the level at {:g} Hz is not positive", points[i].frequency),
                        "a log-log line cannot reach zero");
    if (i > 0 && points[i].frequency < points[i - 1].frequency)
      throw_input_error(
          "", fmt::format("frequencies fall from {:g} to {:g} Hz", points[i - 1].frequency, points[i].frequency),
          "write them in rising order");
    if (i > 1 && points[i].frequency == points[i - 2].frequency)
      throw_input_error("", fmt::format("three points lie at {:g} Hz", points[i].frequency), "two make a step");
  }
}

}  // namespace

double PowerLaw::exponent() const { return std::log(v2 / v1) / std::log(f2 / f1); }

double PowerLaw::at(double f) const { return v1 * std::pow(f / f1, exponent()); }

double PowerLaw::moment(double k) const {
  // ∫ v1 (f/f1)^n f^k df = v1 f1^{k+1} ln(r) · (e^x − 1)/x with x = (n+k+1) ln r, r = f2/f1.
  const double log_ratio = std::log(f2 / f1);
  const double x = (exponent() + k + 1) * log_ratio;
  const double growth = std::abs(x) < 1e-300 ? 1 : std::expm1(x) / x;
  return v1 * std::pow(f1, k + 1) * log_ratio * growth;
}

LogLogTable::LogLogTable(const std::vector<Breakpoint>& points, double decibel_factor) {
  check(points);
  std::vector<double> level(points.size(), 0);
  const auto first =
      std::find_if(points.begin(), points.end(), [](const Breakpoint& p) { return p.level.has_value(); });
  if (first == points.end()) throw_input_error("", "the table has slopes only", "give at least one level");
  const auto known = static_cast<std::size_t>(first - points.begin());
  const auto ratio = [&](std::size_t from, std::size_t to, double slope) {
    return std::pow(10, slope * octaves(points[from].frequency, points[to].frequency) / decibel_factor);
  };
  level[known] = *points[known].level;
  for (std::size_t i = known; i-- > 0;) level[i] = level[i + 1] / ratio(i, i + 1, *points[i].slope);
  for (std::size_t i = known + 1; i < points.size(); ++i)
    level[i] = points[i].level ? *points[i].level : level[i - 1] * ratio(i - 1, i, *points[i].slope);
  constexpr double most = 1e60;  // squares and products of more leave the range of all numbers
  for (std::size_t i = 0; i < points.size(); ++i)
    if (!(level[i] < most && level[i] > 1 / most))
      throw_input_error("",
                        fmt::format("its slopes lead to {:.2g} at {:g} Hz, which is too {} to be meant", level[i],
                                    points[i].frequency, level[i] < 1 ? "little" : "much"),
                        "give a level there, or gentler slopes");
  for (std::size_t i = 1; i < points.size(); ++i)
    if (points[i].frequency > points[i - 1].frequency)
      stretches_.push_back({points[i - 1].frequency, points[i].frequency, level[i - 1], level[i]});
  if (stretches_.empty()) throw_input_error("", "the table spans no frequencies", "give two different frequencies");
}

std::vector<double> LogLogTable::breakpoints() const {
  std::vector<double> all{from()};
  for (const PowerLaw& stretch : stretches_) all.push_back(stretch.f2);
  return all;
}

std::vector<double> LogLogTable::curve_points() const {
  return beside_steps(stretches_, [](const PowerLaw& before, const PowerLaw& after) { return after.v1 != before.v2; });
}

std::vector<PowerLaw>::const_iterator LogLogTable::first_that_ends_at(double frequency) const {
  return std::partition_point(stretches_.begin(), stretches_.end(),
                              [&](const PowerLaw& stretch) { return stretch.f2 < frequency; });
}

const PowerLaw* LogLogTable::stretch_at(double frequency) const {
  const auto found = first_that_ends_at(frequency);
  return found != stretches_.end() && found->f1 <= frequency ? &*found : nullptr;
}

double LogLogTable::at(double frequency) const {
  double highest = 0;  // two meet at a breakpoint
  for (auto each = first_that_ends_at(frequency); each != stretches_.end() && each->f1 <= frequency; ++each)
    highest = std::max(highest, each->at(frequency));
  return highest;
}

std::vector<double> LogLogTable::levels(std::span<const double> frequencies) const {
  std::vector<double> all;
  all.reserve(frequencies.size());
  for (const double f : frequencies) all.push_back(at(f));
  return all;
}

LogLogTable LogLogTable::lowest_of(const std::vector<LogLogTable>& tables) {
  std::vector<double> cuts;
  for (const LogLogTable& table : tables)
    for (const double f : table.breakpoints()) cuts.push_back(f);
  std::sort(cuts.begin(), cuts.end());
  cuts.erase(std::unique(cuts.begin(), cuts.end()), cuts.end());
  LogLogTable result;
  const PowerLaw* before = nullptr;
  for (std::size_t i = 1; i < cuts.size(); ++i) {
    std::vector<const PowerLaw*> laws;
    for (const LogLogTable& table : tables)
      if (const PowerLaw* law = table.stretch_at(std::sqrt(cuts[i - 1] * cuts[i]))) laws.push_back(law);
    std::vector<double> inner{cuts[i - 1], cuts[i]};
    for (const PowerLaw* a : laws) {
      for (const PowerLaw* b : laws) {  // ln(a/b) is linear in ln f
        const double difference = a->exponent() - b->exponent();
        if (a == b || difference == 0) continue;
        const double crossover = inner[0] * std::exp(-std::log(a->at(inner[0]) / b->at(inner[0])) / difference);
        if (a < b && crossover > inner[0] * (1 + 1e-12) && crossover < inner[1] * (1 - 1e-12))
          inner.push_back(crossover);
      }
    }
    std::sort(inner.begin(), inner.end());
    for (std::size_t k = 1; k < inner.size() && !laws.empty(); ++k) {
      const double middle = std::sqrt(inner[k - 1] * inner[k]);
      const PowerLaw* const lowest =
          *std::min_element(laws.begin(), laws.end(),
                            [&](const PowerLaw* a, const PowerLaw* b) { return a->at(middle) < b->at(middle); });
      if (lowest == before && result.to() == inner[k - 1]) {  // the same line goes on
        result.stretches_.back().f2 = inner[k];
        result.stretches_.back().v2 = lowest->at(inner[k]);
      } else {
        result.stretches_.push_back({inner[k - 1], inner[k], lowest->at(inner[k - 1]), lowest->at(inner[k])});
      }
      before = lowest;
    }
  }
  return result;
}

LogLogTable LogLogTable::scaled(double factor) const {
  LogLogTable result = *this;
  for (PowerLaw& stretch : result.stretches_) {
    stretch.v1 *= factor;
    stretch.v2 *= factor;
  }
  return result;
}

LogLogTable LogLogTable::times_omega(int k) const {
  LogLogTable result = *this;
  for (PowerLaw& stretch : result.stretches_) {
    stretch.v1 *= std::pow(2 * pi * stretch.f1, k);
    stretch.v2 *= std::pow(2 * pi * stretch.f2, k);
  }
  return result;
}

double LogLogTable::highest() const {
  double highest = 0;
  for (const PowerLaw& stretch : stretches_) highest = std::max({highest, stretch.v1, stretch.v2});
  return highest;
}

double LogLogTable::area() const {
  double sum = 0;
  for (const PowerLaw& stretch : stretches_) sum += stretch.moment(0);
  return sum;
}

double slope_in_decibels(const PowerLaw& stretch, double decibel_factor) {
  return decibel_factor * std::log10(2.0) * stretch.exponent();
}

double sweep_cycles(double from, double to, double octaves_per_minute) {
  return 60 * (to - from) / (octaves_per_minute * std::log(2.0));
}

}  // namespace avrenk
