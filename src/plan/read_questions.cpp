// Questions to a finished run, in one line each, in the words of `watch`.
#include <algorithm>
#include <charconv>

#include "core/mesh/select.h"
#include "core/words.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

constexpr const char* form_of_a_question =
    "write QUANTITY of PLACE, then as needed in CASE, at FREQUENCY, phase ANGLE, as UNIT";

// A piece of a question and where it stands.
struct Piece {
  std::string text;
  int column = 1;  // of its first byte, from 1
};

// Words of one question, what stands in quotes or brackets in one piece.
std::vector<Piece> words_of(const std::string& text) {
  std::vector<Piece> words;
  std::string word;
  int begin = 1, open = 0;
  char quote = 0;
  const auto end_word = [&] {
    if (!word.empty()) words.push_back({word, begin});
    word.clear();
  };
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (!quote && open == 0 && (c == ' ' || c == '\t')) {
      end_word();
      continue;
    }
    if (word.empty()) begin = static_cast<int>(i) + 1;
    if (quote ? c == quote : (c == '\'' || c == '"') && word.empty()) {
      quote = quote ? 0 : c;
      if (!quote) end_word();
      continue;
    }
    if (!quote) open += c == '(' ? 1 : c == ')' && open > 0 ? -1 : 0;
    word += c;
  }
  end_word();
  return words;
}

// A question cut at its key words.
struct Cut {
  Question::Form form = Question::Form::value;
  Piece quantity, place, cases, at, phase, unit;
};

class QuestionReader {
 public:
  // `name` is that of what is declared for the question alone.
  QuestionReader(std::string text, std::string name, Place place, const Tree& tree, Reading& reading)
      : text_(std::move(text)),
        name_(std::move(name)),
        begin_(std::move(place)),
        tree_(tree),
        reading_(reading),
        problems_(reading.problems) {}

  std::optional<Question> read() {
    const std::size_t before = problems_.count();
    const std::optional<Cut> cut = cut_up();
    if (!cut) return std::nullopt;
    Question question;
    question.text = text_;
    question.form = cut->form;
    question.of = cut->place.text;
    question.place = place_of(cut->quantity);
    read_when(*cut, question);
    if (problems_.count() > before) return std::nullopt;
    if (cut->form == Question::Form::field)
      read_field(*cut, question);
    else
      read_place(*cut, question);
    if (problems_.count() > before) return std::nullopt;
    read_unit(cut->unit, question);
    if (problems_.count() > before) return std::nullopt;
    return question;
  }

 private:
  [[nodiscard]] Place place_of(const Piece& piece) const {
    return {begin_.file, begin_.line, begin_.column + piece.column - 1};
  }
  [[nodiscard]] Tree tree_of(const Piece& piece) const { return text_at(piece.text, place_of(piece)); }
  void refuse_piece(const Piece& piece, const std::string& wrong, const std::string& instead) {
    problems_.add(tree_of(piece), fmt::format("\"{}\"", text_), wrong, instead);
  }

  std::optional<Cut> cut_up() {
    std::vector<Piece> words = words_of(text_);
    if (words.empty()) {
      refuse_piece({"", 1}, "the question is empty", form_of_a_question);
      return std::nullopt;
    }
    Cut cut;
    std::size_t i = 0;
    if (words.size() > 1 && (words[0].text == "curve" || words[0].text == "field") && words[1].text == "of") {
      cut.form = words[0].text == "curve" ? Question::Form::curve : Question::Form::field;
      i = 2;
    }
    const std::pair<std::string_view, Piece Cut::*> keys[] = {
        {"of", &Cut::place}, {"in", &Cut::cases}, {"at", &Cut::at}, {"phase", &Cut::phase}, {"as", &Cut::unit}};
    Piece Cut::*now = &Cut::quantity;
    std::set<std::string> seen;
    for (; i < words.size(); ++i) {
      const auto key =
          std::find_if(std::begin(keys), std::end(keys), [&](const auto& each) { return each.first == words[i].text; });
      // The unit of a moment, "N m", and a place in quotes hold no key words.
      if (key != std::end(keys) && !(key->first == "of" && now != &Cut::quantity)) {
        if (!seen.insert(words[i].text).second) {
          refuse_piece(words[i], fmt::format("\"{}\" stands there twice", words[i].text), form_of_a_question);
          return std::nullopt;
        }
        now = key->second;
        (cut.*now).column = words[i].column + static_cast<int>(words[i].text.size()) + 1;
        if (i + 1 < words.size()) (cut.*now).column = words[i + 1].column;
        continue;
      }
      Piece& piece = cut.*now;
      if (piece.text.empty()) piece.column = words[i].column;
      piece.text += (piece.text.empty() ? "" : " ") + words[i].text;
    }
    for (const auto& [word, member] : keys)
      if (seen.contains(std::string(word)) && (cut.*member).text.empty()) {
        refuse_piece(cut.*member, fmt::format("nothing stands behind \"{}\"", word), form_of_a_question);
        return std::nullopt;
      }
    for (Piece Cut::*each : {&Cut::quantity, &Cut::place, &Cut::cases, &Cut::at, &Cut::phase})
      while (!(cut.*each).text.empty() && (cut.*each).text.back() == ',') (cut.*each).text.pop_back();
    if (cut.quantity.text.empty()) {
      refuse_piece(words.front(), "the question names no quantity", form_of_a_question);
      return std::nullopt;
    }
    if (cut.place.text.empty() && cut.form != Question::Form::field) {
      refuse_piece(words.back(), "the question names no place", form_of_a_question);
      return std::nullopt;
    }
    return cut;
  }

