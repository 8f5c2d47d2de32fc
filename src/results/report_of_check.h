/// results/report_of_check.h: what the check of a model says and writes.
#pragma once

#include "analysis/model_check.h"
#include "files/run_folder.h"
#include "files/table.h"

namespace avrenk {

/// "1 error, 2 warnings", "nothing found".
[[nodiscard]] std::string verdict_of_check(const std::vector<Finding>& findings);

/// Findings first; those without rows are left out.
[[nodiscard]] std::vector<Table> check_tables_of(const ModelCheck& check);

/// report.html, report.md and the pictures in them.
void write_check_report(const ModelCheck& check, const std::vector<Table>& tables, const RunFolder& folder,
                        const Progress& progress);

}  // namespace avrenk
