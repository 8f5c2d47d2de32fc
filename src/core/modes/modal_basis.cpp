#include "core/modes/modal_basis.h"

#include <fmt/format.h>

#include <cmath>
#include <limits>

#include "core/clock.h"
#include "core/dense.h"
#include "core/error.h"
#include "core/modes/damper_loads.h"
#include "core/modes/normal_modes.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Of K⁻¹p, what is left after the kept modes must be more than rounding to be worth a vector.
constexpr double residual_vector_floor = 1e-7;
// Of the energy of a static shape: what has no mass counts above rounding; of a damper's, what has mass is only better
// truncation, and must be worth a vector.
constexpr double static_shape_rounding = 1e-13, damper_share = 1e-4;
constexpr double least_new = 1e-3;  // of a damper's shape, beside those that are kept already
// Solutions kept at once: of more damper loads combinations are taken, those that the modes excite most.
constexpr Index most_damper_loads = 60, most_unlike_loads = 30;

void fix_signs(MatrixXd& shapes, const System& system) {
  for (Index r = 0; r < shapes.cols(); ++r) {
    double largest = 0;
    for (Index row = 0; row < shapes.rows(); ++row) {
      if (system.component_of_column[static_cast<std::size_t>(row)] > 2) continue;
      // A hair of preference for the first: equal entries of either sign must not be told apart by rounding.
      if (std::abs(shapes(row, r)) > 1.000001 * std::abs(largest)) largest = shapes(row, r);
    }
    if (largest < 0) shapes.col(r) *= -1;
  }
}

// Modes of one frequency may be mixed at will. They are turned so that the first of them takes all that moves along x,
// the next all that is left along y, and so on (QR of their participation, of motions that move them at all): a square
// mast then bends along x and along y.
void align_repeated(MatrixXd& shapes, const VectorXd& omega, const MatrixXd& inertia_load) {
  constexpr double equal = 1e-7;
  for (Index first = 0; first < omega.size();) {
    Index end = first + 1;
    while (end < omega.size() && omega[end] - omega[end - 1] <= equal * omega[end]) ++end;
    if (end - first > 1) {
      const MatrixXd whole = shapes.middleCols(first, end - first).transpose() * inertia_load;
      constexpr double rounding = 1e-9;
      std::vector<Index> moving;
      for (Index c = 0; c < whole.cols(); ++c)
        if (whole.col(c).norm() > rounding * inertia_load.col(c).norm() * shapes.col(first).norm()) moving.push_back(c);
      if (moving.empty()) moving.push_back(0);
      const MatrixXd participation = whole(Eigen::all, moving);
      const MatrixXd rotation = orthonormal_basis(participation, participation.rows());
      shapes.middleCols(first, end - first) = (shapes.middleCols(first, end - first) * rotation).eval();
    }
    first = end;
  }
}

// What the modes leave of static solutions, K⁻¹f − ΦΛ⁻¹Φᵀf, mass-orthogonal to them.
template <typename Loads>
MatrixXd rest_of(const System& system, const MatrixXd& whole, const Loads& loads, const ModalBasis& basis) {
  const MatrixXd& shapes = basis.shapes;
  MatrixXd rest = whole - shapes * (basis.omega.array().square().inverse().matrix().asDiagonal() *
                                    MatrixXd((loads.transpose() * shapes).transpose()));
  for (int pass = 0; pass < 2; ++pass) rest -= shapes * (shapes.transpose() * (system.mass.ff * rest));
  return rest;
}

// Appends what a column adds to those kept, orthonormal by M or K; nothing where that is less than `floor` of it.
void append_orthonormal(const SparseMatrix& metric, double floor, VectorXd column, MatrixXd& kept) {
  for (int pass = 0; pass < 2; ++pass) column -= kept * (kept.transpose() * (metric * column));
  const double norm = std::sqrt(std::max(0.0, column.dot(metric * column)));
  if (!(norm > floor)) return;
  kept.conservativeResize(column.size(), kept.cols() + 1);
  kept.rightCols(1) = column / norm;
}

