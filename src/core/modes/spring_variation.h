/// core/modes/spring_variation.h: springs that are not what the matrices hold, in the modes (docs/theory.md,
/// "Isolators").
///
/// The matrices have k₀(1 + iη₀) of a spring. That it is k(1 + iη) instead is what an unstressed travel e would do,
///
///     e = −x δ,   x = (k(1 + iη) − k₀(1 + iη₀)) / k₀,   δ = G_q q + G_b u_b the travel,
///
/// which is a column of the model's loads: modal forces W e, W = k₀ G_qᵀ. Elements, joints, feet and bases take it as
/// any load, and the equations of the modes are closed by a system of as many unknowns as there are such travels
/// (Sherman–Morrison–Woodbury). In the span of the modes and the residual vectors of these columns it is exact.
#pragma once

#include <complex>
#include <memory>
#include <optional>

#include "core/algebra.h"
#include "core/log_interpolation.h"

namespace avrenk {

struct Assembly;    // core/model/assembly.h
struct ModalBasis;  // core/modes/modal_basis.h
struct System;      // core/system/system.h

/// One axis of one spring.
struct VaryingSpring {
  int column = 0;                              ///< among those of all loads
  int spring = 0, axis = 0;                    ///< index into Assembly::springs; x y z rx ry rz
  double stiffness = 0;                        ///< k₀: N/m, N m/rad
  double loss = 0;                             ///< η₀, 0 where it has no loss factor of its own
  LogTable stiffness_over, loss_over;          ///< k and η over Hz
  LogTable softening{{1, 1}}, growth{{1, 1}};  ///< factors on them over Hz: what the amplitude makes of them

  [[nodiscard]] double stiffness_at(double frequency) const;
  [[nodiscard]] double loss_at(double frequency) const;
  /// x at a frequency, Hz.
  [[nodiscard]] std::complex<double> stiffness_change(double frequency) const;
  /// dx/df, 1/Hz, by the laws that hold around `inside`; of what the amplitude makes, around the frequency.
  [[nodiscard]] std::complex<double> stiffness_change_slope(double frequency, double inside) const;
};

class SpringVariation {
 public:
  /// @param springs  r of them
  SpringVariation(std::vector<VaryingSpring> springs, const System& system, const ModalBasis& basis);

  [[nodiscard]] const std::vector<VaryingSpring>& springs() const { return springs_; }
  [[nodiscard]] Eigen::Index size() const { return travel_.rows(); }
  [[nodiscard]] const Eigen::MatrixXd& travel() const { return travel_; }     ///< G_q, r x m: m/√kg
  [[nodiscard]] const Eigen::MatrixXd& base_travel() const { return base_; }  ///< G_b, r x n_b; zero of rigid motions
  [[nodiscard]] const Eigen::MatrixXd& forces() const { return forces_; }     ///< W, m x r
  [[nodiscard]] Eigen::VectorXcd stiffness_change(double frequency) const;    ///< x, r
  [[nodiscard]] Eigen::VectorXcd stiffness_change_slope(double frequency, double inside) const;
  /// Whether x is the same at all frequencies.
  [[nodiscard]] bool is_constant() const { return table_points().empty(); }
  /// Frequencies of the points of all tables, Hz, ascending.
  [[nodiscard]] std::vector<double> table_points() const;
  /// Those at which a law changes. What amplitudes make is a smooth curve, drawn by many points: of it both sides of
  /// its jumps alone.
  [[nodiscard]] std::vector<double> breakpoints() const;
  /// Puts e, r x k, into its columns of loads as they are applied, n_l x k.
  void put(const Eigen::MatrixXcd& unstressed, Eigen::MatrixXcd& loads) const;
  /// e at rest, in phase with what acts, from Λ⁻¹p, m, and G_b u_b, r.
  [[nodiscard]] Eigen::VectorXd at_rest(const ModalBasis& basis, const Eigen::VectorXd& coordinates,
                                        const Eigen::VectorXd& carried) const;

 private:
  std::vector<VaryingSpring> springs_;
  Eigen::MatrixXd travel_, base_, forces_;
};

/// Adds a load for each joint whose springs follow a law, a column for each of their axes: behind all others.
void add_columns_of_springs(Assembly& assembly);

/// The springs of a model that are not always what its matrices hold: those whose stiffness or loss factor follows a
/// table, at the smallest amplitude, and those that a variant makes others. @param variant  empty: none
[[nodiscard]] std::vector<VaryingSpring> varying_springs(const Assembly& assembly, const std::string& variant);

/// A mode with the springs as they are at its own frequency.
struct SpringMode {
  double frequency = 0;   ///< Hz
  double ratio = 0;       ///< fraction of critical damping, η/2 included
  Eigen::VectorXd shape;  ///< on the coordinates, m; with mass 1
};
/// Coordinates y, q = Y y, in which Λ + W Re x G_q, with x of one frequency, and J are diagonal: modes by their
/// frequency, with mass 1, then what has no mass, with stiffness 1.
struct TurnedModes {
  Eigen::VectorXd omega;        ///< rad/s, m; infinite without mass
  Eigen::MatrixXd coordinates;  ///< Y, m x m
};
[[nodiscard]] TurnedModes turned_by_springs(const ModalBasis& basis, const SpringVariation& variation,
                                            double frequency);

/// Every mode with mass, by its frequency: those of Λ + W Re x G_q without damping; the damping is that of all parts by
/// their strain energy.
/// @param viscous, hysteretic  V (1/s) and D (1/s²), m x m, or their diagonals, m x 1
[[nodiscard]] std::vector<SpringMode> modes_with_springs(const ModalBasis& basis, const SpringVariation& variation,
                                                         const Eigen::MatrixXd& viscous,
                                                         const Eigen::MatrixXd& hysteretic);

}  // namespace avrenk
