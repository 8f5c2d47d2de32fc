#include "core/response/shape_span.h"

#include <algorithm>
#include <cmath>

#include "core/dense.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

// The largest length of three rows in each column.
Eigen::RowVectorXd largest_of_places(const MatrixXcd& motions) {
  Eigen::RowVectorXd largest = Eigen::RowVectorXd::Zero(motions.cols());
  for (Index row = 0; row + 3 <= motions.rows(); row += 3)
    largest = largest.cwiseMax(motions.middleRows<3>(row).colwise().norm());
  return largest;
}

}  // namespace

ShapeSpan span_of(const MatrixXd& translations, std::span<const int> at_hand, const MatrixXcd& states, double tolerance,
                  Index most) {
  const Index m = translations.cols();
  Eigen::VectorXd is_left = Eigen::VectorXd::Ones(m);
  for (const int column : at_hand) is_left[column] = 0;
  const MatrixXd left = translations * is_left.asDiagonal();
  const Eigen::RowVectorXd whole = largest_of_places(translations * states),
                           scale = whole.unaryExpr([](double x) { return x > 0 ? 1 / x : 0.0; });
  const MatrixXcd scaled = is_left.asDiagonal() * states * scale.asDiagonal();
  // With Φᵀ Φ = U Λ Uᵀ lengths of R q, R = Λ^½ Uᵀ, are those of Φ q.
  const auto [values, vectors] = symmetric_eigen(MatrixXd(left.transpose() * left));
  const double nothing = 1e-14 * (m > 0 ? std::max(values[m - 1], 0.0) : 0.0);
  Index first = 0;
  while (first < m && values[first] <= nothing) ++first;
  const Index kept = m - first;
  const Eigen::VectorXd root = values.tail(kept).cwiseSqrt();
  const MatrixXd lengths = root.asDiagonal() * vectors.rightCols(kept).transpose(),
                 back = vectors.rightCols(kept) * root.cwiseInverse().asDiagonal();
  MatrixXd snapshots(kept, 2 * states.cols());
  const MatrixXcd seen = lengths * scaled;
  snapshots << seen.real(), seen.imag();
  const auto [sizes, directions] = symmetric_eigen(MatrixXd(snapshots * snapshots.transpose()));

  ShapeSpan span{MatrixXd(m, 0), MatrixXd(0, m), 0};
  MatrixXcd missing = left * scaled;
  const auto error_now = [&] {
    const Eigen::RowVectorXd largest = largest_of_places(missing);
    return largest.size() > 0 ? largest.maxCoeff() : 0.0;
  };
  span.error = error_now();
  const auto needed = [&](Index r) { return r < std::min(most, kept) && span.error > tolerance; };
  for (Index r = 0; needed(r); ++r) {
    const Eigen::VectorXd direction = directions.col(kept - 1 - r);
    span.shapes.conservativeResize(Eigen::NoChange, r + 1);
    span.weights.conservativeResize(r + 1, Eigen::NoChange);
    span.shapes.col(r) = is_left.asDiagonal() * (back * direction);
    span.weights.row(r) = (direction.transpose() * lengths) * is_left.asDiagonal();
    missing -= (left * span.shapes.col(r)) * (span.weights.row(r) * scaled);
    span.error = error_now();
  }
  return span;
}

}  // namespace avrenk
