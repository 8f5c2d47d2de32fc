#include "core/response/driven_modes.h"

#include <algorithm>
#include <cmath>

#include "core/response/transfer.h"

namespace avrenk {

using Eigen::Index;

std::vector<DrivenMode> driven_modes(const Excitation& excitation, const System& system, const ModalBasis& basis,
                                     const ModalDamping& damping) {
  std::vector<DrivenMode> all;
  const GridRequest& band = excitation.grid;
  const Transfer transfer(basis, damping, {excitation.base, excitation.loads});
  for (int r = 0; r < basis.modes; ++r) {
    const double f = basis.frequency(r);
    if (!(f >= band.from && f <= band.to)) continue;
    DrivenMode own{r};
    own.force = std::abs((transfer.modal_force(f).row(r) * excitation.at(f))(0));
    const double stiff = basis.omega[r] * basis.omega[r] * 2 * damping.effective_ratio(r);
    const Eigen::VectorXd motions = system.motions(basis.shapes.col(r));
    double largest = 0;
    for (Index node = 0; node < motions.size() / 6; ++node)
      if (const double here = motions.segment<3>(6 * node).norm(); here > largest * (1 + 1e-9)) {
        largest = here;
        own.node = static_cast<int>(node);
      }
    own.motion = own.force * largest / stiff;
    all.push_back(own);
  }
  std::stable_sort(all.begin(), all.end(),
                   [](const DrivenMode& a, const DrivenMode& b) { return a.motion > b.motion; });
  constexpr double rounding = 1e-10;
  if (!all.empty())
    std::erase_if(all,
                  [&, most = all.front().motion](const DrivenMode& each) { return !(each.motion > rounding * most); });
  return all;
}

}  // namespace avrenk
