/// files/hash.h: 128 bits (XXH3) over numbers and matrices.
#pragma once

#include <fmt/format.h>
#include <xxhash.h>
#include <Eigen/SparseCore>

#include <memory>
#include <string>
#include <type_traits>

#include "core/algebra.h"

namespace avrenk {

class Hash {
 public:
  Hash() : state_(XXH3_createState(), XXH3_freeState) { XXH3_128bits_reset(state_.get()); }
  void bytes(const void* data, std::size_t size) { XXH3_128bits_update(state_.get(), data, size); }
  template <typename Number>
  requires std::is_arithmetic_v<Number>
  void number(Number value) { bytes(&value, sizeof value); }
  void dense(const Eigen::MatrixXd& m) {
    number(m.rows());
    number(m.cols());
    bytes(m.data(), static_cast<std::size_t>(m.size()) * sizeof(double));
  }
  void sparse(const Eigen::SparseMatrix<double>& m) {
    if (!m.isCompressed()) {
      Eigen::SparseMatrix<double> compressed = m;
      compressed.makeCompressed();
      return sparse(compressed);
    }
    number(m.rows());
    number(m.cols());
    bytes(m.outerIndexPtr(), static_cast<std::size_t>(m.outerSize() + 1) * sizeof(int));
    bytes(m.innerIndexPtr(), static_cast<std::size_t>(m.nonZeros()) * sizeof(int));
    bytes(m.valuePtr(), static_cast<std::size_t>(m.nonZeros()) * sizeof(double));
  }
  [[nodiscard]] std::string text() const {
    const XXH128_hash_t hash = XXH3_128bits_digest(state_.get());
    return fmt::format("{:016x}{:016x}", hash.high64, hash.low64);
  }

 private:
  std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state_;
};

}  // namespace avrenk
