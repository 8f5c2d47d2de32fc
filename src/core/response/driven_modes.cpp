#include "core/response/driven_modes.h"

#include <algorithm>
#include <cmath>

#include "core/response/explanation.h"
#include "core/response/transfer.h"

namespace avrenk {

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
    const Eigen::VectorXd translations = motions.reshaped(6, motions.size() / 6).topRows<3>().colwise().norm();
    own.node = static_cast<int>(first_largest(translations));
    own.motion = own.force * translations[own.node] / stiff;
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
