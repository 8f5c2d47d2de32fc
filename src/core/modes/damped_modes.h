/// core/modes/damped_modes.h: the modal equations with their damping whole, transformed once for all frequencies
/// (theory 4, "Damping kept whole").
#pragma once

#include <complex>
#include <span>
#include <utility>
#include <vector>

#include "core/algebra.h"

namespace avrenk {

using Complex = std::complex<double>;
inline constexpr Complex imaginary(0, 1);

/// J q̈ + V q̇ + (Λ + iD) q = p at ω > 0; J is 1 of m modes and 0 of g shapes without mass after them; k coordinates c:
///
///     q = R c,   c = G(ω) L p
///
/// | form       | k  | G(ω) |
/// |------------|----|------|
/// | uncoupled  | m  | diag 1/(ω_r² − ω² + i(2ζ_rω_rω + η_rω_r²)), R = L = I |
/// | hysteretic | m  | diag 1/(μ − ω²): V = 0, (Λ + iD)X = X diag μ, R = X, L = X⁻¹ |
/// | poles      | 2m | diag 1/(iω − s): eigenvectors of the equations of first order in [Ωq, q̇], Ω² = Λ |
/// | triangular | 2m | (iω − T)⁻¹: their Schur form, which defective equations have too |
///
/// Eigenvectors are used where their condition is below `largest_condition`: not at critical damping and equal roots.
/// Without mass a shape that a dashpot moves is a state of first order, one more in the last two forms (V may have no
/// part in any mode then); one that only loss factors move follows the others at once, and has a coordinate of gain 1
/// at the end for the forces on itself.
class DampedModes {
 public:
  enum class Form { uncoupled, hysteretic, poles, triangular };
  static constexpr double largest_condition = 1e4;

  DampedModes() = default;
  /// With what couples the modes left out: the diagonals of V and D alone.
  /// @param omega  infinite of shapes without mass, whose Λ is 1
  DampedModes(const Eigen::VectorXd& omega, const Eigen::VectorXd& viscous, const Eigen::VectorXd& hysteretic);
  /// Whole. @param viscous, hysteretic  V (1/s; s without mass), D (1/s²; 1), symmetric, positive semidefinite
  /// @throws NumericalError  the eigenvalue problem does not converge
  DampedModes(const Eigen::VectorXd& omega, const Eigen::MatrixXd& viscous, const Eigen::MatrixXd& hysteretic);

  /// The same of coordinates y with q = Y y. @pre not uncoupled
  void change_coordinates(const Eigen::MatrixXd& y);

  [[nodiscard]] Form form() const { return form_; }
  /// Of the eigenvectors, |X| |X⁻¹| / k in the Frobenius norm: 1 where they are orthonormal. Of the triangular form
  /// that of the eigenvectors it replaces.
  [[nodiscard]] double condition() const { return condition_; }
  [[nodiscard]] Eigen::Index coordinates() const { return poles_.size(); }
  [[nodiscard]] bool is_diagonal() const { return form_ != Form::triangular; }
  [[nodiscard]] bool is_first_order() const { return form_ == Form::poles || form_ == Form::triangular; }

  /// L p, k x n.
  [[nodiscard]] Eigen::MatrixXcd forces(const Eigen::MatrixXcd& modal) const;
  /// Rows on q as rows on c: B R, j x k.
  [[nodiscard]] Eigen::MatrixXcd rows(const Eigen::MatrixXcd& on_modes) const;
  /// Rows on q̇ as rows on c, of a decay or a sweep; first-order forms only, and only of modes with mass.
  [[nodiscard]] Eigen::MatrixXcd velocity_rows(const Eigen::MatrixXcd& on_velocities) const;
  /// q = R c, m x n.
  [[nodiscard]] Eigen::MatrixXcd modal(const Eigen::MatrixXcd& coordinates) const;

  /// G(ω) b at one frequency, k x n.
  [[nodiscard]] Eigen::MatrixXcd respond(double omega, const Eigen::MatrixXcd& b) const;
  /// The diagonal of G(ω), k. @pre is_diagonal()
  [[nodiscard]] Eigen::ArrayXcd gain(double omega) const;
  /// Of a diagonal G the coefficients of 1/G_r = a_r + b_r ω + c_r ω², k x 3.
  [[nodiscard]] Eigen::MatrixXcd denominators() const;
  /// G(ω)⁻¹, k x k.
  [[nodiscard]] Eigen::MatrixXcd resistance(double omega) const;
  /// −d(G⁻¹)/dω c: dG/dω b = G of it, of c = G b.
  [[nodiscard]] Eigen::MatrixXcd slope_forces(double omega, const Eigen::MatrixXcd& c) const;
  /// Column i of b at frequency i, in place: k x frequencies. Of the triangular form in blocks.
  void respond_each(std::span<const double> omegas, Eigen::MatrixXcd& b) const;

  /// What each coordinate does by itself: s with ċ = s c (+ forces), coordinate by coordinate; of hysteretic and
  /// uncoupled forms the root with positive imaginary part.
  [[nodiscard]] const Eigen::VectorXcd& poles() const { return poles_; }
  /// Of a coordinate of second order the other root.
  [[nodiscard]] Complex other_pole(Eigen::Index r) const;
  /// Of a coordinate that follows its force at once, the last ones.
  [[nodiscard]] bool is_static(Eigen::Index r) const { return r >= coordinates() - static_; }
  /// T of the triangular form; empty otherwise.
  [[nodiscard]] const Eigen::MatrixXcd& triangle() const { return triangle_; }
  /// Natural frequency |s|/2π (Hz) and fraction of critical damping −Re s/|s| of all poles that swing, ascending.
  [[nodiscard]] std::vector<std::pair<double, double>> resonances() const;

 private:
  struct Equations;
  void transform_hysteretic(const Equations& equations);
  void transform_whole(const Equations& equations);
  void set(const Equations& equations, const Eigen::MatrixXcd& right, const Eigen::MatrixXcd& left);

  Form form_ = Form::uncoupled;
  double condition_ = 1;
  Eigen::Index static_ = 0;
  Eigen::VectorXcd poles_;                               // 0 of static coordinates
  Eigen::ArrayXd inertia_, stiffness_, viscous_, loss_;  // uncoupled: J, Λ, and the diagonals of V and D
  Eigen::ArrayXcd squares_;                              // hysteretic: μ
  Eigen::MatrixXcd right_, left_, velocities_;           // R, L, rows of q̇; empty: identity
  Eigen::MatrixXcd triangle_;
};

}  // namespace avrenk
