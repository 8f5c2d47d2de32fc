/// core/system/symmetric_product.h: a sparse symmetric matrix times blocks of vectors.
#pragma once

#include <Eigen/SparseCore>

#include "core/algebra.h"

namespace avrenk {

/// A X on several threads; the digits do not depend on their number.
class SymmetricProduct {
 public:
  /// @param matrix  A, n x n, both triangles stored; must outlive this
  explicit SymmetricProduct(const Eigen::SparseMatrix<double>& matrix, int threads = 0)
      : matrix_(matrix), threads_(threads) {}
  /// A X, n x k.
  [[nodiscard]] Eigen::MatrixXd operator()(const Eigen::Ref<const Eigen::MatrixXd>& x) const;
  [[nodiscard]] Eigen::Index rows() const { return matrix_.rows(); }

 private:
  const Eigen::SparseMatrix<double>& matrix_;
  int threads_;
};

}  // namespace avrenk
