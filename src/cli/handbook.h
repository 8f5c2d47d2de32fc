/// cli/handbook.h: docs/*.md, built in, as topics that can be asked for.
#pragma once

#include <string>
#include <vector>

namespace avrenk {

/// One thing that the handbook says: a section, a row of a table, or an item of a list.
struct HandbookEntry {
  std::string page, section;        ///< "plan", "joints"
  std::vector<std::string> topics;  ///< what it is asked for by
  std::string text;                 ///< Markdown
  std::string example;              ///< lines of the section's example that use it; empty if none does
  bool whole = false;               ///< a section, not a part of one
};

/// All entries, in the order of the pages.
[[nodiscard]] const std::vector<HandbookEntry>& handbook();

/// One term of the trade.
struct GlossaryEntry {
  std::string term, meaning;
  std::vector<std::string> other_names;
  std::string more;  ///< topic of the handbook that says more
};
/// docs/glossary.md.
[[nodiscard]] const std::vector<GlossaryEntry>& glossary();

/// The first sentence of a section of the plan's reference, without marks; empty if there is none.
[[nodiscard]] std::string first_sentence(const std::string& section);

/// Markdown as text for a terminal of 100 columns.
[[nodiscard]] std::string plain_text(const std::string& markdown);

}  // namespace avrenk
