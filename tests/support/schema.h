/// Plans and summaries against the JSON Schemas of docs/, by a validator that shares no code with the program:
/// valijson, and yaml-cpp with the rules of YAML 1.2 for what is a number.
#pragma once

#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>

namespace avrenk::test {

/// What an editor makes of YAML. @throws YAML::Exception
[[nodiscard]] nlohmann::json json_of_yaml(const std::string& text);

/// docs/plan.schema.json.
[[nodiscard]] const nlohmann::json& plan_schema();

/// All that the schema of plans says against a document, a line each; empty: nothing.
[[nodiscard]] std::string complaints_of_plan(const nlohmann::json& plan);
[[nodiscard]] std::string complaints_of_plan_file(const std::filesystem::path& file);
/// The same of a summary.json.
[[nodiscard]] std::string complaints_of_summary(const nlohmann::json& summary);

}  // namespace avrenk::test
