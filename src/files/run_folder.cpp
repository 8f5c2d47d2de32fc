#include "files/run_folder.h"

#include <fmt/format.h>
#include <unistd.h>

#include <fstream>
#include <iterator>

#include "core/error.h"

namespace avrenk {
namespace fs = std::filesystem;
namespace {

constexpr const char* mark = "summary.json";  // every folder of results has one

fs::path beside(const fs::path& target, const char* what) {
  return target.parent_path() / fmt::format(".{}.{}-{}", target.filename().string(), what, getpid());
}

void write_plainly(const fs::path& path, const std::string& content) {
  std::ofstream stream(path, std::ios::binary);
  stream << content;
  stream.close();
  if (!stream) throw FileError(fmt::format("{}: cannot be written", path.string()));
}

}  // namespace

RunFolder::RunFolder(const fs::path& target) : target_(fs::absolute(target).lexically_normal()) {
  if (!target_.has_filename()) target_ = target_.parent_path();  // "results/" is "results"
  if (fs::exists(target_) && !(fs::is_directory(target_) && (fs::is_empty(target_) || fs::exists(target_ / mark))))
    throw FileError(fmt::format("{}: exists and is no folder of results; choose another with --out", target_.string()));
  partial_ = beside(target_, "partial");
  std::error_code bad;
  fs::create_directories(partial_, bad);
  if (bad) throw FileError(fmt::format("{}: cannot be written: {}", target_.string(), bad.message()));
}

RunFolder::~RunFolder() {
  std::error_code ignored;
  if (!partial_.empty()) fs::remove_all(partial_, ignored);
}

fs::path RunFolder::path(const std::string& name) const {
  fs::path inside = partial_ / name;
  fs::create_directories(inside.parent_path());
  return inside;
}

void RunFolder::write(const std::string& name, const std::string& content) const { write_plainly(path(name), content); }

void RunFolder::commit() {
  std::error_code bad;
  const fs::path old = beside(target_, "old");
  const bool replaced = fs::exists(target_);
  if (replaced) fs::rename(target_, old, bad);
  if (!bad) fs::rename(partial_, target_, bad);
  if (bad) {
    std::error_code ignored;
    if (replaced && !fs::exists(target_)) fs::rename(old, target_, ignored);
    throw FileError(fmt::format("{}: cannot be put in place: {}", target_.string(), bad.message()));
  }
  partial_.clear();
  if (replaced) fs::remove_all(old, bad);
}

std::string read_file(const std::filesystem::path& path) {
  std::ifstream stream(path, std::ios::binary);
  std::string text{std::istreambuf_iterator<char>(stream), {}};
  if (!stream) throw FileError(fmt::format("{}: cannot be read", path.string()));
  return text;
}

void copy_file(const fs::path& from, const fs::path& to) {
  std::error_code bad;
  fs::copy_file(from, to, bad);
  if (bad) throw FileError(fmt::format("{}: cannot be copied to {}: {}", from.string(), to.string(), bad.message()));
}

void write_file(const fs::path& target, const std::string& content) {
  const fs::path partial = beside(fs::absolute(target), "partial");
  write_plainly(partial, content);
  std::error_code bad;
  fs::rename(partial, target, bad);
  if (bad) throw FileError(fmt::format("{}: cannot be written: {}", target.string(), bad.message()));
}

}  // namespace avrenk
