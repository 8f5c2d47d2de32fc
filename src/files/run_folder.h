/// files/run_folder.h: a folder of results that appears complete or not at all.
#pragma once

#include <filesystem>
#include <string>

namespace avrenk {

/// Files are written into a hidden folder beside the target; commit() renames it into place. Without commit() nothing
/// is left behind, and an earlier result stays as it was.
class RunFolder {
 public:
  /// @throws FileError  the target exists and is no folder of results, or the place cannot be written to
  explicit RunFolder(const std::filesystem::path& target);
  ~RunFolder();
  RunFolder(const RunFolder&) = delete;
  RunFolder& operator=(const RunFolder&) = delete;

  /// Path inside the folder as it is being written; its parent folders are made.
  [[nodiscard]] std::filesystem::path path(const std::string& name) const;
  void write(const std::string& name, const std::string& content) const;
  /// Puts the folder in place, an earlier result of the same name being replaced.
  void commit();
  [[nodiscard]] const std::filesystem::path& target() const { return target_; }

 private:
  std::filesystem::path target_, partial_;
};

/// Removes what is being written and lets nothing more be written: for a process about to end. Results that were put in
/// place stay.
void abandon_unfinished();

/// All bytes of a file. @throws FileError  it cannot be read
[[nodiscard]] std::string read_file(const std::filesystem::path& path);

/// Copies a file. @throws FileError
void copy_file(const std::filesystem::path& from, const std::filesystem::path& to);

/// Writes a file beside its target and renames it. @throws FileError
void write_file(const std::filesystem::path& target, const std::string& content);

}  // namespace avrenk
