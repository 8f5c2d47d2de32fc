#include "core/response/audit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "core/dense.h"
#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/quantity/quantity.h"
#include "core/response/channels.h"
#include "core/response/direct_solution.h"
#include "core/system/system.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

constexpr double same = 0.005;  // part of a frequency

// The frequency that matters to each quantity; 0: it has none worth a look. A stated one matters to all inside the
// band.
// @param real  of each quantity, whether its answer is more than rounding
std::vector<double> frequencies_of(const CaseResults& outcome, const std::vector<Output>& watched,
                                   const std::vector<bool>& real, std::optional<double> stated = std::nullopt) {
  std::vector<double> frequencies(watched.size(), 0);
  if (outcome.grid().empty() || outcome.environment().is_direct()) return frequencies;
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (!real[i] || !outcome.has(watched[i]) || !watched[i].is_headline()) continue;
    if (stated) {
      const GridRequest& band = outcome.excitation->grid;
      frequencies[i] = *stated >= band.from && *stated <= band.to ? *stated : 0;
    } else if (outcome.sine())
      frequencies[i] = outcome.sine()->rows[i].peak.frequency;
    else if (const RandomRow& row = outcome.random()->rows[i]; !row.bands.empty())
      frequencies[i] = row.bands.front().frequency;
  }
  return frequencies;
}

// Reactions of the answers, in the place of rows: what the real parts of the answers stand for carries the real parts
// of the reactions, and so the imaginary ones.
// @param reactions  6 x answers
SupportReaction balanced(const MatrixXcd& reactions, double omega, Index motions, Index loads) {
  SupportReaction reaction;
  for (MatrixXd* each : {&reaction.inertia, &reaction.viscous, &reaction.loss, &reaction.general})
    *each = MatrixXd::Zero(6, 2 * reactions.cols());
  for (MatrixXd* each :
       {&reaction.mass, &reaction.dashpot, &reaction.stiffness, &reaction.base_loss, &reaction.base_general})
    *each = MatrixXd::Zero(6, motions);
  for (Index k = 0; k < reactions.cols(); ++k)
    reaction.inertia.middleCols<2>(2 * k) << reactions.col(k).real(), reactions.col(k).imag();
  reaction.inertia /= -omega * omega;
  reaction.loads = MatrixXd::Zero(6, loads);
  return reaction;
}

// The state of a basis of `answers` pairs of columns, the real and the imaginary part of each, that is one of them, and
// of the inputs.
VectorXcd state_of_answer(Index answer, Index answers, double omega, const VectorXcd& directions,
                          const VectorXcd& loads) {
  const Index motions = directions.size();
  VectorXcd z(3 * (2 * answers + motions) + loads.size()), q = VectorXcd::Zero(2 * answers);
  q[2 * answer] = 1;
  q[2 * answer + 1] = imaginary;
  z << q, imaginary * omega * q, -omega * omega * q, -directions / (omega * omega), directions / (imaginary * omega),
      directions, loads;
  return z;
}

// Of a random answer the root of its PSD: the squares of all columns add up.
double magnitude_of(const MatrixXcd& w, bool random) { return random ? w.norm() : largest_over_phase(w.col(0)); }

// Largest over the candidates.
double answer(const Output& watched, const MatrixXcd& z, bool random) {
  double largest = 0;
  for (std::size_t k = 0; k < watched.candidates->items.size(); ++k)
    largest = std::max(largest, magnitude_of(watched.measure(k).rows * z, random));
  return largest;
}

// What is watched of joints without stiffness, as the equations' own sum of what all behind each side needs.
class JointAnswers {
 public:
  explicit JointAnswers(const AuditSource& source) : source_(source) {}
  /// @param motions  of each column of the answer
  /// @param loads    as they are applied, n_l x columns
  [[nodiscard]] double largest(const Output& watched, const DirectSolution& full,
                               const std::vector<DirectSolution::NodeMotions>& motions, const MatrixXcd& loads,
                               bool random) {
    double largest = 0;
    for (const JointRows& side : sides_of(watched)) {
      MatrixXcd applied = MatrixXcd::Zero(6, loads.cols()), forces(6, loads.cols());
      for_each_column(source_.assembly.loads, [&](const Load&, const LoadColumn& column, int index) {
        applied += applied_behind(source_.assembly, side, column).cast<Complex>() * loads.row(index);
      });
      for (Index k = 0; k < loads.cols(); ++k)
        forces.col(k) = full.joint_force(side, motions[static_cast<std::size_t>(k)], applied.col(k));
      const bool moment = watched.quantity->kind == &kind::moment;
      largest = std::max(largest, magnitude_of(moment ? forces.bottomRows(3) : forces.topRows(3), random));
    }
    return largest;
  }

