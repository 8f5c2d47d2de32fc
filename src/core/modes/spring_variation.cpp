#include "core/modes/spring_variation.h"

#include <algorithm>
#include <cmath>

#include "core/dense.h"
#include "core/model/assembly.h"
#include "core/model/spring_law.h"
#include "core/modes/modal_basis.h"
#include "core/quantity/quantity.h"
#include "core/system/system.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

std::complex<double> VaryingSpring::stiffness_change(double frequency) const {
  const double k = stiffness_at(frequency), eta = loss_at(frequency);
  return {k / stiffness - 1, k * eta / stiffness - loss};
}

std::complex<double> VaryingSpring::stiffness_change_slope(double frequency, double inside) const {
  const double k = log_interpolation(stiffness_over, frequency), s = log_interpolation(softening, frequency),
               k_slope = log_interpolation_slope(stiffness_over, frequency, inside) * s +
                         k * log_interpolation_slope(softening, frequency, frequency);
  const double eta = log_interpolation(loss_over, frequency), l = log_interpolation(growth, frequency),
               eta_slope = log_interpolation_slope(loss_over, frequency, inside) * l +
                           eta * log_interpolation_slope(growth, frequency, frequency);
  return {k_slope / stiffness, (k_slope * eta * l + k * s * eta_slope) / stiffness};
}

SpringVariation::SpringVariation(std::vector<VaryingSpring> springs, const System& system, const ModalBasis& basis)
    : springs_(std::move(springs)) {
  const auto r = std::ssize(springs_);
  forces_.resize(basis.size(), r);
  travel_.resize(r, basis.size());
  base_ = MatrixXd::Zero(r, basis.statics.influence.cols());
  for (Index i = 0; i < r; ++i) {
    const VaryingSpring& varying_spring = springs_[static_cast<std::size_t>(i)];
    forces_.col(i) = basis.load_participation.col(varying_spring.column);
    travel_.row(i) = forces_.col(i).transpose() / varying_spring.stiffness;
    if (basis.statics.moves_rigidly) continue;
    base_.row(i) = (VectorXd(system.loads.col(varying_spring.column)).transpose() * basis.statics.influence +
                    VectorXd(system.support_loads.col(varying_spring.column)).transpose() * system.support_motion) /
                   varying_spring.stiffness;
  }
}

VectorXcd SpringVariation::stiffness_change(double frequency) const {
  VectorXcd x(size());
  for (Index i = 0; i < size(); ++i) x[i] = springs_[static_cast<std::size_t>(i)].stiffness_change(frequency);
  return x;
}

VectorXcd SpringVariation::stiffness_change_slope(double frequency, double inside) const {
  VectorXcd x(size());
  for (Index i = 0; i < size(); ++i)
    x[i] = springs_[static_cast<std::size_t>(i)].stiffness_change_slope(frequency, inside);
  return x;
}

namespace {

std::vector<double> each_once(std::vector<double> all) {
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  return all;
}

void add_points(const LogTable& points, std::vector<double>& all) {
  for (std::size_t k = 0; points.size() > 1 && k < points.size(); ++k) all.push_back(points[k].first);
}

}  // namespace

std::vector<double> SpringVariation::table_points() const {
  std::vector<double> all;
  for (const VaryingSpring& own : springs_)
    for (const LogTable* points : {&own.stiffness_over, &own.loss_over, &own.softening, &own.growth})
      add_points(*points, all);
  return each_once(std::move(all));
}

std::vector<double> SpringVariation::breakpoints() const {
  constexpr double narrow = 1e-6, jump = 1e-3;
  std::vector<double> frequencies;
  for (const VaryingSpring& varying_spring : springs_) {
    for (const LogTable* points : {&varying_spring.stiffness_over, &varying_spring.loss_over})
      add_points(*points, frequencies);
    for (const LogTable* points : {&varying_spring.softening, &varying_spring.growth})
      for (std::size_t k = 1; k < points->size(); ++k) {
        const auto& [f0, y0] = (*points)[k - 1];
        const auto& [f1, y1] = (*points)[k];
        if (f1 - f0 <= narrow * f1 && std::abs(y1 - y0) > jump * std::abs(y1))
          frequencies.insert(frequencies.end(), {f0, f1});
      }
  }
  return each_once(std::move(frequencies));
}

