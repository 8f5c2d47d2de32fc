/// cli/print_brief.h: the two screens that answer; all else is in files, and printed with --full.
#pragma once

#include "analysis/analysis.h"
#include "cli/print_run.h"
#include "results/run_tables.h"

namespace avrenk {

/// Prints mass, modes that matter, the largest responses, accuracy and margins, at most 80 lines of them on most plans.
void print_brief(const Analysis& analysis, const RunTables& tables, const OutputSelection& shown, Terminal& terminal);

/// The first rows of a table, and where the others are.
void print_first(const Table& table, std::size_t most_rows, Terminal& terminal, bool has_file = true);

/// What the column "upper" of limits is and what the margin of a life, where they have these.
void print_margin_notes(const std::vector<LimitResult>& limits, Terminal& terminal);

/// Of contacts those that come nearest to opening first; bolts as they are.
[[nodiscard]] Table worst_contacts_first(Table table);

/// How the tables are reached that the two screens leave out.
void print_where_tables_are(Terminal& terminal);

/// "Mass 21.37 kg, centre of gravity at (25.26, 23.28, 254.8) mm."
[[nodiscard]] std::string mass_in_words(const Table& mass);

}  // namespace avrenk
