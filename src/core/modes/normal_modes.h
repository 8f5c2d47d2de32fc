/// core/modes/normal_modes.h: which modes are wanted, at which shifts they are searched for, and the proof that none is
/// missing (theory 3).
#pragma once

#include <optional>
#include <vector>

#include "core/modes/lanczos.h"
#include "core/progress.h"

namespace avrenk {

/// λ of a free motion is rounding: with a shift below zero it lies within this part of the shift from zero.
inline constexpr double free_motion_part = 1e-3;

/// Exactly one is given.
struct ModeRange {
  std::optional<double> below;  ///< all with λ < this, (rad/s)²
  std::optional<int> count;     ///< the lowest so many
};

/// What was done for one factorisation K − σM.
struct ModeSlice {
  double shift = 0;  ///< σ, (rad/s)²
  int below = 0;     ///< negative pivots: modes below it
  int found = 0;     ///< modes found around it
  double factor_seconds = 0;
};

/// Finds modes slice by slice. The first slice uses a factorisation that is there anyway; each further one makes its
/// own, whose negative pivots say how many modes lie below its shift: all of these must be found before the search goes
/// on (Sylvester's law of inertia; Grimes, Lewis & Simon, SIAM J. Matrix Anal. 15(1), 1994). Only one factorisation is
/// held at a time. Up to a few hundred modes are one slice, closed by one count at its upper end.
class NormalModes {
 public:
  /// @param stiffness, mass, order  must outlive this
  NormalModes(const SparseMatrix& stiffness, const SparseMatrix& mass, const EliminationOrder& order, int threads,
              Progress progress);

  /// Modes below λ, by the pivots of a factorisation of its own.
  int count_below(double value);

  /// The lowest modes, or the first slice of them.
  /// @param shifted  K − σM, σ below all modes (or zero); it may be let go afterwards
  void begin(const Factorisation& shifted, double shift, const ModeRange& range);
  /// What is left of the range after `begin`, and the proof.
  /// @throws NumericalError  not converged, or pivots and modes do not agree
  void complete();

  /// The `count` modes whose ω is nearest to √λ: all modes between the lowest and the highest of them.
  void find_nearest(double value, int count);

  Eigen::VectorXd values;         ///< λ, ascending
  Eigen::MatrixXd shapes;         ///< n x m, ΦᵀMΦ = I
  double proven_below = 0;        ///< λ: none is missing below, but `missing_below`
  int counted_below = 0;          ///< modes below it, by pivots
  int missing_below = 0;          ///< modes below the lowest that is kept: not asked for
  bool exhausted = false;         ///< the mass carries no more modes
  std::vector<ModeSlice> slices;  ///< further factorisations, counts among them
  EigenCost cost;
  double search_seconds = 0;  ///< Lanczos in all
  double count_seconds = 0;   ///< further factorisations

 private:
  [[nodiscard]] Factorisation factorise(double shift);
  void search(const Factorisation& shifted, double shift, int expected, const Judge& judge);
  void add(EigenPairs&& pairs);
  void keep(Eigen::Index first, Eigen::Index count);
  void close(double shift, int above);
  [[nodiscard]] double next_shift() const;
  [[nodiscard]] double just_above(Eigen::Index mode) const;
  [[nodiscard]] int found_below(double value) const;
  [[nodiscard]] int wanted() const;

  const SparseMatrix &stiffness_, &mass_;
  const EliminationOrder& order_;
  SymmetricProduct product_;
  Progress progress_;
  ModeRange range_;
  double factor_seconds_ = 0;  // of the last factorisation: the next will take about as long
  double least_count_ = 0;     // λ: free motions are rounding below it
  double complete_below_ = 0;  // λ: pivots and modes agree there
};

}  // namespace avrenk