  // Cases, frequency and phase.
  void read_when(const Cut& cut, Question& question) {
    std::size_t begin = 0;
    while (!cut.cases.text.empty() && begin <= cut.cases.text.size()) {
      const std::size_t comma = std::min(cut.cases.text.find(',', begin), cut.cases.text.size());
      const Piece piece{std::string(trimmed(cut.cases.text.substr(begin, comma - begin))),
                        cut.cases.column + static_cast<int>(begin)};
      begin = comma + 1;
      if (find_environment(tree_of(piece), fmt::format("\"{}\"", text_), reading_))
        question.cases.push_back(piece.text);
    }
    if (!cut.at.text.empty()) {
      if (cut.at.text.starts_with("mode ")) {
        int number = 0;
        const std::string digits(trimmed(cut.at.text.substr(5)));
        const auto [end, wrong] = std::from_chars(digits.data(), digits.data() + digits.size(), number);
        if (wrong != std::errc() || end != digits.data() + digits.size() || number < 1)
          refuse_piece(cut.at, fmt::format("\"{}\" is no mode", cut.at.text), "write at mode 4");
        else
          question.mode = number;
      } else {
        question.frequency =
            read_quantity(tree_of(cut.at), kind::frequency, fmt::format("\"{}\"", text_), problems_, Sign::positive);
      }
    }
    if (cut.phase.text.empty()) return;
    question.phase = read_quantity(tree_of(cut.phase), kind::angle, fmt::format("\"{}\"", text_), problems_);
    if (cut.at.text.empty())
      refuse_piece(cut.phase, "a phase is one at a frequency",
                   "write at 63 Hz phase 40 deg, or at mode 4 phase 40 deg");
  }

  void read_unit(const Piece& piece, Question& question) {
    if (piece.text.empty()) return;
    const Kind& kind = *question.request.quantity->kind;
    try {
      DisplayUnit unit = display_unit(piece.text);
      (void)parse_as(kind, "1 " + piece.text);
      question.unit = std::move(unit);
    } catch (const InputError& error) {
      refuse_piece(piece, fmt::format("\"{}\" is no unit of {}", piece.text, kind.name),
                   fmt::format("write, for example, as {}", kind.display));
    }
  }

  // Of a field: its quantity alone.
  void read_field(const Cut& cut, Question& question) {
    static constexpr std::string_view fields[] = {"relative displacement",
                                                  "acceleration",
                                                  "von Mises",
                                                  "principal stress",
                                                  "stress xx",
                                                  "stress yy",
                                                  "stress zz",
                                                  "stress xy",
                                                  "stress yz",
                                                  "stress zx"};
    const std::string& word = cut.quantity.text;
    if (std::find(std::begin(fields), std::end(fields), word) == std::end(fields)) {
      refuse_piece(cut.quantity, fmt::format("no field \"{}\"", word),
                   suggest_name(word, {std::begin(fields), std::end(fields)}));
      return;
    }
    if (!cut.place.text.empty() && cut.place.text != "all")
      refuse_piece(cut.place, "a field is one of the whole model", "leave the place out");
    for (const OutputQuantity& quantity : output_quantities())
      if (quantity.keyword == word && (quantity.subject == Subject::node || quantity.of_nodes))
        question.request.quantity = &quantity;
  }

