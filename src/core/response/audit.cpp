#include "core/response/audit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/dense.h"
#include "core/quantity/quantity.h"
#include "core/response/channels.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using Eigen::VectorXd;
using ComplexSparse = Eigen::SparseMatrix<Complex>;

constexpr double same = 0.005;  // part of a frequency

// The frequency that matters to a quantity; 0: it has none worth a look.
double frequency_of(const Outcome& outcome, const std::vector<Watched>& all, std::size_t i) {
  const Watched& watched = all[i];
  if (outcome.is_combined() || outcome.grid.empty() || !watched.is_headline()) return 0;
  constexpr double rounding = 1e-10;
  if (!outcome.sine.empty()) {
    double largest = 0;  // of its own kind: newtons say nothing about metres
    for (std::size_t k = 0; k < all.size(); ++k)
      if (all[k].quantity->kind == watched.quantity->kind && all[k].quantity->per_input == watched.quantity->per_input)
        largest = std::max(largest, outcome.sine[k].peak.value);
    return outcome.sine[i].peak.value > rounding * largest ? outcome.sine[i].peak.frequency : 0;
  }
  const RandomRow& row = outcome.random[i];
  return row.rms > 0 && !row.bands.empty() ? row.bands.front().frequency : 0;
}

bool is_given(const AuditSource& source, int mode) {
  return std::any_of(source.rule.near.begin(), source.rule.near.end(),
                     [&](const NearDamping& near) { return near.covers(source.basis.frequency(mode)); });
}

// What the general damping adds to element stiffness: a loss factor, and a rate on it and on the mass.
struct General {
  double loss = 0, stiffness_rate = 0, mass_rate = 0;
};
General general_at(const DampingRule& rule, double frequency) {
  switch (rule.form) {
    case DampingRule::Form::none:
      return {};
    case DampingRule::Form::ratio:
    case DampingRule::Form::table:
      return {2 * rule.ratio(frequency), 0, 0};
    case DampingRule::Form::loss_factor:
      return {rule.value, 0, 0};
    case DampingRule::Form::rayleigh:
      return {0, rule.stiffness_rate, rule.mass_rate};
  }
  return {};
}

// What is added to the forces of elements in the answers at one frequency: near a mode whose damping was given, to all
// of them as much as the modal answer adds.
ModalDamping force_damping(const AuditSource& source, double frequency, Index answers) {
  General general = general_at(source.rule, frequency);
  int nearest = 0;
  for (int r = 0; r < source.basis.modes; ++r)
    if (std::abs(source.basis.frequency(r) - frequency) < std::abs(source.basis.frequency(nearest) - frequency))
      nearest = r;
  const bool given = source.basis.modes > 0 && is_given(source, nearest);
  if (given)
    general = {source.damping.general_loss[nearest] + 2 * pi * frequency * source.damping.general_rate[nearest], 0, 0};
  ModalDamping damping;
  damping.zeta = damping.eta = VectorXd::Zero(answers);
  damping.general_loss = VectorXd::Constant(answers, general.loss);
  damping.general_rate = VectorXd::Constant(answers, general.stiffness_rate);
  damping.given = VectorXd::Constant(answers, given ? 1 : 0);
  damping.mass_rate = general.mass_rate;
  damping.base_loss = source.damping.base_loss;
  damping.base_rate = source.damping.base_rate;
  return damping;
}

// Damping force per unit of motion, iωC + iK_η with all that the elements have.
// @param block  ff, fs or ss of all of them
ComplexSparse damping_matrix(const System& system, const General& general, double omega,
                             SparseMatrix Partitioned::*block) {
  const Complex on_general = imaginary * (general.loss + omega * general.stiffness_rate);
  ComplexSparse d = on_general * (system.stiffness.*block - system.own_stiffness.*block).cast<Complex>();
  d += imaginary * (system.loss.*block).cast<Complex>();
  d += (imaginary * omega) * (system.dashpot.*block).cast<Complex>();
  d += (imaginary * omega * general.mass_rate) * (system.mass.*block).cast<Complex>();
  return d;
}

