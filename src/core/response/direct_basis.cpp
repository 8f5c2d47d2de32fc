#include "core/response/direct_basis.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/dense.h"
#include "core/error.h"
#include "core/modes/modal_basis.h"
#include "core/response/direct_solution.h"
#include "core/system/system.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// The rule as elements can have it.
DampingRule on_elements(const DampingRule& rule) {
  if (!rule.near.empty() || rule.form == DampingRule::Form::table)
    throw_input_error(
        "damping",
        "values near a frequency and ratios over frequency are properties of modes, which a direct method has none of",
        "give one ratio, a loss factor, or Rayleigh's two, or leave method out");
  DampingRule damping_rule = rule;
  if (rule.form == DampingRule::Form::ratio) {
    damping_rule.form = DampingRule::Form::loss_factor;
    damping_rule.value = 2 * rule.value;
  }
  damping_rule.coupled = true;
  return damping_rule;
}

// The span of solutions, orthonormal in K, with what the matrices make of it.
class Span {
 public:
  Span(const System& system, const DampingRule& rule) : system_(system), rule_(rule), vectors_(system.free, 0) {
    for (const SparseMatrix* each :
         {&system.stiffness.ff, &system.mass.ff, &system.own_stiffness.ff, &system.loss.ff, &system.dashpot.ff}) {
      products_.push_back({each, MatrixXd(system.free, 0), {}});
    }
    scale_ = system.stiffness.ff.diagonal().cwiseMax(1e-300).cwiseSqrt().cwiseInverse();
  }

  void append(const MatrixXcd& solutions) {
    for (Index s = 0; s < solutions.cols(); ++s)
      for (VectorXd part : {VectorXd(solutions.col(s).real()), VectorXd(solutions.col(s).imag())}) {
        const double whole = energy(part);
        if (!(whole > 0)) continue;
        for (int pass = 0; pass < 2; ++pass) part -= vectors_ * (products_[0].of.transpose() * part);
        const double left = energy(part);
        constexpr double new_part = 1e-11;  // of a vector: the rest is rounding of what is known
        if (!(left > new_part * whole)) continue;
        part /= left;
        vectors_.conservativeResize(system_.free, vectors_.cols() + 1);
        vectors_.rightCols(1) = part;
        for (Product& each : products_) {
          each.of.conservativeResize(Eigen::NoChange, vectors_.cols());
          each.of.rightCols(1) = *each.matrix * part;
        }
      }
    for (Product& each : products_) each.projected = vectors_.transpose() * each.of;
  }

  // What the span answers, and the largest residual of the full equations beside the loads, each unknown measured by
  // its stiffness.
  [[nodiscard]] std::pair<MatrixXcd, double> answer(double omega, const MatrixXcd& loads) const {
    const MatrixXcd z = dynamic(omega, [](const Product& each) -> const MatrixXd& { return each.projected; });
    const MatrixXcd c = ComplexLu(z).solve(vectors_.transpose() * loads);
    const MatrixXcd rest = loads - dynamic(omega, [](const Product& each) -> const MatrixXd& { return each.of; }) * c;
    double largest = 0;
    for (Index s = 0; s < loads.cols(); ++s) {
      const double whole = (scale_.asDiagonal() * loads.col(s)).norm();
      if (whole > 0) largest = std::max(largest, (scale_.asDiagonal() * rest.col(s)).norm() / whole);
    }
    return {vectors_ * c, largest};
  }

  [[nodiscard]] double energy(const VectorXd& v) const {
    return std::sqrt(std::max(0.0, v.dot(*products_[0].matrix * v)));
  }
  [[nodiscard]] double energy(const MatrixXcd& v) const {
    return std::hypot(energy(VectorXd(v.real().col(0))), energy(VectorXd(v.imag().col(0))));
  }

