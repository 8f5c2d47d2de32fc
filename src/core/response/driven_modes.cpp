#include "core/response/driven_modes.h"

#include <algorithm>
#include <cmath>

#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/response/transfer.h"
#include "core/system/system.h"

namespace avrenk {

std::vector<LargestMotion> largest_translations(const System& system, const ModalBasis& basis) {
  std::vector<LargestMotion> all;
  all.reserve(static_cast<std::size_t>(basis.modes));
  for (int r = 0; r < basis.modes; ++r) {
    const Eigen::VectorXd motions = system.motions(basis.shapes.col(r));
    all.push_back(largest_translation(Eigen::Map<const NodeMotions>(motions.data(), 6, motions.size() / 6)));
  }
  return all;
}

std::vector<DrivenMode> driven_modes(const Excitation& excitation, const ModalBasis& basis, const ModalDamping& damping,
                                     const std::vector<LargestMotion>& translations) {
  std::vector<DrivenMode> all;
  const GridRequest& band = excitation.grid;
  const Transfer transfer(basis, damping, {excitation.base, excitation.loads});
  for (int r = 0; r < basis.modes; ++r) {
    const double f = basis.frequency(r);
    if (!(f >= band.from && f <= band.to)) continue;
    DrivenMode own{r};
    own.force = std::abs((transfer.modal_force(f).row(r) * excitation.at(f))(0));
    const double stiff = basis.omega[r] * basis.omega[r] * 2 * damping.effective_ratio(r);
    const auto& [translation, node] = translations[static_cast<std::size_t>(r)];
    own.node = node;
    own.motion = own.force * translation / stiff;
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
