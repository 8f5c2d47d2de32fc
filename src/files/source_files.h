/// files/source_files.h: the files that a plan is made from, as they were read: kept in the results of a run, so that
/// later questions to it need nothing else.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace avrenk {

/// Files by their paths, each read once; or those that a run kept, and then no others.
class SourceFiles {
 public:
  SourceFiles() = default;

  /// All of a file. @see read_text_file
  /// @throws FileError  as read_text_file has it; of kept files: it is not among them
  [[nodiscard]] const std::string& read(const std::filesystem::path& file, std::size_t most, const std::string& what);
  [[nodiscard]] bool exists(const std::filesystem::path& file) const;
  /// Paths as they were asked for, in their order.
  [[nodiscard]] std::vector<std::filesystem::path> paths() const;
  [[nodiscard]] bool are_kept() const { return kept_; }

 private:
  friend struct KeptPlan;
  bool kept_ = false;
  std::map<std::string, std::shared_ptr<const std::string>> files_;  // by their normal paths
};

/// What a run keeps of its plan: the files, which of them is the plan, and what was changed on the command line.
struct KeptPlan {
  std::string plan;                    ///< path of the plan, as it was given to the run
  std::vector<std::string> overrides;  ///< "damping.otherwise=2 %"
  SourceFiles sources;

  /// Tells this plan, its files and what was changed of it, from any other: 128 bits.
  [[nodiscard]] std::string digest() const;
  /// Hands each file to be written to `write`: plan/sources.json, which says what they are, and copies beside it.
  void write(const std::function<void(const std::string& name, const std::string& content)>& write) const;
  /// @param folder  of results
  /// @throws FileError  it keeps no plan, or its copies are not what was read: says which
  [[nodiscard]] static KeptPlan read(const std::filesystem::path& folder);
};

}  // namespace avrenk
