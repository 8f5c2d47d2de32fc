/// core/excitation/pressure_field.h: a random pressure on a surface that is not the same everywhere, and what of it the
/// modes see (theory 7).
#pragma once

#include <complex>
#include <span>
#include <string>
#include <vector>

#include "core/algebra.h"
#include "core/model/load.h"

namespace avrenk {

/// How the pressures at two points of a surface go together: S_12 = γ(x₂ − x₁, f) S, S the same everywhere.
struct PressureField {
  enum class Law {
    /// Plane waves from all directions, γ = sin(kd)/(kd) with k = 2πf/c (Cook, Waterhouse, Berendt, Edelman & Thompson,
    /// J. Acoust. Soc. Am. 27, 1955). S is the pressure on the surface, what it throws back included.
    diffuse,
    /// Eddies that a flow carries along and that decay, γ = exp(−ω(α|ξ| + β|η|)/U − iωξ/U), ξ along the flow and η
    /// across
    /// it (Corcos, J. Acoust. Soc. Am. 35, 1963).
    boundary_layer
  };
  Law law = Law::diffuse;
  double speed = 340;                  ///< m/s: c of sound, or U at which eddies are carried along
  Vector3 flow = Vector3::UnitX();     ///< unit, of a boundary layer
  double along = 0.116, across = 0.7;  ///< α, β: measured on smooth walls
  /// γ. @param apart  x₂ − x₁, m
  [[nodiscard]] std::complex<double> coherence(const Vector3& apart, double frequency) const;
  /// Length over which it is about the same, m: that of its waves, or over which eddies decay across the flow.
  [[nodiscard]] double length(double frequency) const;
  /// "diffuse field, 340 m/s".
  [[nodiscard]] std::string words() const;
};

/// J(f) = Wᴴ γ W of some patterns on the faces of a surface, n x n: what the matrix of spectra of their amplitudes is
/// per unit of the pressure's. Computed at Chebyshev points and interpolated between them: as a function of frequency
/// it is entire, so that a polynomial closes in on it faster than any power.
class JointAcceptances {
 public:
  /// @param weights   W, faces x n: amplitudes of the patterns per pressure on a face
  /// @param from, to  Hz
  JointAcceptances(const PressureField& field, std::span<const PressedFace> faces, const Eigen::MatrixXd& weights,
                   double from, double to, int threads);
  [[nodiscard]] Eigen::Index size() const { return size_; }
  [[nodiscard]] Eigen::MatrixXcd at(double frequency) const;
  /// Of the largest entry, what a root leaves out: about what rounding makes of J.
  static constexpr double left_out = 1e-14;
  /// L with L Lᴴ = J there, n x r, but for what it leaves out.
  [[nodiscard]] Eigen::MatrixXcd root(double frequency) const;
  /// Largest difference of the interpolation from a further frequency of each of its panels, as a part of the largest
  /// entry.
  [[nodiscard]] double error() const { return error_; }
  [[nodiscard]] int frequencies() const { return frequencies_; }

 private:
  struct Panel {
    double from, to;
    std::vector<double> points;  // Hz
    std::vector<Eigen::MatrixXcd> values{};
    Eigen::MatrixXd real{}, imaginary{};  // the same entry by entry of the lower triangles, one column a point
  };
  static void pack(Panel& panel);
  [[nodiscard]] static Eigen::VectorXd weights_at(const Panel& panel, double frequency);
  [[nodiscard]] static Eigen::MatrixXcd interpolated(const Panel& panel, double frequency);
  [[nodiscard]] static double last_coefficients(const Panel& panel);
  template <typename Compute>
  void add_panels(const Compute& compute, double from, double to, int halvings);
  std::vector<Panel> panels_;
  Eigen::Index size_ = 0;
  double error_ = 0, largest_ = 0;
  int frequencies_ = 0;
};

/// L with L Lᴴ = A, n x r, by Cholesky's factorisation with pivots, until no diagonal entry of what is left is above
/// `negligible`. Of A the whole matrix is read.
[[nodiscard]] Eigen::MatrixXcd pivoted_root(const Eigen::MatrixXcd& a, double negligible);

}  // namespace avrenk
