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
  LoadMatrix load_matrix;
  load_matrix.fold = fold;
  Index sum = 0;
  for (const auto& load : loads) {
    MatrixXd block;
    if (load->sine) {
      const MatrixXcd w = load->sine->curves(fold);
      block.resize(w.rows(), 2 * w.cols());
      block << w.real(), w.imag();
    } else if (load->covariance) {
      block = covariance_factor(load->covariance->gamma, fold);
    } else {
      block = (fold * load->still).real();
    }
    load_matrix.of_load.push_back({sum, block.cols()});
    if (load->sine) load_matrix.of_load.back().order = strongest_first(block, omega);
    sum += block.cols();
    blocks.push_back(std::move(block));
  }
  load_matrix.matrix.resize(fold.rows(), sum);
  for (std::size_t i = 0; i < blocks.size(); ++i)
    load_matrix.matrix.middleCols(load_matrix.of_load[i].first, blocks[i].cols()) = blocks[i];
  for (Index first = 0; first < sum; first += columns_in_block) {
    const Index count = std::min(columns_in_block, sum - first);
    Index row = 0;
    while (row < fold.rows() && load_matrix.matrix.row(row).segment(first, count).isZero(0)) ++row;
    if (load_matrix.blocks.empty() || load_matrix.blocks.back().row != row)
      load_matrix.blocks.push_back({first, count, row});
    else
      load_matrix.blocks.back().count += count;
  }
  return load_matrix;
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
