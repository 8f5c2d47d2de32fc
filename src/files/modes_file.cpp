#include "files/modes_file.h"

#include <fmt/format.h>
#include <hdf5.h>
#include <hdf5_hl.h>
#include <xxhash.h>

#include <array>
#include <memory>

#include "core/error.h"

namespace avrenk {
namespace {

class Hash {
 public:
  Hash() : state_(XXH3_createState(), XXH3_freeState) { XXH3_128bits_reset(state_.get()); }
  void bytes(const void* data, std::size_t size) { XXH3_128bits_update(state_.get(), data, size); }
  template <typename Number>
  void number(Number value) {
    bytes(&value, sizeof value);
  }
  void dense(const Eigen::MatrixXd& m) {
    number(m.rows());
    number(m.cols());
    bytes(m.data(), static_cast<std::size_t>(m.size()) * sizeof(double));
  }
  void sparse(SparseMatrix m) {
    m.makeCompressed();
    number(m.rows());
    number(m.cols());
    bytes(m.outerIndexPtr(), static_cast<std::size_t>(m.outerSize() + 1) * sizeof(int));
    bytes(m.innerIndexPtr(), static_cast<std::size_t>(m.nonZeros()) * sizeof(int));
    bytes(m.valuePtr(), static_cast<std::size_t>(m.nonZeros()) * sizeof(double));
  }
  [[nodiscard]] std::string text() const {
    const XXH128_hash_t hash = XXH3_128bits_digest(state_.get());
    return fmt::format("{:016x}{:016x}", hash.high64, hash.low64);
  }

 private:
  std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state_;
};

// The numbers of a basis that are no matrices, in one row.
constexpr std::size_t number_count = 9;
std::array<double, number_count> numbers_of(const ModalBasis& basis) {
  return {static_cast<double>(basis.modes), basis.proven_below,     static_cast<double>(basis.counted_below),
          basis.exhausted ? 1.0 : 0.0,      basis.largest_residual, basis.largest_nonorthogonality,
          basis.statics.rigid_difference,   basis.factor_entries,   basis.factor_operations};
}

void set_numbers(ModalBasis& basis, const Eigen::MatrixXd& n) {
  basis.modes = static_cast<int>(n(0));
  basis.proven_below = n(1);
  basis.counted_below = static_cast<int>(n(2));
  basis.exhausted = n(3) != 0;
  basis.largest_residual = n(4);
  basis.largest_nonorthogonality = n(5);
  basis.statics.rigid_difference = n(6);
  basis.factor_entries = n(7);
  basis.factor_operations = n(8);
}

// Calls `take` with the name and the matrix of every dataset.
template <typename Basis, typename Take>
void each_matrix(Basis& basis, const Take& take) {
  take("shapes", basis.shapes);
  take("influence", basis.statics.influence);
  take("inertia_load", basis.statics.inertia_load);
  take("unit_acceleration", basis.statics.unit_acceleration);
}

std::string checksum(const ModalBasis& basis) {
  Hash hash;
  hash.dense(basis.omega);
  each_matrix(basis, [&](const char*, const Eigen::MatrixXd& m) { hash.dense(m); });
  for (const Eigen::MatrixXd& foot : basis.foot_influence) hash.dense(foot);
  const auto numbers = numbers_of(basis);
  hash.bytes(numbers.data(), sizeof numbers);
  return hash.text();
}

// Closes a file however its use ends.
class File {
 public:
  explicit File(hid_t id) : id_(id) {}
  ~File() {
    if (id_ >= 0) H5Fclose(id_);
  }
  File(const File&) = delete;
  File& operator=(const File&) = delete;
  [[nodiscard]] hid_t id() const { return id_; }
  [[nodiscard]] bool good() const { return id_ >= 0; }

 private:
  hid_t id_;
};

// Columns of the matrix are rows of the dataset: HDF5 counts the last index fastest.
bool write(hid_t file, const std::string& name, const Eigen::MatrixXd& m) {
  const std::array<hsize_t, 2> size{static_cast<hsize_t>(m.cols()), static_cast<hsize_t>(m.rows())};
  return H5LTmake_dataset_double(file, name.c_str(), 2, size.data(), m.data()) >= 0;
}

bool read(hid_t file, const std::string& name, Eigen::MatrixXd& m) {
  int rank = 0;
  std::array<hsize_t, 2> size{};
  if (H5LTfind_dataset(file, name.c_str()) <= 0 || H5LTget_dataset_ndims(file, name.c_str(), &rank) < 0 || rank != 2)
    return false;
  if (H5LTget_dataset_info(file, name.c_str(), size.data(), nullptr, nullptr) < 0) return false;
  m.resize(static_cast<Eigen::Index>(size[1]), static_cast<Eigen::Index>(size[0]));
  return H5LTread_dataset_double(file, name.c_str(), m.data()) >= 0;
}

std::string attribute(hid_t file, const char* name) {
  std::array<char, 64> text{};
  hsize_t size = 0;
  std::size_t bytes = 0;
  H5T_class_t type{};
  if (H5LTget_attribute_info(file, "/", name, &size, &type, &bytes) < 0 || type != H5T_STRING || bytes > text.size())
    return "";
  return H5LTget_attribute_string(file, "/", name, text.data()) < 0 ? "" : std::string(text.data());
}

void be_silent() { H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr); }

}  // namespace

