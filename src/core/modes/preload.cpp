#include "core/modes/preload.h"

#include <fmt/format.h>

#include <cmath>
#include <random>

#include "core/dense.h"
#include "core/error.h"
#include "core/modes/normal_modes.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr double rounding_of_ratio = 1e-12;  // of K_σ to K

// The largest eigenvalue μ of −K_σφ = μKφ and its vector, by Lanczos' iteration with full orthogonalisation; zero where
// it is no more than rounding.
std::pair<double, VectorXd> largest_ratio(const SparseMatrix& stiffness, const SparseMatrix& geometric,
                                          const Factorisation& factor) {
  constexpr int most = 200, enough = 60;  // steps: by then what stands apart from the rest shows
  constexpr double crowd = 1e-6;
  constexpr double tolerance = 1e-10, spanned = 1e-9;
  std::mt19937 generator(1);
  VectorXd next(stiffness.rows());
  for (Index i = 0; i < next.size(); ++i)
    next[i] = static_cast<double>(generator()) / static_cast<double>(std::mt19937::max()) - 0.5;
  next = factor.solve(VectorXd(geometric * factor.solve(next).col(0))).col(0);  // smooth, and in the range of K_σ
  MatrixXd vectors(next.size(), 0);
  MatrixXd projected = MatrixXd::Zero(most, most);  // tridiagonal
  for (int step = 0;; ++step) {
    const double norm = std::sqrt(std::max(0.0, next.dot(stiffness * next)));
    if (step == 0 && norm == 0) return {0, {}};
    if (step > 0) {
      const SymmetricEigen eigen = symmetric_eigen(MatrixXd(projected.topLeftCorner(step, step)));
      const double value = eigen.values[step - 1], rest = norm * std::abs(eigen.vectors(step - 1, step - 1));
      const double widest = std::max(std::abs(value), std::abs(eigen.values[0]));
      // All that K_σ reaches is spanned: what is left is rounding, and would grow in what is softly held.
      const bool exhausted = norm <= spanned * widest;
      if (exhausted && value <= spanned * widest) return {0, {}};
      if (exhausted || rest <= tolerance * std::abs(value)) return {value, vectors * eigen.vectors.col(step - 1)};
      // Where nothing is pressed the largest is zero, to which others crowd from below.
      if (step >= enough && value <= crowd * widest) return {0, {}};
      if (step == most)
        throw NumericalError(fmt::format(
            "the load at which the model buckles was not found in {} steps: one over its factor is {:.4g}, to "
            "± {:.1e}",
            most, value, rest));
      projected(step, step - 1) = projected(step - 1, step) = norm;
    }
    vectors.conservativeResize(Eigen::NoChange, step + 1);
    vectors.col(step) = next / norm;
    const VectorXd force = -(geometric * vectors.col(step));
    projected(step, step) = vectors.col(step).dot(force);
    next = factor.solve(force).col(0);
    for (int pass = 0; pass < 2; ++pass) next -= vectors * (vectors.transpose() * (stiffness * next));
  }
}

// All loads by their amounts, in one column.
LoadColumn all_acting(const Assembly& assembly, const VectorXd& loads, const Vector3& acceleration) {
  LoadColumn load_column;
  load_column.field = acceleration;
  for_each_column(assembly.loads, [&](const Load&, const LoadColumn& column, int index) {
    const double amount = loads[index];
    if (amount == 0) return;
    if (column.field) *load_column.field += amount * *column.field;
    for (const auto& [node, force] : outer_forces(assembly, column))
      load_column.on_nodes.try_emplace(node, Vector6::Zero()).first->second += amount * force;
    for (const auto& [part, warmth] : column.warmer) load_column.warmer[part] += amount * warmth;
    for (const auto& [spring, travel] : column.unstressed_at)
      load_column.unstressed_at.try_emplace(spring, Vector6::Zero()).first->second += amount * travel;
  });
  return load_column;
}

// What moves most in a shape, and how, as of a mode.
std::string in_words(const Assembly& assembly, const System& system, const VectorXd& shape, int threads) {
  ModalBasis one;
  const double mass = shape.dot(system.mass.ff * shape);
  one.modes = 1;
  one.shapes = shape / (mass > 0 ? std::sqrt(mass) : 1);
  one.omega = VectorXd::Constant(1, std::sqrt(one.shapes.col(0).dot(system.stiffness.ff * one.shapes.col(0))));
  return contents_of_modes(assembly, system, one, threads)[0].what;
}

}  // namespace

Preload apply_preload(const Assembly& assembly, System& system, const VectorXd& loads, const VectorXd& displaced,
                      const Vector3& acceleration, bool feet, int threads, const Progress& progress) {
  report_progress(progress, fmt::format("factorising {} equations for the preload", system.free));
  const Factorisation factor = factorise_stiffness(assembly, system);
  Preload preload;
  preload.at_rest = solve_at_rest(system, factor, feet);
  Vector6 field = Vector6::Zero();
  field.head<3>() = acceleration;
  const ModalBasis& basis = preload.at_rest;
  const VectorXd q =
      (basis.rigid_participation * field + basis.load_participation * loads).cwiseQuotient(basis.stiffness());
  VectorXd unknowns(system.free + system.supports);
  unknowns << basis.shapes * q + basis.statics.influence * displaced, system.support_motion * displaced;
  const VectorXd motions = system.transformation.transpose() * unknowns;
  const LoadColumn acting = all_acting(assembly, loads, acceleration);
  Partitioned geometric = geometric_stiffness(assembly, motions, acting, threads);
  report_progress(progress, "how far the preload is from buckling");
  const auto [ratio, shape] = largest_ratio(system.stiffness.ff, geometric.ff, factor);
  if (ratio > rounding_of_ratio) {
    preload.load_factor = 1 / ratio;
    const double largest =
        system.motions(shape).reshaped(6, std::ssize(assembly.nodes)).topRows<3>().colwise().norm().maxCoeff();
    preload.shape = shape / (largest > 0 ? largest : 1);
    preload.buckles = in_words(assembly, system, preload.shape, threads);
  }
  stiffen(system, std::move(geometric), basis.statics.grounded);
  return preload;
}

std::vector<PreloadLevel> modes_at_levels(const System& system, const std::vector<double>& levels, int count,
                                          int threads, const Progress& progress) {
  std::vector<PreloadLevel> preload_levels;
  if (levels.empty()) return preload_levels;
  const EliminationOrder order(system.stiffness.ff, system.node_of_column);
  for (const double level : levels) {
    report_progress(progress, fmt::format("modes under {:.6g} % of the preload", 100 * level));
    const SparseMatrix stiffness = system.stiffness.ff + (level - 1) * system.geometric->ff;
    NormalModes modes(stiffness, system.mass.ff, order, threads, {});
    {
      const Factorisation factor(stiffness, order);
      if (factor.negative_pivots() > 0)
        throw InputError(Problem{"modes about",
                                 fmt::format("the model buckles before {:.6g} % of that state is reached", 100 * level),
                                 "leave that level out", std::nullopt});
      modes.begin(factor, 0, {std::nullopt, count});
    }
    modes.complete();
    preload_levels.push_back({level, modes.values.cwiseMax(0).cwiseSqrt() / (2 * pi)});
  }
  return preload_levels;
}

}  // namespace avrenk