// Rayleigh–Ritz in the span of mass-orthonormal columns.
void turn_to_ritz(const System& system, MatrixXd& kept, VectorXd& pseudo_omega) {
  pseudo_omega.resize(kept.cols());
  if (kept.cols() == 0) return;
  const MatrixXd k = kept.transpose() * (system.stiffness.ff * kept);
  const MatrixXd m = kept.transpose() * (system.mass.ff * kept);
  const SymmetricEigen ritz = symmetric_eigen(0.5 * (k + k.transpose()), 0.5 * (m + m.transpose()));
  pseudo_omega = ritz.values.cwiseSqrt();
  kept = (kept * ritz.vectors).eval();
}

// Static solutions of loads, and what of them has no mass.
struct StaticShapes {
  SparseMatrix loads;         // n_f x k
  MatrixXd shapes, massless;  // K⁻¹ loads, Z (ZᵀKZ)⁻¹Zᵀ loads
};
StaticShapes static_shapes(const System& system, const StaticSolver& solve, const SparseMatrix& loads) {
  StaticShapes static_shapes{loads, {}, {}};
  static_shapes.shapes = solve(MatrixXd(static_shapes.loads));
  static_shapes.massless = massless_shapes(system, static_shapes.loads);
  return static_shapes;
}
// Those that the basis is made complete with: of the model's own loads, and of dampers.
struct Completion {
  StaticShapes loads, dampers;
};

// What modes leave of the static shapes of dampers, where it is worth a vector.
struct DamperRest {
  std::vector<VectorXd> with_mass;
  /// What has none but for rounding, as that of supplied modes which carry all there is, or as good as none: its own
  /// frequency is so high that its inertia is nothing beside its stiffness.
  std::vector<VectorXd> without_mass;
};
DamperRest damper_rest(const System& system, const StaticShapes& dampers, const ModalBasis& basis) {
  constexpr double rounding = 1e-14, far_above = 1e6;
  DamperRest found;
  if (dampers.shapes.cols() == 0) return found;
  const MatrixXd rest = rest_of(system, dampers.shapes - dampers.massless, dampers.loads, basis);
  const double highest = basis.omega.size() > 0 ? basis.omega.cwiseAbs2().maxCoeff() : 0;
  const SparseMatrix sizes = system.mass.ff.cwiseAbs();
  for (Index d = 0; d < rest.cols(); ++d) {
    const VectorXd own = rest.col(d);
    const double energy = own.dot(system.stiffness.ff * own), mass = own.dot(system.mass.ff * own);
    if (!(energy > damper_share * dampers.loads.col(d).dot(dampers.shapes.col(d)))) continue;
    const bool has_mass =
        mass > rounding * own.cwiseAbs().dot(sizes * own.cwiseAbs()) && energy <= far_above * highest * mass;
    (has_mass ? found.with_mass : found.without_mass).push_back(own);
  }
  return found;
}

