#include "files/modes_file.h"

#include <fmt/format.h>
#include <hdf5.h>
#include <hdf5_hl.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <sstream>

#include "core/error.h"
#include "core/quantity/quantity.h"
#include "files/hash.h"

namespace avrenk {
namespace {

// The numbers of a basis that are no matrices, in one row.
constexpr std::size_t number_count = 8;
std::array<double, number_count> numbers_of(const ModalBasis& basis) {
  return {static_cast<double>(basis.modes),
          basis.proven_below,
          static_cast<double>(basis.counted_below),
          basis.exhausted ? 1.0 : 0.0,
          static_cast<double>(basis.missing_below),
          basis.statics.rigid_difference,
          basis.factor_entries,
          basis.factor_operations};
}

void set_numbers(ModalBasis& basis, const Eigen::MatrixXd& n) {
  basis.modes = static_cast<int>(n(0));
  basis.proven_below = n(1);
  basis.counted_below = static_cast<int>(n(2));
  basis.exhausted = n(3) != 0;
  basis.missing_below = static_cast<int>(n(4));
  basis.statics.rigid_difference = n(5);
  basis.factor_entries = n(6);
  basis.factor_operations = n(7);
}

// Calls `take` with the name and the matrix of every dataset.
template <typename Basis, typename Take>
void each_matrix(Basis& basis, const Take& take) {
  take("shapes", basis.shapes);
  take("influence", basis.statics.influence);
  take("inertia_load", basis.statics.inertia_load);
  take("unit_acceleration", basis.statics.unit_acceleration);
}

// Pivot counts: frequency squared and modes below it, one column each.
Eigen::MatrixXd counts_of(const ModalBasis& basis) {
  Eigen::MatrixXd counts(3, static_cast<Eigen::Index>(basis.slices.size()));
  for (Eigen::Index i = 0; i < counts.cols(); ++i) {
    const ModeSlice& slice = basis.slices[static_cast<std::size_t>(i)];
    counts.col(i) << slice.shift, slice.below, slice.found;
  }
  return counts;
}

std::string checksum(const ModalBasis& basis) {
  Hash hash;
  for (const Eigen::VectorXd* each : {&basis.omega, &basis.residual, &basis.nonorthogonality}) hash.dense(*each);
  each_matrix(basis, [&](const char*, const Eigen::MatrixXd& m) { hash.dense(m); });
  for (const Eigen::MatrixXd& foot : basis.foot_influence) hash.dense(foot);
  hash.dense(counts_of(basis));
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

// The same, compressed: for what repeats itself. Mode shapes do not, they would gain a tenth for ten times the time.
bool write_compressed(hid_t file, const std::string& name, const Eigen::MatrixXd& m) {
  if (m.size() == 0) return write(file, name, m);
  const std::array<hsize_t, 2> size{static_cast<hsize_t>(m.cols()), static_cast<hsize_t>(m.rows())};
  const std::array<hsize_t, 2> chunk{1, std::min<hsize_t>(size[1], 1U << 16U)};
  const hid_t space = H5Screate_simple(2, size.data(), nullptr), how = H5Pcreate(H5P_DATASET_CREATE);
  bool good = H5Pset_chunk(how, 2, chunk.data()) >= 0 && H5Pset_shuffle(how) >= 0 && H5Pset_deflate(how, 1) >= 0;
  const hid_t set = H5Dcreate2(file, name.c_str(), H5T_IEEE_F64LE, space, H5P_DEFAULT, how, H5P_DEFAULT);
  good = good && set >= 0 && H5Dwrite(set, H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, m.data()) >= 0;
  H5Dclose(set);
  H5Pclose(how);
  H5Sclose(space);
  return good;
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
  hsize_t size = 0;
  std::size_t bytes = 0;
  H5T_class_t type{};
  if (H5LTget_attribute_info(file, "/", name, &size, &type, &bytes) < 0 || type != H5T_STRING || bytes > (1U << 24U))
    return "";
  std::string text(bytes + 1, '\0');
  if (H5LTget_attribute_string(file, "/", name, text.data()) < 0) return "";
  text.resize(std::strlen(text.c_str()));
  return text;
}

bool write_text(hid_t file, const char* name, const std::string& text) {
  return H5LTmake_dataset_string(file, name, text.c_str()) >= 0;
}

std::string read_text(hid_t file, const char* name) {
  hsize_t size = 0;
  std::size_t bytes = 0;
  H5T_class_t type{};
  if (H5LTfind_dataset(file, name) <= 0 || H5LTget_dataset_info(file, name, &size, &type, &bytes) < 0 ||
      type != H5T_STRING)
    return "";
  std::string text(bytes + 1, '\0');
  if (H5LTread_dataset_string(file, name, text.data()) < 0) return "";
  text.resize(std::strlen(text.c_str()));
  return text;
}

// One line each: fingerprint, blank, name.
std::string lines_of(const std::map<std::string, std::string>& pieces) {
  std::string text;
  for (const auto& [name, hash] : pieces) text.append(hash).append(" ").append(name).append("\n");
  return text;
}

std::map<std::string, std::string> pieces_of(const std::string& text) {
  std::map<std::string, std::string> pieces;
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);)
    if (const std::size_t blank = line.find(' '); blank != std::string::npos)
      pieces[line.substr(blank + 1)] = line.substr(0, blank);
  return pieces;
}

// What was asked for, as numbers: up to (Hz), count, residual vectors, feet, free motions, near (Hz); −1: not given.
constexpr std::size_t asked_count = 6;
using Asked = std::array<double, asked_count>;
Asked asked(const ModeRequest& request) {
  return {request.up_to.value_or(-1),           static_cast<double>(request.count.value_or(-1)),
          request.residual_vectors ? 1.0 : 0.0, request.feet ? 1.0 : 0.0,
          request.free_motions ? 1.0 : 0.0,     request.near.value_or(-1)};
}

// Why a basis that was made for one request does not answer another; empty: it does.
std::string shortcoming(const ModalBasis& basis, const Asked& was, const ModeRequest& request) {
  const Asked is = asked(request);
  if (was == is) return "";
  if (was[2] != is[2]) return "residual vectors were turned on or off";
  if (was[4] != is[4]) return "free motions were allowed or not";
  if (was[5] != is[5]) return "modes near another frequency were asked for";
  if (is[3] > was[3]) return "reactions of single feet were not asked for then";
  const bool reaches = basis.exhausted || (request.up_to && basis.proven_below >= *request.up_to * (1 - 1e-12)) ||
                       (request.count && was[1] == is[1]);
  return reaches ? "" : "the modes asked for are others, or reach further";
}

// For other readers: positions of nodes; of each row of a shape its node, direction and mass.
bool write_places(hid_t file, const Assembly& assembly, const System& system) {
  Eigen::MatrixXd nodes(3, static_cast<Eigen::Index>(assembly.nodes.size())), rows(3, system.free);
  for (Eigen::Index i = 0; i < nodes.cols(); ++i) nodes.col(i) = assembly.position(static_cast<int>(i));
  const Eigen::MatrixXd load = system.mass.ff * system.rigid.leftCols(3);  // what moves with each unknown
  for (Eigen::Index i = 0; i < rows.cols(); ++i) {
    const int component = system.component_of_column[static_cast<std::size_t>(i)];
    rows.col(i) << system.node_of_column[static_cast<std::size_t>(i)], component,
        std::max(0.0, component < 3 ? load(i, component) : system.mass.ff.coeff(i, i));
  }
  return write_compressed(file, "nodes", nodes) && write_compressed(file, "unknowns", rows);
}

void be_silent() { H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr); }

}  // namespace