// The full equations at one frequency. Where damping is given by mode: D + MΦ Δ ΦᵀM, solved by the Sherman–Morrison–
// Woodbury formula.
class Direct {
 public:
  Direct(const AuditSource& source, const EliminationOrder& order, double frequency)
      : source_(source),
        frequency_(frequency),
        omega_(2 * pi * frequency),
        damping_(damping_matrix(source.system, general_at(source.rule, frequency), omega_, &Partitioned::ff)),
        factor_(matrix(source.system), order) {
    // A ratio is a property of modes, and so is a value given near a frequency: on the modes the damping is what the
    // modal answer takes, coupling and all, elsewhere that of the elements.
    const DampingRule& rule = source.rule;
    if (rule.near.empty() && rule.form != DampingRule::Form::ratio && rule.form != DampingRule::Form::table) return;
    // Only modes that this frequency can bring near resonance: of those far above it damping makes next to nothing.
    constexpr double far_above = 4;
    const VectorXd& own = source.basis.omega;
    const auto near = (own.head(source.basis.modes).array() <= far_above * omega_).count();
    const MatrixXd shapes = source.basis.shapes.leftCols(near);
    modes_ = (source.system.mass.ff * shapes).cast<Complex>();
    MatrixXcd correction = -(shapes.transpose().cast<Complex>() * (damping_ * shapes.cast<Complex>()));
    if (source.damping.couples())
      correction += imaginary * (omega_ * source.damping.viscous.topLeftCorner(near, near) +
                                 source.damping.hysteretic.topLeftCorner(near, near));
    else
      correction.diagonal() += imaginary * (2 * omega_ * source.damping.zeta.cwiseProduct(own) +
                                            source.damping.eta.cwiseProduct(own.cwiseAbs2()))
                                               .head(near);
    solved_modes_ = factor_.solve(modes_);
    inner_ =
        MatrixXcd::Identity(correction.rows(), correction.cols()) + correction * (modes_.transpose() * solved_modes_);
    correction_ = std::move(correction);
  }
  [[nodiscard]] MatrixXcd solve(const MatrixXcd& loads) const {
    MatrixXcd y = factor_.solve(loads);
    if (modes_.cols() > 0) y -= solved_modes_ * ComplexLu(inner_).solve(correction_ * (modes_.transpose() * y));
    return y;
  }

  // What the supports put on the model where the free unknowns move by y relative to B u_s: the sum of the forces of
  // all that is fixed to them, Z_sf (y + B u_s) + Z_ss u_s on each support motion; and what acts on the free unknowns
  // as a body force, Rayleigh's α and damping by mode, which a support feels through its static influence.
  struct Forces {
    VectorXcd supports, body;
  };
  // @param relative  y, n_f;  directions  of the bases' acceleration
  [[nodiscard]] Forces forces(const VectorXcd& relative, const VectorXcd& directions) const {
    const System& system = source_.system;
    const StaticSolution& statics = source_.basis.statics;
    General general = general_at(source_.rule, frequency_);
    const double drag = general.mass_rate;
    general.mass_rate = 0;
    const auto elastic = [&](const General& rule, SparseMatrix Partitioned::*block) -> ComplexSparse {
      return (system.stiffness.*block).cast<Complex>() + damping_matrix(system, rule, omega_, block);
    };
    const VectorXcd base = -directions / (omega_ * omega_), supports = system.support_motion.cast<Complex>() * base,
                    carried = statics.influence.cast<Complex>() * base;
    Forces all;
    all.supports = elastic(general, &Partitioned::fs).transpose() * relative;
    all.supports -= omega_ * omega_ * (system.mass.fs.cast<Complex>().transpose() * (relative + carried));
    all.supports -= omega_ * omega_ * (system.mass.ss.cast<Complex>() * supports);
    if (!statics.moves_rigidly) {  // the general rule damps the quasi-static motion as in load_of
      const General slow{source_.damping.base_loss, source_.damping.base_rate, 0};
      all.supports += elastic(slow, &Partitioned::fs).transpose() * carried;
      all.supports += elastic(slow, &Partitioned::ss) * supports;
    }
    all.body = imaginary * omega_ * drag * (system.mass.ff.cast<Complex>() * relative);
    if (modes_.cols() > 0) all.body += modes_ * (correction_ * (modes_.transpose() * relative));
    return all;
  }

 private:
  [[nodiscard]] ComplexSparse matrix(const System& system) const {
    ComplexSparse z = (system.stiffness.ff - omega_ * omega_ * system.mass.ff).cast<Complex>();
    z += damping_;
    return z;
  }
  const AuditSource& source_;
  double frequency_, omega_;
  ComplexSparse damping_;
  ComplexFactorisation factor_;
  MatrixXcd modes_, solved_modes_, correction_, inner_;
};