// Residual vectors r = K⁻¹f − ΦΛ⁻¹Φᵀf of the bases' inertia, of the loads and of the dampers, mass-orthonormal to Φ and
// stiffness-orthogonal among themselves (Dickens, Nakagawa & Wittbrodt, Comput. Struct. 62(6), 1997), and what of those
// has no mass: orthonormal in K to all of them.
void append_static_shapes(const System& system, const Completion& shapes, bool residual_vectors, ModalBasis& basis) {
  const SparseMatrix &mass = system.mass.ff, &stiffness = system.stiffness.ff;
  MatrixXd with(system.free, 0), without = with;
  // Of a load against its whole shape, what it does to mass included; of a damper by itself.
  const auto append_massless = [&](const MatrixXd& massless, const MatrixXd& against) {
    for (Index d = 0; d < massless.cols(); ++d)
      append_orthonormal(stiffness, std::sqrt(static_shape_rounding * against.col(d).dot(stiffness * against.col(d))),
                         massless.col(d), without);
  };
  append_massless(shapes.loads.massless, shapes.loads.shapes);
  append_massless(shapes.dampers.massless, shapes.dampers.massless);
  const Index exact = without.cols();
  const DamperRest dampers = residual_vectors ? damper_rest(system, shapes.dampers, basis) : DamperRest{};
  for (const VectorXd& each : dampers.without_mass)
    append_orthonormal(stiffness, least_new * std::sqrt(each.dot(stiffness * each)), each, without);
  const auto without_rounding = [&](const MatrixXd& rest) -> MatrixXd {
    const auto found = without.rightCols(without.cols() - exact);
    return found.cols() > 0 ? MatrixXd(rest - found * (found.transpose() * (stiffness * rest))) : rest;
  };
  const auto append_rest = [&](const MatrixXd& whole, const auto& loads) {
    const MatrixXd rest = without_rounding(rest_of(system, whole, loads, basis));
    const VectorXd size = whole.cwiseProduct(mass * whole).colwise().sum().transpose().cwiseMax(0).cwiseSqrt();
    for (Index d = 0; d < rest.cols(); ++d)
      append_orthonormal(mass, residual_vector_floor * size[d], rest.col(d), with);
  };
  if (residual_vectors) append_rest(basis.statics.unit_acceleration, basis.statics.inertia_load);
  if (residual_vectors && shapes.loads.shapes.cols() > 0)
    append_rest(shapes.loads.shapes - shapes.loads.massless, shapes.loads.loads);
  for (const VectorXd& each : dampers.with_mass) {
    const VectorXd rest = without_rounding(each);
    append_orthonormal(mass, least_new * std::sqrt(rest.dot(mass * rest)), rest, with);
  }
  VectorXd pseudo_omega;
  turn_to_ritz(system, with, pseudo_omega);
  fix_signs(with, system);
  fix_signs(without, system);
  const Index m = basis.modes;
  basis.massless = static_cast<int>(without.cols());
  basis.shapes.conservativeResize(Eigen::NoChange, m + with.cols() + without.cols());
  basis.shapes.rightCols(with.cols() + without.cols()) << with, without;
  basis.omega.conservativeResize(basis.shapes.cols());
  basis.omega.tail(with.cols() + without.cols()) << pseudo_omega, VectorXd::Constant(without.cols(), HUGE_VAL);
}

// ‖Kφ − λMφ‖ / ‖Kφ‖ of each mode (of a free motion 0), and how far ΦᵀMΦ is from I.
void add_proof(const System& system, int threads, ModalBasis& basis) {
  const MatrixXd mass_shapes = SymmetricProduct(system.mass.ff, threads)(basis.shapes);
  const MatrixXd stiffness_shapes = SymmetricProduct(system.stiffness.ff, threads)(basis.shapes);
  const MatrixXd gram = basis.shapes.transpose() * mass_shapes;
  MatrixXd off = gram.cwiseAbs();
  off.diagonal().head(basis.with_mass()) = (gram.diagonal().head(basis.with_mass()).array() - 1).abs();
  basis.nonorthogonality = off.colwise().maxCoeff().transpose();
  basis.residual = VectorXd::Zero(basis.modes);
  for (int r = 0; r < basis.modes; ++r) {
    const double value = basis.omega[r] * basis.omega[r];
    if (value > 0)
      basis.residual[r] =
          (stiffness_shapes.col(r) - value * mass_shapes.col(r)).norm() / stiffness_shapes.col(r).norm();
  }
}

// @throws NumericalError  what was found is no set of modes
void require_valid(const ModalBasis& basis) {
  if (const std::string wrong = what_is_invalid(basis); !wrong.empty()) throw NumericalError(wrong);
}