  // "acceleration.z" or "foot force": with a component behind the last dot.
  [[nodiscard]] std::pair<std::string, std::string> quantity_and_component(const std::string& text) const {
    const std::size_t dot = text.rfind('.');
    return dot == std::string::npos ? std::pair{text, std::string()}
                                    : std::pair{text.substr(0, dot), text.substr(dot + 1)};
  }

  void read_place(const Cut& cut, Question& question) {
    const auto [keyword, component] = quantity_and_component(cut.quantity.text);
    std::optional<Tree::Entry> entry = entry_of(cut, keyword);
    if (!entry) return;
    const std::size_t first = reading_.plan.watch.size(), before = problems_.count();
    read_watch_entry(*entry, reading_);
    if (problems_.count() > before || reading_.plan.watch.size() <= first) return;
    question.request = std::move(reading_.plan.watch.back());
    question.request.stress_at = stress_at_;
    reading_.plan.watch.resize(first);
    question.component = component;
    const std::vector<std::string> known = components_of(*question.request.quantity);
    if (!component.empty() && std::find(known.begin(), known.end(), component) == known.end())
      refuse_piece(cut.quantity, fmt::format("{} has no component \"{}\"", keyword, component),
                   known.empty() || known.front().empty() ? "leave it out" : suggest_name(component, known));
  }

  // What `watch` would hold to ask the same.
  std::optional<Tree::Entry> entry_of(const Cut& cut, const std::string& keyword) {
    Tree::Entry entry{name_, place_of(cut.place), {}};
    entry.value.kind = Tree::Kind::map;
    entry.value.place = entry.place;
    const auto put = [&](const char* key, const Tree& value) {
      entry.value.entries.push_back({key, value.place, value});
    };
    const Tree quantity = text_at(keyword, place_of(cut.quantity)), name = tree_of(cut.place);
    const Tree* const watch = tree_.find("watch");
    const Tree* const known = watch ? watch->find(cut.place.text) : nullptr;
    const std::vector<std::string> hows = ways_to_have(keyword);
    if (hows.empty()) {
      std::vector<std::string> words;
      for (const OutputQuantity& each : output_quantities())
        if (std::find(words.begin(), words.end(), each.keyword) == words.end()) words.emplace_back(each.keyword);
      refuse_piece(cut.quantity, fmt::format("no quantity \"{}\"", keyword), suggest_name(keyword, words));
      return std::nullopt;
    }
    if (known && known->is_map() &&
        std::any_of(hows.begin(), hows.end(), [&](const std::string& how) { return known->find(how); })) {
      entry.value = *known;
      if (Tree* const own = entry.value.find("quantities")) *own = quantity;
      return entry;
    }
    if (has(hows, "between")) return entry_between(cut, keyword, std::move(entry), quantity);
    if (std::optional<std::vector<int>> nodes = numbered_nodes(cut.place)) {
      if (nodes->empty()) return std::nullopt;
      return entry_at(std::move(*nodes), cut, keyword, hows, std::move(entry), quantity);
    }
    for (const std::string& how : hows) {
      const bool declared = how == "at"      ? reading_.places.knows(cut.place.text)
                            : how == "joint" ? reading_.joints.knows(cut.place.text)
                            : how == "part"  ? reading_.parts.knows(cut.place.text)
                                             : is_base(cut.place.text);
      if (!declared) continue;
      put(how.c_str(), name);
      put("quantities", quantity);
      return entry;
    }
    // Motion of all nodes of a part; stress at the nodes of a place.
    if (reading_.parts.knows(cut.place.text) && has(hows, "at")) {
      const int* const part = reading_.parts.find(name, name_, problems_);
      if (!part) return std::nullopt;
      return entry_at(nodes_of_part(reading_.plan.assembly, cut.place.text), cut, keyword, {"at"}, std::move(entry),
                      quantity);
    }
    if (reading_.places.knows(cut.place.text) && has(hows, "part")) {
      const Nodes* const nodes = reading_.places.find(name, name_, problems_);
      if (!nodes) return std::nullopt;
      return entry_at(*nodes, cut, keyword, {"part"}, std::move(entry), quantity);
    }
    std::vector<std::string> names;
    const auto add = [&](const std::vector<std::string>& more) { names.insert(names.end(), more.begin(), more.end()); };
    if (has(hows, "at") || has(hows, "part")) {
      add(reading_.places.names());
      add(reading_.parts.names());
    }
    if (has(hows, "joint")) add(reading_.joints.names());
    if (has(hows, "base"))
      for (const Base& base : reading_.plan.assembly.bases) names.push_back(base.name);
    if (watch)
      for (const Tree::Entry& each : watch->entries)
        if (std::any_of(hows.begin(), hows.end(), [&](const std::string& how) { return each.value.find(how); }))
          names.push_back(each.key);
    refuse_piece(cut.place, fmt::format("nothing called \"{}\" has the quantity {}", cut.place.text, keyword),
                 suggest_name(cut.place.text, names));
    return std::nullopt;
  }