// Forces on the free unknowns per unit of the input (theory 2).
VectorXcd load_of(const AuditSource& source, const VectorXcd& directions, double omega) {
  const System& system = source.system;
  const StaticSolution& statics = source.basis.statics;
  VectorXcd load = -(statics.inertia_load * directions);
  if (statics.moves_rigidly) return load;
  const auto forces = [&](const Partitioned& x) -> MatrixXd {
    return x.ff * statics.influence + x.fs * system.support_motion;
  };
  const MatrixXd general = -forces(system.own_stiffness);  // (K B + K_fs E) − own: the first vanishes
  const VectorXcd velocity = directions / (imaginary * omega), displacement = -directions / (omega * omega);
  load -= (forces(system.dashpot) + source.damping.base_rate * general) * velocity;
  load -= imaginary * ((forces(system.loss) + source.damping.base_loss * general) * displacement);
  return load;
}

// Reactions of the answers by the equilibrium of the supports, in the place of rows: what the real parts of the answers
// stand for carries the real parts of the reactions, and so the imaginary ones.
// @param share  motion of the free unknowns when the support moves by one, n_f x 6; `own` the same of the supports
SupportReaction balanced(const std::vector<Direct::Forces>& forces, double omega, Index motions, const MatrixXd& share,
                         const MatrixXd& own) {
  const auto count = static_cast<Index>(forces.size());
  SupportReaction reaction;
  for (MatrixXd* each : {&reaction.inertia, &reaction.viscous, &reaction.loss, &reaction.general})
    *each = MatrixXd::Zero(6, 2 * count);
  for (MatrixXd* each :
       {&reaction.mass, &reaction.dashpot, &reaction.stiffness, &reaction.base_loss, &reaction.base_general})
    *each = MatrixXd::Zero(6, motions);
  for (Index k = 0; k < count; ++k) {
    const auto& [supports, body] = forces[static_cast<std::size_t>(k)];
    reaction.inertia.col(2 * k) = own.transpose() * supports.real() - share.transpose() * body.real();
    reaction.inertia.col(2 * k + 1) = own.transpose() * supports.imag() - share.transpose() * body.imag();
  }
  reaction.inertia /= -omega * omega;
  return reaction;
}

// The state of a basis of `answers` pairs of columns, the real and the imaginary part of each, that is one of them, and
// of the bases.
VectorXcd state_of_answer(Index answer, Index answers, double omega, const VectorXcd& directions) {
  const Index motions = directions.size();
  VectorXcd z(3 * (2 * answers + motions)), q = VectorXcd::Zero(2 * answers);
  q[2 * answer] = 1;
  q[2 * answer + 1] = imaginary;
  z << q, imaginary * omega * q, -omega * omega * q, -directions / (omega * omega), directions / (imaginary * omega),
      directions;
  return z;
}

double magnitude_of(const MatrixXcd& rows, const VectorXcd& z, bool random) {
  const VectorXcd w = rows * z;
  return random ? w.norm() : largest_over_phase(w);
}

// Largest over the candidates.
double answer(const Watched& watched, const VectorXcd& z, bool random) {
  double largest = 0;
  for (std::size_t k = 0; k < watched.candidates->items.size(); ++k)
    largest = std::max(largest, magnitude_of(watched.measure(k).rows, z, random));
  return largest;
}

}  // namespace

