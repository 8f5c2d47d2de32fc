// docs/plan.schema.json beside the reader, the handbook and the words of the program. That every plan that any test
// reads satisfies it is looked at where they are read (support/plans.h, support/program.h).
#include "support/schema.h"

#include <gmock/gmock.h>
#include <yaml-cpp/yaml.h>

#include <fstream>
#include <regex>
#include <set>
#include <sstream>

#include "core/response/output.h"
#include "plan/grammar.h"
#include "plan/plan.h"
#include "plan/standard_materials.h"
#include "support/temporary.h"

namespace avrenk {
namespace {

using Json = nlohmann::json;
using test::complaints_of_plan;
using test::json_of_yaml;
using test::TemporaryFolder;
using testing::HasSubstr;

const std::filesystem::path source = AVRENK_SOURCE_DIR;

const Json& resolved(const Json& schema) {
  if (!schema.contains("$ref")) return schema;
  const std::string name = schema.at("$ref").get<std::string>().substr(std::string("#/definitions/").size());
  return resolved(test::plan_schema().at("definitions").at(name));
}

// What the schema may say of a value: itself and all of its alternatives.
std::vector<const Json*> alternatives(const Json& schema) {
  const Json& own = resolved(schema);
  std::vector<const Json*> all{&own};
  for (const char* word : {"anyOf", "allOf"})
    if (own.contains(word))
      for (const Json& each : own.at(word))
        for (const Json* one : alternatives(each)) all.push_back(one);
  return all;
}

// A place in a plan, and what the schema says of what stands there.
struct At {
  std::vector<std::variant<std::string, std::size_t>> path;
  std::vector<const Json*> schema;
};

void maps_of(const Json& value, const At& at, std::vector<At>& all) {
  const auto go = [&](std::variant<std::string, std::size_t> step, const Json& inner, const char* word) {
    At next{at.path, {}};
    next.path.push_back(step);
    for (const Json* each : at.schema) {
      const Json* found = nullptr;
      if (const auto* key = std::get_if<std::string>(&step)) {
        if (each->contains("properties") && each->at("properties").contains(*key))
          found = &each->at("properties").at(*key);
        else if (each->contains(word) && each->at(word).is_object())
          found = &each->at(word);
      } else if (each->contains(word)) {
        found = &each->at(word);
      }
      if (found)
        for (const Json* one : alternatives(*found)) next.schema.push_back(one);
    }
    maps_of(inner, next, all);
  };
  if (value.is_object()) {
    all.push_back(at);
    for (const auto& [key, inner] : value.items()) go(key, inner, "additionalProperties");
  }
  if (value.is_array())
    for (std::size_t i = 0; i < value.size(); ++i) go(i, value[i], "items");
}

// The text of a plan with one more entry in the map at a place.
std::string with_entry(const std::string& text, const At& at, const std::string& key) {
  YAML::Node root = YAML::Load(text), node;
  node.reset(root);
  for (const auto& step : at.path)
    node.reset(std::holds_alternative<std::string>(step) ? node[std::get<std::string>(step)]
                                                         : node[std::get<std::size_t>(step)]);
  node[key] = "9";
  YAML::Emitter out;
  out << root;
  return out.c_str();
}

std::string path_of(const At& at) {
  std::string text;
  for (const auto& step : at.path)
    text += "/" + (std::holds_alternative<std::string>(step) ? std::get<std::string>(step)
                                                             : std::to_string(std::get<std::size_t>(step)));
  return text;
}

// Every map of these plans gets a key that nobody knows. The reader names those it knows there: the schema has them;
// and it has none where names are the user's own, nor the other way about.
TEST(Schema, KnowsTheKeysOfEveryMap) {
  std::size_t asked = 0, listed = 0;
  for (const char* name :
       {"mast.yaml", "pump-on-bench.yaml", "panel-under-pressure.yaml", "wheel-out-of-balance.yaml",
        "strut-between-fixtures.yaml", "strut-pushed.yaml", "isolated-box.yaml", "strut-receptance.yaml",
        "barrel-on-ring.yaml", "electronics-box.yaml", "box-on-rubber.yaml"}) {
    SCOPED_TRACE(name);
    const std::string text = test::read_all(source / "examples" / name);
    std::vector<At> maps;
    maps_of(json_of_yaml(text), {{}, {&test::plan_schema()}}, maps);
    for (const At& at : maps) {
      SCOPED_TRACE(path_of(at));
      const TemporaryFolder folder;
      const std::string more = with_entry(text, at, "qqxxqq");
      std::string wrong;
      try {
        (void)read_plan(folder.write("plan.yaml", more), {});
      } catch (const InputError& error) {
        wrong = error.what();
      }
      ++asked;
      const bool refused = wrong.find("unknown key \"qqxxqq\"") != std::string::npos;
      const std::string complaints = complaints_of_plan(json_of_yaml(more));
      if (refused || wrong.empty()) {
        EXPECT_EQ(complaints.empty(), wrong.empty()) << complaints << wrong;
      }
      std::smatch keys;
      if (!std::regex_search(wrong, keys, std::regex("\"qqxxqq\"; its keys are (.*)"))) continue;
      std::set<std::string> known;
      for (const Json* each : at.schema)
        if (each->contains("properties"))
          for (const auto& [key, value] : each->at("properties").items()) known.insert(key);
      std::istringstream list(keys[1]);
      for (std::string key; std::getline(list >> std::ws, key, ',');) {
        EXPECT_TRUE(known.contains(key)) << key;
        ++listed;
      }
    }
  }
  EXPECT_GT(asked, 250U);
  EXPECT_GT(listed, 600U);
}

void names_in(const Json& schema, std::set<std::string>& names) {
  if (schema.contains("properties") && schema.at("properties").is_object())
    for (const auto& [name, value] : schema.at("properties").items()) names.insert(name);
  if (schema.is_structured())
    for (const Json& each : schema) names_in(each, names);
}

// No key of the schema that no reader asks for.
TEST(Schema, HasNoKeyThatTheReaderDoesNotKnow) {
  std::string readers = R"("x" "y" "z" "rx" "ry" "rz" "xx" "yy" "zz")";  // made of letters
  for (const auto& entry : std::filesystem::directory_iterator(source / "src/plan"))
    if (entry.path().extension() == ".cpp" || entry.path().extension() == ".h") readers += test::read_all(entry.path());
  std::set<std::string> names;
  names_in(test::plan_schema(), names);
  EXPECT_GT(names.size(), 200U);
  for (const std::string& name : names) EXPECT_NE(readers.find("\"" + name + "\""), std::string::npos) << name;
}

std::set<std::string> words_of(const Json& schema) {
  std::set<std::string> words;
  for (const Json* each : alternatives(schema))
    if (each->contains("enum"))
      for (const Json& word : each->at("enum")) words.insert(word.get<std::string>());
  return words;
}

TEST(Schema, HasTheWordsOfTheProgram) {
  const Json &sections = test::plan_schema().at("properties"),
             &materials = sections.at("materials").at("additionalProperties").at("properties");
  const std::vector<std::string> designations = standard_designations();
  EXPECT_EQ(words_of(materials.at("standard")), std::set<std::string>(designations.begin(), designations.end()));
  std::set<std::string> keywords;
  for (const OutputQuantity& each : output_quantities()) keywords.emplace(each.keyword);
  EXPECT_EQ(words_of(test::plan_schema().at("definitions").at("watched-quantity")), keywords);
  const std::vector<std::string> list = plan_section_names();
  std::set<std::string> names;
  const std::set<std::string> known(list.begin(), list.end());
  for (const auto& [name, value] : sections.items()) names.insert(name);
  EXPECT_EQ(names, known);
}

// What the handbook shows, and the demo, may be written: whole sections, or entries of the section that its heading
// names.
TEST(Schema, TakesWhatTheHandbookShows) {
  EXPECT_EQ(test::complaints_of_plan_file(source / "examples/payload-deck/payload-deck.yaml"), "");
  EXPECT_EQ(test::complaints_of_plan_file(source / "examples/payload-frame/payload-frame.yaml"), "");
  int looked_at = 0;
  for (const char* page : {"docs/plan.md", "docs/recipes.md"}) {
    std::istringstream lines(test::read_all(source / page));
    std::string heading, section, block;
    bool inside = false;
    for (std::string line; std::getline(lines, line);) {
      if (line.starts_with("## ")) heading = line.substr(3, line.find(',') - 3);
      if (line == "```yaml") {
        inside = true;
        block.clear();
      } else if (inside && line == "```") {
        inside = false;
        if (block.starts_with("  ")) block = heading + ":\n" + block;
        for (std::size_t at; (at = block.find(", …")) != std::string::npos;) block.erase(at, std::string(", …").size());
        EXPECT_EQ(complaints_of_plan(json_of_yaml(block)), "") << page << "\n" << block;
        ++looked_at;
      } else if (inside) {
        block += line + "\n";
      }
    }
  }
  EXPECT_GT(looked_at, 35);
}

TEST(Schema, TellsWhatAnEditorShouldMark) {
  const std::string mast = test::read_all(source / "examples/mast.yaml");
  ASSERT_EQ(complaints_of_plan(json_of_yaml(mast)), "");
  struct Case {
    const char *from, *to, *complaint;
  };
  for (const auto& [from, to, complaint] :
       std::vector<Case>{{"materials:", "materails:", "materails"},
                         {"density: 1600 kg/m^3", "density: 1600", "[density]"},
                         {"nu: 0.30", "nuu: 0.30", "nuu"},
                         {"divisions: 24", "divisions: 24 mm", "[divisions]"},
                         {"axes: [x, z]", "axes: [x, q]", "[axes]"},
                         {"quantities: [acceleration", "quantities: [aceleration", "[quantities]"},
                         {"mass: 180 gram, ", "", "mass"},
                         {"damping: {", "damping: {coupled: maybe, ", "[coupled]"}})
    EXPECT_THAT(complaints_of_plan(json_of_yaml(test::replaced(mast, from, to))), HasSubstr(complaint)) << to;
}

}  // namespace
}  // namespace avrenk