 private:
  [[nodiscard]] const std::vector<JointRows>& sides_of(const Output& watched) {
    const auto request = std::find_if(source_.requests.begin(), source_.requests.end(), [&](const OutputRequest& each) {
      return each.name == watched.entry && each.quantity == watched.quantity;
    });
    const auto [sides, fresh] = sides_.try_emplace(request->joint);
    if (fresh)
      for (const JointSide& side : joint_sides(source_.assembly, request->joint))
        sides->second.push_back(joint_rows(source_.assembly, side));
    return sides->second;
  }
  const AuditSource& source_;
  std::map<std::string, std::vector<JointRows>> sides_;  // of each joint
};

// Adds to inputs and answers what springs do that are not what the matrices hold: e = −X δ.
void close_springs(const SpringVariation& springs, const DirectSolution& full, const System& system, double frequency,
                   MatrixXcd& solutions, InputColumns& inputs) {
  const Index r = springs.size();
  const double omega = 2 * pi * frequency;
  InputColumns unit{MatrixXcd::Zero(inputs.base.rows(), r), MatrixXcd::Zero(inputs.loads.rows(), r)};
  springs.put(MatrixXcd::Identity(r, r), unit.loads);
  const MatrixXcd per_unstressed = full.solve(unit);
  const auto travel = [&](const MatrixXcd& of) {
    MatrixXcd all(r, of.cols());
    for (Index i = 0; i < r; ++i) {
      const VaryingSpring& own = springs.springs()[static_cast<std::size_t>(i)];
      all.row(i) = VectorXd(system.loads.col(own.column)).transpose() * of / own.stiffness;
    }
    return all;
  };
  const VectorXcd x = springs.stiffness_change(frequency);
  MatrixXcd inner = x.asDiagonal() * travel(per_unstressed);
  inner.diagonal().array() += 1;
  const MatrixXcd carried = springs.base_travel() * (inputs.base * (-1 / (omega * omega)));
  const MatrixXcd unstressed = ComplexLu(std::move(inner)).solve(-(x.asDiagonal() * (travel(solutions) + carried)));
  solutions += per_unstressed * unstressed;
  springs.put(unstressed, inputs.loads);
}

}  // namespace

