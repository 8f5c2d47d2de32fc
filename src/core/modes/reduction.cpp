#include "core/modes/reduction.h"

#include <fmt/format.h>

#include <array>

#include <cmath>

#include "core/dense.h"
#include "core/error.h"
#include "core/quantity/quantity.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

// Motions of the supports, six a foot about the base's point, from those of the feet's nodes.
MatrixXd supports_of(const Assembly& assembly, const System& system, const ReducedModel& model) {
  const auto feet = assembly.feet();
  const Index interface = model.size() - model.coordinates();
  MatrixXd supports = MatrixXd::Zero(system.supports, interface);
  for (Index i = 0; i < interface; ++i) {
    const auto& [node, direction] = model.columns[static_cast<std::size_t>(i)];
    const auto& [base, foot] = feet[static_cast<std::size_t>(node)];
    supports.block<6, 1>(6L * node, i) =
        rigid_arm(assembly.position(foot.node), assembly.bases[static_cast<std::size_t>(base)].point).col(direction);
  }
  return supports;
}

// Xᵀ A X of a cut matrix, X = [free; supports] of the motions.
MatrixXd in_motions(const Partitioned& matrix, const MatrixXd& free, const MatrixXd& supports) {
  if (matrix.ff.nonZeros() + matrix.fs.nonZeros() + matrix.ss.nonZeros() == 0) return {};
  const MatrixXd on_free = matrix.ff * free + matrix.fs * supports;
  const MatrixXd on_supports = matrix.fs.transpose() * free + matrix.ss * supports;
  const MatrixXd all = free.transpose() * on_free + supports.transpose() * on_supports;
  return 0.5 * (all + all.transpose());
}

// What a rigid motion cannot strain is zero, not what cancelling leaves; and what has no energy by itself has none with
// others. @param of_supports  the matrix of the supports alone
void remove_rounding(const Assembly& assembly, const SparseMatrix& of_supports, const MatrixXd& held,
                     const ReducedModel& model, MatrixXd& matrix) {
  constexpr double rounding = 1e-10, nothing = 1e-2;
  VectorXd before = (held.transpose() * (of_supports * held)).diagonal().cwiseAbs().cwiseSqrt();
  const auto turns = [&](Index i) { return model.columns[static_cast<std::size_t>(i)].direction > 2; };
  // A rotation that nothing holds has rounding of the forces around it alone, at the arms that the model has.
  double largest = 0, size = 0;
  for (const auto& node : assembly.nodes) size = std::max(size, (node.position - model.interface.front()).norm());
  for (Index i = 0; i < before.size(); ++i)
    if (!turns(i)) largest = std::max(largest, before[i]);
  for (Index i = 0; i < before.size(); ++i) before[i] = std::max(before[i], nothing * largest * (turns(i) ? size : 1));
  for (Index i = 0; i < before.size(); ++i)
    for (Index j = 0; j < before.size(); ++j)
      if (std::abs(matrix(i, j)) < rounding * before[i] * before[j]) matrix(i, j) = 0;
  for (Index i = 0; i < before.size(); ++i)
    if (matrix(i, i) == 0) {
      matrix.row(i).setZero();
      matrix.col(i).setZero();
    }
}

}  // namespace

