/// core/response/candidates.h: channels of many places side by side, of which the worst is looked for.
#pragma once

#include <string>
#include <vector>

#include "core/response/transfer.h"

namespace avrenk {

/// Channels of all places of one request, side by side. Candidate k is a mix of the rows of its base: of the six
/// section forces of a beam's end for a stress, the rows themselves otherwise.
struct Candidates {
  int base_width = 3;     ///< rows of one base
  int width = 3;          ///< rows of one candidate
  Eigen::MatrixXcd rows;  ///< (bases · base_width) x state
  std::vector<std::string> base_labels;
  struct Mix {
    std::string label;       ///< "at fibre (11, 0) mm"; empty for the rows themselves
    Eigen::MatrixXd matrix;  ///< width x base_width; empty: identity
  };
  std::vector<Mix> mixes;
  struct Item {
    int base = 0, mix = -1;
  };
  std::vector<Item> items;

  [[nodiscard]] std::string label(std::size_t k) const;
  /// Rows of the base of a candidate, out of any matrix whose rows belong to the bases' channels.
  template <typename Matrix>
  [[nodiscard]] auto base_of(const Matrix& by_base, std::size_t k) const {
    return by_base.middleRows(static_cast<Eigen::Index>(items[k].base) * base_width, base_width);
  }
  /// What mixes them to those of the candidate; nullptr: they are it.
  [[nodiscard]] const Eigen::MatrixXd* mix_of(std::size_t k) const {
    return items[k].mix < 0 ? nullptr : &mixes[static_cast<std::size_t>(items[k].mix)].matrix;
  }
  /// Rows of one candidate out of any matrix whose rows belong to the bases' channels.
  template <typename Matrix>
  [[nodiscard]] auto of(const Matrix& by_base, std::size_t k) const {
    using Plain = Eigen::Matrix<typename Matrix::Scalar, Eigen::Dynamic, Eigen::Dynamic>;
    const Eigen::MatrixXd* const mix = mix_of(k);
    return mix ? Plain(*mix * base_of(by_base, k)) : Plain(base_of(by_base, k));
  }
};

}  // namespace avrenk
