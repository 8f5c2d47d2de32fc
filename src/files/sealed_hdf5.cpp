#include "files/sealed_hdf5.h"

#include <fmt/format.h>
#include <hdf5.h>
#include <hdf5_hl.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <fstream>
#include <functional>
#include <sstream>

#include "core/error.h"
#include "files/hash.h"

namespace avrenk {

// What HDF5 hands out, closed however its use ends.
class Hdf5Handle {
 public:
  Hdf5Handle(hid_t id, herr_t (*close)(hid_t)) : id_(id), close_(close) {}
  ~Hdf5Handle() {
    if (id_ >= 0) close_(id_);
  }
  Hdf5Handle(const Hdf5Handle&) = delete;
  Hdf5Handle& operator=(const Hdf5Handle&) = delete;
  [[nodiscard]] hid_t id() const { return id_; }
  [[nodiscard]] bool good() const { return id_ >= 0; }

 private:
  hid_t id_;
  herr_t (*close_)(hid_t);
};

namespace {

constexpr std::size_t longest_text = 1U << 24U;

// Text of one element and of a length of its own; anything else is none.
std::string text_of(const Hdf5Handle& type, const Hdf5Handle& space, const std::function<herr_t(hid_t, void*)>& read) {
  if (!type.good() || !space.good() || H5Tget_class(type.id()) != H5T_STRING || H5Tis_variable_str(type.id()) != 0 ||
      H5Sget_simple_extent_npoints(space.id()) != 1)
    return "";
  const std::size_t bytes = H5Tget_size(type.id());
  if (bytes == 0 || bytes > longest_text) return "";
  std::string text(bytes + 1, '\0');
  if (read(type.id(), text.data()) < 0) return "";
  text.resize(std::strlen(text.c_str()));
  return text;
}

std::string seal_begins(const SealKind& kind) { return fmt::format("\navrenk {}, layout ", kind.what); }
std::string seal_line(const SealKind& kind, const std::string& hash) {
  return fmt::format("{}{:04d}, checksum {}\n", seal_begins(kind), kind.layout, hash);
}

// Of the first so many bytes; empty where there are fewer.
std::string hash_of(std::istream& stream, std::uintmax_t bytes) {
  Hash hash;
  std::vector<char> piece(4U << 20U);
  while (bytes > 0) {
    const auto now = static_cast<std::streamsize>(std::min<std::uintmax_t>(bytes, piece.size()));
    if (!stream.read(piece.data(), now)) return "";
    hash.bytes(piece.data(), static_cast<std::size_t>(now));
    bytes -= static_cast<std::uintmax_t>(now);
  }
  return hash.text();
}

// The end of a file where its seal would be.
std::string end_of(std::istream& file, std::uintmax_t bytes, const SealKind& kind) {
  std::string line = seal_line(kind, std::string(32, '0'));
  if (bytes < line.size() || !file.seekg(-static_cast<std::streamoff>(line.size()), std::ios::end) ||
      !file.read(line.data(), static_cast<std::streamsize>(line.size())) || !line.starts_with(seal_begins(kind)))
    return "";
  return line;
}

// A dataset whose numbers stand in the file itself: links to other files, and storage in them, would read what nobody
// named.
Hdf5Handle open_inside(const Hdf5Handle& file, const std::string& name) {
  H5L_info_t link{};
  if (!file.good() || H5Lget_info(file.id(), name.c_str(), &link, H5P_DEFAULT) < 0 || link.type != H5L_TYPE_HARD)
    return {-1, H5Dclose};
  const hid_t set = H5Dopen2(file.id(), name.c_str(), H5P_DEFAULT);
  if (set < 0) return {-1, H5Dclose};
  const Hdf5Handle made(H5Dget_create_plist(set), H5Pclose);
  if (made.good() && H5Pget_external_count(made.id()) == 0 && H5Pget_layout(made.id()) != H5D_VIRTUAL)
    return {set, H5Dclose};
  H5Dclose(set);
  return {-1, H5Dclose};
}

void be_silent() { H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr); }

}  // namespace