// What stands in for static solutions where free motions leave none: the base carries the model like a rigid body.
// @throws InputError  several bases, which would strain a model that none of them holds
StaticSolution rigid_statics(const System& system) {
  const Index motions = system.support_motion.cols();
  if (motions > 6)
    throw InputError(Problem{"modes", "a model with free motions cannot have several bases",
                             "hold it at one base, or leave base out", std::nullopt});
  StaticSolution statics;
  statics.influence = motions == 0 ? MatrixXd(system.free, 0) : MatrixXd(system.rigid);
  statics.inertia_load = system.mass.ff * statics.influence + system.mass.fs * system.support_motion;
  statics.unit_acceleration = MatrixXd::Zero(system.free, motions);
  return statics;
}

// λ of a frequency in Hz.
double value_at(double frequency) { return std::pow(2 * pi * frequency, 2); }

void note_factor(const Factorisation& factor, const StopWatch& watch, ModalBasis& basis) {
  basis.factor_seconds += watch.seconds();
  basis.factor_entries = factor.factor_entries();
  basis.factor_operations = factor.operations();
}

ModeRange range_of(const ModeRequest& request) {
  if (request.up_to) return {value_at(*request.up_to), std::nullopt};
  return {std::nullopt, request.count};
}

// Modes of K − σM, σ < 0 by a small part of the stiffest element's frequency; λ = 0 where K has a null vector.
void solve_free(const Assembly& assembly, const System& system, const EliminationOrder& order,
                const ModeRequest& request, NormalModes& modes, ModalBasis& basis, const Progress& progress) {
  const VectorXd stiff = system.stiffness.ff.diagonal(), heavy = system.mass.ff.diagonal();
  for (Index row = 0; row < stiff.size(); ++row)
    if (stiff[row] == 0 && heavy[row] == 0)
      throw_input_error("mechanism",
                        fmt::format("{} has a motion with neither stiffness nor mass",
                                    assembly.describe_node(system.node_of_column[static_cast<std::size_t>(row)])),
                        "give the mass there an inertia, or join the node otherwise");
  report_progress(progress, fmt::format("factorising {} equations, free motions and all", system.free));
  // λ of a free motion is rounding, 1e-16 of the stiffest element's; what is below 1e-11 of it is free.
  constexpr double part = 1e-8;
  const double shift = -part * system.stiffness.ff.diagonal().maxCoeff() / system.mass.ff.diagonal().maxCoeff();
  const int free_motions = modes.count_below(-free_motion_part * shift);
  ModeRange range = range_of(request);
  if (range.below) (void)modes.count_below(*range.below);
  if (range.count) range.count = std::max(*range.count, free_motions);
  {
    const StopWatch watch;
    const Factorisation shifted(system.stiffness.ff - shift * system.mass.ff, order);
    note_factor(shifted, watch, basis);
    modes.begin(shifted, shift, range);
  }
  modes.complete();
  const auto zeros = (modes.values.array().abs() < free_motion_part * -shift).count();
  if (zeros != free_motions)
    throw NumericalError(fmt::format(
        "the stiffness has {} free motions, but {} modes at 0 Hz are found: some part is held by next to nothing",
        free_motions, zeros));
  modes.values.head(zeros).setZero();
  basis.statics = rigid_statics(system);
}

// Of too many damper loads the combinations that the damping forces of modes of unit energy have most of.
SparseMatrix strongest(const SparseMatrix& loads, Index most, const System& system, const MatrixXd& modes) {
  if (loads.cols() <= most) return loads;
  MatrixXd excited(loads.cols(), 0);
  for (const SparseMatrix* matrix : {&system.own_stiffness.ff, &system.loss.ff, &system.dashpot.ff}) {
    MatrixXd own = loads.transpose() * (*matrix * modes);
    const double size = own.norm();
    if (size == 0) continue;
    excited.conservativeResize(Eigen::NoChange, excited.cols() + own.cols());
    excited.rightCols(own.cols()) = own / size;
  }
  const SymmetricEigen eigen = symmetric_eigen(excited.transpose() * excited);  // left singular vectors from the right
  const Index kept = std::min(most, excited.cols());
  return MatrixXd(loads * (excited * eigen.vectors.rightCols(kept))).sparseView();
}