void SpringVariation::put(const MatrixXcd& unstressed, MatrixXcd& loads) const {
  for (Index i = 0; i < size(); ++i) loads.row(springs_[static_cast<std::size_t>(i)].column) = unstressed.row(i);
}

VectorXd SpringVariation::at_rest(const ModalBasis& basis, const VectorXd& coordinates, const VectorXd& carried) const {
  constexpr double at_zero = 1e-300;  // Hz: tables are constant below their first point
  const VectorXd x = stiffness_change(at_zero).real();
  // (1 + X G Λ⁻¹ W) e = −X δ₀
  MatrixXd inner = x.asDiagonal() * (travel_ * (basis.stiffness().cwiseInverse().asDiagonal() * forces_));
  inner.diagonal().array() += 1;
  return RealLu(std::move(inner)).solve(-(x.asDiagonal() * (travel_ * coordinates + carried)));
}

void add_columns_of_springs(Assembly& assembly) {
  for (std::size_t first = 0, end = 0; first < assembly.springs.size(); first = end) {
    const std::string& joint = assembly.springs[first].joint;
    while (end < assembly.springs.size() && assembly.springs[end].joint == joint) ++end;
    Load load;
    load.name = "springs of " + joint;
    load.kind = &kind::ratio;
    load.words = "springs that are others than at rest";
    load.is_of_springs = true;
    for (std::size_t i = first; i < end; ++i)
      for (Index axis = 0; assembly.springs[i].law && axis < 6; ++axis) {
        if (assembly.springs[i].stiffness[axis] == 0) continue;
        load.columns.emplace_back().unstressed_at[static_cast<int>(i)] = Vector6::Unit(axis);
        load.factors.emplace_back(1);
      }
    if (!load.columns.empty()) assembly.loads.push_back(std::move(load));
  }
}

std::vector<VaryingSpring> varying_springs(const Assembly& assembly, const std::string& variant) {
  std::vector<VaryingSpring> varying_springs;
  for_each_column(assembly.loads, [&](const Load& load, const LoadColumn& own, int at) {
    if (!load.is_of_springs) return;
    const auto& [index, travel] = *own.unstressed_at.begin();
    const Spring& spring = assembly.springs[static_cast<std::size_t>(index)];
    const SpringLaw& law = *spring.law;
    VaryingSpring varying_spring;
    varying_spring.column = at;
    varying_spring.spring = index;
    while (travel[varying_spring.axis] == 0) ++varying_spring.axis;
    varying_spring.stiffness = spring.stiffness[varying_spring.axis];
    varying_spring.loss = spring.loss_factor.value_or(0);
    const auto chosen = std::find_if(law.variants.begin(), law.variants.end(),
                                     [&](const SpringLaw::Variant& one) { return one.name == variant; });
    const double stiffer = chosen == law.variants.end() ? 1 : chosen->stiffness,
                 more_loss = chosen == law.variants.end() ? 1 : chosen->loss;
    const bool turns = varying_spring.axis > 2;
    const LogTable &over = law.stiffness[static_cast<std::size_t>(varying_spring.axis)], &soft = law.softening[turns],
                   &grown = law.loss_growth[turns];
    if (!soft.empty()) varying_spring.softening = {{1, soft.front().second}};
    if (!grown.empty()) varying_spring.growth = {{1, grown.front().second}};
    const auto scaled = [](LogTable points, double otherwise, double factor) {
      if (points.empty()) points = {{1, otherwise}};
      for (auto& [f, value] : points) value *= factor;
      return points;
    };
    varying_spring.stiffness_over =
        scaled(over, varying_spring.stiffness / varying_spring.softening.front().second, stiffer);
    varying_spring.loss_over = scaled(law.loss, varying_spring.loss, more_loss);
    constexpr double rounding = 1e-14;
    if (over.size() < 2 && law.loss.size() < 2 && soft.size() < 2 && grown.size() < 2 &&
        std::abs(varying_spring.stiffness_change(1)) < rounding)
      return;
    varying_springs.push_back(std::move(varying_spring));
  });
  return varying_springs;
}

