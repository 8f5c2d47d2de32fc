#include "files/modes_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <sstream>

#include "core/error.h"
#include "core/quantity/meant.h"
#include "core/quantity/quantity.h"
#include "files/sealed_hdf5.h"

namespace avrenk {
namespace {

constexpr SealKind modes_seal{"results", modes_layout};
constexpr SealKind products_seal{"products", products_layout};

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
void write_places(SealedWriter& file, const Assembly& assembly, const System& system) {
  Eigen::MatrixXd nodes(3, static_cast<Eigen::Index>(assembly.nodes.size())), rows(3, system.free);
  for (Eigen::Index i = 0; i < nodes.cols(); ++i) nodes.col(i) = assembly.position(static_cast<int>(i));
  const Eigen::MatrixXd load = system.mass.ff * system.rigid.leftCols(3);  // what moves with each unknown
  for (Eigen::Index i = 0; i < rows.cols(); ++i) {
    const int component = system.component_of_column[static_cast<std::size_t>(i)];
    rows.col(i) << system.node_of_column[static_cast<std::size_t>(i)], component,
        std::max(0.0, component < 3 ? load(i, component) : system.mass.ff.coeff(i, i));
  }
  file.write("nodes", nodes);
  file.write("unknowns", rows);
}

}  // namespace

void write_modes(const std::filesystem::path& path, const Assembly& assembly, const System& system,
                 const ModalBasis& basis, const ModelPrint& print, const ModeRequest& request) {
  SealedWriter file(path);
  each_matrix(basis, [&](const char* name, const Eigen::MatrixXd& m) { file.write(name, m); });
  for (std::size_t foot = 0; foot < basis.foot_influence.size(); ++foot)
    file.write(fmt::format("foot_influence_{}", foot), basis.foot_influence[foot]);
  const auto numbers = numbers_of(basis);
  const Asked was = asked(request);
  file.write("omega", basis.omega);
  file.write("residual", basis.residual);
  file.write("nonorthogonality", basis.nonorthogonality);
  file.write("counts", counts_of(basis));
  file.write("numbers", Eigen::Map<const Eigen::VectorXd>(numbers.data(), number_count));
  file.write("asked", Eigen::Map<const Eigen::VectorXd>(was.data(), asked_count));
  write_places(file, assembly, system);
  file.write_text("pieces", lines_of(print.pieces));
  file.write_text("loads", lines_of(print.loads));
  file.write_attribute("feet", static_cast<int>(basis.foot_influence.size()));
  file.write_attribute("fingerprint", print.system);
  file.seal(modes_seal);
}

namespace {

// The basis of a whole file, but for what derive() fills in; `why` says what stands against it, and is empty where
// nothing does.
ModalBasis basis_of(const SealedReader& file, const System& system, const ModeRequest& request, std::string& why) {
  why = "the file is not what it says";
  ModalBasis basis;
  const int feet = file.number_attribute("feet").value_or(-1);
  if (feet < 0 || 6 * feet > system.supports) return basis;
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
  if (!good) return basis;
  basis.omega = omega;
  basis.residual = residual;
  basis.nonorthogonality = nonorthogonality;
  for (Eigen::Index i = 0; i < counts.cols(); ++i)
    basis.slices.push_back({counts(0, i), static_cast<int>(counts(1, i)), static_cast<int>(counts(2, i)), 0});
  set_numbers(basis, numbers);
  const Eigen::Index columns = basis.shapes.cols();
  if (basis.shapes.rows() != system.free || basis.omega.size() != columns || basis.modes < 0 || basis.massless < 0 ||
      basis.modes + basis.massless > columns)
    return basis;
  Asked kept_request{};
  std::copy(was.data(), was.data() + asked_count, kept_request.begin());
  why = shortcoming(basis, kept_request, request);
  basis.has_feet = request.feet && !request.free_motions;
  judge_rigidity(system, basis.statics);
  return basis;
}

using ReactionMatrix = Eigen::MatrixXd SupportReaction::*;
constexpr std::array<std::pair<const char*, ReactionMatrix>, 10> reaction_matrices{
    {{"inertia", &SupportReaction::inertia},
     {"viscous", &SupportReaction::viscous},
     {"loss", &SupportReaction::loss},
     {"general", &SupportReaction::general},
     {"mass", &SupportReaction::mass},
     {"dashpot", &SupportReaction::dashpot},
     {"stiffness", &SupportReaction::stiffness},
     {"base_loss", &SupportReaction::base_loss},
     {"base_general", &SupportReaction::base_general},
     {"loads", &SupportReaction::loads}}};

// Six rows a support, one below the other.
Eigen::MatrixXd stacked(const std::vector<SupportReaction>& reactions, ReactionMatrix matrix) {
  Eigen::MatrixXd all(6 * static_cast<Eigen::Index>(reactions.size()),
                      reactions.empty() ? 0 : (reactions.front().*matrix).cols());
  for (std::size_t i = 0; i < reactions.size(); ++i)
    all.middleRows<6>(6 * static_cast<Eigen::Index>(i)) = reactions[i].*matrix;
  return all;
}

std::string key_of_products(const std::filesystem::path& modes, const std::string& plan) {
  return plan + seal_of(modes, modes_seal);
}

}  // namespace

KeptModes read_modes(const std::filesystem::path& path, const System& system, const ModelPrint& print,
                     const ModeRequest& request) {
  std::error_code ignored;
  if (!std::filesystem::exists(path, ignored)) return {};
  const auto not_used = [](std::string why) { return KeptModes{std::nullopt, std::move(why)}; };
  if (const std::string broken = broken_seal(path, modes_seal); !broken.empty()) return not_used("the file " + broken);
  const SealedReader file(path);
  if (file.text_attribute("fingerprint") != print.system)
    return not_used(what_changed(pieces_of(file.read_text("pieces")), print.pieces));
  std::string why_not;
  ModalBasis basis = basis_of(file, system, request, why_not);
  if (!why_not.empty()) return not_used(std::move(why_not));
  derive(system, basis);
  return {std::move(basis), "", loads_not_carried(pieces_of(file.read_text("loads")), print.loads)};
}

void write_products(const std::filesystem::path& path, const std::filesystem::path& modes, const std::string& plan,
                    const ModalBasis& basis, const DampingProducts& products, Eigen::Index loads) {
  SealedWriter file(path);
  file.write_attribute("key", key_of_products(modes, plan));
  file.write("participation", basis.participation);
  file.write("rigid_participation", basis.rigid_participation);
  file.write("load_participation", basis.load_participation.leftCols(loads));
  file.write("rigid_mass", basis.rigid_mass);
  file.write("loss", products.loss);
  file.write("own", products.own);
  file.write("dashpots", products.dashpots);
  for (const auto& [name, matrix] : reaction_matrices) {
    const bool on_loads = matrix == &SupportReaction::loads;
    for (const auto& [of, reactions] : {std::pair{"bases", &basis.bases}, {"feet", &basis.feet}}) {
      const Eigen::MatrixXd all = stacked(*reactions, matrix);
      file.write(fmt::format("{}_{}", of, name), all.leftCols(on_loads ? std::min(loads, all.cols()) : all.cols()));
    }
  }
  file.seal(products_seal);
}

std::optional<std::pair<ModalBasis, DampingProducts>> read_modes_and_products(const std::filesystem::path& modes,
                                                                              const std::filesystem::path& products,
                                                                              const std::string& plan,
                                                                              const System& system,
                                                                              const ModeRequest& request) {
  if (!broken_seal(products, products_seal).empty()) return std::nullopt;
  const SealedReader file(products);
  if (file.text_attribute("key") != key_of_products(modes, plan) || !broken_seal(modes, modes_seal).empty())
    return std::nullopt;
  std::string why_not;
  ModalBasis basis = basis_of(SealedReader(modes), system, request, why_not);
  if (!why_not.empty()) return std::nullopt;
  const Eigen::Index columns = basis.size(), motions = system.support_motion.cols(), loads = system.loads.cols();
  bool good = true;
  const auto read = [&](const std::string& name, Eigen::Index rows, Eigen::Index cols) {
    Eigen::MatrixXd m;
    good = good && file.read(name, m) && m.rows() == rows && m.cols() == cols;
    return m;
  };
  basis.participation = read("participation", columns, motions);
  basis.rigid_participation = read("rigid_participation", columns, 6);
  basis.load_participation = read("load_participation", columns, loads);
  const Eigen::MatrixXd rigid_mass = read("rigid_mass", 6, 6);
  DampingProducts damping_products{read("loss", columns, columns), read("own", columns, columns),
                                   read("dashpots", columns, columns)};
  const auto take = [&](const char* of, std::vector<SupportReaction>& reactions, Eigen::Index count) {
    reactions.resize(static_cast<std::size_t>(count));
    for (std::size_t k = 0; k < reaction_matrices.size(); ++k) {
      constexpr std::size_t on_modes = 4;  // the first so many
      const auto& [name, matrix] = reaction_matrices[k];
      const Eigen::Index cols = k < on_modes ? columns : k + 1 < reaction_matrices.size() ? motions : loads;
      const Eigen::MatrixXd all = read(fmt::format("{}_{}", of, name), 6 * count, count > 0 ? cols : 0);
      for (Eigen::Index i = 0; good && i < count; ++i)
        reactions[static_cast<std::size_t>(i)].*matrix = all.middleRows<6>(6 * i);
    }
  };
  take("bases", basis.bases, motions / 6);
  take("feet", basis.feet, basis.has_feet ? system.supports / 6 : 0);
  if (!good) return std::nullopt;
  basis.rigid_mass = rigid_mass;
  return std::pair{std::move(basis), std::move(damping_products)};
}

GivenShapes read_given_shapes(const std::string& bytes, const std::string& name) {
  const auto refuse_file = [&](const std::string& why) { throw FileError(fmt::format("{}: {}", name, why)); };
  if (const std::string broken = broken_seal_of(bytes, modes_seal); !broken.empty()) refuse_file(broken);
  const SealedReader file = SealedReader::from_bytes(bytes);
  Eigen::MatrixXd nodes, unknowns, omega, shapes, load, numbers;
  for (const auto& [what, matrix] : std::initializer_list<std::pair<const char*, Eigen::MatrixXd*>>{
           {"nodes", &nodes}, {"unknowns", &unknowns}, {"omega", &omega}, {"shapes", &shapes}, {"inertia_load", &load}})
    if (!file.read(what, *matrix))
      refuse_file(fmt::format("no HDF5 file with a matrix of floating-point numbers called \"{}\"", what));
  if (nodes.rows() != 3 || unknowns.rows() < 2 || unknowns.cols() != shapes.rows() || omega.size() != shapes.cols() ||
      load.rows() != shapes.rows())
    refuse_file("its matrices do not fit together");
  if (load.cols() != 6) refuse_file(fmt::format("its modes are those of {} bases, one is due", load.cols() / 6));
  if (!file.read("numbers", numbers) || numbers.size() != number_count || !(numbers(0) >= 0) ||
      !(numbers(0) <= static_cast<double>(omega.size())))
    refuse_file("how many of its columns are modes is not said by \"numbers\"");
  const auto modes = static_cast<Eigen::Index>(numbers(0));
  GivenShapes given;
  given.nodes = nodes;
  given.row = Eigen::MatrixXi::Constant(6, nodes.cols(), -1);
  for (Eigen::Index i = 0; i < unknowns.cols(); ++i) {
    const double node = unknowns(0, i), direction = unknowns(1, i);
    if (!(node >= 0 && node < static_cast<double>(nodes.cols()) && direction >= 0 && direction < 6))
      refuse_file("an unknown names a node or a direction that there is not");
    given.row(static_cast<Eigen::Index>(direction), static_cast<Eigen::Index>(node)) = static_cast<int>(i);
  }
  given.frequency = omega.reshaped().head(modes) / (2 * pi);
  given.shapes = shapes.leftCols(modes);
  given.participation = given.shapes.transpose() * load;
  if (!can_be_meant(given.frequency) || !can_be_meant(given.shapes) || !can_be_meant(given.participation) ||
      !can_be_meant(given.nodes) || (modes > 0 && !(given.frequency.minCoeff() > 0)))
    refuse_file("its modes have entries that are no numbers to be meant, or a frequency of zero");
  if (modes == 0) refuse_file("no mode stands in it");
  return given;
}

KeptShapes read_shapes(const std::filesystem::path& path) {
  const auto refuse_file = [&](const std::string& why) { throw FileError(fmt::format("{}: {}", path.string(), why)); };
  if (const std::string broken = broken_seal(path, modes_seal); !broken.empty())
    refuse_file(broken + "; run the plan again, or give a folder that a run wrote");
  const SealedReader file(path);
  Eigen::MatrixXd omega, shapes, nodes, rows, numbers;
  if (!file.read("omega", omega) || !file.read("shapes", shapes) || !file.read("nodes", nodes) ||
      !file.read("unknowns", rows) || !file.read("numbers", numbers) || nodes.rows() != 3 || rows.rows() != 3 ||
      rows.cols() != shapes.rows() || omega.size() != shapes.cols() || numbers.size() != number_count ||
      !(numbers(0) >= 0 && numbers(0) <= static_cast<double>(omega.size())))
    refuse_file("is not what it says; run the plan again");
  KeptShapes kept;
  kept.print = file.text_attribute("fingerprint");
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
  const auto for_each_number = [&](const auto& take) {
    for (Eigen::Index k = 0; k < points; ++k)
      for (Eigen::Index row = first[static_cast<std::size_t>(k)];
           row < rows.cols() && rows(0, row) == rows(0, first[static_cast<std::size_t>(k)]); ++row)
        if (rows(1, row) >= 0 && rows(1, row) < 6) take(k, static_cast<Eigen::Index>(rows(1, row)), row);
  };
  for (Eigen::Index k = 0; k < points; ++k)
    kept.modes.points.col(k) = nodes.col(static_cast<Eigen::Index>(rows(0, first[static_cast<std::size_t>(k)])));
  for_each_number(
      [&](Eigen::Index k, Eigen::Index direction, Eigen::Index row) { kept.modes.mass(direction, k) = rows(2, row); });
  for (int r = 0; r < static_cast<int>(numbers(0)); ++r) {
    kept.frequency.push_back(omega(r) / (2 * pi));
    Eigen::Matrix<double, 6, Eigen::Dynamic> own = Eigen::MatrixXd::Zero(6, points);
    for_each_number(
        [&](Eigen::Index k, Eigen::Index direction, Eigen::Index row) { own(direction, k) = shapes(row, r); });
    kept.modes.motions.push_back(std::move(own));
  }
  return kept;
}

}  // namespace avrenk
