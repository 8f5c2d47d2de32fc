/// figures/assessment_charts.h: what decides: margins, effective masses, shares of the modes.
#pragma once

#include "core/modes/preload.h"
#include "core/response/driven_modes.h"
#include "figures/response_charts.h"
#include "files/spring_tables.h"

namespace avrenk {

/// Margins as bars, worst on top, with that at the upper tolerance beside it. @pre there are results
[[nodiscard]] NamedChart margin_chart(const std::vector<LimitResult>& limits, const Show& show);

/// Margins as stated and with each variant of the springs side by side, the lowest of all on top. @pre there are both
[[nodiscard]] NamedChart variant_chart(const std::vector<LimitResult>& limits,
                                       const std::vector<NamedMargins>& variants);

/// Effective mass along x, y, z of each mode as a part of the whole, and its running sum. Of more than 40 modes those
/// are shown that carry the most.
[[nodiscard]] NamedChart mass_chart(const ModalBasis& basis, const Show& show);

/// One case of the orders of a shaft, and the modes that it drives.
struct OrderSource {
  const Excitation& excitation;
  const std::vector<DrivenMode>& driven;
};
/// Frequencies of the lowest modes over the level of the state that modes are taken about, each as a part of that at
/// the smallest level. @pre one level at least
[[nodiscard]] NamedChart preload_chart(const std::vector<PreloadLevel>& levels, const std::string& about,
                                       const Show& show);

/// Where the orders of a shaft cross natural frequencies: of each order those of the modes that would move at least a
/// twentieth of the one that it would move most. @pre not empty
[[nodiscard]] NamedChart order_chart(const std::vector<OrderSource>& orders, const ModalBasis& basis, const Show& show);

/// Shares of the modes: of the peak (sine) or of the variance (random) of each headline quantity. Shares of a peak add
/// up to 100 %, those of opposite sign to the left. Nothing if no quantity has any.
[[nodiscard]] std::optional<NamedChart> share_chart(const CaseResults& outcome, const ChartSource& source);

}  // namespace avrenk
