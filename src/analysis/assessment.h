/// analysis/assessment.h: the last stage: what the responses say about limits, and how far they are from the full
/// equations.
#pragma once

#include "analysis/responses.h"
#include "core/assess/equipment.h"
#include "core/assess/limits.h"
#include "core/response/audit.h"

namespace avrenk {

/// The plan with other springs: see judge_variants.
struct VariantAnswers {
  std::string name;
  std::vector<SpringMode> modes;          ///< empty: none of its springs is another
  std::vector<double> margins;            ///< of each limit, in the order of Assessment::limits; NaN where it has none
  int exceeded = 0;                       ///< limits
  std::vector<std::string> unanswered{};  ///< cases, by name
};

struct Audit {
  std::vector<AuditedAnswer> answers{};  ///< modal answers beside the full equations
  std::string note{};                    ///< why there is none; else empty
};

struct Assessment {
  std::vector<LimitResult> limits{};  ///< worst margin first
  std::vector<EquipmentLevel> equipment{};
  std::vector<VariantAnswers> variants{};
  Audit audit{};
  std::vector<std::string> unanswered{};  ///< cases, by name
  StageReport report{};
  /// Limits, with variants of springs too.
  [[nodiscard]] bool all_met() const;
};

/// Limits and equipment levels by what was run.
[[nodiscard]] Assessment assess(const Responses& responses);

/// Solves the full equations at a few frequencies, where there are responses and it takes seconds or was asked for.
/// @param report  takes warnings and the time
[[nodiscard]] Audit audit_truncation(const Responses& responses, const AnalysisRequest& request, StageReport& report,
                                     const Progress& progress = {});

}  // namespace avrenk
