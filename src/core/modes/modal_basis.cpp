#include "core/modes/modal_basis.h"

#include <fmt/format.h>

#include <cmath>

#include "core/clock.h"
#include "core/dense.h"
#include "core/error.h"
#include "core/modes/normal_modes.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Of K⁻¹p, what is left after the kept modes must be more than rounding to be worth a vector.
constexpr double residual_vector_floor = 1e-7;

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
// the next all that is left along y, and so on (QR of their participation): a square mast then bends along x and along
// y.
void align_repeated(MatrixXd& shapes, const VectorXd& omega, const MatrixXd& inertia_load) {
  constexpr double equal = 1e-7;
  for (Index first = 0; first < omega.size();) {
    Index end = first + 1;
    while (end < omega.size() && omega[end] - omega[end - 1] <= equal * omega[end]) ++end;
    if (end - first > 1) {
      const MatrixXd participation = shapes.middleCols(first, end - first).transpose() * inertia_load;
      const MatrixXd turn = orthonormal_basis(participation, participation.rows());
      shapes.middleCols(first, end - first) = (shapes.middleCols(first, end - first) * turn).eval();
    }
    first = end;
  }
}

// r = K⁻¹p − ΦΛ⁻¹Φᵀp for the six inertia loads, made mass-orthonormal to Φ and stiffness-orthogonal among themselves
// (Dickens, Nakagawa & Wittbrodt, Comput. Struct. 62(6), 1997).
MatrixXd residual_vectors(const System& system, const StaticSolution& statics, const MatrixXd& shapes,
                          const VectorXd& omega, VectorXd& pseudo_omega) {
  const MatrixXd& whole = statics.unit_acceleration;
  MatrixXd rest = whole - shapes * omega.array().square().inverse().matrix().asDiagonal() *
                              (shapes.transpose() * statics.inertia_load);
  for (int pass = 0; pass < 2; ++pass) rest -= shapes * (shapes.transpose() * (system.mass.ff * rest));
  const VectorXd size =
      (whole.cwiseProduct(system.mass.ff * whole)).colwise().sum().transpose().cwiseMax(0).cwiseSqrt();
  MatrixXd kept(rest.rows(), 0);
  for (Index d = 0; d < rest.cols(); ++d) {
    VectorXd v = rest.col(d);
    for (int pass = 0; pass < 2; ++pass) v -= kept * (kept.transpose() * (system.mass.ff * v));
    const double norm = std::sqrt(std::max(0.0, v.dot(system.mass.ff * v)));
    if (!(norm > residual_vector_floor * size[d])) continue;
    kept.conservativeResize(Eigen::NoChange, kept.cols() + 1);
    kept.rightCols(1) = v / norm;
  }
  if (kept.cols() == 0) {
    pseudo_omega.resize(0);
    return kept;
  }
  // Rayleigh–Ritz in their span: the mass is the identity there, to rounding.
  const MatrixXd k = kept.transpose() * (system.stiffness.ff * kept);
  const MatrixXd m = kept.transpose() * (system.mass.ff * kept);
  const SymmetricEigen ritz = symmetric_eigen(0.5 * (k + k.transpose()), 0.5 * (m + m.transpose()));
  pseudo_omega = ritz.values.cwiseSqrt();
  return kept * ritz.vectors;
}

// ‖Kφ − λMφ‖ / ‖Kφ‖ of each mode (of a free motion 0), and how far ΦᵀMΦ is from I.
void add_proof(const System& system, int threads, ModalBasis& basis) {
  const MatrixXd mass_shapes = SymmetricProduct(system.mass.ff, threads)(basis.shapes);
  const MatrixXd stiffness_shapes = SymmetricProduct(system.stiffness.ff, threads)(basis.shapes);
  const MatrixXd gram = basis.shapes.transpose() * mass_shapes;
  const MatrixXd off = (gram - MatrixXd::Identity(gram.rows(), gram.cols())).cwiseAbs();
  basis.nonorthogonality = off.colwise().maxCoeff().transpose();
  basis.residual = VectorXd::Zero(basis.modes);
  for (int r = 0; r < basis.modes; ++r) {
    const double value = basis.omega[r] * basis.omega[r];
    if (value > 0)
      basis.residual[r] =
          (stiffness_shapes.col(r) - value * mass_shapes.col(r)).norm() / stiffness_shapes.col(r).norm();
  }
}