void write_modes(const std::filesystem::path& path, const Assembly& assembly, const System& system,
                 const ModalBasis& basis, const ModelPrint& print, const ModeRequest& request) {
  be_silent();
  const File file(H5Fcreate(path.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT));
  bool good = file.good();
  each_matrix(basis, [&](const char* name, const Eigen::MatrixXd& m) {
    good = good && (m.data() == basis.shapes.data() ? write(file.id(), name, m) : write_compressed(file.id(), name, m));
  });
  for (std::size_t foot = 0; foot < basis.foot_influence.size(); ++foot)
    good = good && write(file.id(), fmt::format("foot_influence_{}", foot), basis.foot_influence[foot]);
  const auto numbers = numbers_of(basis);
  const Asked was = asked(request);
  good = good && write(file.id(), "omega", basis.omega) && write(file.id(), "residual", basis.residual) &&
         write(file.id(), "nonorthogonality", basis.nonorthogonality) && write(file.id(), "counts", counts_of(basis)) &&
         write(file.id(), "numbers", Eigen::Map<const Eigen::VectorXd>(numbers.data(), number_count)) &&
         write(file.id(), "asked", Eigen::Map<const Eigen::VectorXd>(was.data(), asked_count)) &&
         write_places(file.id(), assembly, system) && write_text(file.id(), "pieces", lines_of(print.pieces));
  const int feet = static_cast<int>(basis.foot_influence.size());
  good = good && H5LTset_attribute_int(file.id(), "/", "layout", &modes_layout, 1) >= 0 &&
         H5LTset_attribute_int(file.id(), "/", "feet", &feet, 1) >= 0 &&
         H5LTset_attribute_string(file.id(), "/", "fingerprint", print.system.c_str()) >= 0 &&
         H5LTset_attribute_string(file.id(), "/", "checksum", checksum(basis).c_str()) >= 0 &&
         H5Fflush(file.id(), H5F_SCOPE_GLOBAL) >= 0;
  if (!good) throw FileError(fmt::format("{}: cannot be written", path.string()));
}

