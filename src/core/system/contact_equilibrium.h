/// core/system/contact_equilibrium.h: the static state of a model whose bolts are tightened and whose one-sided springs
/// open and close (docs/theory.md, "Tightened bolts, contact").
#pragma once

#include "core/progress.h"
#include "core/system/system.h"

namespace avrenk {

/// What acts at rest besides bolts and gaps.
struct RestRequest {
  Eigen::VectorXd force;       ///< on the free unknowns, n_f
  Eigen::VectorXd displaced;   ///< of the bases, n_b
  std::vector<int> bolts{};    ///< springs that are tightened to their tension, in this order, before all else acts
  bool one_by_one = false;     ///< each keeps its length while the next is tightened; else all end at their tension
  bool contacts_stay = false;  ///< all that are not taken out stay closed, whether they press or pull
};

struct BoltAtRest {
  int spring = 0;
  double wanted = 0;     ///< N
  double tightened = 0;  ///< N, when all are tightened and nothing else acts
  double finally = 0;    ///< N, under all that acts
  double shortened = 0;  ///< m, by which the bolt is turned tight
};

struct ContactAtRest {
  int spring = 0;
  bool closed = true;
  double pressing = 0;    ///< N, where it is closed
  double tangential = 0;  ///< N
  double gap = 0;         ///< m, where it is open; of a closed one how far the spring gives, negative
};

struct StaticContactState {
  /// Travels at which bolts and closed gaps are unstressed: all that must act on the model with what is open taken out
  /// to make the same state.
  LoadColumn column;
  std::vector<BoltAtRest> bolts;        ///< in the order of the request
  std::vector<ContactAtRest> contacts;  ///< of every one-sided spring
  /// How many springs were closed in each set that was tried, stage by stage: the bolts, one by one or all, then the
  /// loads.
  struct Stage {
    std::string name;
    std::vector<std::size_t> closed{};
  };
  std::vector<Stage> stages;
  [[nodiscard]] std::size_t steps() const;  ///< sets that were tried in all
  /// Proof of complementarity: the largest pull (N) on a closed spring, and the deepest overlap (m) of an open one; of
  /// a state that was found both are rounding.
  double largest_pull = 0, deepest_overlap = 0;
};

/// Tightens bolts by making them shorter until each carries its tension, then applies the rest; every one-sided spring
/// is closed and presses, or is open. Works on the flexibility of all springs concerned, F = G K⁻¹ Gᵀ with their travel
/// rows G: one solution of K for each row, then only dense systems of their number. All one-sided springs are closed in
/// K. A set of closed springs follows from the one before: what pulls opens, what overlaps closes, until nothing
/// changes; where that goes round in circles or leaves something loose on the way, one spring at a time and only as far
/// as none overlaps (Lawson & Hanson, Solving Least Squares Problems, 1974). Friction holds sideways what has been
/// closed all the time while bolts are tightened, or loads applied; what opens and closes again presses without, and
/// sticks from the end of that stage on.
/// @param stiffness  the factors of K_ff
/// @throws InputError      nothing presses back on a bolt, what opens leaves something loose, or there are too many
/// rows
/// @throws NumericalError  the contact does not settle
[[nodiscard]] StaticContactState find_contact_equilibrium(const Assembly& assembly, const System& system,
                                                          const Factorisation& stiffness, const RestRequest& request,
                                                          const Progress& progress = {});

/// Takes what is open out of the model: it carries nothing in any small motion about that state.
void take_out_open(const StaticContactState& state, Assembly& assembly);

}  // namespace avrenk
