#include "files/run_folder.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cctype>
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

// A folder that is held: as long as it is, no other process may hold it, on this machine or another that shares the
// drive, where that can lock.
class HeldFolder {
 public:
  explicit HeldFolder(const fs::path& folder) : file_(open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC)) {
    is_elsewhere_ = file_ >= 0 && flock(file_, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK;
  }
  ~HeldFolder() {
    if (file_ >= 0) close(file_);
  }
  HeldFolder(const HeldFolder&) = delete;
  HeldFolder& operator=(const HeldFolder&) = delete;
  [[nodiscard]] bool is_elsewhere() const { return is_elsewhere_; }  // another process holds it

 private:
  int file_;
  bool is_elsewhere_;
};

namespace {

constexpr std::string_view known_by = "avrenk results, layout 1; it wrote these files and removes no others";

// The name of this machine or container, as it can stand in a file name without the dash that follows it.
const std::string& host_name() {
  static const std::string name = [] {
    std::array<char, 256> text{};
    if (gethostname(text.data(), text.size() - 1) != 0) text[0] = '\0';
    std::string host;
    for (const char c : std::string(text.data())) host += std::isalnum(static_cast<unsigned char>(c)) ? c : '_';
    return host.substr(0, 40);
  }();
  return name;
}

// ".target.what-HOST-PROCESS"
fs::path beside(const fs::path& target, const char* what) {
  return target.parent_path() / fmt::format(".{}.{}-{}-{}", target.filename().string(), what, host_name(), getpid());
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

// Whether what is called ".target.what-HOST-PROCESS" was left by a process that is no more. One of another machine
// cannot be asked: it is gone when nothing was written for a day.
bool is_left_over(const fs::path& path, const fs::path& target, const char* what) {
  const std::string name = path.filename().string(), start = fmt::format(".{}.{}-", target.filename().string(), what);
  const std::size_t dash = name.find('-', start.size());
  if (!name.starts_with(start) || dash == std::string::npos) return false;
  const int process = std::atoi(name.c_str() + dash + 1);
  if (process <= 0) return false;
  std::error_code bad;
  if (name.substr(start.size(), dash - start.size()) == host_name()) {
    if (kill(process, 0) == 0 || errno != ESRCH) return false;
  } else {
    fs::file_time_type newest = fs::last_write_time(path, bad);
    for (const fs::directory_entry& entry : fs::recursive_directory_iterator(path, bad))
      if (std::error_code gone; !entry.is_symlink(gone)) newest = std::max(newest, entry.last_write_time(gone));
    if (bad || fs::file_time_type::clock::now() - newest < std::chrono::hours(24)) return false;
  }
  return !HeldFolder(path).is_elsewhere();
}

// What a process left that is no more: earlier results that it had moved aside go back, all else of it is removed.
void sweep(const fs::path& target) {
  std::error_code ignored;
  std::vector<fs::path> moved, unfinished_ones;
  for (const fs::directory_entry& entry : fs::directory_iterator(target.parent_path(), ignored)) {
    const std::string name = entry.path().filename().string();
    for (const auto& [what, list] : {std::pair{"old", &moved}, {"partial", &unfinished_ones}})
      if (name.starts_with('.') && entry.is_directory(ignored) && is_left_over(entry.path(), target, what) &&
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
  try {
    held_ = std::make_unique<HeldFolder>(partial_);
    write_plainly(partial_ / list_of_results, fmt::format("{}\n", known_by));
  } catch (const FileError&) {
    abandon();
    throw;
  }
}

RunFolder::~RunFolder() {
  if (!partial_.empty()) abandon();
}

void RunFolder::abandon() {
  held_.reset();  // where no more files can be opened, none could be removed either
  remove_unfinished(partial_);
  const std::lock_guard lock(unfinished().mutex);
  unfinished().paths.erase(partial_);
}

fs::path RunFolder::path(const std::string& name) const {
  unfinished().begin(partial_);
  const std::string own = path_in_results(name);
  fs::path inside = partial_ / own;
  std::error_code bad;
  if (!fs::is_directory(partial_, bad)) refuse_vanished(own);
  fs::create_directories(inside.parent_path());
  return inside;
}

void RunFolder::refuse_vanished(const std::string& name) const {
  throw FileError(
      fmt::format("{}: {} vanished while it was being written: something removed the folder in which it "
                  "was made; run it again",
                  target_.string(), name));
}

void RunFolder::write(const std::string& name, const std::string& content) const {
  write_plainly(path(name), content);
  const std::lock_guard lock(unfinished().mutex);
  written_.insert(path_in_results(name));
}

void RunFolder::remove(const std::string& name) const {
  std::error_code ignored;
  fs::remove_all(partial_ / name, ignored);
  const std::lock_guard lock(unfinished().mutex);
  std::erase_if(written_, [&](const std::string& each) { return each == name || each.starts_with(name + "/"); });
}

void RunFolder::commit() {
  const std::lock_guard lock(unfinished().mutex);  // a signal waits until all is in place
  for (const std::string& name : written_)
    if (!fs::exists(partial_ / name)) refuse_vanished(name);
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

std::string with_final_names(const std::string& text) {
  std::string shown;
  std::size_t from = 0;
  for (const std::string_view what : {".partial-", ".old-"})
    for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += what.size()) {
      const std::size_t dash = text.find('-', at + what.size());
      const std::size_t slash = text.find_last_of("/ ", at), begin = slash == std::string::npos ? 0 : slash + 1;
      if (begin < from || dash == std::string::npos || text[begin] != '.') continue;
      std::size_t end = dash + 1;
      while (end < text.size() && std::isdigit(static_cast<unsigned char>(text[end])) != 0) ++end;
      shown += text.substr(from, begin - from) + text.substr(begin + 1, at - begin - 1);
      from = end;
    }
  return shown + text.substr(from);
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