std::vector<double> frequencies_that_matter(const AuditSource& source, int most) {
  std::vector<double> places;
  const std::vector<std::vector<bool>> real = real_answers(source.outcomes, source.watched);
  for (std::size_t o = 0; o < source.outcomes.size(); ++o)
    for (const double f : frequencies_of(*source.outcomes[o], source.watched, real[o]))
      if (f > 0) places.push_back(f);
  std::sort(places.begin(), places.end());
  std::vector<std::pair<int, double>> groups;  // −votes, the middle of them
  for (std::size_t first = 0; first < places.size();) {
    std::size_t end = first;
    while (end < places.size() && places[end] <= places[first] * (1 + same)) ++end;
    groups.emplace_back(-static_cast<int>(end - first), places[(first + end - 1) / 2]);
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
  const std::vector<std::vector<bool>> real = real_answers(source.outcomes, source.watched);
  JointAnswers joints(source);
  std::optional<FootShare> feet;
  if (source.basis.has_feet) feet.emplace(system, source.basis.foot_influence);
  for (const double frequency : frequencies) {
    const bool is_stated = std::find(source.stated.begin(), source.stated.end(), frequency) != source.stated.end();
    report_progress(progress, fmt::format("audit: the full equations at {:.5g} Hz", frequency));
    const double omega = 2 * pi * frequency;
    std::vector<const CaseResults*> looked_at;
    std::vector<std::vector<double>> at;  // of each of them
    std::vector<Index> begin;             // its columns among the inputs
    InputColumns inputs{MatrixXcd(system.support_motion.cols(), 0), MatrixXcd(system.loads.cols(), 0)};
    for (std::size_t o = 0; o < source.outcomes.size(); ++o) {
      const CaseResults& outcome = *source.outcomes[o];
      std::vector<double> errors =
          frequencies_of(outcome, source.watched, real[o], is_stated ? std::optional(frequency) : std::nullopt);
      if (std::none_of(errors.begin(), errors.end(), [&](double f) { return std::abs(f / frequency - 1) <= same; }))
        continue;
      looked_at.push_back(&outcome);
      at.push_back(std::move(errors));
      const MatrixXcd amplitudes = outcome.excitation->at(frequency);
      const auto append = [](MatrixXcd& all, const MatrixXcd& columns) {
        all.conservativeResize(Eigen::NoChange, all.cols() + columns.cols());
        all.rightCols(columns.cols()) = columns;
      };
      begin.push_back(inputs.base.cols());
      append(inputs.base, outcome.excitation->base * amplitudes);
      append(inputs.loads, InputColumns{{}, outcome.excitation->loads}.applied(amplitudes));
    }
    if (looked_at.empty()) continue;
    const DirectSolution full(system, source.basis, source.damping, source.rule, order, frequency);
    MatrixXcd solutions = full.solve(inputs);
    const MatrixXcd open = inputs.loads;
    if (const auto& springs = source.damping.springs)
      close_springs(*springs, full, system, frequency, solutions, inputs);
    // Real and imaginary parts of all answers stand in for modes, so that what is watched has the same rows.
    const Index count = solutions.cols();
    ModalBasis parts;
    parts.shapes.resize(system.free, 2 * count);
    for (Index k = 0; k < count; ++k)
      parts.shapes.middleCols<2>(2 * k) << solutions.col(k).real(), solutions.col(k).imag();
    parts.omega = VectorXd::Constant(2 * count, omega);
    parts.modes = static_cast<int>(2 * count);
    parts.statics = source.basis.statics;
    parts.rigid_mass = source.basis.rigid_mass;
    const Index motions = system.support_motion.cols(), loads = system.loads.cols();
    parts.load_participation = MatrixXd::Zero(2 * count, loads);
    auto [supports, bodies] = full.forces(solutions, inputs);
    for (Index first = 0; first < motions; first += 6)
      parts.bases.push_back(
          balanced(system.support_motion.middleCols(first, 6).transpose().cast<Complex>() * supports -
                       parts.statics.influence.middleCols(first, 6).transpose().cast<Complex>() * bodies,
                   omega, motions, loads));
    if (feet) {
      supports -= (*feet)(bodies.real()) + imaginary * (*feet)(bodies.imag());
      for (Index first = 0; first < system.supports; first += 6)
        parts.feet.push_back(balanced(supports.middleRows<6>(first), omega, motions, loads));
    }
    const ModalDamping modal_damping = full.force_damping(2 * count);
    const std::vector<Output> direct =
        watch(source.assembly, Channels(source.assembly, system, parts, modal_damping), source.requests, source.stress);
    for (std::size_t o = 0; o < looked_at.size(); ++o) {
      const CaseResults& outcome = *looked_at[o];
      const Index columns = (o + 1 < begin.size() ? begin[o + 1] : count) - begin[o];
      const InputColumns own_inputs{inputs.base.middleCols(begin[o], columns),
                                    inputs.loads.middleCols(begin[o], columns)};
      MatrixXcd z_direct;
      std::vector<DirectSolution::NodeMotions> moves;
      for (Index k = begin[o]; k < begin[o] + columns; ++k) {
        const VectorXcd state = state_of_answer(k, count, omega, inputs.base.col(k), inputs.loads.col(k));
        z_direct.conservativeResize(state.size(), z_direct.cols() + 1);
        z_direct.rightCols(1) = state;
        moves.push_back(full.motions(solutions.col(k), inputs.base.col(k)));
      }
      const Transfer transfer(source.basis, source.damping, {own_inputs.base, open.middleCols(begin[o], columns)});
      const MatrixXcd z = transfer.state(frequency), z_coupled = transfer.with_coupling().state(frequency);
      MatrixXcd z_modes = z_coupled;
      const Index extra = source.basis.size() - source.basis.modes;
      for (int derivative = 0; derivative < 3; ++derivative)
        z_modes.middleRows(transfer.layout().modal(derivative) + source.basis.modes, extra).setZero();
      const bool random = outcome.random() != nullptr;
      for (std::size_t i = 0; i < source.watched.size(); ++i) {
        if (!(std::abs(at[o][i] / frequency - 1) <= same)) continue;
        const Output& watched = source.watched[i];
        const double level = watched.quantity->per_input() ? 1 / outcome.excitation->reference(frequency) : 1;
        const double by_equations = watched.quantity->subject == Subject::joint
                                        ? joints.largest(watched, full, moves, own_inputs.loads, random)
                                        : answer(direct[i], z_direct, random);
        const auto reported = [&](double value) {
          return watched.quantity->is_reciprocal ? 1 / (level * value) : level * value;
        };
        answers.push_back({outcome.name(), i, frequency, random, reported(answer(watched, z, random)),
                           reported(by_equations), reported(answer(watched, z_coupled, random)),
                           reported(answer(watched, z_modes, random))});
      }
    }
  }
  return answers;
}

}  // namespace avrenk
