/// analysis/contact_summaries.h: what is said of bolts and contacts: notes, and doubts about linear answers.
#pragma once

#include "analysis/analysis.h"
#include "files/table.h"

namespace avrenk {

/// Of bolts how tight they end, of each joint that opens how much of it is pressed, and the proof that it is settled.
[[nodiscard]] std::vector<std::string> settled_in_words(const SettledCase& settled, const Assembly& assembly,
                                                        const Show& show);

/// Where a case opens, closes or makes slide what the state has otherwise, a sentence a joint and kind: warnings where
/// it concerns a hundredth of what presses or a tenth of what is open, else notes, as of the edge of what is pressed.
struct ContactDoubts {
  std::vector<std::string> warnings, notes;
};
[[nodiscard]] ContactDoubts doubts_of_contacts(const ContactUnderLoad& load, const std::vector<ContactAtRest>& contacts,
                                               const Assembly& assembly, const Show& show);

/// Bolts of every case, and the contacts of that which frees them, with what every other case does to them.
[[nodiscard]] std::vector<Table> rest_tables_of(const Analysis& analysis);

}  // namespace avrenk