  static bool has(const std::vector<std::string>& words, const std::string& word) {
    return std::find(words.begin(), words.end(), word) != words.end();
  }
  [[nodiscard]] bool is_base(const std::string& name) const {
    const auto& bases = reading_.plan.assembly.bases;
    return std::any_of(bases.begin(), bases.end(), [&](const Base& base) { return base.name == name; });
  }

  // The keys of watch under which there is such a quantity.
  static std::vector<std::string> ways_to_have(const std::string& keyword) {
    std::vector<std::string> hows;
    for (const OutputQuantity& output_quantity : output_quantities()) {
      if (output_quantity.keyword != keyword) continue;
      const char* const how = output_quantity.subject == Subject::node   ? "at"
                              : output_quantity.subject == Subject::pair ? "between"
                              : output_quantity.subject == Subject::spring || output_quantity.subject == Subject::joint
                                  ? "joint"
                              : output_quantity.subject == Subject::part ? "part"
                                                                         : "base";
      if (!has(hows, how)) hows.emplace_back(how);
    }
    return hows;
  }

  // "node 12", or "(0, 0, 180 mm)": the node nearest to it; nothing where it is neither.
  std::optional<std::vector<int>> numbered_nodes(const Piece& piece) {
    const Assembly& assembly = reading_.plan.assembly;
    if (piece.text.starts_with("node ")) {
      const std::string digits(trimmed(piece.text.substr(5)));
      int number = 0;
      const auto [end, wrong] = std::from_chars(digits.data(), digits.data() + digits.size(), number);
      if (wrong != std::errc() || end != digits.data() + digits.size()) return std::nullopt;  // a name that begins so
      if (number < 1 || number > static_cast<int>(assembly.nodes.size())) {
        refuse_piece(piece, fmt::format("there is no node {}", digits),
                     fmt::format("write 1 to {}", assembly.nodes.size()));
        return std::vector<int>{};
      }
      return std::vector{number - 1};
    }
    if (!piece.text.starts_with("(")) return std::nullopt;
    // One unit behind the last number, or behind the bracket, is that of all.
    const std::size_t close = piece.text.find(')');
    std::vector<std::string> parts;
    std::string inside = piece.text.substr(1, std::min(close, piece.text.size()) - 1);
    for (std::size_t begin = 0; begin <= inside.size();) {
      const std::size_t comma = std::min(inside.find(',', begin), inside.size());
      parts.emplace_back(trimmed(inside.substr(begin, comma - begin)));
      begin = comma + 1;
    }
    std::string unit = close < piece.text.size() ? std::string(trimmed(piece.text.substr(close + 1))) : "";
    if (unit.empty() && !parts.empty())
      if (const std::size_t letter = parts.back().find_first_not_of("0123456789.+-eE "); letter != std::string::npos)
        unit = parts.back().substr(letter);
    Tree point = tree_of(piece);
    point.kind = Tree::Kind::list;
    for (const std::string& part : parts) {
      const bool bare = part.find_first_not_of("0123456789.+-eE ") == std::string::npos;
      point.items.push_back(text_at(bare && !unit.empty() ? fmt::format("{} {}", part, unit) : part, place_of(piece)));
    }
    const auto at = read_vector(point, kind::length, fmt::format("\"{}\"", text_), problems_);
    if (!at) return std::vector<int>{};
    return std::vector{nearest_node(assembly, nodes_of_part(assembly, ""), *at).first};
  }