  // Rayleigh–Ritz: K is the identity in the span, so that M says the frequencies; what has no mass comes last.
  void finish(ModalBasis& basis) const {
    const MatrixXd mass = 0.5 * (products_[1].projected + products_[1].projected.transpose());
    const SymmetricEigen eigen = symmetric_eigen(mass);
    const Index n = eigen.values.size();
    constexpr double no_mass = 1e-13;  // of the largest
    basis.omega.resize(n);
    basis.shapes.resize(system_.free, n);
    basis.massless = 0;
    for (Index k = 0; k < n; ++k) {  // values ascend: the last has the lowest frequency
      const double value = eigen.values[n - 1 - k];
      const bool bare = !(value > no_mass * eigen.values[n - 1]);
      basis.omega[k] = bare ? HUGE_VAL : 1 / std::sqrt(value);
      basis.shapes.col(k) = vectors_ * eigen.vectors.col(n - 1 - k) * (bare ? 1 : basis.omega[k]);
      basis.massless += bare ? 1 : 0;
    }
    basis.modes = static_cast<int>(n) - basis.massless;
  }

 private:
  struct Product {
    const SparseMatrix* matrix;
    MatrixXd of, projected;  // n_f x k, k x k
  };
  // Z(ω) from K, M, K_own, K_η and C, or from what they make of the span.
  template <typename Of>
  [[nodiscard]] MatrixXcd dynamic(double omega, const Of& of) const {
    const MatrixXd &k = of(products_[0]), &m = of(products_[1]), &own = of(products_[2]), &loss = of(products_[3]),
                   &dashpot = of(products_[4]);
    const bool is_loss = rule_.form == DampingRule::Form::loss_factor,
               rates = rule_.form == DampingRule::Form::rayleigh;
    const double general = (is_loss ? rule_.value : 0) + (rates ? omega * rule_.stiffness_rate : 0);
    MatrixXcd z(k.rows(), k.cols());
    z.real() = k - omega * omega * m;
    z.imag() = general * (k - own) + loss + omega * dashpot + (rates ? omega * rule_.mass_rate : 0) * m;
    return z;
  }

  const System& system_;
  const DampingRule& rule_;
  MatrixXd vectors_;
  std::vector<Product> products_;
  VectorXd scale_;
};

// Of each node the part by which its translations, and its rotations, differ from what was known, the largest: where it
// moves at all, however quiet it is beside others.
double largest_of_nodes(const System& system, const MatrixXcd& solutions, const MatrixXcd& known) {
  constexpr double still = 1e-10;  // of the largest of its kind: less is rounding
  const auto is_turn = [&](Index row) { return system.component_of_column[static_cast<std::size_t>(row)] > 2; };
  double largest = 0;
  for (Index s = 0; s < solutions.cols(); ++s) {
    double most[2] = {0, 0};
    for (Index row = 0; row < solutions.rows(); ++row)
      most[is_turn(row)] = std::max(most[is_turn(row)], std::abs(solutions(row, s)));
    for (Index row = 0; row < solutions.rows();) {
      const int node = system.node_of_column[static_cast<std::size_t>(row)];
      double whole[2] = {0, 0}, off[2] = {0, 0};
      for (; row < solutions.rows() && system.node_of_column[static_cast<std::size_t>(row)] == node; ++row) {
        whole[is_turn(row)] += std::norm(solutions(row, s));
        off[is_turn(row)] += std::norm(solutions(row, s) - known(row, s));
      }
      for (const int kind : {0, 1})
        if (whole[kind] > std::pow(still * most[kind], 2))
          largest = std::max(largest, std::sqrt(off[kind] / whole[kind]));
    }
  }
  return largest;
}

// Where the span may be wrong: natural frequencies in the band, half way between them, and its ends.
std::vector<double> candidates(const ModalBasis& modes, double from, double to) {
  std::vector<double> all{from, to};
  for (int r = 0; r < modes.modes; ++r) all.push_back(modes.frequency(r));
  all = once_inside(std::move(all), from, to);
  const std::size_t count = all.size();
  for (std::size_t k = 1; k < count; ++k) all.push_back(std::sqrt(all[k - 1] * all[k]));
  return once_inside(std::move(all), from, to);
}

}  // namespace

