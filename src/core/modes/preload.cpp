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

// The largest eigenvalue μ of −K_σφ = μKφ and its vector, by Lanczos' iteration with full orthogonalisation.
std::pair<double, VectorXd> largest_ratio(const SparseMatrix& stiffness, const SparseMatrix& geometric,
                                          const Factorisation& factor) {
  constexpr int most = 300;
  constexpr double tolerance = 1e-10;
  std::mt19937 generator(1);
  VectorXd next(stiffness.rows());
  for (Index i = 0; i < next.size(); ++i)
    next[i] = static_cast<double>(generator()) / static_cast<double>(std::mt19937::max()) - 0.5;
  next = factor.solve(VectorXd(geometric * factor.solve(next).col(0))).col(0);  // smooth, and in the range of K_σ
  MatrixXd vectors(next.size(), 0), products = vectors;                         // v, Kv
  std::vector<double> diagonal, beside;
  for (int step = 0; step < most; ++step) {
    VectorXd product = stiffness * next;
    const double norm = std::sqrt(std::max(0.0, next.dot(product)));
    const auto solved = [&]() -> std::pair<double, VectorXd> {
      MatrixXd t = MatrixXd::Zero(vectors.cols(), vectors.cols());
      for (Index k = 0; k < t.rows(); ++k) {
        t(k, k) = diagonal[static_cast<std::size_t>(k)];
        if (k > 0) t(k, k - 1) = t(k - 1, k) = beside[static_cast<std::size_t>(k)];
      }
      const SymmetricEigen eigen = symmetric_eigen(t);
      return {eigen.values[t.rows() - 1], eigen.vectors.col(t.rows() - 1)};
    };
    if (step > 0) {
      const auto [value, inner] = solved();
      const double scale = std::max(std::abs(value), 1e-300), rest = norm * std::abs(inner[inner.size() - 1]);
      if (rest <= tolerance * scale || step == most - 1) return {value, vectors * inner};
    } else if (norm == 0) {
      return {0, VectorXd::Zero(next.size())};
    }
    beside.push_back(norm);
    next /= norm;
    product /= norm;
    vectors.conservativeResize(Eigen::NoChange, vectors.cols() + 1);
    products.conservativeResize(Eigen::NoChange, products.cols() + 1);
    vectors.rightCols(1) = next;
    products.rightCols(1) = product;
    const VectorXd force = -(geometric * next);
    diagonal.push_back(next.dot(force));
    next = factor.solve(force).col(0);
    for (int pass = 0; pass < 2; ++pass) next -= vectors * (products.transpose() * next);
  }
  return {0, VectorXd::Zero(next.size())};
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
  tell(progress, fmt::format("factorising {} equations for the preload", system.free));
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
  preload.motions = system.transformation.transpose() * unknowns;
  DeadLoads dead{acceleration, {}};
  Index column = 0;
  for (const Load& load : assembly.loads)
    for (const LoadColumn& own : load.columns) {
      const double amount = loads[column++];
      if (amount == 0) continue;
      if (own.field) dead.acceleration += amount * *own.field;
      for (const auto& [node, force] : forces_on_nodes(assembly, own))
        dead.on_nodes.try_emplace(node, Vector6::Zero()).first->second += amount * force;
    }
  Partitioned geometric = geometric_stiffness(assembly, preload.motions, dead, threads);
  tell(progress, "how far the preload is from buckling");
  const auto [ratio, shape] = largest_ratio(system.stiffness.ff, geometric.ff, factor);
  constexpr double none = 1e-12;  // of K: rounding of K_σ
  if (ratio > none) {
    preload.load_factor = 1 / ratio;
    const VectorXd motions = system.motions(shape);
    double largest = 0;
    for (Index node = 0; node < motions.size() / 6; ++node)
      largest = std::max(largest, motions.segment<3>(6 * node).norm());
    preload.shape = shape / (largest > 0 ? largest : 1);
    preload.buckles = in_words(assembly, system, preload.shape, threads);
  }
  stiffen(system, std::move(geometric), basis.statics.grounded);
  return preload;
}

PreloadLevel modes_at_level(const System& system, double level, int count, int threads, const Progress& progress) {
  tell(progress, fmt::format("modes under {:.6g} % of the preload", 100 * level));
  const SparseMatrix stiffness = system.stiffness.ff + (level - 1) * system.geometric->ff;
  const EliminationOrder order(system.stiffness.ff, system.node_of_column);
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
  return {level, modes.values.cwiseMax(0).cwiseSqrt() / (2 * pi)};
}

}  // namespace avrenk
