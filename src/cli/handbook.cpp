#include "cli/handbook.h"

#include <algorithm>
#include <sstream>

#include "cli/handbook_pages.h"
#include "core/words.h"

namespace avrenk {
namespace {

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines;
  std::istringstream stream(text);
  for (std::string line; std::getline(stream, line);) lines.push_back(line);
  return lines;
}

// Words in `backticks`, without values or braces: "{part: mast, plane: …}" gives its keys.
std::vector<std::string> coded_words(const std::string& text) {
  std::vector<std::string> words;
  for (std::size_t at = text.find('`'); at != std::string::npos; at = text.find('`', at + 1)) {
    const std::size_t end = text.find('`', at + 1);
    if (end == std::string::npos) break;
    std::string word = text.substr(at + 1, end - at - 1);
    at = end;
    if (word.starts_with('{')) {  // keys of a map written out
      std::size_t depth = 0;
      std::string key;
      for (const char c : word) {
        if (c == '{' || c == '[') ++depth;
        if (c == '}' || c == ']') --depth;
        if (depth == 1 && c == ':') words.emplace_back(trimmed(key));
        if (depth == 1 && (c == '{' || c == ',' || c == ':'))
          key.clear();
        else if (depth == 1)
          key += c;
      }
      continue;
    }
    word = word.substr(0, word.find(':'));
    if (!word.empty()) words.emplace_back(trimmed(word));
  }
  return words;
}

std::vector<std::string> split(const std::string& text, const std::string& at) {
  std::vector<std::string> parts;
  std::size_t from = 0;
  for (std::size_t found = text.find(at); found != std::string::npos; found = text.find(at, from)) {
    parts.emplace_back(trimmed(std::string_view(text).substr(from, found - from)));
    from = found + at.size();
  }
  parts.emplace_back(trimmed(std::string_view(text).substr(from)));
  return parts;
}

std::vector<std::string> cells_of(const std::string& row) {
  std::vector<std::string> cells = split(row, "|");
  if (!cells.empty()) cells.erase(cells.begin());
  if (!cells.empty()) cells.pop_back();
  return cells;
}

// Names of keys, elements, quantities: no values, files or paths.
void keep_names(std::vector<std::string>& words) {
  std::erase_if(words, [](const std::string& word) {
    return !std::all_of(word.begin(), word.end(),
                        [](unsigned char c) { return std::isalpha(c) || c == ' ' || c == '-' || c == ','; });
  });
}

// One section of a page: its own entry, then its rows and items.
void add_section(const std::string& page, const std::string& heading, const std::vector<std::string>& lines,
                 std::vector<HandbookEntry>& all) {
  std::string text, code;
  bool in_code = false;
  for (const std::string& line : lines) {
    text += line + "\n";
    if (line.starts_with("```"))
      in_code = !in_code;
    else if (in_code)
      code += line + "\n";
  }
  HandbookEntry whole{page, heading, split(heading, ", "), text, "", true};
  if (whole.topics.size() > 1) whole.topics.push_back(heading);
  for (const std::string_view article : {"A ", "An "})  // "A fold" is asked for as "fold"
    if (heading.starts_with(article)) whole.topics.push_back(heading.substr(article.size()));
  all.push_back(std::move(whole));
  const auto example_of = [&](const std::vector<std::string>& topics) {
    // Entries with what stands deeper below them.
    const std::vector<std::string> all_lines = lines_of(code);
    const auto indent = [](const std::string& line) { return line.find_first_not_of(' '); };
    std::string example;
    for (std::size_t i = 0; i < all_lines.size();) {
      std::size_t end = i + 1;
      while (end < all_lines.size() && indent(all_lines[i]) > 0 && indent(all_lines[end]) > indent(all_lines[i])) ++end;
      std::string entry;
      for (; i < end; ++i) entry += all_lines[i] + "\n";
      if (std::any_of(topics.begin(), topics.end(),
                      [&](const std::string& topic) { return entry.find(topic + ":") != std::string::npos; }))
        example += entry;
    }
    return example;
  };
  in_code = false;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const std::string& line = lines[i];
    if (line.starts_with("```")) in_code = !in_code;
    if (in_code) continue;
    HandbookEntry entry{page, heading, {}, line, "", false};
    if (line.starts_with("|") && i >= 2 && !line.starts_with("|--")) {
      const std::vector<std::string> cells = cells_of(line);
      if (!cells.empty()) entry.topics = coded_words(cells.front());
      if (!cells.empty() && page == "theory") {  // elements, by their kind too: "hexahedron of 8"
        entry.topics = split(cells.front(), ",");
        entry.topics.push_back(cells.front().substr(0, cells.front().find(' ')));
      }
      if (cells.size() > 1 && heading == "watch")  // quantities are topics too
        for (const std::string& word : coded_words(cells[1])) entry.topics.push_back(word);
    } else if (line.starts_with("- ")) {
      while (i + 1 < lines.size() && lines[i + 1].starts_with("  ")) entry.text += "\n" + lines[++i];
      entry.topics = coded_words(entry.text);
    } else if (!line.empty() && !line.starts_with("|") && !line.starts_with("```")) {
      while (i + 1 < lines.size() && !lines[i + 1].empty() && !lines[i + 1].starts_with("- ") &&
             !lines[i + 1].starts_with("```"))
        entry.text += "\n" + lines[++i];
      entry.topics = coded_words(entry.text);
    } else {
      continue;
    }
    keep_names(entry.topics);
    if (entry.topics.empty()) continue;
    entry.example = example_of(entry.topics);
    all.push_back(std::move(entry));
  }
}

