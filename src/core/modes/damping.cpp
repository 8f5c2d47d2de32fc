#include "core/modes/damping.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/dense.h"
#include "core/error.h"
#include "core/modes/modal_basis.h"
#include "core/quantity/quantity.h"
#include "core/system/system.h"

namespace avrenk {
namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;

// ΦᵀXΦ of a symmetric X; only the rows of Φ that X touches are looked at.
MatrixXd projected(const MatrixXd& shapes, const SparseMatrix& matrix) {
  if (matrix.nonZeros() == 0) return MatrixXd::Zero(shapes.cols(), shapes.cols());
  std::vector<Eigen::Index> touched;
  for (Eigen::Index column = 0; column < matrix.cols(); ++column)
    if (matrix.col(column).nonZeros() > 0) touched.push_back(column);
  const MatrixXd touched_shapes = shapes(touched, Eigen::all);
  std::vector<Eigen::Index> place(static_cast<std::size_t>(matrix.rows()), -1);  // among those touched
  for (std::size_t k = 0; k < touched.size(); ++k)
    place[static_cast<std::size_t>(touched[k])] = static_cast<Eigen::Index>(k);
  MatrixXd product = MatrixXd::Zero(touched_shapes.rows(), touched_shapes.cols());
  for (std::size_t k = 0; k < touched.size(); ++k)
    for (SparseMatrix::InnerIterator entry(matrix, touched[k]); entry; ++entry)
      product.row(place[static_cast<std::size_t>(entry.row())]) +=
          entry.value() * touched_shapes.row(static_cast<Eigen::Index>(k));
  return touched_shapes.transpose() * product;
}

std::string describe_source(double general, double loss, double dashpot) {
  const double sum = general + loss + dashpot;
  if (sum <= 0) return "none";
  struct Share {
    const char* name;
    double value;
  };
  std::vector<Share> shares{{"general", general / sum}, {"own η", loss / sum}, {"dashpots", dashpot / sum}};
  std::stable_sort(shares.begin(), shares.end(), [](const Share& a, const Share& b) { return a.value > b.value; });
  if (shares[0].value > 0.995) return shares[0].name;
  std::string text;
  for (const Share& share : shares)
    if (share.value >= 0.005)
      text += fmt::format("{}{} {:.0f} %", text.empty() ? "" : ", ", share.name, 100 * share.value);
  return text;
}

}  // namespace

double DampingRule::ratio(double frequency) const {
  if (form == Form::ratio) return value;
  if (form == Form::rayleigh) {
    const double omega = 2 * pi * frequency;
    return mass_rate / (2 * omega) + stiffness_rate * omega / 2;
  }
  if (form != Form::table) return 0;
  return log_interpolation(table, frequency);
}

DampingRule rayleigh_through(double frequency1, double zeta1, double frequency2, double zeta2) {
  const double w1 = 2 * pi * frequency1, w2 = 2 * pi * frequency2;
  DampingRule rule;
  rule.form = DampingRule::Form::rayleigh;
  rule.stiffness_rate = 2 * (zeta2 * w2 - zeta1 * w1) / (w2 * w2 - w1 * w1);
  rule.mass_rate = 2 * zeta1 * w1 - rule.stiffness_rate * w1 * w1;
  return rule;
}

