/// core/response/transfer.h: inputs are columns, channels are rows, and the modal state lies between them (theory 5).
///
/// The state of the model at one frequency stacks z = [q, q̇, q̈, u_b, u̇_b, ü_b, f]: m modal coordinates and the n_b
/// motions of the bases, each with two derivatives, and the n_l loads as they are applied: 3(m + n_b) + n_l complex
/// numbers. Whatever can be asked for is a row times z.
#pragma once

#include <array>
#include <complex>
#include <span>

#include "core/excitation/amplitude.h"
#include "core/modes/damped_modes.h"

namespace avrenk {

struct ModalBasis;    // core/modes/modal_basis.h
struct ModalDamping;  // core/modes/damping.h

/// Where the parts of the state z begin.
struct StateLayout {
  int modes = 0;    ///< columns of the modal basis, residual vectors included
  int motions = 6;  ///< n_b: six for each base
  int loads = 0;    ///< n_l: columns of the model's loads
  [[nodiscard]] int size() const { return 3 * (modes + motions) + loads; }
  [[nodiscard]] int modal(int derivative) const { return derivative * modes; }               ///< q, q̇, q̈
  [[nodiscard]] int base(int derivative) const { return 3 * modes + motions * derivative; }  ///< u_b, u̇_b, ü_b
  [[nodiscard]] int load() const { return 3 * (modes + motions); }                           ///< f
  /// One part of the state: q, q̇, q̈, u_b, u̇_b, ü_b and f are 0 to 6.
  struct Block {
    int first = 0, count = 0;
  };
  static constexpr int blocks = 7;
  [[nodiscard]] Block block(int index) const;
  /// Of something that each row of the state has (size() x k) what each mode makes of it, whatever the derivative, then
  /// the bases and the loads: (modes + 2) x k.
  [[nodiscard]] Eigen::MatrixXd by_cause(const Eigen::MatrixXd& parts) const;
};
[[nodiscard]] StateLayout layout_of(const ModalBasis& basis);

/// Columns of unit inputs: each a combination of the accelerations of the bases (m/s², rad/s²) and of the loads,
/// complex where they act out of phase.
struct InputColumns {
  Eigen::MatrixXcd base;     ///< n_b x s
  Eigen::MatrixXcd loads{};  ///< n_l x s; empty: none acts
  /// The loads under amplitudes, s x k: n_l x k. A product without rows is none that BLAS knows.
  [[nodiscard]] Eigen::MatrixXcd applied(const Eigen::MatrixXcd& amplitudes) const;
};

/// Steady state per unit input. The modal forces of one column d of bases and l of loads follow from theory 2 and 5:
///
///     p = −L ü_b − Φᵀ(C_ff B + C_fb) u̇_b − i Φᵀ(K_η,ff B + K_η,fb) u_b + Φᵀf_f l
///
/// The two terms in the middle vanish for a base that moves the model rigidly. Springs that are not what the matrices
/// hold (ModalDamping::springs) add W e to them, and their columns of the loads as they are applied are e = −x δ:
///
///     (1 + X G_q Φ̂ W) e = −X (G_q Φ̂ p + G_b u_b),   Φ̂ p = q of p without them
///
/// Holds references: basis and damping must outlive it.
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

  /// z per unit input at a frequency (Hz) > 0, one column each.
  [[nodiscard]] Eigen::MatrixXcd state(double frequency) const;
  /// q alone, m x s.
  [[nodiscard]] Eigen::MatrixXcd coordinates(double frequency) const;
  /// q of all columns together at many frequencies: m x k. @param amplitudes  of the columns, s x k
  [[nodiscard]] Eigen::MatrixXcd coordinates(std::span<const double> frequencies,
                                             const Eigen::MatrixXcd& amplitudes) const;
  /// Σ |c|² over some combinations of the input columns, s x r, in coordinates in which it is cheap and no two cancel:
  /// those of DampedModes where their vectors are well conditioned, else q.
  [[nodiscard]] Eigen::ArrayXd squares(double frequency, const Eigen::MatrixXcd& amplitudes) const;
  /// Forces of the inputs by what they go with: constant, with u̇_b and with u_b; the last two empty where they
  /// vanish.
  struct Forces {
    Eigen::MatrixXcd constant, velocity, displacement;
    [[nodiscard]] Eigen::MatrixXcd at(double omega) const;
    [[nodiscard]] Eigen::MatrixXcd slope_at(double omega) const;
  };
  /// L p per unit input, k x s.
  [[nodiscard]] const Forces& damped_forces() const { return damped_; }
  /// Modal forces per unit input, m x s.
  [[nodiscard]] Eigen::MatrixXcd modal_force(double frequency) const;
  /// What all columns do together: c = G L (p a + W e), k, and e, r; or their derivatives by ω. With the damping as
  /// `damping.modes` has it.
  struct Damped {
    Eigen::VectorXcd coordinates, unstressed;
  };
  [[nodiscard]] Damped damped(double frequency, const Eigen::VectorXcd& amplitudes) const;
  /// @param amplitudes, slopes  a and da/dω, s
  /// @param inside  Hz, of the stretch of frequencies whose laws hold
  [[nodiscard]] Damped damped_slope(double frequency, double inside, const Damped& at,
                                    const Eigen::VectorXcd& amplitudes, const Eigen::VectorXcd& slopes) const;
  /// e of q, r x n: of any number of columns at one frequency. @param amplitudes  s x n
  [[nodiscard]] Eigen::MatrixXcd unstressed(double frequency, const Eigen::MatrixXcd& coordinates,
                                            const Eigen::MatrixXcd& amplitudes) const;

