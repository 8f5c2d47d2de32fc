#include "core/system/symmetric_product.h"

#include <algorithm>

#include "core/parallel.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXd;

MatrixXd SymmetricProduct::operator()(const Eigen::Ref<const MatrixXd>& x) const {
  using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
  constexpr Index width = 8;
  MatrixXd result(x.rows(), x.cols());
  const auto parts =
      static_cast<Index>(std::max(1, std::min<int>(thread_count(threads_), static_cast<int>(x.rows() / 4096))));
  for (Index first = 0; first < x.cols(); first += width) {
    const Index columns = std::min(width, x.cols() - first);
    const RowMajor in = x.middleCols(first, columns);  // the numbers of one row lie together
    run_jobs(static_cast<std::size_t>(parts), static_cast<int>(parts), [&](std::size_t part) {
      const Index from = static_cast<Index>(part) * x.rows() / parts,
                  to = (static_cast<Index>(part) + 1) * x.rows() / parts;
      for (Index row = from; row < to; ++row) {
        Eigen::Array<double, width, 1> sum = Eigen::Array<double, width, 1>::Zero();
        if (columns == width) {
          for (Eigen::SparseMatrix<double>::InnerIterator entry(matrix_, row); entry;
               ++entry)  // symmetric: a column is a row
            sum += entry.value() * Eigen::Map<const Eigen::Array<double, width, 1>>(&in(entry.row(), 0));
        } else {
          for (Eigen::SparseMatrix<double>::InnerIterator entry(matrix_, row); entry; ++entry)
            for (Index j = 0; j < columns; ++j) sum[j] += entry.value() * in(entry.row(), j);
        }
        for (Index j = 0; j < columns; ++j) result(row, first + j) = sum[j];
      }
    });
  }
  return result;
}

}  // namespace avrenk