std::string fingerprint(const System& system, const ModeRequest& request) {
  Hash hash;
  for (const Partitioned* matrix : {&system.mass, &system.stiffness})
    for (const SparseMatrix* block : {&matrix->ff, &matrix->fs, &matrix->ss}) hash.sparse(*block);
  hash.dense(system.support_motion);
  hash.dense(system.together);
  hash.dense(system.rigid);
  for (const std::vector<int>* list : {&system.node_of_column, &system.component_of_column})
    hash.bytes(list->data(), list->size() * sizeof(int));
  hash.number(request.up_to.value_or(-1));
  hash.number(request.count.value_or(-1));
  hash.number(request.residual_vectors ? 1 : 0);
  hash.number(request.feet ? 1 : 0);
  hash.number(request.free_motions ? 1 : 0);
  return hash.text();
}

void write_modes(const std::filesystem::path& path, const ModalBasis& basis, const std::string& fingerprint) {
  be_silent();
  const File file(H5Fcreate(path.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT));
  bool good = file.good();
  each_matrix(basis, [&](const char* name, const Eigen::MatrixXd& m) { good = good && write(file.id(), name, m); });
  for (std::size_t foot = 0; foot < basis.foot_influence.size(); ++foot)
    good = good && write(file.id(), fmt::format("foot_influence_{}", foot), basis.foot_influence[foot]);
  const auto numbers = numbers_of(basis);
  good = good && write(file.id(), "omega", basis.omega) &&
         write(file.id(), "numbers", Eigen::Map<const Eigen::VectorXd>(numbers.data(), number_count));
  const int feet = static_cast<int>(basis.foot_influence.size());
  good = good && H5LTset_attribute_int(file.id(), "/", "layout", &modes_layout, 1) >= 0 &&
         H5LTset_attribute_int(file.id(), "/", "feet", &feet, 1) >= 0 &&
         H5LTset_attribute_string(file.id(), "/", "fingerprint", fingerprint.c_str()) >= 0 &&
         H5LTset_attribute_string(file.id(), "/", "checksum", checksum(basis).c_str()) >= 0 &&
         H5Fflush(file.id(), H5F_SCOPE_GLOBAL) >= 0;
  if (!good) throw FileError(fmt::format("{}: cannot be written", path.string()));
}

std::optional<ModalBasis> read_modes(const std::filesystem::path& path, const System& system,
                                     const std::string& fingerprint) {
  std::error_code ignored;
  if (!std::filesystem::exists(path, ignored)) return std::nullopt;
  be_silent();
  const File file(H5Fopen(path.c_str(), H5F_ACC_RDONLY, H5P_DEFAULT));
  if (!file.good()) return std::nullopt;
  int layout = 0, feet = 0;
  if (H5LTget_attribute_int(file.id(), "/", "layout", &layout) < 0 || layout != modes_layout) return std::nullopt;
  if (attribute(file.id(), "fingerprint") != fingerprint) return std::nullopt;
  if (H5LTget_attribute_int(file.id(), "/", "feet", &feet) < 0 || feet < 0 || 6 * feet > system.supports)
    return std::nullopt;
  ModalBasis basis;
  bool good = true;
  each_matrix(basis, [&](const char* name, Eigen::MatrixXd& m) { good = good && read(file.id(), name, m); });
  for (int foot = 0; foot < feet; ++foot) {
    basis.foot_influence.emplace_back();
    good = good && read(file.id(), fmt::format("foot_influence_{}", foot), basis.foot_influence.back());
  }
  Eigen::MatrixXd omega, numbers;
  good = good && read(file.id(), "omega", omega) && read(file.id(), "numbers", numbers) && omega.cols() == 1 &&
         numbers.size() == number_count;
  if (!good) return std::nullopt;
  basis.omega = omega;
  set_numbers(basis, numbers);
  if (checksum(basis) != attribute(file.id(), "checksum")) return std::nullopt;
  basis.statics.grounded = !(basis.statics.rigid_difference < rigid_tolerance);
  basis.statics.moves_rigidly = !basis.statics.grounded && system.together.rows() == 6;
  derive(system, basis);
  return basis;
}

}  // namespace avrenk