KeptModes read_modes(const std::filesystem::path& path, const System& system, const ModelPrint& print,
                     const ModeRequest& request) {
  std::error_code ignored;
  if (!std::filesystem::exists(path, ignored)) return {};
  const auto not_used = [](std::string why) { return KeptModes{std::nullopt, std::move(why)}; };
  const char* const damaged = "the file is damaged or cut short";
  be_silent();
  const File file(H5Fopen(path.c_str(), H5F_ACC_RDONLY, H5P_DEFAULT));
  if (!file.good()) return not_used(damaged);
  int layout = 0, feet = 0;
  if (H5LTget_attribute_int(file.id(), "/", "layout", &layout) < 0) return not_used(damaged);
  if (layout != modes_layout) return not_used("another version of avrenk wrote them");
  if (attribute(file.id(), "fingerprint") != print.system)
    return not_used(what_changed(pieces_of(read_text(file.id(), "pieces")), print.pieces));
  if (H5LTget_attribute_int(file.id(), "/", "feet", &feet) < 0 || feet < 0 || 6 * feet > system.supports)
    return not_used(damaged);
  ModalBasis basis;
  bool good = true;
  each_matrix(basis, [&](const char* name, Eigen::MatrixXd& m) { good = good && read(file.id(), name, m); });
  for (int foot = 0; foot < feet; ++foot) {
    basis.foot_influence.emplace_back();
    good = good && read(file.id(), fmt::format("foot_influence_{}", foot), basis.foot_influence.back());
  }
  Eigen::MatrixXd omega, residual, nonorthogonality, counts, numbers, was;
  good = good && read(file.id(), "omega", omega) && read(file.id(), "numbers", numbers) &&
         read(file.id(), "residual", residual) && read(file.id(), "nonorthogonality", nonorthogonality) &&
         read(file.id(), "counts", counts) && read(file.id(), "asked", was) && omega.cols() == 1 &&
         residual.cols() == 1 && nonorthogonality.cols() == 1 && numbers.size() == number_count &&
         was.size() == asked_count && (counts.size() == 0 || counts.rows() == 3);
  if (!good) return not_used(damaged);
  basis.omega = omega;
  basis.residual = residual;
  basis.nonorthogonality = nonorthogonality;
  for (Eigen::Index i = 0; i < counts.cols(); ++i)
    basis.slices.push_back({counts(0, i), static_cast<int>(counts(1, i)), static_cast<int>(counts(2, i)), 0});
  set_numbers(basis, numbers);
  if (checksum(basis) != attribute(file.id(), "checksum")) return not_used("the file was changed after it was written");
  Asked kept_request{};
  std::copy(was.data(), was.data() + asked_count, kept_request.begin());
  if (std::string lacks = shortcoming(basis, kept_request, request); !lacks.empty()) return not_used(std::move(lacks));
  basis.statics.grounded = !(basis.statics.rigid_difference < rigid_tolerance);
  basis.statics.moves_rigidly = !basis.statics.grounded && system.together.rows() == 6;
  derive(system, basis);
  return {std::move(basis), ""};
}

