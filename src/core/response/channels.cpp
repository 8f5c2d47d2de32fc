#include "core/response/channels.h"

#include <algorithm>

#include "core/element/discrete.h"
#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/system/free_shape.h"

namespace avrenk {

using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXd;

Channels::Channels(const Assembly& assembly, const System& system, const ModalBasis& basis, const ModalDamping& damping)
    : assembly_(assembly),
      system_(system),
      basis_(basis),
      damping_(damping),
      layout_(layout_of(basis)),
      left_to_elements_(1 - damping.overridden.array()) {
  each_load([&](const LoadColumn& load, int column) {
    if (!load.warmer.empty()) warm_.emplace_back(&load, column);
  });
}

Channels::ElasticRows Channels::node_rows(int node) const {
  ElasticRows rows{MatrixXd::Zero(6, layout_.modes), MatrixXd::Zero(6, layout_.motions)};
  if (node < 0) return rows;  // ground
  for (int component = 0; component < 6; ++component) {
    for (SparseMatrix::InnerIterator entry(system_.transformation, 6 * node + component); entry; ++entry) {
      if (entry.row() < system_.free) {
        rows.modal.row(component) += entry.value() * basis_.shapes.row(entry.row());
        rows.base.row(component) += entry.value() * basis_.statics.influence.row(entry.row());
      } else {
        rows.base.row(component) += entry.value() * system_.support_motion.row(entry.row() - system_.free);
      }
    }
  }
  return rows;
}

Channels::ElasticRows Channels::motion_rows(int node, bool absolute) const {
  ElasticRows rows = node_rows(node);
  if (absolute) return rows;
  if (basis_.statics.moves_rigidly || layout_.motions > 6)
    rows.base.setZero();  // rounding only; of several bases the quasi-static motion is taken off
  else
    rows.base -= rigid_arm(assembly_.reference(), assembly_.nodes[static_cast<std::size_t>(node)].position);
  return rows;
}

MatrixXd Channels::translation(int node, bool absolute) const {
  const ElasticRows rows = motion_rows(node, absolute);
  MatrixXd both(3, layout_.modes + layout_.motions);
  both << rows.modal.topRows<3>(), rows.base.topRows<3>();
  return both;
}

MatrixXcd Channels::motion(int node, NodeMotion quantity) const {
  const auto code = static_cast<int>(quantity);
  const bool absolute = code % 2 == 1;
  const bool rotation = quantity == NodeMotion::relative_rotation || quantity == NodeMotion::absolute_rotation;
  const int derivative = rotation ? 0 : code / 2;
  const ElasticRows rows = motion_rows(node, absolute);
  const int first = rotation ? 3 : 0;
  MatrixXcd channels = MatrixXcd::Zero(3, layout_.size());
  channels.middleCols(layout_.modal(derivative), layout_.modes) = rows.modal.middleRows(first, 3).cast<Complex>();
  channels.middleCols(layout_.base(derivative), layout_.motions) = rows.base.middleRows(first, 3).cast<Complex>();
  return channels;
}

MatrixXcd Channels::approach(const std::array<int, 2>& nodes, const Vector3& along) const {
  Eigen::Matrix<double, 1, 12> rows = Eigen::Matrix<double, 1, 12>::Zero();
  rows.segment<3>(0) = -along.transpose();
  rows.segment<3>(6) = along.transpose();
  ElasticRows apart = elastic_rows(rows, nodes);
  if (!basis_.statics.moves_rigidly) {  // else the line has turned with the base already
    const std::size_t bases = assembly_.bases.size();
    const Vector3 line = assembly_.nodes[static_cast<std::size_t>(nodes[1])].position -
                         assembly_.nodes[static_cast<std::size_t>(nodes[0])].position;
    for (std::size_t b = 0; b < bases; ++b)
      apart.base.middleCols<3>(6 * static_cast<Eigen::Index>(b) + 3) -=
          line.cross(along).transpose() / static_cast<double>(bases);
  }
  MatrixXcd channels = MatrixXcd::Zero(1, layout_.size());
  channels.middleCols(layout_.modal(0), layout_.modes) = apart.modal.cast<Complex>();
  channels.middleCols(layout_.base(0), layout_.motions) = apart.base.cast<Complex>();
  return channels;
}

Channels::ElasticRows Channels::elastic_rows(const MatrixXd& rows, const std::array<int, 2>& nodes) const {
  ElasticRows result{MatrixXd::Zero(rows.rows(), layout_.modes), MatrixXd::Zero(rows.rows(), layout_.motions)};
  for (int end = 0; end < 2; ++end) {
    const ElasticRows node = node_rows(nodes[static_cast<std::size_t>(end)]);
    result.modal += rows.middleCols(6 * end, 6) * node.modal;
    result.base += rows.middleCols(6 * end, 6) * node.base;
  }
  if (basis_.statics.moves_rigidly) result.base.setZero();  // a rigid motion strains nothing
  return result;
}

MatrixXcd Channels::with_damping(const ElasticRows& elastic, const std::optional<double>& loss_factor,
                                 bool has_dashpot) const {
  MatrixXcd channels = MatrixXcd::Zero(elastic.modal.rows(), layout_.size());
  const bool general = !loss_factor && !has_dashpot;
  const double own_loss = loss_factor.value_or(0);
  channels.middleCols(layout_.base(0), layout_.motions) =
      (1.0 + imaginary * (general ? damping_.base_loss : own_loss)) * elastic.base;
  if (general)
    channels.middleCols(layout_.base(1), layout_.motions) = (damping_.base_rate * elastic.base).cast<Complex>();
  const VectorXd &given = damping_.overridden,
                 loss = general ? damping_.general_loss
                                : VectorXd(own_loss * left_to_elements_ + given.cwiseProduct(damping_.general_loss)),
                 rate = general ? damping_.general_rate : VectorXd(given.cwiseProduct(damping_.general_rate));
  MatrixXd on_loss = elastic.modal * loss.asDiagonal(), on_rate = elastic.modal * rate.asDiagonal();
  if (damping_.rest_loss.size() > 0) on_loss += elastic.modal * damping_.rest_loss;
  if (damping_.rest_viscous.size() > 0) on_rate += elastic.modal * damping_.rest_viscous;
  channels.middleCols(layout_.modal(0), layout_.modes) = elastic.modal + imaginary * on_loss;
  channels.middleCols(layout_.modal(1), layout_.modes) = on_rate.cast<Complex>();
  return channels;
}

MatrixXcd Channels::spring_travel(int spring) const {
  const Spring& element = assembly_.springs[static_cast<std::size_t>(spring)];
  const auto position = [&](int node) {
    return node < 0 ? element.point : assembly_.nodes[static_cast<std::size_t>(node)].position;
  };
  const TravelRows travel =
      travel_rows(element.point, element.axes, position(element.nodes[0]), position(element.nodes[1]));
  const ElasticRows rows = elastic_rows(travel, element.nodes);
  MatrixXcd channels = MatrixXcd::Zero(6, layout_.size());
  channels.middleCols(layout_.modal(0), layout_.modes) = rows.modal.cast<Complex>();
  channels.middleCols(layout_.base(0), layout_.motions) = rows.base.cast<Complex>();
  return channels;
}

MatrixXcd Channels::spring_force(int spring) const {
  const Spring& element = assembly_.springs[static_cast<std::size_t>(spring)];
  const MatrixXcd travel = spring_travel(spring);
  const ElasticRows elastic{
      element.stiffness.asDiagonal() * travel.middleCols(layout_.modal(0), layout_.modes).real(),
      element.stiffness.asDiagonal() * travel.middleCols(layout_.base(0), layout_.motions).real()};
  MatrixXcd channels = with_damping(elastic, element.loss_factor, element.has_dashpot());
  if (element.has_dashpot()) {
    const MatrixXcd dashpot = element.dashpot.cast<Complex>().asDiagonal() * travel;
    channels.middleCols(layout_.modal(1), layout_.modes) +=
        dashpot.middleCols(layout_.modal(0), layout_.modes) * left_to_elements_.asDiagonal();
    channels.middleCols(layout_.base(1), layout_.motions) += dashpot.middleCols(layout_.base(0), layout_.motions);
  }
  each_load([&](const LoadColumn& load, int column) {
    channels.col(column) -= element.stiffness.cwiseProduct(unstressed_at(spring, load)).cast<Complex>();
  });
  return channels;
}

MatrixXd Channels::beam_rows(int beam) const {
  const BeamElement& beam_element = assembly_.beams[static_cast<std::size_t>(beam)];
  const BeamMatrix recovery =
      force_recovery(beam_element.geometry, assembly_.properties(beam_element)) * beam_arms(assembly_, beam_element);
  MatrixXd rows = MatrixXd::Zero(12, beam_columns());
  rows.leftCols(strain_columns()) = recovery * strain_rows().whole(beam_element.nodes);
  const Eigen::Index loads = strain_columns() - layout_.load();
  each_load([&](const LoadColumn& load, int column) {
    if (const auto on = load.on_beams.find(beam); on != load.on_beams.end())
      rows.col(loads + column) +=
          line_load(beam_element.geometry, assembly_.properties(beam_element)).section * on->second;
    if (load.warmer.contains(beam_element.part))
      rows.col(loads + column) -= force_recovery(beam_element.geometry, assembly_.properties(beam_element)) *
                                  free_ends(assembly_, beam_element, load);
  });
  return rows;
}

MatrixXcd Channels::from_beam_rows(const MatrixXd& rows, const std::optional<double>& loss_factor) const {
  MatrixXcd channels = from_strain(rows.leftCols(strain_columns()), loss_factor);
  channels.middleCols(layout_.load(), layout_.loads) += rows.rightCols(layout_.loads).cast<Complex>();
  return channels;
}

MatrixXcd Channels::beam_forces(int beam) const {
  const BeamElement& own = assembly_.beams[static_cast<std::size_t>(beam)];
  return from_beam_rows(beam_rows(beam), assembly_.material_of(own.part).loss_factor);
}

void Channels::each_load(const std::function<void(const LoadColumn& load, int column)>& take) const {
  for_each_column(assembly_.loads,
                  [&](const Load&, const LoadColumn& column, int index) { take(column, layout_.load() + index); });
}

MatrixXcd Channels::joint_force(const JointSide& side) const {
  const JointRows rows = joint_rows(assembly_, side);
  const auto together = [&](const JointRows::Rows& own) {
    ElasticRows sum{MatrixXd::Zero(6, layout_.modes), MatrixXd::Zero(6, layout_.motions)};
    for (const auto& [node, matrix] : own) {
      const ElasticRows motions = node_rows(node);
      sum.modal += matrix * motions.modal;
      sum.base += matrix * motions.base;
    }
    return sum;
  };
  const auto strained = [&](const JointRows::Rows& own) {
    ElasticRows sum = together(own);
    if (basis_.statics.moves_rigidly) sum.base.setZero();
    return sum;
  };
  MatrixXcd channels = with_damping(strained(rows.stiffness), std::nullopt, false) +
                       with_damping(strained(rows.own_stiffness), 0.0, false);
  const auto put = [&](const ElasticRows& own, int derivative, Complex factor, bool by_elements) {
    const MatrixXcd modal = factor * own.modal;
    channels.middleCols(layout_.modal(derivative), layout_.modes) +=
        by_elements ? MatrixXcd(modal * left_to_elements_.asDiagonal()) : modal;
    channels.middleCols(layout_.base(derivative), layout_.motions) += factor * own.base;
  };
  put(strained(rows.loss), 0, imaginary, true);
  put(strained(rows.dashpot), 1, 1, true);
  const ElasticRows inertia = together(rows.mass);
  put(inertia, 2, 1, false);
  put({inertia.modal, MatrixXd::Zero(6, layout_.motions)}, 1, damping_.mass_rate, true);
  each_load([&](const LoadColumn& load, int column) {
    channels.col(column) -= applied_behind(assembly_, rows, load).cast<Complex>();
  });
  return channels;
}

namespace {

// Rows of motions on the unknowns, those of supports after the free ones, and what each column makes of these.
class StrainPanels {
 public:
  StrainPanels(const System& system, const ModalBasis& basis, Eigen::Index moving, std::span<const int> nodes)
      : system_(system), basis_(basis), moving_(moving) {
    begin_.reserve(6 * nodes.size() + 1);
    for (const int node : nodes)
      for (int component = 0; component < 6; ++component) {
        begin_.push_back(unknowns_.size());
        for (SparseMatrix::InnerIterator entry(system.transformation, 6 * node + component); entry; ++entry) {
          unknowns_.push_back(entry.row());
          values_.push_back(entry.value());
        }
      }
    begin_.push_back(unknowns_.size());
  }