ReducedModel reduce(const Assembly& assembly, const System& system, const ModalBasis& basis,
                    const std::vector<WatchedPoint>& points) {
  ReducedModel model;
  const auto feet = assembly.feet();
  for (std::size_t f = 0; f < feet.size(); ++f) {
    const auto& [base, foot] = feet[f];
    const bool turns = system.has_rotation(foot.node);
    for (std::size_t d = 0; d < (turns ? 6U : 3U); ++d)
      if (!foot.holds[d])
        throw_input_error("base " + assembly.bases[static_cast<std::size_t>(base)].name,
                          fmt::format("it leaves {} of {} free", std::array{"x", "y", "z", "rx", "ry", "rz"}[d],
                                      assembly.describe_node(foot.node)),
                          "let it hold all: what is held becomes the interface");
    // The support's motions are those of the base's point; here each foot has its own, at its node.
    model.interface.push_back(assembly.position(foot.node));
    for (int d = 0; d < (turns ? 6 : 3); ++d) {
      model.columns.push_back({static_cast<int>(f), d});
    }
  }
  const Index interface = model.size();
  const Index modes = basis.modes, all = interface + modes;
  for (Index r = 0; r < modes; ++r) model.columns.push_back({-1, 0});
  MatrixXd supports = MatrixXd::Zero(system.supports, all);
  supports.leftCols(interface) = supports_of(assembly, system, model);
  MatrixXd free = MatrixXd::Zero(system.free, all);
  {
    const Factorisation stiffness = factorise_stiffness(assembly, system);
    free.leftCols(interface) = -stiffness.solve(MatrixXd(system.stiffness.fs * supports.leftCols(interface)));
  }
  free.rightCols(modes) = basis.shapes.leftCols(modes);
  model.stiffness = in_motions(system.stiffness, free, supports);
  model.mass = in_motions(system.mass, free, supports);
  // Exactly what they are, but for rounding: the modes among themselves, and with the interface.
  model.stiffness.rightCols(modes).setZero();
  model.stiffness.bottomRows(modes).setZero();
  model.stiffness.bottomRightCorner(modes, modes) = basis.omega.head(modes).cwiseAbs2().asDiagonal();
  model.mass.bottomRightCorner(modes, modes).setIdentity();
  model.dashpot = in_motions(system.dashpot, free, supports);
  model.loss = in_motions(system.loss, free, supports);
  for (const auto& [matrix, of_supports] : {std::pair{&model.stiffness, &system.stiffness.ss},
                                            {&model.dashpot, &system.dashpot.ss},
                                            {&model.loss, &system.loss.ss}})
    if (matrix->size() > 0) remove_rounding(assembly, *of_supports, supports.leftCols(interface), model, *matrix);
  model.bound = basis.proven_below;
  MatrixXd unknowns(system.free + system.supports, all);
  unknowns << free, supports;
  model.recovery.resize(6 * static_cast<Index>(points.size()), all);
  for (std::size_t p = 0; p < points.size(); ++p) {
    model.names.push_back(points[p].name);
    model.points.push_back(assembly.position(points[p].node));
    const SparseMatrix rows = system.transformation.middleCols(6 * points[p].node, 6).transpose();
    model.recovery.middleRows<6>(6 * static_cast<Index>(p)) = rows * unknowns;
  }
  return model;
}

namespace {

double off(const MatrixXd& found, const MatrixXd& due) {
  const double largest = due.size() > 0 ? due.cwiseAbs().maxCoeff() : 0;
  return largest > 0 ? (found - due).cwiseAbs().maxCoeff() / largest : 0;
}

// What unit motions of the interface make at one frequency of the full model and of the reduced one.
double input_error(const Assembly& assembly, const System& system, const ReducedModel& model,
                   const std::vector<WatchedPoint>& points, double frequency) {
  const double omega2 = std::pow(2 * pi * frequency, 2);
  const MatrixXd supports = supports_of(assembly, system, model);
  const MatrixXd load = system.stiffness.fs * supports - omega2 * (system.mass.fs * supports);
  MatrixXd unknowns(system.free + system.supports, supports.cols());
  const Factorisation dynamic(system.stiffness.ff - omega2 * system.mass.ff,
                              {system.stiffness.ff, system.node_of_column});
  unknowns << -dynamic.solve(load), supports;
  const MatrixXd free = unknowns.topRows(system.free);
  const MatrixXd on_supports = system.stiffness.fs.transpose() * free + system.stiffness.ss * supports -
                               omega2 * (system.mass.fs.transpose() * free + system.mass.ss * supports);
  const MatrixXd force = supports.transpose() * on_supports;
  const Index coordinates = model.coordinates(), interface = supports.cols();
  MatrixXd reduced(model.size(), interface);
  reduced.topRows(interface).setIdentity();
  const MatrixXd reduced_dynamic = model.stiffness - omega2 * model.mass;
  const VectorXd inverse = reduced_dynamic.bottomRightCorner(coordinates, coordinates).diagonal().cwiseInverse();
  reduced.bottomRows(coordinates) = -(inverse.asDiagonal() * reduced_dynamic.bottomLeftCorner(coordinates, interface));
  double worst = off(reduced_dynamic.topRows(interface) * reduced, force);
  MatrixXd moved(6 * static_cast<Index>(points.size()), interface);
  for (std::size_t p = 0; p < points.size(); ++p) {
    const SparseMatrix rows = system.transformation.middleCols(6 * points[p].node, 6).transpose();
    moved.middleRows<6>(6 * static_cast<Index>(p)) = rows * unknowns;
  }
  const MatrixXd found = model.recovery * reduced;
  for (const Index first : {0, 3}) {  // metres and radians apart
    const auto some = [&](const MatrixXd& m) {
      MatrixXd rows(m.rows() / 2, m.cols());
      for (Index p = 0; p < m.rows() / 6; ++p) rows.middleRows<3>(3 * p) = m.middleRows<3>(6 * p + first);
      return rows;
    };
    worst = std::max(worst, off(some(found), some(moved)));
  }
  return worst;
}

// Free modes of a reduced model, ascending λ; an interface without mass makes them infinite, so that their inverses,
// 1/(λ + s), are looked for: M x = μ (K + s M) x.
SymmetricEigen free_modes(const ReducedModel& model, double s) {
  const SymmetricEigen inverse = symmetric_eigen(model.mass, model.stiffness + s * model.mass);
  SymmetricEigen modes;
  const Index with_mass = (inverse.values.array() > 1e-14 * inverse.values.maxCoeff()).count();
  modes.values = inverse.values.tail(with_mass).reverse().cwiseInverse().array() - s;
  modes.vectors = inverse.vectors.rightCols(with_mass).rowwise().reverse();
  return modes;
}

}  // namespace

