#include "plan/yaml_tree.h"

#include <fmt/format.h>
#include <yaml-cpp/eventhandler.h>
#include <yaml-cpp/yaml.h>

#include <algorithm>
#include <map>
#include <optional>
#include <sstream>

namespace avrenk {
namespace {

constexpr std::size_t deepest = 60;

Place place_of(const YAML::Mark& mark, const std::string& file) { return {file, mark.line + 1, mark.column + 1}; }

// Where a document begins that nobody wants.
struct Another {
  YAML::Mark mark;
};

}  // namespace

// Takes the events of a parser: of lists and maps that are open, the outermost first.
class YamlTrees::Builder : public YAML::EventHandler {
 public:
  Builder(YamlTrees& all, const std::string& file) : all_(all), file_(file) { root.place = {file, 0, 0}; }
  Tree root;

  void OnDocumentStart(const YAML::Mark& mark) override {
    if (std::exchange(begun_, true)) throw Another{mark};
  }
  void OnDocumentEnd() override {}
  void OnNull(const YAML::Mark& mark, YAML::anchor_t anchor) override { finish(begin(mark), anchor); }
  void OnScalar(const YAML::Mark& mark, const std::string&, YAML::anchor_t anchor, const std::string& value) override {
    Tree tree = begin(mark);
    tree.kind = Tree::Kind::text;
    tree.text = value;
    refuse_control(tree);
    finish(std::move(tree), anchor);
  }
  void OnAlias(const YAML::Mark& mark, YAML::anchor_t anchor) override {
    const auto found = named_.find(anchor);
    if (found == named_.end()) refuse_depth(place_of(mark, file_));  // what it names is still open
    const auto& [tree, extent] = found->second;
    count(extent, place_of(mark, file_));
    finish(tree, 0);
  }
  void OnSequenceStart(const YAML::Mark& mark, const std::string&, YAML::anchor_t anchor,
                       YAML::EmitterStyle::value) override {
    open(Tree::Kind::list, mark, anchor);
  }
  void OnMapStart(const YAML::Mark& mark, const std::string&, YAML::anchor_t anchor,
                  YAML::EmitterStyle::value) override {
    open(Tree::Kind::map, mark, anchor);
  }
  void OnSequenceEnd() override { close(); }
  void OnMapEnd() override { close(); }

 private:
  struct Open {
    Tree tree;
    YAML::anchor_t anchor = 0;
    std::optional<Tree> key;  // of a map, whose value comes next
  };

  Tree begin(const YAML::Mark& mark) {
    Tree tree;
    tree.place = place_of(mark, file_);
    count({}, tree.place);
    return tree;
  }
  void open(Tree::Kind kind, const YAML::Mark& mark, YAML::anchor_t anchor) {
    open_.push_back({begin(mark), anchor, std::nullopt});
    open_.back().tree.kind = kind;
  }
  void close() {
    Open own = std::move(open_.back());
    open_.pop_back();
    finish(std::move(own.tree), own.anchor);
  }
  void finish(Tree tree, YAML::anchor_t anchor) {
    if (anchor != 0) {
      const Extent extent = extent_of(tree);
      count(extent, tree.place);
      named_[anchor] = {tree, extent};
    }
    if (open_.empty()) {
      root = std::move(tree);
      return;
    }
    Open& outer = open_.back();
    if (outer.tree.is_list()) {
      outer.tree.items.push_back(std::move(tree));
    } else if (!outer.key) {
      if (!tree.is_text()) all_.problems_.push_back({"", "a key must be plain text", "", tree.place});
      outer.key = std::move(tree);
    } else {
      const Tree key = *std::exchange(outer.key, std::nullopt);
      if (!key.is_text()) return;
      if (const Tree* const first = outer.tree.find(key.text))
        all_.problems_.push_back({"", fmt::format("\"{}\" is given twice", key.text),
                                  fmt::format("it stands already in line {}", first->place.line), key.place});
      else
        outer.tree.entries.push_back({key.text, key.place, std::move(tree)});
    }
  }
  // Of what comes next, inside all that is open.
  void count(const Extent& extent, const Place& place) {
    if (open_.size() + extent.depth > deepest + 1) refuse_depth(place);
    all_.values_ += extent.values;
    if (all_.values_ > most_values)
      throw InputError(Problem{"", fmt::format("the plan grows beyond {} values here", most_values),
                               "take out aliases (*name) that multiply one another", place});
  }
  [[noreturn]] static void refuse_depth(const Place& place) {
    throw InputError(Problem{"", fmt::format("this is nested more than {} deep", deepest),
                             "an alias (*name) may not stand inside what it names", place});
  }
  // Text names files, stands in tables and charts, and is read by other programs there.
  void refuse_control(const Tree& tree) {
    const auto control = std::find_if(tree.text.begin(), tree.text.end(), [](char c) {
      const auto code = static_cast<unsigned char>(c);
      return (code < 0x20 && c != '\n' && c != '\t') || code == 0x7F;
    });
    if (control != tree.text.end())
      all_.problems_.push_back(
          {"", fmt::format("a control character (0x{:02x}) stands in this text", static_cast<int>(*control)),
           "take it out", tree.place});
  }

  YamlTrees& all_;
  const std::string& file_;
  bool begun_ = false;
  std::vector<Open> open_;
  std::map<YAML::anchor_t, std::pair<Tree, Extent>> named_;
};

Tree YamlTrees::parse(const std::string& text, const std::string& file) {
  Builder builder(*this, file);
  std::istringstream stream(text);
  try {
    YAML::Parser parser(stream);
    // Of text that closes what it never opened the parser makes documents without end: the second is one too many.
    if (parser.HandleNextDocument(builder)) (void)parser.HandleNextDocument(builder);
  } catch (const Another& another) {
    const bool meant = text.find("\n---") != std::string::npos;
    const Problem problem{"",
                          meant ? "a second YAML document begins here, and one file is one plan"
                                : "the plan ends before this line, and more follows",
                          meant ? "take the line --- out" : "look for a bracket, a quote or an indent that ends it",
                          place_of(another.mark, file)};
    if (!builder.root.is_map()) throw InputError(problem);  // nothing else is worth saying
    problems_.push_back(problem);
  } catch (const YAML::Exception& error) {
    throw InputError(Problem{"", "this is not YAML: " + error.msg, "", place_of(error.mark, file)});
  }
  return std::move(builder.root);
}

}  // namespace avrenk
