#include "core/excitation/spectrum.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/error.h"
#include "core/excitation/frequency_grid.h"
#include "core/quantity/quantity.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::VectorXd;

std::complex<double> Coherence::at(double frequency) const {
  if (points.empty()) return 0;
  const auto after =
      std::partition_point(points.begin(), points.end(), [&](const Point& p) { return p.frequency <= frequency; });
  double magnitude = 0, phase = 0;
  if (after == points.begin() || after == points.end()) {
    const Point& end = after == points.begin() ? points.front() : points.back();
    magnitude = end.magnitude;
    phase = end.phase;
  } else {
    const Point &low = *std::prev(after), &high = *after;
    const double part = (frequency - low.frequency) / (high.frequency - low.frequency);
    magnitude = std::lerp(low.magnitude, high.magnitude, part);
    phase = std::lerp(low.phase, high.phase, part);
  }
  return std::polar(magnitude * std::exp(-frequency * decay), phase - 2 * pi * frequency * delay);
}

SpectralMatrix::SpectralMatrix(std::vector<LogLogTable> levels, std::vector<Coherence> pairs,
                               std::vector<std::string> names,
                               std::vector<std::shared_ptr<const JointAcceptances>> fields)
    : levels_(std::move(levels)), pairs_(std::move(pairs)), names_(std::move(names)), fields_(std::move(fields)) {
  if (std::all_of(fields_.begin(), fields_.end(), [](const auto& each) { return !each; })) fields_.clear();
  first_ = {0};
  for (std::size_t k = 0; k < levels_.size(); ++k)
    first_.push_back(first_.back() + (fields_.empty() || !fields_[k] ? 1 : fields_[k]->size()));
  for (const Coherence& pair : pairs_)
    for (const Coherence::Point& point : pair.points)
      if (!(point.magnitude >= 0 && point.magnitude <= 1))
        throw_input_error(
            "",
            fmt::format("the coherence of {} and {} is {:.4g}", names_[static_cast<std::size_t>(pair.first)],
                        names_[static_cast<std::size_t>(pair.second)], point.magnitude),
            "give one between 0 and 1");
  // Where it contradicts itself is found now, not in the middle of a run: at all edges and between them.
  constexpr int between = 4;
  const std::vector<double> at = edges();
  for (std::size_t k = 0; k + 1 < at.size(); ++k)
    for (int i = 0; i < between; ++i) {
      const double f = at[k] * std::pow(at[k + 1] / at[k], (i + 0.5) / between);
      (void)root(f, f);
    }
}

double SpectralMatrix::from() const {
  double lowest = levels_.front().from();
  for (const LogLogTable& each : levels_) lowest = std::min(lowest, each.from());
  return lowest;
}

double SpectralMatrix::to() const {
  double highest = 0;
  for (const LogLogTable& each : levels_) highest = std::max(highest, each.to());
  return highest;
}

double SpectralMatrix::turns() const {
  double longest = 0;
  for (const Coherence& pair : pairs_) longest = std::max(longest, std::abs(pair.delay));
  return longest * (to() - from());
}

std::vector<double> SpectralMatrix::edges() const {
  std::vector<double> all;
  for (const LogLogTable& each : levels_)
    for (const double f : each.breakpoints()) all.push_back(f);
  for (const Coherence& pair : pairs_)
    for (const Coherence::Point& point : pair.points) all.push_back(point.frequency);
  return once_inside(std::move(all), from(), to());
}

std::vector<double> SpectralMatrix::curve_points() const {
  std::vector<double> all = edges();
  for (const LogLogTable& each : levels_)
    for (const double f : each.curve_points()) all.push_back(f);
  return once_inside(std::move(all), from(), to());
}

MatrixXcd SpectralMatrix::root(double frequency) const {
  VectorXd amplitudes(std::ssize(levels_));
  for (Index k = 0; k < amplitudes.size(); ++k)
    amplitudes[k] = std::sqrt(level(static_cast<std::size_t>(k), frequency));
  return root_of(amplitudes, frequency);
}

MatrixXcd SpectralMatrix::root(double frequency, double inside) const {
  VectorXd amplitudes(std::ssize(levels_));
  for (Index k = 0; k < amplitudes.size(); ++k) {
    const PowerLaw* const law = levels_[static_cast<std::size_t>(k)].stretch_at(inside);
    amplitudes[k] = law ? std::sqrt(law->at(frequency)) : 0;
  }
  return root_of(amplitudes, frequency);
}