TurnedModes turned_by_springs(const ModalBasis& basis, const SpringVariation& variation, double frequency) {
  const Index m = basis.size(), moving = basis.with_mass(), bare = m - moving;
  MatrixXd k = variation.forces() * (variation.stiffness_change(frequency).real().asDiagonal() * variation.travel());
  k = (0.5 * (k + k.transpose())).eval();
  k.diagonal() += basis.stiffness();
  MatrixXd follow;  // what has no mass follows: −K_bb⁻¹ K_bm
  if (bare > 0) {
    follow = -solve_symmetric(k.bottomRightCorner(bare, bare), k.bottomLeftCorner(bare, moving));
    k.topLeftCorner(moving, moving) += k.topRightCorner(moving, bare) * follow;
  }
  const SymmetricEigen eigen = symmetric_eigen(MatrixXd(k.topLeftCorner(moving, moving)));
  TurnedModes turned_modes{VectorXd::Constant(m, HUGE_VAL), MatrixXd::Zero(m, m)};
  turned_modes.omega.head(moving) = eigen.values.cwiseMax(0).cwiseSqrt();
  turned_modes.coordinates.topLeftCorner(moving, moving) = eigen.vectors;
  if (bare == 0) return turned_modes;
  turned_modes.coordinates.bottomLeftCorner(bare, moving) = follow * eigen.vectors;
  const SymmetricEigen without = symmetric_eigen(MatrixXd(k.bottomRightCorner(bare, bare)));
  turned_modes.coordinates.bottomRightCorner(bare, bare) =
      without.vectors * without.values.cwiseSqrt().cwiseInverse().asDiagonal();
  return turned_modes;
}

namespace {

struct Frozen {
  VectorXd frequency;  // Hz, ascending
  MatrixXd shapes;     // m x with mass, with mass 1
};

Frozen frozen_at(const ModalBasis& basis, const SpringVariation& variation, double frequency) {
  const TurnedModes all = turned_by_springs(basis, variation, frequency);
  const Index moving = basis.with_mass();
  return {all.omega.head(moving) / (2 * pi), all.coordinates.leftCols(moving)};
}

constexpr double settled = 1e-9;  // part of a frequency

// The mode nearest to a known one, with the springs as they are at its own frequency: inverse iteration about its
// Rayleigh quotient, by as small a system as responses take. Nothing where it leads to another mode.
std::optional<SpringMode> nearest_mode(const ModalBasis& basis, const SpringVariation& variation, double frequency,
                                       const VectorXd& shape) {
  constexpr int most_steps = 15;
  constexpr double alike = 0.7, singular = 1e-13;
  const VectorXd stiffness = basis.stiffness(), mass = basis.omega.array().isFinite().cast<double>();
  VectorXd y = shape;
  double f = frequency;
  for (int step = 0; step < most_steps; ++step) {
    const VectorXd travel = variation.travel() * y, force = variation.forces().transpose() * y;
    const double square = y.cwiseAbs2().dot(stiffness) +
                          force.dot(variation.stiffness_change(f).real().cwiseProduct(travel)),
                 now = std::sqrt(std::max(0.0, square)) / (2 * pi);
    if (std::abs(now - f) <= settled * now) {
      if (std::abs(y.cwiseProduct(mass).dot(shape)) < alike) return std::nullopt;
      return SpringMode{now, 0, std::move(y)};
    }
    f = now;
    const VectorXd x = variation.stiffness_change(f).real();
    VectorXd over = stiffness - square * mass;
    over = over.unaryExpr([&](double d) { return 1 / (std::abs(d) > singular * square ? d : singular * square); });
    MatrixXd inner = x.asDiagonal() * (variation.travel() * (over.asDiagonal() * variation.forces()));
    inner.diagonal().array() += 1;
    VectorXd next = over.cwiseProduct(mass.cwiseProduct(y));
    next -= over.cwiseProduct(variation.forces() *
                              RealLu(std::move(inner)).solve(x.asDiagonal() * (variation.travel() * next)));
    const double size = std::sqrt(next.cwiseAbs2().dot(mass));
    if (!(size > 0) || !std::isfinite(size)) return std::nullopt;
    y = next / size;
  }
  return std::nullopt;
}

// Where the j-th frequency, with the springs as they are at f, is f: it is above f at `low` and not at `high`.
SpringMode mode_between(const ModalBasis& basis, const SpringVariation& variation, double low, const Frozen& at_low,
                        double high, const Frozen& at_high, Index j) {
  constexpr double straight = 1e-6;  // part of a frequency
  constexpr int most_steps = 60;
  double low_over = at_low.frequency[j] - low, high_over = at_high.frequency[j] - high;
  const auto crossing = [&] { return (low * high_over - high * low_over) / (high_over - low_over); };
  double f = crossing();
  if (std::abs(at_low.frequency[j] / at_high.frequency[j] - 1) < straight) return {f, 0, at_low.shapes.col(j)};
  const Frozen& near = std::abs(f - low) < std::abs(f - high) ? at_low : at_high;
  if (auto nearest = nearest_mode(basis, variation, f, near.shapes.col(j));
      nearest && nearest->frequency >= low && nearest->frequency <= high)
    return std::move(*nearest);
  // The Illinois rule: regula falsi that halves what stands still.
  Frozen frozen;
  int side = 0;
  for (int step = 0; step < most_steps; ++step) {
    f = crossing();
    frozen = frozen_at(basis, variation, f);
    const double above = frozen.frequency[j] - f;
    if (std::abs(above) <= settled * f || high - low <= settled * f) break;
    if (above > 0) {
      low = f;
      low_over = above;
      if (side == 1) high_over *= 0.5;
      side = 1;
    } else {
      high = f;
      high_over = above;
      if (side == -1) low_over *= 0.5;
      side = -1;
    }
  }
  return {f, 0, frozen.shapes.col(j)};
}

}  // namespace