namespace {

void refuse_negative(double ratio, int mode, double frequency) {
  if (ratio >= 0) return;
  throw InputError(Problem{"damping",
                           fmt::format("the Rayleigh damping through these pairs gives mode {} at {:.5g} Hz a ratio of "
                                       "{:.3g} %",
                                       mode + 1, frequency, 100 * ratio),
                           "choose pairs that enclose the modes, or a table", std::nullopt});
}

// Values given near a frequency; of several the nearest is taken. Such a mode stands by itself.
void give_near(const ModalBasis& basis, const DampingRule& rule, ModalDamping& damping) {
  for (int r = 0; r < basis.modes; ++r) {
    const NearDamping* nearest = nullptr;
    const double f = basis.frequency(r);
    for (const NearDamping& each : rule.near)
      if (each.covers(f) && (!nearest || std::abs(f - each.frequency) < std::abs(f - nearest->frequency)))
        nearest = &each;
    if (!nearest) continue;
    damping.overridden[r] = 1;
    damping.zeta[r] = nearest->zeta;
    damping.eta[r] = nearest->eta;
    damping.general_rate[r] = 2 * nearest->zeta / basis.omega[r];
    damping.general_loss[r] = nearest->eta;
    damping.source[static_cast<std::size_t>(r)] = fmt::format("given near {:.4g} Hz", nearest->frequency);
    if (!damping.couples()) continue;
    for (MatrixXd* matrix : {&damping.viscous, &damping.hysteretic}) {
      matrix->row(r).setZero();
      matrix->col(r).setZero();
    }
    damping.viscous(r, r) = 2 * nearest->zeta * basis.omega[r];
    damping.hysteretic(r, r) = nearest->eta * basis.omega[r] * basis.omega[r];
  }
}

// The modal damping less what elements make of it by their own laws: see ModalDamping::rest_viscous.
void find_rest(const ModalBasis& basis, ModalDamping& damping) {
  if (!damping.couples()) return;
  const auto& [loss, own, dashpots, geometric] = damping.products;
  const VectorXd stiffness = basis.stiffness();
  const MatrixXd general = MatrixXd(stiffness.asDiagonal()) - own;
  MatrixXd viscous = damping.viscous, hysteretic = damping.hysteretic;
  const double largest_viscous = viscous.cwiseAbs().maxCoeff(), largest_loss = hysteretic.cwiseAbs().maxCoeff();
  for (int r = 0; r < basis.size(); ++r) {
    if (damping.overridden[r] > 0) {  // every element has it
      const double all = stiffness[r] - (geometric.size() > 0 ? geometric[r] : 0);
      viscous(r, r) -= damping.general_rate[r] * all;
      hysteretic(r, r) -= damping.general_loss[r] * all;
      continue;
    }
    viscous.col(r) -= dashpots.col(r) + damping.general_rate[r] * general.col(r);
    hysteretic.col(r) -= loss.col(r) + damping.general_loss[r] * general.col(r);
    if (r < basis.with_mass()) viscous(r, r) -= damping.mass_rate;
  }
  const VectorXd inverse = stiffness.unaryExpr([](double each) { return each > 0 ? 1 / each : 0.0; });
  constexpr double rounding = 1e-14;
  if (viscous.cwiseAbs().maxCoeff() > rounding * largest_viscous) damping.rest_viscous = inverse.asDiagonal() * viscous;
  if (hysteretic.cwiseAbs().maxCoeff() > rounding * largest_loss) damping.rest_loss = inverse.asDiagonal() * hysteretic;
}

}  // namespace

std::pair<Eigen::MatrixXcd, Eigen::MatrixXcd> ModalDamping::force_rows(const ModalBasis& basis,
                                                                       const Eigen::MatrixXcd& rows) const {
  const Eigen::MatrixXcd elastic = rows * basis.stiffness().asDiagonal();
  if (coupled()) return {elastic + imaginary * (rows * hysteretic), rows * viscous};
  return {elastic + imaginary * Eigen::MatrixXcd(rows * alone_loss.asDiagonal()), rows * alone_viscous.asDiagonal()};
}

std::vector<std::pair<double, double>> resonances(const ModalBasis& basis, const ModalDamping& damping) {
  std::vector<std::pair<double, double>> all;
  if (damping.has_springs_in_modes()) return damping.modes.resonances();
  for (const SpringMode& each : damping.with_springs) all.emplace_back(each.frequency, each.ratio);
  if (damping.springs) return all;
  if (damping.coupled()) return damping.modes.resonances();
  all.reserve(static_cast<std::size_t>(basis.size()));
  for (int r = 0; r < basis.with_mass(); ++r) all.emplace_back(basis.frequency(r), damping.effective_ratio(r));
  std::sort(all.begin(), all.end());
  return all;
}