 private:
  // c, k x n, under forces L p and what bases alone make the springs travel, with e = −X (travel of all) + more.
  [[nodiscard]] Eigen::MatrixXcd closed(double frequency, const Eigen::MatrixXcd& forces,
                                        const Eigen::MatrixXcd& carried, const Eigen::MatrixXcd& more = {}) const;
  [[nodiscard]] Eigen::MatrixXcd carried(double omega, const Eigen::MatrixXcd& amplitudes) const;
  const ModalBasis& basis_;
  const ModalDamping& damping_;
  InputColumns inputs_;
  StateLayout layout_;
  bool directly_ = false;  // what couples the modes is kept, but not transformed
  Forces modal_, damped_;  // p, and L p
  // Of the springs of the damping: L W, k x r; rows of their travel on c, r x k, and per unit of the inputs' ü, r x s.
  Eigen::MatrixXcd spring_forces_, spring_rows_, spring_base_;
};

/// A row: one real quantity, linear in the state. Complex where a loss factor acts.
using Channel = Eigen::RowVectorXcd;

/// A channel, or the magnitude of several: the quadratic form wᵀw over the rows.
struct Measure {
  std::string label;       ///< where: a node, a spring, an element
  Eigen::MatrixXcd rows;   ///< 1 to 3 channels
  bool per_input = false;  ///< a ratio to the input, whatever its level: transmissibility, apparent mass
};

/// One measure over frequency: its rows are taken through the damped modes once, and each frequency is then diagonal
/// work. Holds a reference.
class Trace {
 public:
  Trace(const Transfer& transfer, const Eigen::MatrixXcd& rows);
  /// w = rows · z at a frequency, Hz. @param amplitudes  a of the columns, s
  [[nodiscard]] Eigen::VectorXcd at(double frequency, const Eigen::VectorXcd& amplitudes) const;
  /// w, and dw/df, 1/Hz: the exact derivative of the same expression. @param slopes  da/df, 1/Hz
  /// @param inside  Hz, of the stretch of frequencies whose laws hold
  [[nodiscard]] std::pair<Eigen::VectorXcd, Eigen::VectorXcd> with_slope(double frequency, double inside,
                                                                         const Eigen::VectorXcd& amplitudes,
                                                                         const Eigen::VectorXcd& slopes) const;

 private:
  [[nodiscard]] Eigen::VectorXcd from(const Transfer::Damped& at, double omega,
                                      const Eigen::VectorXcd& amplitudes) const;
  const Transfer& transfer_;
  std::array<Eigen::MatrixXcd, 3> on_modes_;   // rows on c, iωc, −ω²c; empty where they vanish
  Eigen::MatrixXcd on_unstressed_;             // rows on e; empty where they vanish
  std::array<Eigen::MatrixXcd, 3> on_inputs_;  // on the bases' u, u̇, ü (and the loads, in the last): per unit input
};

/// States at many frequencies, of all input columns together; made for tall products with many channels.
class StateTable {
 public:
  StateTable() = default;
  /// @param amplitudes  of the columns at each frequency, s x k
  StateTable(const Transfer& transfer, std::span<const double> frequencies, const Eigen::MatrixXcd& amplitudes);

  /// rows · z at every frequency: channels x frequencies. Blocks of the state that no row uses cost nothing.
  [[nodiscard]] Eigen::MatrixXcd times(const Eigen::MatrixXcd& rows) const;
  /// Largest |z_j| in each of 32 stretches of the frequencies, z divided by `over` at each where that is not zero;
  /// empty: as it is.
  [[nodiscard]] Eigen::MatrixXd largest_in_stretches(std::span<const double> over) const;
  [[nodiscard]] Eigen::MatrixXcd coordinates() const { return block(0); }  ///< q, m x frequencies
  [[nodiscard]] Eigen::MatrixXcd loads() const { return block(6); }        ///< as they are applied, n_l x frequencies
  /// The same as real numbers, m x 2 frequencies: real parts, then imaginary parts.
  [[nodiscard]] const Eigen::MatrixXd& coordinates_side_by_side() const { return parts_[0]; }

 private:
  StateLayout layout_;
  Eigen::Index points_ = 0;
  [[nodiscard]] Eigen::MatrixXcd block(std::size_t index) const;
  std::array<Eigen::MatrixXd, StateLayout::blocks>
      parts_;  // the blocks of z, real parts then imaginary parts side by side
};

}  // namespace avrenk
