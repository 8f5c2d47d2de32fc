/// files/headline_tables.h: what answers first: the largest of all that is watched, and the modes that matter.
#pragma once

#include "core/modes/mode_content.h"
#include "core/quantity/show.h"
#include "core/response/case_results.h"
#include "files/table.h"

namespace avrenk {

/// Of each watched magnitude or single number the static value, sine peak and RMS of the worst case of each type. No
/// rows where nothing is watched, or nothing acts.
[[nodiscard]] Table headline_table(const std::vector<CaseResults>& outcomes, const std::vector<Output>& watched,
                                   const Show& show);
/// The modes whose effective mass along an axis is 1 % or more, or that make half of a watched quantity: rows of both
/// tables. @param modes, shapes  as mode_table and shape_table have them
[[nodiscard]] Table key_mode_table(const Table& modes, const Table& shapes, const std::vector<ModeContent>& contents);

}  // namespace avrenk