ReductionCheck check_reduction(const Assembly& assembly, const System& system, const ReducedModel& model,
                               const std::vector<WatchedPoint>& points, int threads, const Progress& progress) {
  ReductionCheck check;
  const double reach = model.bound / 1.5;
  for (const double part : {0.1, 0.37, 0.61, 1.0}) {
    report_progress(progress, fmt::format("the full model driven at its interface at {:.5g} Hz", part * reach));
    check.inputs.push_back({part * reach, input_error(assembly, system, model, points, part * reach)});
  }
  report_progress(progress, "modes of the full model with nothing held");
  Assembly loose = assembly;
  loose.bases.clear();
  loose.loads.clear();
  constexpr int most = 40;
  ModalBasis full;
  System free_system;
  SymmetricEigen reduced;
  try {
    free_system = make_system(loose, threads);
    ModeRequest request{std::nullopt, std::min(most, free_system.free), false, false, true};
    full = solve_modes(loose, free_system, request, threads, progress);
    reduced = free_modes(model, std::pow(2 * pi * reach, 2));
  } catch (const std::runtime_error& error) {
    check.why_no_modes = error.what();
    return check;
  }
  const auto feet = assembly.feet();
  const auto translations = static_cast<Index>(3 * (feet.size() + points.size()));
  Index interface_rows = 0;
  const double least = std::pow(2 * pi * 1e-3 * reach, 2);
  while (interface_rows < reduced.values.size() && reduced.values[interface_rows] < least) ++interface_rows;
  for (int r = full.free_motions(); r < full.modes && interface_rows < reduced.values.size(); ++r, ++interface_rows) {
    const double f = full.frequency(r);
    if (f > reach) break;
    Eigen::VectorXd a(translations), b(translations);
    const MatrixXd motions = free_system.motions(full.shapes.col(r));
    const Eigen::VectorXd x = reduced.vectors.col(interface_rows);
    b.setZero();
    for (std::size_t k = 0; k < feet.size(); ++k)
      a.segment<3>(3 * static_cast<Index>(k)) = motions.block<3, 1>(6L * feet[k].second.node, 0);
    for (Index i = 0; i < model.size(); ++i)
      if (const auto& [node, direction] = model.columns[static_cast<std::size_t>(i)]; node >= 0 && direction < 3)
        b[3L * node + direction] = x[i];
    const Eigen::VectorXd recovered = model.recovery * x;
    for (std::size_t p = 0; p < points.size(); ++p) {
      const auto at = static_cast<Index>(3 * (feet.size() + p));
      a.segment<3>(at) = motions.block<3, 1>(6L * points[p].node, 0);
      b.segment<3>(at) = recovered.segment<3>(6 * static_cast<Index>(p));
    }
    const double norms = a.squaredNorm() * b.squaredNorm();
    check.modes.push_back({f, std::sqrt(std::max(0.0, reduced.values[interface_rows])) / (2 * pi),
                           norms > 0 ? std::pow(a.dot(b), 2) / norms : 0});
  }
  return check;
}

