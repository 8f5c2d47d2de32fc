/// analysis/summaries.h: what an analysis is and proves, in words.
#pragma once

#include "analysis/analysis.h"

namespace avrenk {

/// "1.5 % of critical …; 34 modes to 3000 Hz": the subtitle of figures.
[[nodiscard]] std::string heading_of(const Analysis& analysis);
/// How the modal equations are solved with their damping.
[[nodiscard]] std::string damping_in_words(const ModalDamping& damping);
/// "57 modes below 3000 Hz, complete by inertia count …": the proof of the modes, for tables and the report.
[[nodiscard]] std::string proof_in_words(const Analysis& analysis);
/// What is known of modes, integrals and audited answers, in two lines.
[[nodiscard]] std::string accuracy_in_words(const Analysis& analysis);
/// The largest error of the audit, and what it holds.
[[nodiscard]] std::string audit_in_words(const Analysis& analysis);

}  // namespace avrenk
