#include "files/source_files.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "core/error.h"
#include "files/file_name.h"
#include "files/hash.h"
#include "files/text_file.h"

namespace avrenk {
namespace {

using OrderedJson = nlohmann::ordered_json;

constexpr int sources_layout = 2;
constexpr const char* list_of_sources = "plan/sources.json";

std::string normal(const std::filesystem::path& file) { return file.lexically_normal().string(); }

std::string hash_of(const std::string& bytes) {
  Hash hash;
  hash.bytes(bytes.data(), bytes.size());
  return hash.text();
}

}  // namespace

const std::string& SourceFiles::read(const std::filesystem::path& file, std::size_t most, const std::string& what) {
  const auto [at, fresh] = files_.try_emplace(normal(file));
  if (!fresh) return *at->second;
  try {
    if (kept_) throw FileError(fmt::format("{}: the run did not keep this file", file.string()));
    at->second = std::make_shared<const std::string>(read_text_file(file.string(), most, what));
  } catch (const FileError&) {
    files_.erase(at);
    throw;
  }
  return *at->second;
}

bool SourceFiles::exists(const std::filesystem::path& file) const {
  return files_.contains(normal(file)) || (!kept_ && std::filesystem::exists(file));
}

std::vector<std::filesystem::path> SourceFiles::paths() const {
  std::vector<std::filesystem::path> all;
  all.reserve(files_.size());
  for (const auto& [path, content] : files_) all.emplace_back(path);
  return all;
}

std::string KeptPlan::digest() const {
  Hash hash;
  const auto add = [&](const std::string& text) {
    hash.number(text.size());
    hash.bytes(text.data(), text.size());
  };
  add(normal(plan));
  hash.number(overrides.size());
  for (const std::string& each : overrides) add(each);
  for (const auto& [path, content] : sources.files_) {
    add(path);
    add(*content);
  }
  return hash.text();
}

void KeptPlan::write(const std::function<void(const std::string& name, const std::string& content)>& write) const {
  OrderedJson json;
  json["layout"] = sources_layout;
  json["plan"] = normal(plan);
  json["overrides"] = overrides;
  json["files"] = OrderedJson::array();
  int number = 0;
  for (const auto& [path, content] : sources.files_) {
    const std::string name =
        path_in_results(fmt::format("plan/{:02}-{}", ++number, std::filesystem::path(path).filename().string()));
    write(name, *content);
    json["files"].push_back({{"path", path}, {"copy", name}, {"hash", hash_of(*content)}});
  }
  json["seal"] = digest();
  write(list_of_sources, json.dump(2, ' ', false, OrderedJson::error_handler_t::replace) + "\n");
}

KeptPlan KeptPlan::read(const std::filesystem::path& folder) {
  const std::filesystem::path list = folder / list_of_sources;
  if (!std::filesystem::exists(list))
    throw FileError(
        fmt::format("{}: no plan is kept there; name a folder of results, or run its plan again", folder.string()));
  KeptPlan kept;
  kept.sources.kept_ = true;
  try {
    const auto json = nlohmann::json::parse(read_text_file(list.string(), std::size_t{16} << 20U, "a list of sources"));
    if (json.at("layout") != sources_layout)
      throw FileError(fmt::format("{}: layout {}, and this is made for {}; run its plan again", list.string(),
                                  json.at("layout").dump(), sources_layout));
    kept.plan = json.at("plan");
    kept.overrides = json.at("overrides").get<std::vector<std::string>>();
    for (const auto& file : json.at("files")) {
      const std::string copy = file.at("copy");
      if (copy != path_in_results(copy) || !copy.starts_with("plan/"))
        throw FileError(fmt::format("{}: \"{}\" is no copy of a run; run its plan again", list.string(), copy));
      std::string content = read_text_file((folder / copy).string());
      if (hash_of(content) != file.at("hash"))
        throw FileError(fmt::format("{}: changed after it was written; run its plan again", (folder / copy).string()));
      kept.sources.files_[file.at("path")] = std::make_shared<const std::string>(std::move(content));
    }
    if (json.at("seal") != kept.digest())
      throw FileError(fmt::format("{}: changed after it was written; run its plan again", list.string()));
  } catch (const nlohmann::json::exception& error) {
    throw FileError(fmt::format("{}: not what a run writes ({}); run its plan again", list.string(), error.what()));
  }
  return kept;
}

}  // namespace avrenk