ReducedModel as_component(const SuppliedModes& modes) {
  ReducedModel model;
  const Index m = modes.frequency.size();
  const VectorXd root = modes.modal_mass.cwiseSqrt().cwiseInverse();
  const MatrixXd participation = root.asDiagonal() * modes.participation;
  const MatrixXd carried = participation.transpose() * participation;
  Matrix6 rigid = Matrix6::Zero();
  if (modes.centre && modes.inertia) {
    rigid = mass_at_node(modes.mass, *modes.inertia, *modes.centre - modes.about);
  } else {  // turns of the base know only what the modes carry
    rigid = carried;
    for (int d = 0; d < 3; ++d) rigid(d, d) = modes.mass;
  }
  constexpr double more = 1e-3;  // what rounding of printed numbers makes of all
  for (int d = 0; d < 6; ++d)
    if (carried(d, d) > rigid(d, d) * (1 + more))
      throw_input_error(
          "",
          fmt::format("the modes carry {:.4g} {} {} {}, and the whole has {:.4g}", carried(d, d),
                      d < 3 ? "kg along" : "kg m^2 about", d < 3 ? "direction" : "axis", "xyz"[d % 3], rigid(d, d)),
          "look at the units of participation and modal mass, and at the mass");
  // The rest must be a mass too: what is beyond it by rounding is taken off the coupling of turns.
  const SymmetricEigen rest = symmetric_eigen(Eigen::MatrixXd(rigid - carried));
  if (rest.values.minCoeff() < -more * rigid.diagonal().maxCoeff())
    throw_input_error("", "mass, centre and inertia are too small for what the modes carry together",
                      "look at the units of the participation about axes, and at the point that it is about");
  rigid = carried + rest.vectors * rest.values.cwiseMax(0).asDiagonal() * rest.vectors.transpose();
  model.interface = {modes.about};
  for (int d = 0; d < 6; ++d) model.columns.push_back({0, d});
  for (Index r = 0; r < m; ++r) model.columns.push_back({-1, 0});
  model.mass = MatrixXd::Identity(6 + m, 6 + m);
  model.mass.topLeftCorner<6, 6>() = rigid;
  model.mass.bottomLeftCorner(m, 6) = participation;
  model.mass.topRightCorner(6, m) = participation.transpose();
  const VectorXd omega = 2 * pi * modes.frequency;
  const auto on_modes = [&](const VectorXd& diagonal) {
    MatrixXd matrix = MatrixXd::Zero(6 + m, 6 + m);
    matrix.diagonal().tail(m) = diagonal;
    return matrix;
  };
  model.stiffness = on_modes(omega.cwiseAbs2());
  if (modes.zeta.size() > 0) model.dashpot = on_modes(2 * modes.zeta.cwiseProduct(omega));
  if (modes.eta.size() > 0) model.loss = on_modes(modes.eta.cwiseProduct(omega.cwiseAbs2()));
  model.names = modes.names;
  model.points = modes.points;
  const auto points = static_cast<Index>(modes.points.size());
  model.recovery = MatrixXd::Zero(6 * points, 6 + m);
  for (Index p = 0; p < points; ++p) {
    const Index count = modes.has_rotations ? 6 : 3;
    model.recovery.block(6 * p, 0, count, 6) =
        rigid_arm(modes.about, modes.points[static_cast<std::size_t>(p)]).topRows(count);
    model.recovery.block(6 * p, 6, count, m) = modes.shapes.middleRows(6 * p, count) * root.asDiagonal();
  }
  return model;
}

}  // namespace avrenk