MatrixXd foot_motion(const System& system, int foot) {
  MatrixXd motion = MatrixXd::Zero(system.supports, 6);
  motion.block<6, 6>(6L * foot, 0).setIdentity();
  return motion;
}

void append_residual_vectors(const System& system, ModalBasis& basis) {
  VectorXd pseudo_omega;
  MatrixXd extra = residual_vectors(system, basis.statics, basis.shapes, basis.omega, pseudo_omega);
  fix_signs(extra, system);
  const Index m = basis.modes, more = extra.cols();
  basis.shapes.conservativeResize(Eigen::NoChange, m + more);
  basis.shapes.rightCols(more) = extra;
  basis.omega.conservativeResize(m + more);
  basis.omega.tail(more) = pseudo_omega;
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
void solve_free(const System& system, const EliminationOrder& order, const ModeRequest& request, NormalModes& modes,
                ModalBasis& basis, const Progress& progress) {
  tell(progress, fmt::format("factorising {} equations, free motions and all", system.free));
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

// The statics, and the modes from the lowest on, by one factorisation of K.
void solve_held(const Assembly& assembly, const System& system, const EliminationOrder& order,
                const ModeRequest& request, NormalModes& modes, ModalBasis& basis, const Progress& progress) {
  if (request.up_to) (void)modes.count_below(value_at(*request.up_to));
  tell(progress, fmt::format("factorising {} equations", system.free));
  {
    const StopWatch factoring;
    const Factorisation stiffness = factorise_stiffness(assembly, system, order);
    note_factor(stiffness, factoring, basis);
    const StopWatch solving;
    basis.statics = solve_statics(system, stiffness);
    for (int foot = 0; request.feet && foot < system.supports / 6; ++foot)
      basis.foot_influence.emplace_back(-stiffness.solve(system.stiffness.fs * foot_motion(system, foot)));
    basis.statics_seconds = solving.seconds();
    if (!request.near) modes.begin(stiffness, 0, range_of(request));
  }
  if (request.near)
    modes.find_nearest(value_at(*request.near), *request.count);
  else
    modes.complete();
  if (modes.values.size() == 0)
    throw InputError(
        Problem{"model", "nothing that can move has mass", "give a part a density, or add a mass", std::nullopt});
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

void add_base_reactions(const System& system, ModalBasis& basis) {
  for (Index first = 0; first < system.support_motion.cols(); first += 6)
    basis.bases.push_back(support_reaction(system, basis.statics, basis.shapes,
                                           basis.statics.influence.middleCols(first, 6),
                                           system.support_motion.middleCols(first, 6)));
}

}  // namespace

ModalBasis solve_modes(const Assembly& assembly, const System& system, const ModeRequest& request, int threads,
                       const Progress& progress) {
  ModalBasis basis;
  tell(progress, fmt::format("ordering {} equations", system.free));
  const StopWatch ordering;
  const EliminationOrder order(system.stiffness.ff, system.node_of_column);
  basis.ordering_seconds = ordering.seconds();
  NormalModes modes(system.stiffness.ff, system.mass.ff, order, threads, progress);
  if (request.free_motions)
    solve_free(system, order, request, modes, basis, progress);
  else
    solve_held(assembly, system, order, request, modes, basis, progress);
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
  if (request.residual_vectors && !request.free_motions && !request.near) append_residual_vectors(system, basis);
  tell(progress, "checking the modes");
  add_proof(system, threads, basis);
  derive(system, basis);
  return basis;
}

void derive(const System& system, ModalBasis& basis) {
  basis.participation = basis.shapes.transpose() * basis.statics.inertia_load;
  add_rigid_mass(system, basis);
  add_base_reactions(system, basis);
  for (std::size_t foot = 0; foot < basis.foot_influence.size(); ++foot)
    basis.feet.push_back(support_reaction(system, basis.statics, basis.shapes, basis.foot_influence[foot],
                                          foot_motion(system, static_cast<int>(foot))));
}

double ModalBasis::frequency(int r) const { return omega[r] / (2 * pi); }

int count_modes_below(const System& system, double frequency) {
  return Factorisation(system.stiffness.ff - value_at(frequency) * system.mass.ff,
                       {system.stiffness.ff, system.node_of_column})
      .negative_pivots();
}

}  // namespace avrenk