std::string broken_seal(const std::filesystem::path& path, const SealKind& kind) {
  std::ifstream file(path, std::ios::binary);
  std::error_code bad;
  const std::uintmax_t bytes = std::filesystem::file_size(path, bad);
  if (!file || bad) return "cannot be read";
  const std::string line = end_of(file, bytes, kind);
  if (line.empty()) return "was cut short or changed, or another version of avrenk wrote it";
  file.seekg(0);
  const std::string seal = seal_line(kind, hash_of(file, bytes - line.size()));
  const std::size_t layout = seal_begins(kind).size();
  if (line.compare(layout, 4, seal, layout, 4) != 0) return "was written by another version of avrenk";
  return line == seal ? "" : "was changed after it was written";
}

std::string broken_seal_of(const std::string& bytes, const SealKind& kind) {
  std::istringstream file(bytes);
  const std::string line = end_of(file, bytes.size(), kind);
  if (line.empty()) return "";
  file.seekg(0);
  const std::string seal = seal_line(kind, hash_of(file, bytes.size() - line.size()));
  const std::size_t layout = seal_begins(kind).size();
  if (line.compare(layout, 4, seal, layout, 4) != 0) return "was written by another version of avrenk";
  return line == seal ? "" : "was changed after it was written";
}

std::string seal_of(const std::filesystem::path& path, const SealKind& kind) {
  std::ifstream file(path, std::ios::binary);
  std::error_code bad;
  const std::uintmax_t bytes = std::filesystem::file_size(path, bad);
  return !file || bad ? "" : end_of(file, bytes, kind);
}

SealedWriter::SealedWriter(const std::filesystem::path& file) : path_(file) {
  be_silent();
  file_ = std::make_unique<Hdf5Handle>(H5Fcreate(file.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT), H5Fclose);
  good_ = file_->good();
}

SealedWriter::~SealedWriter() = default;

void SealedWriter::write(const std::string& name, const Eigen::MatrixXd& m) {
  const std::array<hsize_t, 2> size{static_cast<hsize_t>(m.cols()), static_cast<hsize_t>(m.rows())};
  good_ = good_ && H5LTmake_dataset_double(file_->id(), name.c_str(), 2, size.data(), m.data()) >= 0;
}

void SealedWriter::write_text(const std::string& name, const std::string& text) {
  good_ = good_ && H5LTmake_dataset_string(file_->id(), name.c_str(), text.c_str()) >= 0;
}

void SealedWriter::write_attribute(const char* name, int number) {
  good_ = good_ && H5LTset_attribute_int(file_->id(), "/", name, &number, 1) >= 0;
}

void SealedWriter::write_attribute(const char* name, const std::string& text) {
  good_ = good_ && H5LTset_attribute_string(file_->id(), "/", name, text.c_str()) >= 0;
}

void SealedWriter::seal(const SealKind& kind) {
  good_ = good_ && H5Fflush(file_->id(), H5F_SCOPE_GLOBAL) >= 0;
  file_.reset();
  std::error_code bad;
  const std::uintmax_t bytes = good_ ? std::filesystem::file_size(path_, bad) : 0;
  std::fstream file(path_, std::ios::binary | std::ios::in | std::ios::out);
  const std::string hash = !good_ || bad || !file ? "" : hash_of(file, bytes);
  if (!hash.empty()) {
    file.seekp(0, std::ios::end);
    file << seal_line(kind, hash) << std::flush;
  }
  if (hash.empty() || !file.good()) throw FileError(fmt::format("{}: cannot be written", path_.string()));
}

SealedReader::SealedReader(const std::filesystem::path& file) {
  be_silent();
  file_ = std::make_unique<Hdf5Handle>(H5Fopen(file.c_str(), H5F_ACC_RDONLY, H5P_DEFAULT), H5Fclose);
  std::error_code none;
  bytes_ = static_cast<double>(std::filesystem::file_size(file, none));
}