std::vector<double> frequencies_that_matter(const AuditSource& source, int most) {
  std::vector<double> all;
  for (const Outcome& outcome : source.outcomes)
    for (std::size_t i = 0; i < source.watched.size(); ++i)
      if (const double f = frequency_of(outcome, source.watched, i); f > 0) all.push_back(f);
  std::sort(all.begin(), all.end());
  std::vector<std::pair<int, double>> groups;  // −votes, the middle of them
  for (std::size_t first = 0; first < all.size();) {
    std::size_t end = first;
    while (end < all.size() && all[end] <= all[first] * (1 + same)) ++end;
    groups.emplace_back(-static_cast<int>(end - first), all[(first + end - 1) / 2]);
    first = end;
  }
  std::stable_sort(groups.begin(), groups.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  std::vector<double> frequencies;
  for (std::size_t i = 0; i < std::min(groups.size(), static_cast<std::size_t>(most)); ++i)
    frequencies.push_back(groups[i].second);
  return frequencies;
}

std::vector<AuditedAnswer> audit(const AuditSource& source, const std::vector<double>& frequencies,
                                 const Progress& progress) {
  std::vector<AuditedAnswer> answers;
  if (frequencies.empty()) return answers;
  const System& system = source.system;
  const EliminationOrder order(system.stiffness.ff, system.node_of_column);
  for (const double frequency : frequencies) {
    tell(progress, fmt::format("audit: the full equations at {:.5g} Hz", frequency));
    const double omega = 2 * pi * frequency;
    std::vector<const Outcome*> looked_at;
    std::vector<VectorXcd> directions;
    MatrixXcd loads(system.free, 0);
    for (const Outcome& outcome : source.outcomes) {
      bool any = false;
      for (std::size_t i = 0; i < source.watched.size(); ++i)
        any = any || std::abs(frequency_of(outcome, source.watched, i) / frequency - 1) <= same;
      if (!any) continue;
      looked_at.push_back(&outcome);
      directions.push_back(outcome.environment->directions(outcome.axis, system));
      loads.conservativeResize(Eigen::NoChange, loads.cols() + 1);
      loads.rightCols(1) = load_of(source, directions.back(), omega);
    }
    if (looked_at.empty()) continue;
    const Direct full(source, order, frequency);
    const MatrixXcd solutions = full.solve(loads);
    // Real and imaginary parts of all answers stand in for modes, so that what is watched has the same rows.
    const Index count = solutions.cols();
    ModalBasis parts;
    parts.shapes.resize(system.free, 2 * count);
    for (Index k = 0; k < count; ++k)
      parts.shapes.middleCols<2>(2 * k) << solutions.col(k).real(), solutions.col(k).imag();
    parts.omega = VectorXd::Constant(2 * count, omega);
    parts.modes = static_cast<int>(2 * count);
    parts.statics = source.basis.statics;
    derive(system, parts);
    std::vector<Direct::Forces> forces;
    for (Index k = 0; k < count; ++k)
      forces.push_back(full.forces(solutions.col(k), directions[static_cast<std::size_t>(k)]));
    const Index motions = system.support_motion.cols();
    for (Index first = 0; first < motions; first += 6)
      parts.bases[static_cast<std::size_t>(first / 6)] =
          balanced(forces, omega, motions, parts.statics.influence.middleCols(first, 6),
                   system.support_motion.middleCols(first, 6));
    for (std::size_t f = 0; f < source.basis.foot_influence.size(); ++f) {
      MatrixXd motion = MatrixXd::Zero(system.supports, 6);
      motion.middleRows<6>(6 * static_cast<Index>(f)).setIdentity();
      parts.feet.push_back(balanced(forces, omega, motions, source.basis.foot_influence[f], motion));
    }
    const ModalDamping own = force_damping(source, frequency, 2 * count);
    const std::vector<Watched> direct =
        watch(source.assembly, Channels(source.assembly, system, parts, own), source.requests, source.stress);
    for (std::size_t o = 0; o < looked_at.size(); ++o) {
      const Outcome& outcome = *looked_at[o];
      const VectorXcd z_direct = state_of_answer(static_cast<Index>(o), count, omega, directions[o]);
      const Transfer transfer(source.basis, source.damping, base_inputs(source.basis, source.damping, directions[o]));
      const VectorXcd z = transfer.state(frequency).col(0);
      const VectorXcd z_coupled = transfer.with_coupling().state(frequency).col(0);
      VectorXcd z_modes = z_coupled;
      const Index extra = source.basis.size() - source.basis.modes;
      for (int derivative = 0; derivative < 3; ++derivative)
        z_modes.segment(transfer.layout().modal(derivative) + source.basis.modes, extra).setZero();
      const bool random = outcome.sine.empty();
      const double input = outcome.environment->input.at(frequency);
      for (std::size_t i = 0; i < source.watched.size(); ++i) {
        if (!(std::abs(frequency_of(outcome, source.watched, i) / frequency - 1) <= same)) continue;
        const Watched& watched = source.watched[i];
        const double level = watched.quantity->per_input ? 1 : random ? std::sqrt(input) : input;
        answers.push_back({outcome.name(), i, frequency, random, level * answer(watched, z, random),
                           level * answer(direct[i], z_direct, random), level * answer(watched, z_coupled, random),
                           level * answer(watched, z_modes, random)});
      }
    }
  }
  return answers;
}

}  // namespace avrenk