void add_page(const std::string& page, const char* text, std::vector<HandbookEntry>& all) {
  std::string heading;
  std::vector<std::string> lines;
  bool in_code = false;
  const auto finish = [&] {
    if (!heading.empty()) add_section(page, heading, lines, all);
    lines.clear();
  };
  for (const std::string& line : lines_of(text)) {
    if (line.starts_with("```")) in_code = !in_code;
    if (!in_code && line.starts_with("#")) {
      finish();
      heading = trimmed(std::string_view(line).substr(line.find_first_not_of('#')));
      continue;
    }
    lines.push_back(line);
  }
  finish();
}

std::string without_marks(std::string text) {
  std::erase(text, '`');
  return text;
}

}  // namespace

const std::vector<HandbookEntry>& handbook() {
  static const std::vector<HandbookEntry> handbook_entries = [] {
    std::vector<HandbookEntry> entries;
    add_page("plan", handbook_pages::plan, entries);
    add_page("recipes", handbook_pages::recipes, entries);
    add_page("results", handbook_pages::results, entries);
    add_page("theory", handbook_pages::theory, entries);
    return entries;
  }();
  return handbook_entries;
}

const std::vector<GlossaryEntry>& glossary() {
  static const std::vector<GlossaryEntry> terms = [] {
    std::vector<GlossaryEntry> all;
    for (const std::string& line : lines_of(handbook_pages::glossary)) {
      const std::vector<std::string> cells = line.starts_with("| ") ? cells_of(line) : std::vector<std::string>{};
      if (cells.size() == 4 && cells[0] != "term") all.push_back({cells[0], cells[1], split(cells[2], ", "), cells[3]});
    }
    return all;
  }();
  return terms;
}

std::string first_sentence(const std::string& section) {
  for (const HandbookEntry& entry : handbook()) {
    if (!entry.whole || entry.page != "plan" ||
        std::find(entry.topics.begin(), entry.topics.end(), section) == entry.topics.end())
      continue;
    bool in_code = false;
    std::string text;
    for (const std::string& line : lines_of(entry.text)) {
      if (line.starts_with("```")) in_code = !in_code;
      if (in_code || line.starts_with("```") || line.starts_with("|")) continue;
      if (line.empty() && !text.empty()) break;
      text += (text.empty() ? "" : " ") + (line.starts_with("- ") ? line.substr(2) : line);
    }
    text = without_marks(std::string(trimmed(text)));
    const std::size_t end = text.find(". ");
    return end == std::string::npos ? text : text.substr(0, end + 1);
  }
  return "";
}

std::string plain_text(const std::string& markdown) {
  constexpr std::size_t width = 100;
  std::string text, paragraph;
  bool in_code = false;
  const auto flush = [&] {
    if (!paragraph.empty()) text += wrapped(without_marks(paragraph), width, paragraph.starts_with("- ") ? "  " : "");
    paragraph.clear();
  };
  for (const std::string& line : lines_of(markdown)) {
    if (line.starts_with("```")) {
      flush();
      in_code = !in_code;
      continue;
    }
    if (in_code) {
      text += "    " + line + "\n";
    } else if (line.starts_with("|")) {
      flush();
      if (line.starts_with("|--") || line.starts_with("| --")) continue;
      std::string row;
      for (const std::string& cell : cells_of(line))
        if (!cell.empty()) row += (row.empty() ? "" : " | ") + cell;
      text += "  " + wrapped(without_marks(row), width, "      ");
    } else if (line.empty()) {
      flush();
      if (!text.empty() && !text.ends_with("\n\n")) text += "\n";
    } else {
      if (line.starts_with("- ")) flush();
      paragraph += (paragraph.empty() ? "" : " ") + std::string(trimmed(line));
    }
  }
  flush();
  while (text.ends_with("\n\n")) text.pop_back();
  return text;
}

}  // namespace avrenk
