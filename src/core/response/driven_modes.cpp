#include "core/response/driven_modes.h"

#include <algorithm>
#include <cmath>

#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/response/transfer.h"
#include "core/system/system.h"

namespace avrenk {

std::vector<LargestMotion> largest_translations(const System& system, const ModalBasis& basis) {
  std::vector<LargestMotion> largest_motions;
  largest_motions.reserve(static_cast<std::size_t>(basis.modes));
  for (int r = 0; r < basis.modes; ++r) {
    const Eigen::VectorXd motions = system.motions(basis.shapes.col(r));
    largest_motions.push_back(
        largest_translation(Eigen::Map<const NodeMotions>(motions.data(), 6, motions.size() / 6)));
  }
  return largest_motions;
}

std::vector<DrivenMode> driven_modes(const Excitation& excitation, const ModalBasis& basis, const ModalDamping& damping,
                                     const std::vector<LargestMotion>& translations) {
  std::vector<DrivenMode> driven_modes;
  const GridRequest& band = excitation.grid;
  const Transfer transfer(basis, damping, {excitation.base, excitation.loads});
  for (int r = 0; r < basis.modes; ++r) {
    const double f = basis.frequency(r);
    if (!(f >= band.from && f <= band.to)) continue;
    DrivenMode driven_mode{r};
    driven_mode.force = std::abs((transfer.modal_force(f).row(r) * excitation.at(f))(0));
    const double stiff = basis.omega[r] * basis.omega[r] * 2 * damping.effective_ratio(r);
    const auto& [translation, node] = translations[static_cast<std::size_t>(r)];
    driven_mode.node = node;
    driven_mode.motion = driven_mode.force * translation / stiff;
    driven_modes.push_back(driven_mode);
  }
  std::stable_sort(driven_modes.begin(), driven_modes.end(),
                   [](const DrivenMode& a, const DrivenMode& b) { return a.motion > b.motion; });
  constexpr double rounding = 1e-10;
  if (!driven_modes.empty())
    std::erase_if(driven_modes, [&, most = driven_modes.front().motion](const DrivenMode& each) {
      return !(each.motion > rounding * most);
    });
  return driven_modes;
}

}  // namespace avrenk
