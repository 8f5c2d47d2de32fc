/// files/mode_tables.h: what modes are, how they are proven, how they compare, as tables.
#pragma once

#include "core/modes/preload.h"
#include "core/modes/shape_match.h"
#include "core/quantity/show.h"
#include "core/response/audit.h"
#include "files/table.h"

namespace avrenk {

/// In words what each mode is, where its energy sits, and which watched quantities it makes most of.
[[nodiscard]] Table shape_table(const Assembly& assembly, const ModalBasis& basis,
                                const std::vector<ModeContent>& contents, const std::vector<Output>& watched,
                                const std::vector<CaseResults>& outcomes, const Show& show);
/// Strain energy by part and joint, or kinetic energy by part and body, % of ½ω².
[[nodiscard]] Table strain_energy_table(const Assembly& assembly, const ModalBasis& basis,
                                        const std::vector<ModeContent>& contents, const Show& show);
[[nodiscard]] Table kinetic_energy_table(const Assembly& assembly, const ModalBasis& basis,
                                         const std::vector<ModeContent>& contents, const Show& show);
/// Participation of each mode by motion of each base, √kg and √kg m; residual and orthogonality of each.
[[nodiscard]] Table participation_table(const Assembly& assembly, const ModalBasis& basis, const Show& show);
/// The lowest frequencies under parts of the state that modes are taken about.
[[nodiscard]] Table preload_table(const std::vector<PreloadLevel>& levels, const std::string& about, const Show& show);
/// Modal answers beside the full equations.
[[nodiscard]] Table audit_table(const std::vector<AuditedAnswer>& audit, const std::vector<Output>& watched,
                                const Show& show);
/// Modes of two runs side by side.
[[nodiscard]] Table match_table(const std::vector<double>& frequency1, const std::vector<double>& frequency2,
                                const ShapeMatch& match, const Show& show);

}  // namespace avrenk
