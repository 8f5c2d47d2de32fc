/// core/excitation/spectrum.h: several random inputs at once, as the matrix of their spectra (theory 7).
#pragma once

#include <complex>
#include <memory>
#include <string>
#include <vector>

#include "core/algebra.h"
#include "core/excitation/pressure_field.h"
#include "core/excitation/profile.h"

namespace avrenk {

/// How two random inputs go together: S_21 = γ e^{iθ} √(S_11 S_22), θ the phase of the second relative to the first.
struct Coherence {
  struct Point {
    double frequency = 0;  ///< Hz
    double magnitude = 0;  ///< γ, 0 … 1; the coherence of signal analysis is its square
    double phase = 0;      ///< rad
  };
  int first = 0, second = 0;  ///< sources
  /// γ and θ, straight over frequency between points, beyond them as at the last: never S_21 itself, whose real and
  /// imaginary parts turn. One point: the same everywhere.
  std::vector<Point> points;
  double delay = 0;  ///< s by which the second comes later: θ falls by 2πfτ besides
  double decay = 0;  ///< s: γ falls by e^{−f·decay} besides
  [[nodiscard]] std::complex<double> at(double frequency) const;  ///< γ e^{iθ}
};

/// Columns whose squares add up: a = L(f) at some points, those of one point side by side.
struct SpectralRoots {
  std::vector<double> frequencies;  ///< Hz, of each column
  Eigen::MatrixXcd columns;         ///< n x P
  std::vector<Eigen::Index> first;  ///< column of each point, and P behind them
};

/// One-sided spectral matrix S(f) of n random inputs, Hermitian, no eigenvalue below zero; (unit of the input)²/Hz.
/// Zero outside the tables of the levels. An input is a source by itself; a pressure field is one source of many
/// inputs, the amplitudes of its patterns, and goes together with no other.
class SpectralMatrix {
 public:
  SpectralMatrix() = default;
  SpectralMatrix(const LogLogTable& level) : SpectralMatrix({level}, {}, {""}) {}  // NOLINT: one table is a matrix
  /// Pairs that are not named are not correlated.
  /// @param names   of the sources, for messages
  /// @param fields  of each source; nullptr, or none at all: an input by itself
  /// @throws InputError  a coherence above 1, or some that contradict one another: with the frequency and the pair
  SpectralMatrix(std::vector<LogLogTable> levels, std::vector<Coherence> pairs, std::vector<std::string> names,
                 std::vector<std::shared_ptr<const JointAcceptances>> fields = {});

  [[nodiscard]] Eigen::Index size() const { return first_.empty() ? 0 : first_.back(); }
  /// Its roots are not exact, as a part of the largest spectrum: those of pressure fields are cut off at rounding.
  [[nodiscard]] double left_out() const { return fields_.empty() ? 0 : JointAcceptances::left_out; }
  [[nodiscard]] std::size_t sources() const { return levels_.size(); }
  /// First input of each source, and n behind them.
  [[nodiscard]] const std::vector<Eigen::Index>& first_inputs() const { return first_; }
  /// Of the sources.
  [[nodiscard]] const std::vector<LogLogTable>& levels() const { return levels_; }
  [[nodiscard]] double from() const;  ///< Hz, of all levels
  [[nodiscard]] double to() const;
  /// By how many periods the phase between two inputs turns over the whole band because one comes later, at most.
  [[nodiscard]] double turns() const;
  /// Frequencies (Hz) at which any law changes, ascending, from from() to to().
  [[nodiscard]] std::vector<double> edges() const;
  /// Points at which curves need a point: those of all levels with both sides of their steps, and of the coherences.
  [[nodiscard]] std::vector<double> curve_points() const;

  /// L with L Lᴴ = S, n x r, by Cholesky's factorisation of the coherences with pivots: r is the rank there. At a step
  /// the higher level applies.
  /// @throws InputError  see the constructor
  [[nodiscard]] Eigen::MatrixXcd root(double frequency) const;
  /// The same by the laws that hold around `inside`.
  [[nodiscard]] Eigen::MatrixXcd root(double frequency, double inside) const;
  [[nodiscard]] SpectralRoots roots(const std::vector<double>& frequencies) const;
  /// PSD of one source.
  [[nodiscard]] double level(std::size_t source, double frequency) const { return levels_[source].at(frequency); }

 private:
  [[nodiscard]] Eigen::MatrixXcd root_of(const Eigen::VectorXd& amplitudes, double frequency) const;
  [[nodiscard]] Eigen::MatrixXcd root_of_sources(const Eigen::VectorXd& amplitudes, double frequency) const;
  std::vector<LogLogTable> levels_;
  std::vector<Coherence> pairs_;
  std::vector<std::string> names_;
  std::vector<std::shared_ptr<const JointAcceptances>> fields_;  // of each source; empty: none
  std::vector<Eigen::Index> first_;
};

}  // namespace avrenk
