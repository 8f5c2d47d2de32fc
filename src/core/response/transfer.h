/// core/response/transfer.h: inputs are columns, channels are rows, and the modal state lies between them (theory 5).
///
/// The state of the model at one frequency stacks z = [q, q̇, q̈, u_b, u̇_b, ü_b]: m modal coordinates and the n_b motions
/// of the bases, each with two derivatives, 3(m + n_b) complex numbers. Whatever can be asked for is a row times z.
#pragma once

#include <array>
#include <complex>
#include <span>

#include "core/modes/damping.h"

namespace avrenk {

/// Where the parts of the state z begin.
struct StateLayout {
  int modes = 0;    ///< columns of the modal basis, residual vectors included
  int motions = 6;  ///< n_b: six for each base
  [[nodiscard]] int size() const { return 3 * (modes + motions); }
  [[nodiscard]] int modal(int derivative) const { return derivative * modes; }               ///< q, q̇, q̈
  [[nodiscard]] int base(int derivative) const { return 3 * modes + motions * derivative; }  ///< u_b, u̇_b, ü_b
};

/// Columns of unit inputs: each a combination of the accelerations of the bases (m/s², rad/s²), complex where they move
/// out of phase. The modal forces of one column d follow from theory 2:
///
///     p = −L ü_b − Φᵀ(C_ff B + C_fb) u̇_b − i Φᵀ(K_η,ff B + K_η,fb) u_b
///
/// The last two vanish for a base that moves the model rigidly.
struct InputColumns {
  Eigen::MatrixXcd base;          ///< n_b x n
  Eigen::MatrixXcd acceleration;  ///< −L d, m x n
  Eigen::MatrixXcd velocity;      ///< m x n; empty when it vanishes
  Eigen::MatrixXcd displacement;  ///< m x n, times i; empty when it vanishes
};

/// Accelerations of the bases along the columns of an n_b x n matrix.
[[nodiscard]] InputColumns base_inputs(const ModalBasis& basis, const ModalDamping& damping,
                                       const Eigen::MatrixXcd& directions);

/// Steady state per unit input. Holds references: basis and damping must outlive it.
class Transfer {
 public:
  /// With the damping as `damping.modes` has it.
  Transfer(const ModalBasis& basis, const ModalDamping& damping, InputColumns inputs);
  /// The same inputs with what couples the modes kept, whatever the plan says: a system of m equations a frequency.
  [[nodiscard]] Transfer with_coupling() const;

  [[nodiscard]] const StateLayout& layout() const { return layout_; }
  [[nodiscard]] const ModalBasis& basis() const { return basis_; }
  [[nodiscard]] const ModalDamping& damping() const { return damping_; }
  [[nodiscard]] const InputColumns& inputs() const { return inputs_; }

  /// z per unit input at a frequency (Hz) > 0: 3(m+n_b) x n.
  [[nodiscard]] Eigen::MatrixXcd state(double frequency) const;
  /// q alone, m x n.
  [[nodiscard]] Eigen::MatrixXcd coordinates(double frequency) const;
  /// q of the first input column at many frequencies: m x frequencies.
  [[nodiscard]] Eigen::MatrixXcd coordinates(std::span<const double> frequencies) const;
  /// |c|² of the first input column, in coordinates in which it is cheap and no two cancel: those of DampedModes where
  /// their vectors are well conditioned, else q.
  [[nodiscard]] Eigen::ArrayXd squares(double frequency) const;
  /// Modal forces per unit input, m x n.
  [[nodiscard]] Eigen::MatrixXcd modal_force(double frequency) const;
  /// c = G L p of the first input column, k; and dc/dω from it. With the damping as `damping.modes` has it.
  [[nodiscard]] Eigen::VectorXcd damped(double frequency) const;
  [[nodiscard]] Eigen::VectorXcd damped_slope(double frequency, const Eigen::VectorXcd& c) const;

 private:
  [[nodiscard]] Eigen::MatrixXcd damped_force(double omega) const;
  const ModalBasis& basis_;
  const ModalDamping& damping_;
  InputColumns inputs_;
  StateLayout layout_;
  bool directly_ = false;                                    // what couples the modes is kept, but not transformed
  Eigen::MatrixXcd acceleration_, velocity_, displacement_;  // L times the forces of the inputs
};

/// A row: one real quantity, linear in the state. Complex where a loss factor acts.
using Channel = Eigen::RowVectorXcd;

/// A channel, or the magnitude of several: the quadratic form wᵀw over the rows.
struct Measure {
  std::string label;       ///< where: a node, a spring, an element
  Eigen::MatrixXcd rows;   ///< 1 to 3 channels
  bool per_input = false;  ///< a ratio to the input, whatever its level: transmissibility, apparent mass
};

/// One measure over frequency, per unit of the first input column: its rows are taken through the damped modes once,
/// and each frequency is then diagonal work. Holds a reference.
class Trace {
 public:
  Trace(const Transfer& transfer, const Eigen::MatrixXcd& rows);
  /// w = rows · z at a frequency, Hz.
  [[nodiscard]] Eigen::VectorXcd at(double frequency) const;
  /// w, and dw/df, 1/Hz: the exact derivative of the same expression.
  [[nodiscard]] std::pair<Eigen::VectorXcd, Eigen::VectorXcd> with_slope(double frequency) const;

 private:
  [[nodiscard]] Eigen::VectorXcd from(const Eigen::VectorXcd& c, double omega) const;
  const Transfer& transfer_;
  std::array<Eigen::MatrixXcd, 3> on_modes_;  // rows on c, iωc, −ω²c; empty where they vanish
  std::array<Eigen::VectorXcd, 3> on_base_;   // times the base's acceleration: on u_b, u̇_b, ü_b
};

/// States at many frequencies, under one input column times a level; made for tall products with many channels.
class StateTable {
 public:
  StateTable() = default;
  /// @param levels  factor on the unit input at each frequency
  StateTable(const Transfer& transfer, std::span<const double> frequencies, std::span<const double> levels);

  /// rows · z at every frequency: channels x frequencies. Blocks of the state that no row uses cost nothing.
  [[nodiscard]] Eigen::MatrixXcd times(const Eigen::MatrixXcd& rows) const;
  /// Largest |z_j| in each of 32 stretches of the frequencies, z divided by `over` at each; empty: as it is.
  [[nodiscard]] Eigen::MatrixXd largest_in_stretches(std::span<const double> over) const;
  /// q, m x frequencies.
  [[nodiscard]] Eigen::MatrixXcd coordinates() const;
  /// The same as real numbers, m x 2 frequencies: real parts, then imaginary parts.
  [[nodiscard]] const Eigen::MatrixXd& coordinates_side_by_side() const { return parts_[0]; }

 private:
  StateLayout layout_;
  Eigen::Index points_ = 0;
  std::array<Eigen::MatrixXd, 6> parts_;  // the six blocks of z, real parts then imaginary parts side by side
};

}  // namespace avrenk