SparseMatrix strongest_damper_loads(const Assembly& assembly, const System& system, const MatrixXd& modes) {
  const DamperLoads all = damper_loads(assembly, system);
  const SparseMatrix needed = strongest(all.needed, most_damper_loads, system, modes),
                     unlike = strongest(all.unlike, most_unlike_loads, system, modes);
  SparseMatrix both(system.free, needed.cols() + unlike.cols());
  both.leftCols(needed.cols()) = needed;
  both.rightCols(unlike.cols()) = unlike;
  return both;
}

StaticSolver solver_of(const Factorisation& stiffness) {
  return [&stiffness](const MatrixXd& loads) { return stiffness.solve(loads); };
}

Completion completion_of(const Assembly& assembly, const System& system, const StaticSolver& solve,
                         const MatrixXd& modes) {
  return {static_shapes(system, solve, system.loads),
          static_shapes(system, solve, strongest_damper_loads(assembly, system, modes))};
}

// What the motions of each foot do, where there are few.
void add_feet(const System& system, const Factorisation& stiffness, ModalBasis& basis) {
  constexpr int feet_at_once = 4;  // each pass through the factor serves several
  basis.has_feet = true;
  const bool few = system.supports / 6 <= FootShare::few;
  for (int first = 0; few && first < system.supports / 6; first += feet_at_once) {
    const Index columns = 6L * std::min(feet_at_once, system.supports / 6 - first);
    const MatrixXd influence = -stiffness.solve(MatrixXd(system.stiffness.fs.middleCols(6L * first, columns)));
    for (Index column = 0; column < columns; column += 6)
      basis.foot_influence.emplace_back(influence.middleCols<6>(column));
  }
}

// The statics, and the modes from the lowest on, by one factorisation of K.
Completion solve_held(const Assembly& assembly, const System& system, const EliminationOrder& order,
                      const ModeRequest& request, NormalModes& modes, ModalBasis& basis, const Progress& progress) {
  Completion completion;
  try {
    if (request.up_to) (void)modes.count_below(value_at(*request.up_to));
  } catch (const NumericalError&) {  // what has neither stiffness nor mass; the stiffness alone tells what it is
    (void)factorise_stiffness(assembly, system, order);
    throw;
  }
  report_progress(progress, fmt::format("factorising {} equations", system.free));
  {
    const StopWatch factoring;
    const Factorisation stiffness = factorise_stiffness(assembly, system, order);
    note_factor(stiffness, factoring, basis);
    const StopWatch solving;
    basis.statics = solve_statics(system, stiffness);
    if (request.feet) add_feet(system, stiffness, basis);
    basis.statics_seconds = solving.seconds();
    if (!request.near) {
      modes.begin(stiffness, 0, range_of(request));
      completion = completion_of(assembly, system, solver_of(stiffness), modes.shapes);
    }
  }
  if (request.near)
    modes.find_nearest(value_at(*request.near), *request.count);
  else
    modes.complete();
  if (modes.values.size() == 0)
    throw InputError(
        Problem{"model", "nothing that can move has mass", "give a part a density, or add a mass", std::nullopt});
  return completion;
}

// Total mass and participation when all bases move as one body.
void add_rigid_mass(const System& system, ModalBasis& basis) {
  const MatrixXd& r = system.rigid;
  const MatrixXd supports = system.support_motion * system.together;
  const MatrixXd load = system.mass.ff * r + system.mass.fs * supports;
  basis.rigid_participation = basis.shapes.transpose() * load;
  basis.rigid_mass = r.transpose() * load + supports.transpose() * (system.mass.fs.transpose() * r) +
                     supports.transpose() * (system.mass.ss * supports);
}

