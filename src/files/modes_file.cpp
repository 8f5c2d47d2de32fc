#include "files/modes_file.h"

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
#include "core/quantity/quantity.h"
#include "files/hash.h"

namespace avrenk {
namespace {

// The numbers of a basis that are no matrices, in one row.
constexpr std::size_t number_count = 9;
std::array<double, number_count> numbers_of(const ModalBasis& basis) {
  return {static_cast<double>(basis.modes),
          basis.proven_below,
          static_cast<double>(basis.counted_below),
          basis.exhausted ? 1.0 : 0.0,
          static_cast<double>(basis.missing_below),
          basis.statics.rigid_difference,
          basis.factor_entries,
          basis.factor_operations,
          static_cast<double>(basis.massless)};
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
  basis.massless = static_cast<int>(n(8));
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

// What HDF5 hands out, closed however its use ends.
class Handle {
 public:
  Handle(hid_t id, herr_t (*close)(hid_t)) : id_(id), close_(close) {}
  ~Handle() {
    if (id_ >= 0) close_(id_);
  }
  Handle(const Handle&) = delete;
  Handle& operator=(const Handle&) = delete;
  [[nodiscard]] hid_t id() const { return id_; }
  [[nodiscard]] bool good() const { return id_ >= 0; }

 private:
  hid_t id_;
  herr_t (*close_)(hid_t);
};

constexpr std::size_t longest_text = 1U << 24U;

// Columns of the matrix are rows of the dataset: HDF5 counts the last index fastest.
bool write(hid_t file, const std::string& name, const Eigen::MatrixXd& m) {
  const std::array<hsize_t, 2> size{static_cast<hsize_t>(m.cols()), static_cast<hsize_t>(m.rows())};
  return H5LTmake_dataset_double(file, name.c_str(), 2, size.data(), m.data()) >= 0;
}

bool write_text(hid_t file, const std::string& name, const std::string& text) {
  return H5LTmake_dataset_string(file, name.c_str(), text.c_str()) >= 0;
}

// Text of one element and of a length of its own; anything else is none.
std::string text_of(const Handle& type, const Handle& space, const std::function<herr_t(hid_t, void*)>& read) {
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

std::string attribute(hid_t file, const std::string& object, const char* name) {
  const Handle own(H5Aopen_by_name(file, object.c_str(), name, H5P_DEFAULT, H5P_DEFAULT), H5Aclose);
  if (!own.good()) return "";
  return text_of({H5Aget_type(own.id()), H5Tclose}, {H5Aget_space(own.id()), H5Sclose},
                 [&](hid_t type, void* data) { return H5Aread(own.id(), type, data); });
}

std::optional<int> number_attribute(hid_t file, const char* name) {
  const Handle own(H5Aopen_by_name(file, "/", name, H5P_DEFAULT, H5P_DEFAULT), H5Aclose);
  if (!own.good()) return std::nullopt;
  const Handle type(H5Aget_type(own.id()), H5Tclose), space(H5Aget_space(own.id()), H5Sclose);
  int value = 0;
  if (!type.good() || !space.good() || H5Tget_class(type.id()) != H5T_INTEGER ||
      H5Sget_simple_extent_npoints(space.id()) != 1 || H5Aread(own.id(), H5T_NATIVE_INT, &value) < 0)
    return std::nullopt;
  return value;
}

// The last line of the file, behind what HDF5 reads: the layout, and a hash of all bytes before. It is looked at first,
// so that HDF5 never reads what was cut short or changed.
constexpr std::string_view seal_begins = "\navrenk results, layout ";
std::string seal_line(int layout, const std::string& hash) {
  return fmt::format("{}{:04d}, checksum {}\n", seal_begins, layout, hash);
}
const std::size_t seal_length = seal_line(0, std::string(32, '0')).size();

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

bool seal(const std::filesystem::path& path) {
  std::error_code bad;
  const std::uintmax_t bytes = std::filesystem::file_size(path, bad);
  std::fstream file(path, std::ios::binary | std::ios::in | std::ios::out);
  const std::string hash = bad || !file ? "" : hash_of(file, bytes);
  if (hash.empty()) return false;
  file.seekp(0, std::ios::end);
  file << seal_line(modes_layout, hash) << std::flush;
  return file.good();
}

// Why a file is not one that was sealed; empty: it is.
std::string broken_seal(const std::filesystem::path& path) {
  std::ifstream file(path, std::ios::binary);
  std::error_code bad;
  const std::uintmax_t bytes = std::filesystem::file_size(path, bad);
  if (!file || bad) return "cannot be read";
  std::string line(seal_length, '\0');
  if (bytes < line.size() || !file.seekg(-static_cast<std::streamoff>(line.size()), std::ios::end) ||
      !file.read(line.data(), static_cast<std::streamsize>(line.size())) || !line.starts_with(seal_begins))
    return "was cut short or changed, or another version of avrenk wrote it";
  file.seekg(0);
  const std::string own = seal_line(modes_layout, hash_of(file, bytes - line.size()));
  const std::size_t layout = seal_begins.size();
  if (line.compare(layout, 4, own, layout, 4) != 0) return "was written by another version of avrenk";
  return line == own ? "" : "was changed after it was written";
}

// A file of modes that is open; its seal was found whole.
class ModesReader {
 public:
  explicit ModesReader(const std::filesystem::path& path)
      : file_(H5Fopen(path.c_str(), H5F_ACC_RDONLY, H5P_DEFAULT), H5Fclose) {
    if (!file_.good()) return;
    std::error_code none;
    bytes_ = static_cast<double>(std::filesystem::file_size(path, none));
    feet = number_attribute(file_.id(), "feet").value_or(-1);
    fingerprint = attribute(file_.id(), "/", "fingerprint");
  }

  // False where it is not there.
  bool read(const std::string& name, Eigen::MatrixXd& m) {
    if (!file_.good()) return false;
    const Handle set(H5Dopen2(file_.id(), name.c_str(), H5P_DEFAULT), H5Dclose);
    if (!set.good()) return false;
    const Handle space(H5Dget_space(set.id()), H5Sclose), type(H5Dget_type(set.id()), H5Tclose);
    std::array<hsize_t, 2> size{};
    if (!space.good() || !type.good() || H5Tget_class(type.id()) != H5T_FLOAT ||
        H5Sget_simple_extent_ndims(space.id()) != 2 || H5Sget_simple_extent_dims(space.id(), size.data(), nullptr) < 0)
      return false;
    const double claimed = static_cast<double>(size[0]) * static_cast<double>(size[1]) * sizeof(double);
    if (claimed > bytes_) return false;
    m.resize(static_cast<Eigen::Index>(size[1]), static_cast<Eigen::Index>(size[0]));
    return m.size() == 0 || H5Dread(set.id(), H5T_NATIVE_DOUBLE, H5S_ALL, H5S_ALL, H5P_DEFAULT, m.data()) >= 0;
  }
  std::string read_text(const std::string& name) {
    const Handle set(H5Dopen2(file_.id(), name.c_str(), H5P_DEFAULT), H5Dclose);
    if (!set.good()) return "";
    return text_of({H5Dget_type(set.id()), H5Tclose}, {H5Dget_space(set.id()), H5Sclose}, [&](hid_t type, void* data) {
      return H5Dread(set.id(), type, H5S_ALL, H5S_ALL, H5P_DEFAULT, data);
    });
  }

  int feet = -1;
  std::string fingerprint;

 private:
  Handle file_;
  double bytes_ = 0;
};

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
  return write(file, "nodes", nodes) && write(file, "unknowns", rows);
}

void be_silent() { H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr); }

}  // namespace

void write_modes(const std::filesystem::path& path, const Assembly& assembly, const System& system,
                 const ModalBasis& basis, const ModelPrint& print, const ModeRequest& request) {
  be_silent();
  std::optional<Handle> open(std::in_place, H5Fcreate(path.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT), H5Fclose);
  const Handle& file = *open;
  bool good = file.good();
  each_matrix(basis, [&](const char* name, const Eigen::MatrixXd& m) { good = good && write(file.id(), name, m); });
  for (std::size_t foot = 0; foot < basis.foot_influence.size(); ++foot)
    good = good && write(file.id(), fmt::format("foot_influence_{}", foot), basis.foot_influence[foot]);
  const auto numbers = numbers_of(basis);
  const Asked was = asked(request);
  good = good && write(file.id(), "omega", basis.omega) && write(file.id(), "residual", basis.residual) &&
         write(file.id(), "nonorthogonality", basis.nonorthogonality) && write(file.id(), "counts", counts_of(basis)) &&
         write(file.id(), "numbers", Eigen::Map<const Eigen::VectorXd>(numbers.data(), number_count)) &&
         write(file.id(), "asked", Eigen::Map<const Eigen::VectorXd>(was.data(), asked_count)) &&
         write_places(file.id(), assembly, system) && write_text(file.id(), "pieces", lines_of(print.pieces)) &&
         write_text(file.id(), "loads", lines_of(print.loads));
  const int feet = static_cast<int>(basis.foot_influence.size());
  good = good && H5LTset_attribute_int(file.id(), "/", "feet", &feet, 1) >= 0 &&
         H5LTset_attribute_string(file.id(), "/", "fingerprint", print.system.c_str()) >= 0 &&
         H5Fflush(file.id(), H5F_SCOPE_GLOBAL) >= 0;
  open.reset();
  good = good && seal(path);
  if (!good) throw FileError(fmt::format("{}: cannot be written", path.string()));
}

KeptModes read_modes(const std::filesystem::path& path, const System& system, const ModelPrint& print,
                     const ModeRequest& request) {
  std::error_code ignored;
  if (!std::filesystem::exists(path, ignored)) return {};
  const auto not_used = [](std::string why) { return KeptModes{std::nullopt, std::move(why)}; };
  const char* const damaged = "the file is not what it says";
  be_silent();
  if (const std::string broken = broken_seal(path); !broken.empty()) return not_used("the file " + broken);
  ModesReader file(path);
  if (file.fingerprint != print.system)
    return not_used(what_changed(pieces_of(file.read_text("pieces")), print.pieces));
  const int feet = file.feet;
  if (feet < 0 || 6 * feet > system.supports) return not_used(damaged);
  ModalBasis basis;
  bool good = true;
  each_matrix(basis, [&](const char* name, Eigen::MatrixXd& m) { good = good && file.read(name, m); });
  for (int foot = 0; foot < feet; ++foot) {
    basis.foot_influence.emplace_back();
    good = good && file.read(fmt::format("foot_influence_{}", foot), basis.foot_influence.back());
  }
  Eigen::MatrixXd omega, residual, nonorthogonality, counts, numbers, was;
  good = good && file.read("omega", omega) && file.read("numbers", numbers) && file.read("residual", residual) &&
         file.read("nonorthogonality", nonorthogonality) && file.read("counts", counts) && file.read("asked", was) &&
         omega.cols() == 1 && residual.cols() == 1 && nonorthogonality.cols() == 1 && numbers.size() == number_count &&
         was.size() == asked_count && (counts.size() == 0 || counts.rows() == 3);
  if (!good) return not_used(damaged);
  basis.omega = omega;
  basis.residual = residual;
  basis.nonorthogonality = nonorthogonality;
  for (Eigen::Index i = 0; i < counts.cols(); ++i)
    basis.slices.push_back({counts(0, i), static_cast<int>(counts(1, i)), static_cast<int>(counts(2, i)), 0});
  set_numbers(basis, numbers);
  const Eigen::Index columns = basis.shapes.cols();
  if (basis.shapes.rows() != system.free || basis.omega.size() != columns || basis.modes < 0 || basis.massless < 0 ||
      basis.modes + basis.massless > columns)
    return not_used(damaged);
  Asked kept_request{};
  std::copy(was.data(), was.data() + asked_count, kept_request.begin());
  if (std::string lacks = shortcoming(basis, kept_request, request); !lacks.empty()) return not_used(std::move(lacks));
  basis.has_feet = request.feet && !request.free_motions;
  basis.statics.grounded = !(basis.statics.rigid_difference < rigid_tolerance);
  basis.statics.moves_rigidly = !basis.statics.grounded && system.together.rows() == 6;
  derive(system, basis);
  return {std::move(basis), "", loads_not_carried(pieces_of(file.read_text("loads")), print.loads)};
}

KeptShapes read_shapes(const std::filesystem::path& path) {
  const auto refuse = [&](const std::string& why) { throw FileError(fmt::format("{}: {}", path.string(), why)); };
  be_silent();
  if (const std::string broken = broken_seal(path); !broken.empty())
    refuse(broken + "; run the plan again, or give a folder that a run wrote");
  ModesReader file(path);
  Eigen::MatrixXd omega, shapes, nodes, rows, numbers;
  if (!file.read("omega", omega) || !file.read("shapes", shapes) || !file.read("nodes", nodes) ||
      !file.read("unknowns", rows) || !file.read("numbers", numbers) || nodes.rows() != 3 || rows.rows() != 3 ||
      rows.cols() != shapes.rows() || omega.size() != shapes.cols() || numbers.size() != number_count ||
      !(numbers(0) >= 0 && numbers(0) <= static_cast<double>(omega.size())))
    refuse("is not what it says; run the plan again");
  KeptShapes kept;
  kept.print = file.fingerprint;
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