DirectBasis direct_basis(const System& system, const ModalBasis& modes, const DampingRule& rule,
                         const std::vector<std::shared_ptr<const Excitation>>& cases,
                         const std::vector<int>& columns_of_springs, const Progress& progress) {
  const DampingRule damping_rule = on_elements(rule);
  const ModalDamping on_modes = damp(system, modes, damping_rule);  // only what acts on the quasi-static motion is used
  InputColumns inputs{MatrixXcd(system.support_motion.cols(), 0), MatrixXcd(system.loads.cols(), 0)};
  double from = HUGE_VAL, to = 0;
  for (const auto& excitation : cases) {
    from = std::min(from, excitation->grid.from);
    to = std::max(to, excitation->grid.to);
    for (const auto& [all, more] : {std::pair{&inputs.base, &excitation->base}, {&inputs.loads, &excitation->loads}}) {
      all->conservativeResize(Eigen::NoChange, all->cols() + more->cols());
      all->rightCols(more->cols()) = *more;
    }
  }
  // What springs that are not what the matrices hold may add.
  const auto varying = std::ssize(columns_of_springs);
  inputs.base.conservativeResize(Eigen::NoChange, inputs.base.cols() + varying);
  inputs.loads.conservativeResize(Eigen::NoChange, inputs.loads.cols() + varying);
  inputs.base.rightCols(varying).setZero();
  inputs.loads.rightCols(varying).setZero();
  for (Index i = 0; i < varying; ++i)
    inputs.loads(columns_of_springs[static_cast<std::size_t>(i)], inputs.loads.cols() - varying + i) = 1;
  const EliminationOrder order(system.stiffness.ff, system.node_of_column);
  std::vector<double> open = candidates(modes, from, to);
  Span span(system, damping_rule);
  DirectBasis result;
  constexpr std::size_t most = 150;
  constexpr double exhausted = 1e-13;  // a residual that is rounding
  int settled = 0;
  for (double next = std::sqrt(from * to);;) {
    report_progress(progress,
                    fmt::format("direct solution at {:.5g} Hz, number {}", next, result.frequencies.size() + 1));
    const double omega = 2 * pi * next;
    const DirectSolution full(system, modes, on_modes, damping_rule, order, next);
    const MatrixXcd loads = full.loads(inputs), solutions = full.solve(inputs);
    result.error = result.node_error = 1;
    if (!result.frequencies.empty()) {
      const MatrixXcd known = span.answer(omega, loads).first;
      result.error = 0;
      for (Index s = 0; s < solutions.cols(); ++s)
        if (const double whole = span.energy(MatrixXcd(solutions.col(s))); whole > 0)
          result.error = std::max(result.error, span.energy(MatrixXcd(solutions.col(s) - known.col(s))) / whole);
      result.node_error = largest_of_nodes(system, solutions, known);
    }
    result.frequencies.push_back(next);
    settled = result.error <= direct_tolerance && result.node_error <= direct_node_tolerance ? settled + 1 : 0;
    if (settled == 2) break;
    span.append(solutions);
    if (result.frequencies.size() == most)
      throw NumericalError(
          fmt::format("the direct solution did not settle: after {} frequencies the next one still "
                      "differs by {:.1e} from what they say",
                      most, result.error));
    double worst = -1;
    std::erase_if(open, [&](double f) { return std::abs(f - next) <= 1e-9 * f; });
    const double last = next;
    for (const double f : open) {
      const double w = 2 * pi * f;
      const double residual = span.answer(w, loads_of(system, modes.statics, on_modes, inputs, w)).second;
      if (residual > worst) {
        worst = residual;
        next = f;
      }
    }
    if (next == last || !(worst > exhausted)) break;
  }
  result.basis.statics = modes.statics;
  result.basis.has_feet = modes.has_feet;
  result.basis.foot_influence = modes.foot_influence;
  result.basis.exhausted = true;
  result.basis.proven_below = modes.proven_below;
  span.finish(result.basis);
  derive(system, result.basis);
  result.damping = damp(system, result.basis, damping_rule);
  return result;
}

}  // namespace avrenk