void add_reactions(const System& system, ModalBasis& basis) {
  const SupportReactions reactions(system, basis.statics, basis.shapes);
  for (Index first = 0; first < system.support_motion.cols(); first += 6)
    basis.bases.push_back(
        reactions.of(basis.statics.influence.middleCols(first, 6), system.support_motion.middleCols(first, 6)));
  if (basis.has_feet) basis.feet = reactions.feet(FootShare(system, basis.foot_influence));
}

}  // namespace

ModalBasis solve_modes(const Assembly& assembly, const System& system, const ModeRequest& request, int threads,
                       const Progress& progress) {
  ModalBasis basis;
  if (!request.free_motions) refuse_loose(assembly, system);
  report_progress(progress, fmt::format("ordering {} equations", system.free));
  const StopWatch ordering;
  const EliminationOrder order(system.stiffness.ff, system.node_of_column);
  basis.ordering_seconds = ordering.seconds();
  NormalModes modes(system.stiffness.ff, system.mass.ff, order, threads, progress);
  Completion completion;
  if (request.free_motions)
    solve_free(assembly, system, order, request, modes, basis, progress);
  else
    completion = solve_held(assembly, system, order, request, modes, basis, progress);
  basis.omega = modes.values.cwiseMax(0).cwiseSqrt();
  basis.shapes = std::move(modes.shapes);
  basis.modes = static_cast<int>(basis.omega.size());
  basis.exhausted = modes.exhausted;
  basis.proven_below = std::sqrt(modes.proven_below) / (2 * pi);
  basis.counted_below = modes.counted_below;
  basis.missing_below = modes.missing_below;
  basis.slices = std::move(modes.slices);
  basis.cost = modes.cost;
  basis.eigen_seconds = modes.search_seconds;
  basis.count_seconds = modes.count_seconds;
  align_repeated(basis.shapes, basis.omega,
                 request.free_motions ? MatrixXd(system.mass.ff * system.rigid) : basis.statics.inertia_load);
  fix_signs(basis.shapes, system);
  if (!request.free_motions && !request.near) append_static_shapes(system, completion, request.residual_vectors, basis);
  report_progress(progress, "checking the modes");
  add_proof(system, threads, basis);
  require_valid(basis);
  derive(system, basis);
  return basis;
}

void append_static_shapes(const Assembly& assembly, const System& system, const StaticSolver& solve,
                          bool residual_vectors, ModalBasis& basis) {
  append_static_shapes(system, completion_of(assembly, system, solve, basis.shapes), residual_vectors, basis);
}

ModalBasis solve_at_rest(const System& system, const Factorisation& stiffness, bool feet) {
  ModalBasis basis;
  basis.shapes.resize(system.free, 0);
  basis.statics = solve_statics(system, stiffness);
  if (feet) add_feet(system, stiffness, basis);
  append_static_shapes(system, {static_shapes(system, solver_of(stiffness), system.loads), {}}, true, basis);
  derive(system, basis);
  return basis;
}

void complete(const Assembly& assembly, const System& system, const ModeRequest& request, int threads,
              ModalBasis& basis, const Progress& progress) {
  basis.shapes.conservativeResize(Eigen::NoChange, basis.modes);
  basis.omega.conservativeResize(basis.modes);
  basis.massless = 0;
  report_progress(progress, fmt::format("factorising {} equations for new loads", system.free));
  const StopWatch watch;
  Completion completion;
  {
    const Factorisation stiffness = factorise_stiffness(assembly, system);
    completion = completion_of(assembly, system, solver_of(stiffness), basis.shapes);
  }
  basis.factor_seconds += watch.seconds();
  append_static_shapes(system, completion, request.residual_vectors, basis);
  add_proof(system, threads, basis);
  require_valid(basis);
  basis.bases.clear();
  basis.feet.clear();
  derive(system, basis);
}