KeptShapes read_shapes(const std::filesystem::path& path) {
  const auto refuse = [&](const char* why) { throw FileError(fmt::format("{}: {}", path.string(), why)); };
  be_silent();
  const File file(H5Fopen(path.c_str(), H5F_ACC_RDONLY, H5P_DEFAULT));
  if (!file.good()) refuse("cannot be read as results; compare takes folders that a run wrote");
  int layout = 0;
  if (H5LTget_attribute_int(file.id(), "/", "layout", &layout) < 0 || layout != modes_layout)
    refuse("another version of avrenk wrote it; run the plan again");
  Eigen::MatrixXd omega, shapes, nodes, rows, numbers;
  if (!read(file.id(), "omega", omega) || !read(file.id(), "shapes", shapes) || !read(file.id(), "nodes", nodes) ||
      !read(file.id(), "unknowns", rows) || !read(file.id(), "numbers", numbers) || nodes.rows() != 3 ||
      rows.rows() != 3 || rows.cols() != shapes.rows() || omega.size() != shapes.cols() ||
      numbers.size() != number_count || !(numbers(0) >= 0 && numbers(0) <= static_cast<double>(omega.size())))
    refuse("is damaged or cut short");
  KeptShapes kept;
  kept.print = attribute(file.id(), "fingerprint");
  // Rows of one node lie together, x before y before z.
  std::vector<Eigen::Index> first;
  for (Eigen::Index i = 0; i + 2 < rows.cols(); ++i)
    if (rows(1, i) == 0 && rows(0, i + 2) == rows(0, i) && rows(1, i + 1) == 1 && rows(1, i + 2) == 2 &&
        rows(0, i) >= 0 && rows(0, i) < static_cast<double>(nodes.cols()))
      first.push_back(i);
  const auto points = static_cast<Eigen::Index>(first.size());
  kept.modes.points.resize(3, points);
  kept.modes.mass = Eigen::MatrixXd::Zero(6, points);
  // Calls `take` with every unknown of the points: point, direction, row.
  const auto each = [&](const auto& take) {
    for (Eigen::Index k = 0; k < points; ++k)
      for (Eigen::Index row = first[static_cast<std::size_t>(k)];
           row < rows.cols() && rows(0, row) == rows(0, first[static_cast<std::size_t>(k)]); ++row)
        if (rows(1, row) >= 0 && rows(1, row) < 6) take(k, static_cast<Eigen::Index>(rows(1, row)), row);
  };
  for (Eigen::Index k = 0; k < points; ++k)
    kept.modes.points.col(k) = nodes.col(static_cast<Eigen::Index>(rows(0, first[static_cast<std::size_t>(k)])));
  each([&](Eigen::Index k, Eigen::Index direction, Eigen::Index row) { kept.modes.mass(direction, k) = rows(2, row); });
  for (int r = 0; r < static_cast<int>(numbers(0)); ++r) {
    kept.frequency.push_back(omega(r) / (2 * pi));
    Eigen::Matrix<double, 6, Eigen::Dynamic> own = Eigen::MatrixXd::Zero(6, points);
    each([&](Eigen::Index k, Eigen::Index direction, Eigen::Index row) { own(direction, k) = shapes(row, r); });
    kept.modes.motions.push_back(std::move(own));
  }
  return kept;
}

}  // namespace avrenk
