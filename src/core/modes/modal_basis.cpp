#include "core/modes/modal_basis.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>

#include "core/error.h"
#include "core/modes/lanczos.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Of K⁻¹p, what is left after the kept modes must be more than rounding to be worth a vector.
constexpr double residual_vector_floor = 1e-7;

using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) { return std::chrono::duration<double>(Clock::now() - start).count(); }

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
      const MatrixXd turn = participation.householderQr().householderQ();
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
  const Eigen::GeneralizedSelfAdjointEigenSolver<MatrixXd> ritz(0.5 * (k + k.transpose()), 0.5 * (m + m.transpose()));
  pseudo_omega = ritz.eigenvalues().cwiseSqrt();
  return kept * ritz.eigenvectors();
}

double largest_relative_residual(const System& system, const MatrixXd& shapes, const VectorXd& omega) {
  double worst = 0;
  for (Index r = 0; r < shapes.cols(); ++r) {
    const VectorXd k = system.stiffness.ff * shapes.col(r);
    const VectorXd m = system.mass.ff * shapes.col(r);
    if (omega[r] > 0) worst = std::max(worst, (k - omega[r] * omega[r] * m).norm() / k.norm());
  }
  return worst;
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

// Lowest modes of K − σM, σ < 0 by a small part of the stiffest element's frequency; λ = 0 where K has a null vector.
ModalBasis solve_free(const System& system, int wanted, int block, const Progress& progress) {
  ModalBasis basis;
  tell(progress, fmt::format("factorising {} equations, free motions and all", system.free));
  auto start = Clock::now();
  // λ of a free motion is rounding, 1e-16 of the stiffest element's; what is below 1e-11 of it is free.
  constexpr double part = 1e-8, rounding = 1e-3;
  const double shift = -part * system.stiffness.ff.diagonal().maxCoeff() / system.mass.ff.diagonal().maxCoeff();
  const int free_motions =
      Factorisation(system.stiffness.ff + rounding * shift * system.mass.ff, system.node_of_column).negative_pivots();
  const Factorisation shifted(system.stiffness.ff - shift * system.mass.ff, system.node_of_column);
  basis.factor_seconds = seconds_since(start);
  basis.factor_entries = shifted.factor_entries();
  basis.factor_operations = shifted.operations();
  start = Clock::now();
  EigenPairs pairs = lowest_modes(shifted, system.mass.ff, std::max(wanted, free_motions), block, progress);
  basis.eigen_seconds = seconds_since(start);
  const VectorXd values = pairs.values.array() + shift;
  const auto zeros = (values.array().abs() < rounding * -shift).count();
  if (zeros != free_motions)
    throw NumericalError(fmt::format(
        "the stiffness has {} free motions, but {} modes at 0 Hz are found: some part is held by next to nothing",
        free_motions, zeros));
  basis.omega = values.cwiseMax(0).cwiseSqrt();
  basis.omega.head(zeros).setZero();
  basis.shapes = std::move(pairs.vectors);
  basis.modes = static_cast<int>(basis.omega.size());
  basis.exhausted = pairs.exhausted;
  basis.statics = rigid_statics(system);
  align_repeated(basis.shapes, basis.omega, system.mass.ff * system.rigid);
  fix_signs(basis.shapes, system);
  basis.largest_residual = largest_relative_residual(system, basis.shapes, basis.omega);
  return basis;
}

// The modes themselves and all that needs the factorised stiffness.
ModalBasis solve_once(const Assembly& assembly, const System& system, const ModeRequest& request, int wanted, int block,
                      const Progress& progress) {
  if (request.free_motions) return solve_free(system, wanted, block, progress);
  ModalBasis basis;
  tell(progress, fmt::format("factorising {} equations", system.free));
  auto start = Clock::now();
  const Factorisation stiffness = factorise_stiffness(assembly, system);
  basis.factor_seconds = seconds_since(start);
  basis.factor_entries = stiffness.factor_entries();
  basis.factor_operations = stiffness.operations();
  start = Clock::now();
  basis.statics = solve_statics(system, stiffness);
  basis.statics_seconds = seconds_since(start);
  start = Clock::now();
  EigenPairs pairs = lowest_modes(stiffness, system.mass.ff, wanted, block, progress);
  basis.eigen_seconds = seconds_since(start);
  if (pairs.values.size() == 0)
    throw InputError(
        Problem{"model", "nothing that can move has mass", "give a part a density, or add a mass", std::nullopt});
  basis.omega = pairs.values.cwiseSqrt();
  basis.shapes = std::move(pairs.vectors);
  basis.modes = static_cast<int>(basis.omega.size());
  basis.exhausted = pairs.exhausted;
  align_repeated(basis.shapes, basis.omega, basis.statics.inertia_load);
  fix_signs(basis.shapes, system);
  basis.largest_residual = largest_relative_residual(system, basis.shapes, basis.omega);
  if (request.residual_vectors) append_residual_vectors(system, basis);
  for (int foot = 0; request.feet && foot < system.supports / 6; ++foot)
    basis.foot_influence.emplace_back(-stiffness.solve(system.stiffness.fs * foot_motion(system, foot)));
  return basis;
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

ModalBasis solve_modes(const Assembly& assembly, const System& system, const ModeRequest& request,
                       const Progress& progress) {
  double count_seconds = 0;
  const auto count = [&](double frequency) {
    tell(progress, fmt::format("counting the modes below {:.6g} Hz", frequency));
    const auto start = Clock::now();
    const int below = count_modes_below(system, frequency);
    count_seconds += seconds_since(start);
    return below;
  };
  const int counted = request.up_to ? count(*request.up_to) : 0;
  int wanted = request.up_to ? std::max(1, counted) : *request.count;  // the first mode is always shown
  constexpr int largest_block = 64;
  for (int block = 0; block <= largest_block; block = block == 0 ? 16 : 2 * block) {
    // One factorisation in memory at a time: solve_once has let go of its own before the modes are counted.
    ModalBasis basis = solve_once(assembly, system, request, wanted, block, progress);
    const double highest = basis.frequency(basis.modes - 1);
    const bool known = request.up_to && *request.up_to > highest;
    basis.proven_below = known ? *request.up_to : highest * (1 + 1e-6);
    basis.counted_below = known ? counted : count(basis.proven_below);
    basis.count_seconds = count_seconds;
    if (basis.counted_below == basis.modes) {
      const MatrixXd gram = basis.shapes.transpose() * (system.mass.ff * basis.shapes);
      basis.largest_nonorthogonality = (gram - MatrixXd::Identity(gram.rows(), gram.cols())).cwiseAbs().maxCoeff();
      derive(system, basis);
      return basis;
    }
    // Equal frequencies cut apart by the count, or a multiplicity above the block size: take them whole, with a larger
    // block.
    wanted = std::max(wanted, basis.counted_below);
  }
  throw NumericalError("the pivot count shows a mode that the eigen-solver does not find");
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
  const double shift = std::pow(2 * pi * frequency, 2);
  return Factorisation(system.stiffness.ff - shift * system.mass.ff, system.node_of_column).negative_pivots();
}

}  // namespace avrenk