ModalBasis with_modes(const System& system, const ModalBasis& basis, const std::vector<int>& modes,
                      bool residual_vectors) {
  std::vector<int> columns = modes;
  for (int r = residual_vectors ? basis.modes : basis.with_mass(); r < basis.size(); ++r) columns.push_back(r);
  ModalBasis chosen;
  chosen.shapes = basis.shapes(Eigen::all, columns);
  chosen.omega = basis.omega(columns);
  chosen.modes = static_cast<int>(modes.size());
  chosen.massless = basis.massless;
  chosen.statics = basis.statics;
  chosen.has_feet = basis.has_feet;
  chosen.foot_influence = basis.foot_influence;
  chosen.proven_below = basis.proven_below;
  chosen.residual = basis.residual(modes);
  chosen.nonorthogonality = basis.nonorthogonality(columns);
  derive(system, chosen);
  return chosen;
}

void derive(const System& system, ModalBasis& basis) {
  basis.participation = basis.shapes.transpose() * basis.statics.inertia_load;
  basis.load_participation = (system.loads.transpose() * basis.shapes).transpose();
  add_rigid_mass(system, basis);
  add_reactions(system, basis);
}

// Rounding alone leaves residuals of 1e-7 in thin plates and more in foils, whose frequencies are right all the same:
// see frequency_rounding().
std::string what_is_invalid(const ModalBasis& basis) {
  constexpr double most_residual = 0.1, most_overlap = 1e-6;
  for (int r = 0; r < basis.modes; ++r)
    if (!(std::isfinite(basis.omega[r]) && basis.residual[r] <= most_residual))
      return fmt::format(
          "mode {} at {:.4g} Hz leaves {:.2g} of its elastic force out of balance: what holds the model is so soft "
          "beside the stiffness of its parts that rounding hides it; make the parts less stiff, or hold the model more "
          "firmly",
          r + 1, basis.frequency(r), basis.residual[r]);
  for (Index r = 0; r < basis.nonorthogonality.size(); ++r)
    if (!(basis.nonorthogonality[r] <= most_overlap))
      return fmt::format(
          "{} {} overlaps another in the mass by {:.2g}, so that answers would count it twice: stiffness or mass is "
          "spread over more decades than the digits of the computation; divide thin lines more finely, or leave out "
          "masses that do not matter",
          r < basis.modes ? "mode" : "static shape", r < basis.modes ? r + 1 : r + 1 - basis.modes,
          basis.nonorthogonality[r]);
  return "";
}

VectorXd frequency_rounding(const System& system, const ModalBasis& basis) {
  constexpr double epsilon = std::numeric_limits<double>::epsilon();
  const VectorXd diagonal = system.stiffness.ff.diagonal().cwiseAbs();
  VectorXd rounding = VectorXd::Zero(basis.modes);
  for (Index r = 0; r < basis.modes; ++r)
    if (const double value = basis.omega[r] * basis.omega[r]; value > 0)
      rounding[r] = 2 * epsilon * basis.shapes.col(r).cwiseAbs2().dot(diagonal) / value;
  return rounding;
}

double ModalBasis::frequency(int r) const { return omega[r] / (2 * pi); }

int count_modes_below(const System& system, double frequency) {
  return Factorisation(system.stiffness.ff - value_at(frequency) * system.mass.ff,
                       {system.stiffness.ff, system.node_of_column})
      .negative_pivots();
}

Eigen::VectorXd ModalBasis::stiffness() const { return omega.array().isFinite().select(omega.array().square(), 1); }

int ModalBasis::free_motions() const { return static_cast<int>((omega.array() == 0).count()); }

double ModalBasis::largest_residual() const { return residual.size() > 0 ? residual.maxCoeff() : 0; }

double ModalBasis::largest_nonorthogonality() const {
  return nonorthogonality.size() > 0 ? nonorthogonality.maxCoeff() : 0;
}

double ModalBasis::effective_mass(int r, int direction) const {
  return rigid_participation(r, direction) * rigid_participation(r, direction);
}

}  // namespace avrenk