  void operator()(Eigen::Index first, Eigen::Index all, double* panel) const {
    constexpr Eigen::Index in_cache_line = 8;
    const Eigen::Index count = std::clamp<Eigen::Index>(moving_ - first, 0, all);
    const Eigen::Index next = std::clamp<Eigen::Index>(basis_.shapes.cols() - first - simd_width, 0, count);
    std::array<const double*, simd_width> free{}, supports{};  // columns; none: the supports stand still
    for (Eigen::Index j = 0; j < count; ++j) {
      const auto at = static_cast<std::size_t>(j);
      const Eigen::Index motion = first + j - basis_.shapes.cols();
      free[at] = motion < 0 ? basis_.shapes.col(first + j).data() : basis_.statics.influence.col(motion).data();
      if (motion >= 0) supports[at] = system_.support_motion.col(motion).data();
    }
    for (std::size_t row = 0; row + 1 < begin_.size(); ++row, panel += simd_width) {
      std::fill(panel, panel + all, 0.0);
      for (std::size_t k = begin_[row]; k < begin_[row + 1]; ++k) {
        const double value = values_[k];
        const bool is_free = unknowns_[k] < system_.free;
        const Eigen::Index at = is_free ? unknowns_[k] : unknowns_[k] - system_.free;
        if (is_free) {
          // The same row of the next panel: nothing but this says that it comes next.
          if (at % in_cache_line == 0)
            for (Eigen::Index j = 0; j < next; ++j)
              __builtin_prefetch(free[static_cast<std::size_t>(j)] + simd_width * basis_.shapes.rows() + at);
          for (Eigen::Index j = 0; j < count; ++j) panel[j] += value * free[static_cast<std::size_t>(j)][at];
        } else {
          for (Eigen::Index j = 0; j < count; ++j)
            if (const double* const column = supports[static_cast<std::size_t>(j)]) panel[j] += value * column[at];
        }
      }
    }
  }