SealedReader::SealedReader(std::unique_ptr<Hdf5Handle> file, double bytes) : file_(std::move(file)), bytes_(bytes) {}

SealedReader SealedReader::from_bytes(const std::string& bytes) {
  be_silent();
  const Hdf5Handle access(H5Pcreate(H5P_FILE_ACCESS), H5Pclose);
  constexpr std::size_t step = 1U << 20U;
  hid_t file = -1;
  std::string copy = bytes;  // HDF5 takes it as its own to change
  if (access.good() && H5Pset_fapl_core(access.id(), step, 0) >= 0 &&
      H5Pset_file_image(access.id(), copy.data(), copy.size()) >= 0)
    file = H5Fopen("in memory", H5F_ACC_RDONLY, access.id());
  return {std::make_unique<Hdf5Handle>(file, H5Fclose), static_cast<double>(bytes.size())};
}

SealedReader::~SealedReader() = default;

bool SealedReader::read(const std::string& name, Eigen::MatrixXd& m) const {
  const Hdf5Handle set = open_inside(*file_, name);
  if (!set.good()) return false;
  const Hdf5Handle space(H5Dget_space(set.id()), H5Sclose), type(H5Dget_type(set.id()), H5Tclose);
  std::array<hsize_t, 2> size{};
  if (!space.good() || !type.good() || H5Tget_class(type.id()) != H5T_FLOAT ||
      H5Sget_simple_extent_ndims(space.id()) != 2 || H5Sget_simple_extent_dims(space.id(), size.data(), nullptr) < 0)
    return false;
  const double claimed = static_cast<double>(size[0]) * static_cast<double>(size[1]) * sizeof(double);
  if (claimed > bytes_) return false;
  m.resize(static_cast<Eigen::Index>(size[1]), static_cast<Eigen::Index>(size[0]));
  return m.size() == 0 || H5Dread(set.id(), H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, m.data()) >= 0;
}

std::string SealedReader::read_text(const std::string& name) const {
  const Hdf5Handle set = open_inside(*file_, name);
  if (!set.good()) return "";
  return text_of({H5Dget_type(set.id()), H5Tclose}, {H5Dget_space(set.id()), H5Sclose},
                 [&](hid_t type, void* data) { return H5Dread(set.id(), type, H5S_ALL, H5S_ALL, H5P_DEFAULT, data); });
}

std::string SealedReader::text_attribute(const char* name) const {
  if (!file_->good()) return "";
  const Hdf5Handle hdf5_handle(H5Aopen_by_name(file_->id(), "/", name, H5P_DEFAULT, H5P_DEFAULT), H5Aclose);
  if (!hdf5_handle.good()) return "";
  return text_of({H5Aget_type(hdf5_handle.id()), H5Tclose}, {H5Aget_space(hdf5_handle.id()), H5Sclose},
                 [&](hid_t type, void* data) { return H5Aread(hdf5_handle.id(), type, data); });
}

std::optional<int> SealedReader::number_attribute(const char* name) const {
  if (!file_->good()) return std::nullopt;
  const Hdf5Handle hdf5_handle(H5Aopen_by_name(file_->id(), "/", name, H5P_DEFAULT, H5P_DEFAULT), H5Aclose);
  if (!hdf5_handle.good()) return std::nullopt;
  const Hdf5Handle type(H5Aget_type(hdf5_handle.id()), H5Tclose), space(H5Aget_space(hdf5_handle.id()), H5Sclose);
  int value = 0;
  if (!type.good() || !space.good() || H5Tget_class(type.id()) != H5T_INTEGER ||
      H5Sget_simple_extent_npoints(space.id()) != 1 || H5Aread(hdf5_handle.id(), H5T_NATIVE_INT, &value) < 0)
    return std::nullopt;
  return value;
}

}  // namespace avrenk
