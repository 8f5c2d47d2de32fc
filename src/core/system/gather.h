/// core/system/gather.h: sums element matrices into sparse ones.
#pragma once

#include <functional>

#include "core/system/numbering.h"
#include "core/system/system.h"

namespace avrenk {

/// Tᵀ X T of all elements that are added, T from the numbering. The pattern follows from which nodes share an element;
/// shells and solids are computed stretch by stretch and put straight into place, so that no list of all entries is
/// ever held. Every entry is summed in the order in which elements were added: the result is the same to the last bit
/// on any number of threads.
class Gatherer {
 public:
  explicit Gatherer(const Numbering& numbering) : numbering_(numbering) {}

  /// One element on the six motions of each of its nodes; −1 is the ground.
  void add(const Eigen::MatrixXd& element, std::span<const int> nodes);

  /// Matrices of elements `first` to `first + count`, side by side.
  using Kernel = std::function<Eigen::MatrixXd(Eigen::Index first, Eigen::Index count)>;
  /// The same; where an element has no matrix, it is told by its part and place.
  [[nodiscard]] static Kernel telling(const Assembly& assembly, const ElementGroup& group, Kernel kernel);
  /// All elements of a group, which must outlive the gatherer.
  void add(const ElementGroup& group, Kernel kernel);

  /// The sum. Entries that are exactly zero are left out.
  /// @throws NumericalError  an element has no matrix, or the sum too many entries
  /// @throws InputError      the same of an element whose kernel tells where it lies
  [[nodiscard]] Partitioned finish(int threads) const;

 private:
  struct Single {
    Eigen::MatrixXd matrix;
    std::vector<int> nodes;
  };
  struct Many {
    const ElementGroup* group;
    Kernel kernel;
  };
  const Numbering& numbering_;
  std::vector<Single> singles_;
  std::vector<Many> groups_;
};

}  // namespace avrenk