// Block by block: the sources that are inputs by themselves, then each field. @param amplitudes  of the sources
MatrixXcd SpectralMatrix::root_of(const VectorXd& amplitudes, double frequency) const {
  if (fields_.empty()) return root_of_sources(amplitudes, frequency);
  VectorXd single = amplitudes;
  std::vector<std::pair<Index, MatrixXcd>> blocks;
  Index columns = 0;
  for (Index k = 0; k < amplitudes.size(); ++k) {
    const auto& field = fields_[static_cast<std::size_t>(k)];
    if (!field) continue;
    single[k] = 0;
    if (!(amplitudes[k] > 0)) continue;
    blocks.emplace_back(first_[static_cast<std::size_t>(k)], amplitudes[k] * field->root(frequency));
    columns += blocks.back().second.cols();
  }
  const bool any_single = single.maxCoeff() > 0;
  const MatrixXcd between = any_single ? root_of_sources(single, frequency) : MatrixXcd(single.size(), 0);
  MatrixXcd root = MatrixXcd::Zero(size(), between.cols() + columns);
  for (Index k = 0; k < single.size(); ++k)
    root.row(first_[static_cast<std::size_t>(k)]).head(between.cols()) = between.row(k);
  Index at = between.cols();
  for (const auto& [row, block] : blocks) {
    root.block(row, at, block.rows(), block.cols()) = block;
    at += block.cols();
  }
  return root;
}

// The coherences are factored, not the spectra, so that a weak input counts like a strong one.
MatrixXcd SpectralMatrix::root_of_sources(const VectorXd& amplitudes, double frequency) const {
  const Index n = amplitudes.size();
  if (pairs_.empty()) return amplitudes.cast<std::complex<double>>().asDiagonal();
  MatrixXcd rest = MatrixXcd::Identity(n, n);
  for (const Coherence& pair : pairs_) {
    rest(pair.second, pair.first) = pair.at(frequency);
    rest(pair.first, pair.second) = std::conj(rest(pair.second, pair.first));
  }
  for (Index k = 0; k < n; ++k)  // what does nothing here contradicts nothing
    if (amplitudes[k] == 0) {
      rest.row(k).setZero();
      rest.col(k).setZero();
    }
  const MatrixXcd given = rest;
  const double rounding = 1e-12 * static_cast<double>(n), contradiction = 1e-9 * static_cast<double>(n);
  const MatrixXcd factor = pivoted_root(given, rounding);
  rest -= factor * factor.adjoint();
  // What is left of a matrix without negative eigenvalues is nothing.
  Index first = 0, second = 0;
  if (rest.cwiseAbs().maxCoeff(&first, &second) > contradiction) {
    if (first == second) {
      Eigen::VectorXd others = given.row(first).cwiseAbs().transpose();
      others[first] = -1;
      others.maxCoeff(&second);
    }
    throw_input_error(
        "",
        fmt::format(
            "at {:.5g} Hz the coherence of {} and {} contradicts those of the others: the matrix of spectra has "
            "a negative eigenvalue",
            frequency, names_[static_cast<std::size_t>(std::min(first, second))],
            names_[static_cast<std::size_t>(std::max(first, second))]),
        "lower it, or raise those of both with the others");
  }
  return amplitudes.asDiagonal() * factor;
}

SpectralRoots SpectralMatrix::roots(const std::vector<double>& frequencies) const {
  SpectralRoots spectral_roots;
  std::vector<MatrixXcd> roots;
  roots.reserve(frequencies.size());
  Index columns = 0;
  for (const double f : frequencies) {
    spectral_roots.first.push_back(columns);
    columns += roots.emplace_back(root(f)).cols();
  }
  spectral_roots.first.push_back(columns);
  spectral_roots.columns.resize(size(), columns);
  spectral_roots.frequencies.resize(static_cast<std::size_t>(columns));
  for (std::size_t k = 0; k < roots.size(); ++k) {
    spectral_roots.columns.middleCols(spectral_roots.first[k], roots[k].cols()) = roots[k];
    std::fill_n(spectral_roots.frequencies.begin() + spectral_roots.first[k], roots[k].cols(), frequencies[k]);
  }
  return spectral_roots;
}

}  // namespace avrenk
