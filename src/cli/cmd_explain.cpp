// explain: what the handbook says about a key, an element, a joint, a quantity or a message.
#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <set>

#include "cli/commands.h"
#include "cli/handbook.h"
#include "core/spelling.h"
#include "core/words.h"

namespace avrenk {
namespace {

void print_entry(const HandbookEntry& entry, Terminal& terminal) {
  terminal.print(fmt::format("\n{} (docs/{}.md)\n\n", entry.section, entry.page));
  terminal.print(plain_text(entry.text));
  if (!entry.example.empty()) terminal.print("\nExample\n" + plain_text("```\n" + entry.example + "```\n"));
}

void print_topics(Terminal& terminal) {
  terminal.print("Topics of avrenk explain, by section of the handbook\n\n");
  std::string section, line;
  std::set<std::string> said;
  const auto flush = [&] {
    if (!line.empty()) terminal.print(plain_text("- " + line));
    line.clear();
  };
  for (const HandbookEntry& entry : handbook()) {
    if (entry.page != "plan") continue;
    if (entry.section != section) {
      flush();
      section = entry.section;
      line = section + ":";
    }
    for (const std::string& topic : entry.topics)
      if (topic != section && topic.size() < 30 && said.insert(section + topic).second)
        line += (line.ends_with(':') ? " " : ", ") + topic;
  }
  flush();
}

}  // namespace

ExitStatus explain(const Request& request, Terminal& terminal) {
  if (request.words.empty()) {
    print_topics(terminal);
    return ExitStatus::done;
  }
  std::string topic;
  for (const std::string& word : request.words) topic += (topic.empty() ? "" : " ") + word;
  const std::vector<GlossaryEntry>& terms = glossary();
  const auto is_topic = [&](const std::string& name) { return in_small_letters(name) == in_small_letters(topic); };
  const auto term = std::find_if(terms.begin(), terms.end(), [&](const GlossaryEntry& each) {
    return is_topic(each.term) || std::any_of(each.other_names.begin(), each.other_names.end(), is_topic);
  });
  std::vector<const HandbookEntry*> found;
  const auto find_topics = [&](bool of_the_plan, const auto& fits) {
    for (const HandbookEntry& entry : handbook())
      if ((entry.page == "plan") == of_the_plan &&
          std::any_of(entry.topics.begin(), entry.topics.end(),
                      [&](const std::string& own) { return fits(in_small_letters(own), in_small_letters(topic)); }))
        found.push_back(&entry);
  };
  // What the plan can say comes before what is written: its words, then phrases that begin so ("residual vectors").
  find_topics(true, std::equal_to<>());
  if (term != terms.end()) {
    terminal.print(fmt::format("\n{} (docs/glossary.md)\n\n", term->term));
    terminal.paragraph(term->meaning);
    terminal.paragraph(fmt::format("Also called: {}.", fmt::join(term->other_names, ", ")));
    if (found.empty()) {
      terminal.print(fmt::format("More: avrenk explain \"{}\"\n", term->more));
      return ExitStatus::done;
    }
  }
  if (found.empty())
    find_topics(true, [](const std::string& own, const std::string& word) { return own.starts_with(word + " "); });
  find_topics(false, std::equal_to<>());
  // A message as it was printed; then words of anything that the handbook says.
  if (found.empty())
    for (const HandbookEntry& entry : handbook())
      if (entry.section == "Messages" && !entry.whole &&
          std::any_of(entry.topics.begin(), entry.topics.end(), [&](const std::string& own) {
            return in_small_letters(topic).find(in_small_letters(own)) != std::string::npos;
          }))
        found.push_back(&entry);
  if (found.empty())
    for (const HandbookEntry& entry : handbook())
      if (!entry.whole && in_small_letters(entry.text).find(in_small_letters(topic)) != std::string::npos)
        found.push_back(&entry);
  if (found.empty())
    for (const HandbookEntry& entry : handbook())
      if (entry.whole && in_small_letters(entry.text).find(in_small_letters(topic)) != std::string::npos)
        found.push_back(&entry);
  if (found.empty()) {
    std::vector<std::string> names;
    for (const HandbookEntry& entry : handbook())
      if (entry.page == "plan") names.insert(names.end(), entry.topics.begin(), entry.topics.end());
    for (const GlossaryEntry& each : terms) {
      names.push_back(each.term);
      names.insert(names.end(), each.other_names.begin(), each.other_names.end());
    }
    const std::optional<std::string> nearest = nearest_name(topic, names);
    throw InputError(Problem{
        "", fmt::format("the handbook says nothing about \"{}\"", topic),
        (nearest ? fmt::format("write \"{}\"; ", *nearest) : "") + "avrenk explain lists all topics", std::nullopt});
  }
  // A section says all that its own rows and items do.
  constexpr std::size_t most = 4;
  const std::size_t shown = found.front()->whole ? 1 : std::min(most, found.size());
  for (std::size_t i = 0; i < shown; ++i) print_entry(*found[i], terminal);
  if (found.size() > most && !found.front()->whole)
    terminal.print(fmt::format("\n{} more places of the handbook speak of it.\n", found.size() - most));
  return ExitStatus::done;
}

}  // namespace avrenk
