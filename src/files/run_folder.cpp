#include "files/run_folder.h"

#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <fstream>
#include <iterator>
#include <mutex>
#include <set>
#include <thread>
#include <vector>

#include "core/error.h"

namespace avrenk {
namespace fs = std::filesystem;
namespace {

constexpr const char* mark = "summary.json";  // every folder of results has one

fs::path beside(const fs::path& target, const char* what) {
  return target.parent_path() / fmt::format(".{}.{}-{}", target.filename().string(), what, getpid());
}

// What is being written, for the whole process: a signal must find it.
struct Unfinished {
  std::mutex mutex;
  std::set<fs::path> paths;

  // Holds the writing threads of a process that is about to end.
  void begin(const fs::path& path) {
    const std::lock_guard lock(mutex);  // abandon_unfinished() never lets go of it
    paths.insert(path);
  }
};
Unfinished& unfinished() {
  static Unfinished all;
  return all;
}

// Folders that a process left which is no more.
void sweep(const fs::path& target) {
  const std::string start = fmt::format(".{}.partial-", target.filename().string());
  std::error_code ignored;
  std::vector<fs::path> stale;
  for (const fs::directory_entry& entry : fs::directory_iterator(target.parent_path(), ignored)) {
    const std::string name = entry.path().filename().string();
    if (!name.starts_with(start)) continue;
    const int process = std::atoi(name.c_str() + start.size());
    if (process > 0 && kill(process, 0) != 0 && errno == ESRCH) stale.push_back(entry.path());
  }
  for (const fs::path& path : stale) fs::remove_all(path, ignored);
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
  sweep(target_);
  partial_ = beside(target_, "partial");
  unfinished().begin(partial_);
  std::error_code bad;
  fs::create_directories(partial_, bad);
  if (bad) throw FileError(fmt::format("{}: cannot be written: {}", target_.string(), bad.message()));
}

RunFolder::~RunFolder() {
  std::error_code ignored;
  if (partial_.empty()) return;
  fs::remove_all(partial_, ignored);
  const std::lock_guard lock(unfinished().mutex);
  unfinished().paths.erase(partial_);
}

fs::path RunFolder::path(const std::string& name) const {
  unfinished().begin(partial_);
  fs::path inside = partial_ / name;
  fs::create_directories(inside.parent_path());
  return inside;
}

void RunFolder::write(const std::string& name, const std::string& content) const { write_plainly(path(name), content); }

void RunFolder::commit() {
  const std::lock_guard lock(unfinished().mutex);  // a signal waits until all is in place
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
  unfinished().paths.erase(partial_);
  partial_.clear();
  if (replaced) fs::remove_all(old, bad);
}

void abandon_unfinished() {
  Unfinished& all = unfinished();
  all.mutex.lock();  // for good: whoever wants to write waits until the process ends
  std::error_code ignored;
  for (const fs::path& path : all.paths) {
    constexpr int tries = 20;  // a file may come into a folder while it is being emptied
    for (int i = 0; i < tries && fs::exists(path, ignored); ++i) {
      if (i > 0) std::this_thread::sleep_for(std::chrono::milliseconds(10));
      fs::remove_all(path, ignored);
    }
  }
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
  unfinished().begin(partial);
  write_plainly(partial, content);
  const std::lock_guard lock(unfinished().mutex);
  std::error_code bad;
  fs::rename(partial, target, bad);
  unfinished().paths.erase(partial);
  if (bad) throw FileError(fmt::format("{}: cannot be written: {}", target.string(), bad.message()));
}

}  // namespace avrenk
