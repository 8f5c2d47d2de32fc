#include "support/schema.h"

#include <yaml-cpp/yaml.h>

#include <fstream>
#include <memory>
#include <regex>
#include <sstream>
#include <valijson/adapters/nlohmann_json_adapter.hpp>
#include <valijson/schema.hpp>
#include <valijson/schema_parser.hpp>
#include <valijson/validator.hpp>

namespace avrenk::test {
namespace {

using Json = nlohmann::json;

std::string text_of(const std::filesystem::path& file) {
  std::ostringstream text;
  text << std::ifstream(file).rdbuf();
  return text.str();
}

Json as_json(const YAML::Node& node) {
  if (node.IsMap()) {
    Json map = Json::object();
    for (const auto& entry : node)
      if (!map.contains(entry.first.Scalar())) map[entry.first.Scalar()] = as_json(entry.second);
    return map;
  }
  if (node.IsSequence()) {
    Json list = Json::array();
    for (const auto& item : node) list.push_back(as_json(item));
    return list;
  }
  if (!node.IsScalar()) return nullptr;
  const std::string& text = node.Scalar();
  if (node.Tag() == "!") return text;  // quoted
  static const std::regex integer("[-+]?[0-9]+"), number("[-+]?(\\.[0-9]+|[0-9]+(\\.[0-9]*)?)([eE][-+]?[0-9]+)?"),
      nothing("~|null|Null|NULL|");
  if (std::regex_match(text, nothing)) return nullptr;
  if (text == "true" || text == "false") return text == "true";
  if (std::regex_match(text, integer) && text.size() < 18) return std::stoll(text);
  if (std::regex_match(text, number)) return std::strtod(text.c_str(), nullptr);
  return text;
}

class Validated {
 public:
  explicit Validated(const char* name)
      : json_(Json::parse(text_of(std::string(AVRENK_SOURCE_DIR) + "/docs/" + name + ".schema.json"))) {
    valijson::SchemaParser parser;
    parser.populateSchema(valijson::adapters::NlohmannJsonAdapter(json_), schema_);
  }
  [[nodiscard]] const Json& json() const { return json_; }
  [[nodiscard]] std::string complaints(const Json& document) const {
    valijson::Validator validator;
    valijson::ValidationResults results;
    const valijson::adapters::NlohmannJsonAdapter target(document);
    if (validator.validate(schema_, target, &results)) return "";
    std::string all;
    for (valijson::ValidationResults::Error error; results.popError(error);) {
      for (const std::string& step : error.context) all += step;
      all += ": " + error.description + "\n";
    }
    return all.empty() ? "it is not valid\n" : all;
  }

 private:
  Json json_;
  valijson::Schema schema_;
};

const Validated& of_plans() {
  static const Validated all("plan");
  return all;
}

}  // namespace

Json json_of_yaml(const std::string& text) { return as_json(YAML::Load(text)); }

const Json& plan_schema() { return of_plans().json(); }

std::string complaints_of_plan(const Json& plan) { return of_plans().complaints(plan); }

std::string complaints_of_plan_file(const std::filesystem::path& file) {
  return complaints_of_plan(json_of_yaml(text_of(file)));
}

std::string complaints_of_summary(const Json& summary) {
  static const Validated all("summary");
  return all.complaints(summary);
}

}  // namespace avrenk::test
