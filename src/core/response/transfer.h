/// core/response/transfer.h: inputs are columns, channels are rows, and the modal state lies between them (theory 5).
///
/// The state of the model at one frequency stacks z = [q, q̇, q̈, u_b, u̇_b, ü_b]: m modal coordinates and six base
/// motions, each with two derivatives, 3(m+6) complex numbers. Whatever can be asked for is a row times z.
#pragma once

#include <complex>

#include "core/modes/damping.h"

namespace avrenk {

using Complex = std::complex<double>;

/// Where the parts of the state z begin.
struct StateLayout {
  int modes = 0;  ///< columns of the modal basis, residual vectors included
  [[nodiscard]] int size() const { return 3 * (modes + 6); }
  [[nodiscard]] int modal(int derivative) const { return derivative * modes; }         ///< q, q̇, q̈
  [[nodiscard]] int base(int derivative) const { return 3 * modes + 6 * derivative; }  ///< u_b, u̇_b, ü_b
};

/// Columns of unit inputs: each a combination of the six base accelerations (m/s², rad/s²). The modal forces of one
/// column d follow from theory 2:
///
///     p = −L ü_b − Φᵀ(C_ff B + C_fb) u̇_b − i Φᵀ(K_η,ff B + K_η,fb) u_b
///
/// The last two vanish for a base that moves the model rigidly.
struct InputColumns {
  Eigen::MatrixXd base;          ///< 6 x n
  Eigen::MatrixXd acceleration;  ///< −L d, m x n
  Eigen::MatrixXd velocity;      ///< m x n; empty when it vanishes
  Eigen::MatrixXd displacement;  ///< m x n, times i; empty when it vanishes
};

/// Base accelerations along the six directions given (columns of a 6 x n matrix).
[[nodiscard]] InputColumns base_inputs(const ModalBasis& basis, const ModalDamping& damping,
                                       const Eigen::MatrixXd& directions);

/// Steady state per unit input. Holds references: basis and damping must outlive it.
class Transfer {
 public:
  Transfer(const ModalBasis& basis, const ModalDamping& damping, InputColumns inputs);

  [[nodiscard]] const StateLayout& layout() const { return layout_; }

  /// z per unit input at a frequency (Hz) > 0: 3(m+6) x n, with H_r = 1/(ω_r² − ω² + i(2ζ_rω_rω + η_rω_r²)).
  [[nodiscard]] Eigen::MatrixXcd state(double frequency) const;
  /// dz/df, 1/Hz: exact derivative of the same expression.
  [[nodiscard]] Eigen::MatrixXcd state_slope(double frequency) const;

 private:
  struct Point;
  [[nodiscard]] Point at(double frequency) const;
  const ModalBasis& basis_;
  const ModalDamping& damping_;
  InputColumns inputs_;
  StateLayout layout_;
};

/// A row: one real quantity, linear in the state. Complex where a loss factor acts.
using Channel = Eigen::RowVectorXcd;

/// A channel, or the magnitude of three: the quadratic form wᵀw over the rows.
struct Measure {
  std::string label;      ///< where: a node, a spring, an element
  Eigen::MatrixXcd rows;  ///< 1 or 3 channels
  [[nodiscard]] bool is_magnitude() const { return rows.rows() > 1; }
};

}  // namespace avrenk
