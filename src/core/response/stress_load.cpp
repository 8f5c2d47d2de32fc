#include "core/response/stress_load.h"

#include <algorithm>
#include <numeric>

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

namespace {

constexpr Index columns_in_block = 32;

// Frequencies by the strain energy of the modes, Σ ω_r² |q_r|², largest first.
std::vector<Index> strongest_first(const MatrixXd& block, const Eigen::VectorXd& omega) {
  const Index points = block.cols() / 2;
  Eigen::VectorXd weight = Eigen::VectorXd::Ones(block.rows());
  weight.head(omega.size()) = omega;
  const Eigen::RowVectorXd parts = (weight.asDiagonal() * block).colwise().squaredNorm();
  const Eigen::RowVectorXd energy = parts.head(points) + parts.tail(points);
  std::vector<Index> order(static_cast<std::size_t>(points));
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](Index a, Index b) { return energy[a] > energy[b]; });
  return order;
}

}  // namespace

MatrixXcd strain_fold(const Channels& channels, const std::optional<double>& loss_factor) {
  return channels.from_strain(MatrixXd::Identity(channels.strain_columns(), channels.strain_columns()), loss_factor);
}

LoadMatrix load_matrix(const CaseResponses& loads, const MatrixXcd& fold, const Eigen::VectorXd& omega) {
  std::vector<MatrixXd> blocks;
  LoadMatrix all;
  all.fold = fold;
  Index sum = 0;
  for (const auto& each : loads) {
    MatrixXd block;
    if (each->sine) {
      const MatrixXcd w = each->sine->curves(fold);
      block.resize(w.rows(), 2 * w.cols());
      block << w.real(), w.imag();
    } else if (each->covariance) {
      block = covariance_factor(each->covariance->gamma, fold);
    } else {
      block = (fold * each->still).real();
    }
    all.of_load.push_back({sum, block.cols()});
    if (each->sine) all.of_load.back().order = strongest_first(block, omega);
    sum += block.cols();
    blocks.push_back(std::move(block));
  }
  all.matrix.resize(fold.rows(), sum);
  for (std::size_t i = 0; i < blocks.size(); ++i)
    all.matrix.middleCols(all.of_load[i].first, blocks[i].cols()) = blocks[i];
  for (Index first = 0; first < sum; first += columns_in_block) {
    const Index count = std::min(columns_in_block, sum - first);
    Index row = 0;
    while (row < fold.rows() && all.matrix.row(row).segment(first, count).isZero(0)) ++row;
    if (all.blocks.empty() || all.blocks.back().row != row)
      all.blocks.push_back({first, count, row});
    else
      all.blocks.back().count += count;
  }
  return all;
}

void LoadMatrix::multiply(const Eigen::Ref<const MatrixXd>& rows, Eigen::Ref<MatrixXd> w) const {
  for (const auto& [first, count, row] : blocks)
    w.middleCols(first, count).noalias() =
        rows.rightCols(matrix.rows() - row) * matrix.block(row, first, matrix.rows() - row, count);
}

MatrixXd columns_at(const CaseResponse& excited, const LoadMatrix& load, std::size_t index, double frequency) {
  if (!excited.sine) return load.matrix.middleCols(load.of_load[index].first, load.of_load[index].count);
  const Eigen::VectorXcd w = load.fold * excited.sine->state({}, frequency);
  MatrixXd both(w.size(), 2);
  both << w.real(), w.imag();
  return both;
}

}  // namespace avrenk