  // "tip and node 12", "tip and box along z".
  std::optional<Tree::Entry> entry_between(const Cut& cut, const std::string& keyword, Tree::Entry entry,
                                           const Tree& quantity) {
    const auto piece_of = [&](std::size_t begin, std::size_t end) {
      return Piece{cut.place.text.substr(begin, end - begin), cut.place.column + static_cast<int>(begin)};
    };
    constexpr std::string_view word_and = " and ", word_along = " along ";
    const std::string& text = cut.place.text;
    const std::size_t along = text.rfind(word_along), end = std::min(along, text.size());
    const std::size_t middle = text.find(word_and);
    if (middle >= end) {
      refuse_piece(
          cut.place, fmt::format("{} is that between two places", keyword),
          fmt::format("write {} of PLACE and PLACE, and along z or the like where it is not the line that joins "
                      "them",
                      keyword));
      return std::nullopt;
    }
    Tree two = tree_of(cut.place);
    two.kind = Tree::Kind::list;
    for (const Piece& side : {piece_of(0, middle), piece_of(middle + word_and.size(), end)}) {
      two.items.push_back(tree_of(side));
      if (std::optional<std::vector<int>> nodes = numbered_nodes(side)) {
        if (nodes->empty()) return std::nullopt;
        two.items.back().text = fmt::format("{}, {}", name_, two.items.size());
        reading_.places.declare(two.items.back().text, std::move(*nodes));
      }
    }
    entry.value.entries.push_back({"between", two.place, two});
    if (along < text.size()) {
      const Tree direction = tree_of(piece_of(along + word_along.size(), text.size()));
      entry.value.entries.push_back({"along", direction.place, direction});
    }
    entry.value.entries.push_back({"quantities", quantity.place, quantity});
    return entry;
  }

  // An entry for nodes that have no name: declared for the question alone. Stress and section forces there are those of
  // all parts that meet.
  std::optional<Tree::Entry> entry_at(std::vector<int> nodes, const Cut& cut, const std::string& keyword,
                                      const std::vector<std::string>& hows, Tree::Entry entry, const Tree& quantity) {
    const auto put = [&](const char* key, const Tree& value) {
      entry.value.entries.push_back({key, value.place, value});
    };
    if (has(hows, "at")) {
      reading_.places.declare(name_, nodes);
      put("at", text_at(name_, place_of(cut.place)));
      put("quantities", quantity);
      return entry;
    }
    if (!has(hows, "part")) {
      refuse_piece(cut.place, fmt::format("a node has no {}", keyword), "name a joint or a base");
      return std::nullopt;
    }
    const Assembly& assembly = reading_.plan.assembly;
    const std::set<int> wanted(nodes.begin(), nodes.end());
    std::set<int> parts;
    for (const BeamElement& beam : assembly.beams)
      for (const int node : beam.nodes)
        if (wanted.contains(node)) parts.insert(beam.part);
    for (const ElementGroup& group : assembly.groups)
      if (std::any_of(group.nodes.begin(), group.nodes.end(), [&](int node) { return wanted.contains(node); }))
        parts.insert(group.part);
    if (parts.empty()) {
      refuse_piece(cut.place, fmt::format("no part meets there, so it has no {}", keyword), "name a node of a part");
      return std::nullopt;
    }
    Tree list = tree_of(cut.place);
    list.kind = Tree::Kind::list;
    for (const int part : parts)
      list.items.push_back(text_at(assembly.parts[static_cast<std::size_t>(part)].name, list.place));
    put("part", list);
    put("quantities", quantity);
    stress_at_ = std::move(nodes);
    return entry;
  }

  std::string text_, name_;
  Place begin_;  // of the text
  const Tree& tree_;
  Reading& reading_;
  Problems& problems_;
  std::vector<int> stress_at_;
};

}  // namespace

std::vector<Question> read_questions(const std::vector<std::string>& texts, const Tree& tree, Reading& reading) {
  std::vector<Question> questions;
  for (std::size_t i = 0; i < texts.size(); ++i) {
    const std::string name = fmt::format("question {}", i + 1);
    if (std::optional<Question> question = QuestionReader(texts[i], name, {name, 1, 1}, tree, reading).read())
      questions.push_back(std::move(*question));
  }
  return questions;
}

std::optional<Question> read_question(const Tree& text, const std::string& name, Reading& reading) {
  return QuestionReader(text.text, name, text.place, *reading.root, reading).read();
}

}  // namespace avrenk