 private:
  const System& system_;
  const ModalBasis& basis_;
  Eigen::Index moving_;             // columns in which nodes move
  std::vector<std::size_t> begin_;  // of each row
  std::vector<Eigen::Index> unknowns_;
  std::vector<double> values_;
};

}  // namespace

MotionRows Channels::strain_rows() const {
  MotionRows rows;
  rows.columns = strain_columns();
  for (const auto& [load, column] : warm_) rows.free_shapes.push_back(load);
  rows.of_nodes = [&system = system_, &basis = basis_, moving = layout_.modes + strained_by_bases()](
                      std::span<const int> nodes) { return StrainPanels(system, basis, moving, nodes); };
  return rows;
}

MatrixXcd Channels::from_strain(const MatrixXd& rows, const std::optional<double>& loss_factor) const {
  ElasticRows elastic{rows.leftCols(layout_.modes), MatrixXd::Zero(rows.rows(), layout_.motions)};
  const Eigen::Index bases = strained_by_bases();
  elastic.base.leftCols(bases) = rows.middleCols(layout_.modes, bases);
  MatrixXcd channels = with_damping(elastic, loss_factor, false);
  Eigen::Index at = layout_.modes + bases;
  for (const auto& [load, column] : warm_) channels.col(column) += rows.col(at++).cast<Complex>();
  return channels;
}

MatrixXcd Channels::reaction_rows(const SupportReaction& reaction, int base, const Vector3& about) const {
  MatrixXcd channels = MatrixXcd::Zero(6, layout_.size());
  const int m = layout_.modes, n = layout_.motions;
  channels.middleCols(layout_.modal(2), m) = reaction.inertia.cast<Complex>();
  // Of a mode of given damping all elements have the same beside their elastic forces, whose sum is none.
  channels.middleCols(layout_.modal(1), m) =
      (reaction.viscous + reaction.general * damping_.general_rate.asDiagonal()).cast<Complex>() *
      left_to_elements_.asDiagonal();
  channels.middleCols(layout_.modal(0), m) = imaginary *
                                             (reaction.loss + reaction.general * damping_.general_loss.asDiagonal()) *
                                             left_to_elements_.asDiagonal();
  channels.middleCols(layout_.base(2), n) = reaction.mass.cast<Complex>();
  channels.middleCols(layout_.base(1), n) =
      (reaction.dashpot + damping_.base_rate * reaction.base_general).cast<Complex>();
  channels.middleCols(layout_.base(0), n) =
      reaction.stiffness + imaginary * (reaction.base_loss + damping_.base_loss * reaction.base_general);
  channels.rightCols(layout_.loads) = reaction.loads.cast<Complex>();
  // From the base's point to `about`: M' = M + (point − about) × F.
  const Matrix3 arm = cross_matrix(assembly_.bases[static_cast<std::size_t>(base)].point - about);
  const MatrixXcd force = channels.topRows<3>();
  channels.bottomRows<3>() += arm.cast<Complex>() * force;
  return channels;
}

MatrixXcd Channels::base_reaction(int base, const Vector3& about) const {
  MatrixXcd channels = reaction_rows(basis_.bases[static_cast<std::size_t>(base)], base, about);
  if (basis_.statics.moves_rigidly) {  // damping inside the model puts no net force on the base
    channels.middleCols(layout_.modal(0), layout_.modes).setZero();
    channels.middleCols(layout_.modal(1), layout_.modes).setZero();
  }
  return channels;
}

MatrixXcd Channels::foot_reaction(int foot, const Vector3& about) const {
  const auto index = static_cast<std::size_t>(foot);
  return reaction_rows(basis_.feet[index], assembly_.feet()[index].first, about);
}

}  // namespace avrenk