std::vector<SpringMode> modes_with_springs(const ModalBasis& basis, const SpringVariation& variation,
                                           const MatrixXd& viscous, const MatrixXd& hysteretic) {
  const Index moving = basis.with_mass();
  if (moving == 0) return {};
  // The laws are looked at where they change and at half octaves between; a mode lies where its frequency, which
  // changes slowly with that of the laws, is the frequency itself.
  constexpr double half_octave = 1.4142135623730951;
  constexpr std::size_t most = 48;
  std::vector<double> at;
  for (const double f : variation.table_points()) {
    while (!at.empty() && f > at.back() * half_octave) at.push_back(at.back() * half_octave);
    at.push_back(f);
  }
  if (at.empty()) at = {1};
  if (at.size() > most) {
    std::vector<double> fewer;
    fewer.reserve(most);
    for (std::size_t k = 0; k < most; ++k) fewer.push_back(at[k * (at.size() - 1) / (most - 1)]);
    at = std::move(fewer);
  }
  std::vector<Frozen> frozen;
  frozen.reserve(at.size());
  for (const double f : at) frozen.push_back(frozen_at(basis, variation, f));
  const auto of = [&](std::size_t k, Index j) {
    return SpringMode{frozen[k].frequency[j], 0, frozen[k].shapes.col(j)};
  };
  const auto is_above = [&](std::size_t k, Index j) { return frozen[k].frequency[j] > at[k]; };
  std::vector<SpringMode> modes;
  for (Index j = 0; j < moving; ++j) {
    std::size_t k = 0;
    while (k < at.size() && is_above(k, j)) ++k;
    SpringMode mode = k == 0           ? of(0, j)
                      : k == at.size() ? of(k - 1, j)
                                       : mode_between(basis, variation, at[k - 1], frozen[k - 1], at[k], frozen[k], j);
    const double f = mode.frequency;
    const VectorXd& y = mode.shape;
    const double omega = 2 * pi * f;
    const VectorXd travel = variation.travel() * y, force = variation.forces().transpose() * y;
    const auto part = [&](const MatrixXd& matrix) {
      return matrix.cols() == 1 ? matrix.col(0).dot(y.cwiseAbs2()) : y.dot(matrix * y);
    };
    const double eta =
        (part(hysteretic) + force.dot(variation.stiffness_change(f).imag().cwiseProduct(travel))) / (omega * omega);
    mode.ratio = omega > 0 ? part(viscous) / (2 * omega) + 0.5 * eta : 0;
    modes.push_back(std::move(mode));
  }
  std::sort(modes.begin(), modes.end(),
            [](const SpringMode& a, const SpringMode& b) { return a.frequency < b.frequency; });
  return modes;
}

double VaryingSpring::stiffness_at(double frequency) const {
  return log_interpolation(stiffness_over, frequency) * log_interpolation(softening, frequency);
}

double VaryingSpring::loss_at(double frequency) const {
  return log_interpolation(loss_over, frequency) * log_interpolation(growth, frequency);
}

}  // namespace avrenk