DampingProducts damping_products(const System& system, const ModalBasis& basis) {
  DampingProducts products{projected(basis.shapes, system.loss.ff), projected(basis.shapes, system.own_stiffness.ff),
                           projected(basis.shapes, system.dashpot.ff)};
  if (system.geometric) products.geometric = projected(basis.shapes, system.geometric->ff).diagonal();
  return products;
}

ModalDamping damp(const System& system, const ModalBasis& basis, const DampingRule& rule) {
  return damp(damping_products(system, basis), basis, rule);
}

ModalDamping damp(DampingProducts products, const ModalBasis& basis, const DampingRule& rule) {
  ModalDamping damping;
  damping.products = std::move(products);
  const auto& [loss, own, dashpots, geometric] = damping.products;
  const auto m = basis.size();
  for (VectorXd* vector : {&damping.zeta, &damping.eta, &damping.general_rate, &damping.general_loss})
    vector->resize(m);
  damping.overridden = VectorXd::Zero(m);
  damping.mass_rate = rule.mass_rate;
  damping.base_rate = rule.stiffness_rate;
  damping.base_loss = rule.form == DampingRule::Form::loss_factor ? rule.value : 0;
  for (int r = 0; r < m; ++r) {
    const double omega = basis.omega[r], omega2 = omega * omega;
    if (r >= basis.with_mass()) {  // a ratio belongs to a frequency, and has none here
      damping.zeta[r] = damping.eta[r] = 0;
      damping.general_rate[r] = rule.stiffness_rate;
      damping.general_loss[r] = damping.base_loss;
      damping.source.emplace_back("no mass");
      continue;
    }
    if (omega == 0) {  // a free motion strains nothing
      damping.zeta[r] = damping.eta[r] = damping.general_rate[r] = damping.general_loss[r] = 0;
      damping.source.emplace_back("free motion");
      continue;
    }
    const double general_share = std::max(0.0, 1 - own(r, r) / omega2);
    const double ratio = rule.ratio(basis.frequency(r));
    refuse_negative(ratio, r, basis.frequency(r));
    const double from_mass = rule.mass_rate / (2 * omega);
    // A ratio is one of the mode: of its elastic energy, whatever a preload adds to it or takes away.
    const bool is_of_mode = rule.form == DampingRule::Form::ratio || rule.form == DampingRule::Form::table;
    const double of_elastic = is_of_mode && geometric.size() > 0 ? omega2 / (omega2 - geometric[r]) : 1;
    const double from_general = from_mass + (ratio - from_mass) * of_elastic * general_share;
    const double from_dashpots = dashpots(r, r) / (2 * omega);
    damping.zeta[r] = from_general + from_dashpots;
    damping.eta[r] = loss(r, r) / omega2 + damping.base_loss * general_share;
    damping.general_rate[r] = 2 * (ratio - from_mass) * of_elastic / omega;
    damping.general_loss[r] = damping.base_loss;
    damping.source.push_back(describe_source(from_general + 0.5 * damping.base_loss * general_share,
                                             0.5 * loss(r, r) / omega2, from_dashpots));
  }
  if (!own.isZero(0) || !dashpots.isZero(0) || basis.massless > 0) {
    const MatrixXd general = MatrixXd(basis.stiffness().asDiagonal()) - own;
    const VectorXd root = damping.general_rate.cwiseMax(0).cwiseSqrt();
    damping.viscous = dashpots + root.asDiagonal() * general * root.asDiagonal();
    damping.viscous.diagonal().head(basis.with_mass()).array() += rule.mass_rate;
    damping.hysteretic = loss + damping.base_loss * general;
  }
  give_near(basis, rule, damping);
  damping.alone_viscous.resize(m);
  damping.alone_loss.resize(m);
  for (int r = 0; r < m; ++r) {
    const bool mass = r < basis.with_mass();  // without it there are own dampers, and so the whole matrices
    damping.alone_viscous[r] = mass ? 2 * damping.zeta[r] * basis.omega[r] : damping.viscous(r, r);
    damping.alone_loss[r] = mass ? damping.eta[r] * std::pow(basis.omega[r], 2) : damping.hysteretic(r, r);
  }
  find_rest(basis, damping);
  damping.modes = rule.coupled && damping.couples()
                      ? DampedModes(basis.omega, damping.viscous, damping.hysteretic)
                      : DampedModes(basis.omega, damping.alone_viscous, damping.alone_loss);
  return damping;
}

