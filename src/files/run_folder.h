/// files/run_folder.h: a folder of results that appears complete or not at all, and takes the place of nothing else.
#pragma once

#include <filesystem>
#include <memory>
#include <set>
#include <string>

namespace avrenk {

/// The file by which a folder of results is known: a line that says so, then the path of each file that was written.
inline constexpr const char* list_of_results = "written.txt";

class HeldFolder;

/// Files are written into a hidden folder beside the target; commit() exchanges the two at once, so that there are
/// always either the earlier results or these. Without commit() nothing is left behind, and an earlier result stays as
/// it was. Earlier results are removed file by file, as listed; a folder that holds anything else is refused. What a
/// process left that was killed is put back in place or swept by the next one, but never what another still writes,
/// here or on another machine that shares the drive.
class RunFolder {
 public:
  /// @param target  a symbolic link stands for what it leads to
  /// @throws FileError  the target exists and is no folder of results or holds more than them, a link leads nowhere, or
  /// the place cannot be written to
  explicit RunFolder(const std::filesystem::path& target);
  ~RunFolder();
  RunFolder(const RunFolder&) = delete;
  RunFolder& operator=(const RunFolder&) = delete;

  /// Path inside the folder as it is being written, of path_in_results(name); its folder is made.
  [[nodiscard]] std::filesystem::path path(const std::string& name) const;
  void write(const std::string& name, const std::string& content) const;
  /// Takes a file, or a folder with all in it, away again; nothing where there is none.
  void remove(const std::string& name) const;
  /// Puts the folder in place, an earlier result of the same name being replaced.
  /// @throws FileError  something that was written is no longer there, or the place cannot be written to
  void commit();
  [[nodiscard]] const std::filesystem::path& target() const { return target_; }

 private:
  void abandon();
  [[noreturn]] void refuse_vanished(const std::string& name) const;

  std::filesystem::path target_, partial_;
  std::unique_ptr<HeldFolder> held_;
  mutable std::set<std::string> written_;
};

/// A message about files that are being written, with the names that they will have.
[[nodiscard]] std::string with_final_names(const std::string& text);

/// Removes what is being written and lets nothing more be written: for a process about to end. Results that were put in
/// place stay.
void abandon_unfinished();

/// Copies a file. @throws FileError
void copy_file(const std::filesystem::path& from, const std::filesystem::path& to);

/// Writes a file beside its target and renames it. @throws FileError
void write_file(const std::filesystem::path& target, const std::string& content);

}  // namespace avrenk
