/// files/sealed_hdf5.h: matrices and texts in an HDF5 file with a seal: its last line, behind what HDF5 reads, says
/// what it is and has a hash of all bytes before. It is looked at first, so that HDF5 never reads what was cut short or
/// changed.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "core/algebra.h"

namespace avrenk {

/// What a sealed file is: `avrenk results, layout 0005, checksum …`
struct SealKind {
  std::string_view what;  ///< "results"
  int layout = 0;         ///< a file of another layout is not read
};

/// Why a file is not one that was sealed as such; empty: it is. "was changed after it was written"
[[nodiscard]] std::string broken_seal(const std::filesystem::path& file, const SealKind& kind);
/// Its last line, which tells its content from any other; empty where it is none of the kind, whole or not.
[[nodiscard]] std::string seal_of(const std::filesystem::path& file, const SealKind& kind);

/// The same of the bytes of a file that need not be sealed: empty too where there is no such seal.
[[nodiscard]] std::string broken_seal_of(const std::string& bytes, const SealKind& kind);

class Hdf5Handle;

class SealedWriter {
 public:
  explicit SealedWriter(const std::filesystem::path& file);
  ~SealedWriter();
  /// Columns of the matrix are rows of the dataset.
  void write(const std::string& name, const Eigen::MatrixXd& matrix);
  void write_text(const std::string& name, const std::string& text);
  void write_attribute(const char* name, int number);
  void write_attribute(const char* name, const std::string& text);
  /// Closes the file and seals it.
  /// @throws FileError  this or anything before could not be written
  void seal(const SealKind& kind);

 private:
  std::filesystem::path path_;
  std::unique_ptr<Hdf5Handle> file_;
  bool good_ = true;
};

/// @pre the seal of the file is whole
class SealedReader {
 public:
  explicit SealedReader(const std::filesystem::path& file);
  /// Of a file that was read into memory, which need not be one of ours.
  [[nodiscard]] static SealedReader from_bytes(const std::string& bytes);
  ~SealedReader();
  /// False where there is no matrix of the name.
  [[nodiscard]] bool read(const std::string& name, Eigen::MatrixXd& matrix) const;
  /// Empty where there is none.
  [[nodiscard]] std::string read_text(const std::string& name) const;
  [[nodiscard]] std::string text_attribute(const char* name) const;
  [[nodiscard]] std::optional<int> number_attribute(const char* name) const;

 private:
  SealedReader(std::unique_ptr<Hdf5Handle> file, double bytes);
  std::unique_ptr<Hdf5Handle> file_;
  double bytes_ = 0;
};

}  // namespace avrenk