ModalDamping with_springs(ModalDamping damping, const ModalBasis& basis,
                          std::shared_ptr<const SpringVariation> springs) {
  damping.with_springs.clear();
  if (damping.without_springs) damping.modes = *damping.without_springs;
  damping.without_springs.reset();
  damping.springs = std::move(springs);
  if (!damping.springs) return damping;
  const SpringVariation& spring_variation = *damping.springs;
  const bool whole = damping.coupled();
  const MatrixXd viscous = whole ? damping.viscous : MatrixXd(damping.alone_viscous),
                 loss = whole ? damping.hysteretic : MatrixXd(damping.alone_loss);
  damping.with_springs = modes_with_springs(basis, spring_variation, viscous, loss);
  if (!spring_variation.is_constant()) return damping;
  constexpr double any = 1;  // Hz
  const TurnedModes turned = turned_by_springs(basis, spring_variation, any);
  const auto full = [](const MatrixXd& matrix) {
    return matrix.cols() == 1 && matrix.rows() > 1 ? MatrixXd(matrix.col(0).asDiagonal()) : matrix;
  };
  MatrixXd all_loss = spring_variation.forces() *
                      (spring_variation.stiffness_change(any).imag().asDiagonal() * spring_variation.travel());
  all_loss = 0.5 * (all_loss + all_loss.transpose()).eval() + full(loss);
  damping.without_springs = std::make_shared<const DampedModes>(std::move(damping.modes));
  damping.modes =
      DampedModes(turned.omega, MatrixXd(turned.coordinates.transpose() * full(viscous) * turned.coordinates),
                  MatrixXd(turned.coordinates.transpose() * all_loss * turned.coordinates));
  damping.modes.change_coordinates(turned.coordinates);
  return damping;
}

void require_damping(const ModalBasis& basis, const ModalDamping& damping, double from, double to) {
  const auto refuse_undamped = [&](const std::string& which, double f) {
    throw_input_error(
        "damping",
        fmt::format("{} at {:.5g} Hz lies between {:.5g} and {:.5g} Hz and has no damping, so its response is "
                    "infinite",
                    which, f, from, to),
        "give the model a damping ratio, or its materials or joints a loss factor");
  };
  if (damping.springs) {
    for (const auto& [f, ratio] : resonances(basis, damping))
      if (f >= from && f <= to && !(ratio > least_damping))
        refuse_undamped("a mode of the model as its springs are", f);
    return;
  }
  for (int r = 0; r < basis.modes; ++r) {
    const double f = basis.frequency(r);
    if (f >= from && f <= to && !(damping.effective_ratio(r) > least_damping))
      refuse_undamped(fmt::format("mode {}", r + 1), f);
  }
  if (!damping.coupled()) return;
  for (const auto& [f, ratio] : damping.modes.resonances())  // modes that move together may leave one undamped
    if (f >= from && f <= to && !(ratio > least_damping)) refuse_undamped("a mode of the damped model", f);
}

double ModalDamping::effective_ratio(int r) const { return zeta[r] + 0.5 * eta[r]; }

double ModalDamping::amplification(int r) const { return 1 / (2 * effective_ratio(r)); }

}  // namespace avrenk
