/// files/notch_tables.h: inputs that limits lower, and what becomes of the responses.
#pragma once

#include "core/assess/notch.h"
#include "core/quantity/show.h"
#include "files/table.h"

namespace avrenk {

/// One row for each notch.
[[nodiscard]] Table notch_table(const std::vector<NotchedInput>& inputs, const Show& show);

/// Peaks or RMS values of all that is watched under what is specified and under what is applied, of one case.
/// @param specified, applied  outcomes of the same case
[[nodiscard]] Table notched_peak_table(const CaseResults& specified, const CaseResults& applied,
                                       const std::vector<Output>& watched, const Show& show);

}  // namespace avrenk
