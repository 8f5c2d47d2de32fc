#include "files/run_folder.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <iterator>
#include <mutex>
#include <set>
#include <thread>
#include <vector>

#include "core/error.h"
#include "files/file_name.h"

namespace avrenk {
namespace fs = std::filesystem;
namespace {

constexpr std::string_view known_by = "avrenk results, layout 1; it wrote these files and removes no others";

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

void write_plainly(const fs::path& path, const std::string& content) {
  std::ofstream stream(path, std::ios::binary);
  stream << content;
  stream.close();
  if (!stream) throw FileError(fmt::format("{}: cannot be written", path.string()));
}

// Whether a folder is of results, complete or not.
bool is_ours(const fs::path& folder) {
  std::ifstream stream(folder / list_of_results);
  std::string line;
  return std::getline(stream, line) && line == known_by;
}

// Nothing but a list that was just begun.
bool is_bare(const fs::path& folder) {
  const fs::directory_iterator all(folder);
  return std::all_of(begin(all), end(all),
                     [](const auto& entry) { return entry.path().filename() == list_of_results; });
}

// Files listed in it: paths that stay inside, "folder/name" at most.
std::set<std::string> listed(const fs::path& folder) {
  std::ifstream stream(folder / list_of_results);
  std::set<std::string> names{list_of_results};
  std::string line;
  std::getline(stream, line);
  while (std::getline(stream, line))
    if (line == path_in_results(line)) names.insert(line);
  return names;
}

// All that a folder holds but folders; a symbolic link is not followed.
std::vector<fs::path> files_in(const fs::path& folder) {
  std::vector<fs::path> all;
  for (const fs::directory_entry& entry : fs::recursive_directory_iterator(folder))
    if (entry.is_symlink() || !entry.is_directory()) all.push_back(entry.path());
  return all;
}

void list_results(const fs::path& folder) {
  std::string text = fmt::format("{}\n", known_by);
  std::set<std::string> names;
  for (const fs::path& each : files_in(folder)) names.insert(each.lexically_relative(folder).generic_string());
  for (const std::string& name : names)
    if (name != list_of_results) text += name + "\n";
  const fs::path next = folder / fmt::format("{}.new", list_of_results);  // a folder always has a whole list
  write_plainly(next, text);
  fs::rename(next, folder / list_of_results);
}

// Refuses to replace what was not written here: any file, and a folder that holds anything its list does not name.
void refuse_foreign(const fs::path& target) {
  if (!fs::exists(target)) return;
  const auto refuse_folder = [&](const std::string& why) {
    throw FileError(fmt::format("{}: {}; choose another with --out", target.string(), why));
  };
  if (!fs::is_directory(target)) refuse_folder("exists and is no folder of results");
  if (fs::is_empty(target)) return;
  if (!is_ours(target)) refuse_folder("exists and is no folder of results of this version");
  const std::set<std::string> present = listed(target);
  for (const fs::path& each : files_in(target))
    if (const std::string name = each.lexically_relative(target).generic_string(); !present.contains(name))
      refuse_folder(fmt::format("holds {}, which is not of its results: move that away", name));
}

// Removes a folder that holds nothing but its list; what is left for any reason keeps it, and is known by it.
void remove_with_list(const fs::path& folder) {
  std::error_code ignored;
  if (!is_bare(folder)) return;
  fs::remove(folder / list_of_results, ignored);
  fs::remove(folder, ignored);
}

// Removes what was being written, its list at the end.
void remove_unfinished(const fs::path& path) {
  std::error_code ignored;
  if (!fs::is_directory(path, ignored)) {
    fs::remove(path, ignored);
    return;
  }
  std::vector<fs::path> inside;
  for (const fs::directory_entry& entry : fs::directory_iterator(path, ignored))
    if (entry.path().filename() != list_of_results) inside.push_back(entry.path());
  for (const fs::path& each : inside) fs::remove_all(each, ignored);
  remove_with_list(path);
}

// Removes the files listed, and all folders that are empty then.
void remove_results(const fs::path& folder) {
  std::error_code ignored;
  if (!is_ours(folder)) {
    fs::remove(folder, ignored);  // an empty one that stood at the target
    return;
  }
  for (const std::string& name : listed(folder)) {
    const fs::path path(name);
    if (path.has_parent_path() && fs::is_symlink(folder / path.parent_path(), ignored)) continue;
    if (name != list_of_results) fs::remove(folder / path, ignored);
  }
  std::vector<fs::path> folders;
  for (const fs::directory_entry& entry : fs::recursive_directory_iterator(folder, ignored))
    if (entry.is_directory(ignored) && !entry.is_symlink(ignored)) folders.push_back(entry.path());
  for (auto each = folders.rbegin(); each != folders.rend(); ++each)
    fs::remove(*each, ignored);  // those that are empty
  remove_with_list(folder);
}

// The process of ".target.what-PROCESS"; 0 of other names.
int process_of(const std::string& name, const fs::path& target, const char* what) {
  const std::string start = fmt::format(".{}.{}-", target.filename().string(), what);
  return name.starts_with(start) ? std::atoi(name.c_str() + start.size()) : 0;
}

// What a process left that is no more: earlier results that it had moved aside go back, all else of it is removed.
void sweep(const fs::path& target) {
  std::error_code ignored;
  std::vector<fs::path> moved, unfinished_ones;
  for (const fs::directory_entry& entry : fs::directory_iterator(target.parent_path(), ignored)) {
    const std::string name = entry.path().filename().string();
    for (const auto& [what, list] : {std::pair{"old", &moved}, {"partial", &unfinished_ones}})
      if (const int process = process_of(name, target, what); process > 0 && kill(process, 0) != 0 && errno == ESRCH &&
                                                              entry.is_directory(ignored) &&
                                                              (is_ours(entry.path()) || is_bare(entry.path())))
        list->push_back(entry.path());
  }
  for (const fs::path& path : moved) {
    if (fs::exists(target, ignored))
      remove_results(path);
    else
      fs::rename(path, target, ignored);
  }
  for (const fs::path& path : unfinished_ones) {
    if (listed(path).size() > 1)  // results that had been replaced already
      remove_results(path);
    else
      remove_unfinished(path);
  }
}

// Both change places at once where the system can do that. False where it cannot.
bool exchange(const fs::path& one, const fs::path& other) {
#ifdef RENAME_EXCHANGE
  return renameat2(AT_FDCWD, one.c_str(), AT_FDCWD, other.c_str(), RENAME_EXCHANGE) == 0;
#else
  return false;
#endif
}

}  // namespace

RunFolder::RunFolder(const fs::path& target) : target_(target) {
  if (target.empty()) throw FileError("--out: names no folder");
  target_ = fs::absolute(target).lexically_normal();
  if (!target_.has_filename()) target_ = target_.parent_path();  // "results/" is "results"
  if (fs::is_symlink(target_)) {
    std::error_code nowhere;
    const fs::path there = fs::canonical(target_, nowhere);
    if (nowhere) throw FileError(fmt::format("{}: is a link that leads nowhere", target_.string()));
    target_ = there;
  }
  sweep(target_);
  refuse_foreign(target_);
  partial_ = beside(target_, "partial");
  unfinished().begin(partial_);
  std::error_code bad;
  fs::create_directories(partial_, bad);
  if (bad) throw FileError(fmt::format("{}: cannot be written: {}", target_.string(), bad.message()));
  write_plainly(partial_ / list_of_results, fmt::format("{}\n", known_by));
}

RunFolder::~RunFolder() {
  if (partial_.empty()) return;
  remove_unfinished(partial_);
  const std::lock_guard lock(unfinished().mutex);
  unfinished().paths.erase(partial_);
}

fs::path RunFolder::path(const std::string& name) const {
  unfinished().begin(partial_);
  fs::path inside = partial_ / path_in_results(name);
  fs::create_directories(inside.parent_path());
  return inside;
}

void RunFolder::write(const std::string& name, const std::string& content) const { write_plainly(path(name), content); }

void RunFolder::commit() {
  const std::lock_guard lock(unfinished().mutex);  // a signal waits until all is in place
  list_results(partial_);
  refuse_foreign(target_);  // it may have come there meanwhile
  std::error_code bad;
  fs::path old = partial_;
  if (!fs::exists(target_)) {
    fs::rename(partial_, target_, bad);
    old.clear();
  } else if (!exchange(partial_, target_)) {
    old = beside(target_, "old");
    fs::rename(target_, old, bad);
    if (!bad) fs::rename(partial_, target_, bad);
    std::error_code ignored;
    if (bad && !fs::exists(target_)) fs::rename(old, target_, ignored);
  }
  if (bad) throw FileError(fmt::format("{}: cannot be put in place: {}", target_.string(), bad.message()));
  if (!old.empty()) remove_results(old);
  unfinished().paths.erase(partial_);
  partial_.clear();
}

void abandon_unfinished() {
  Unfinished& folders = unfinished();
  folders.mutex.lock();  // for good: whoever wants to write waits until the process ends
  std::error_code ignored;
  for (const fs::path& path : folders.paths) {
    constexpr int tries = 20;  // a file may come into a folder while it is being emptied
    for (int i = 0; i < tries && fs::exists(path, ignored); ++i) {
      if (i > 0) std::this_thread::sleep_for(std::chrono::milliseconds(10));
      remove_unfinished(path);
    }
  }
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
