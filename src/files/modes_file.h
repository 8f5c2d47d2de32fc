/// files/modes_file.h: the modes of a model kept in an HDF5 file, so that a changed damping, level or limit need not
/// compute them again. Layout: docs/results.md.
#pragma once

#include <filesystem>
#include <optional>

#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/modes/shape_match.h"
#include "files/model_print.h"

namespace avrenk {

/// Counts the versions of the layout of results.h5; a file of another version is not read.
inline constexpr int modes_layout = 5;
/// The same of products.h5; also of what derive() and damping_products() make: a change of them is another layout.
inline constexpr int products_layout = 1;

/// Writes what is solved for (not what follows from it by products): shapes, frequencies, static solutions, proofs;
/// and for other readers the nodes, and what each row of a shape stands for.
/// @throws FileError
void write_modes(const std::filesystem::path& file, const Assembly& assembly, const System& system,
                 const ModalBasis& basis, const ModelPrint& print, const ModeRequest& request);

/// A basis that was kept, or why there is none; both absent: there is no file.
struct KeptModes {
  std::optional<ModalBasis> basis;
  std::string why_not;  ///< "the modes asked for reach further", "material alloy changed"
  /// "load pump is new": the basis has no static shape of it yet, see complete(); empty: it has all.
  std::string loads_missing{};
};

/// The basis of the same model, if it answers the request: the modes asked for, or all below a higher frequency. A file
/// of another layout, cut short, or changed is not trusted: its bytes must have the checksum that stands behind them.
[[nodiscard]] KeptModes read_modes(const std::filesystem::path& file, const System& system, const ModelPrint& print,
                                   const ModeRequest& request);

/// Writes what follows from modes by products with the matrices of the model, so that questions to a run need not
/// assemble them.
/// @param modes  the file of the modes
/// @param plan   tells the plan of this run from any other, its damping included
/// @param loads  columns of loads that the plan has: those of patterns of pressure stand behind them and are left out
/// @throws FileError
void write_products(const std::filesystem::path& file, const std::filesystem::path& modes, const std::string& plan,
                    const ModalBasis& basis, const DampingProducts& products, Eigen::Index loads);

/// The basis and products of a run whose plan is known to be what it was: nothing is multiplied. None where the
/// products are not those of these modes and this plan, or anything about the files is not as it should be: read_modes
/// says what.
/// @param system  with or without its matrices
[[nodiscard]] std::optional<std::pair<ModalBasis, DampingProducts>> read_modes_and_products(
    const std::filesystem::path& modes, const std::filesystem::path& products, const std::string& plan,
    const System& system, const ModeRequest& request);

/// Modes in the layout of results.h5, of a run or of somebody else who wrote no more than this of it: nodes, unknowns,
/// omega, shapes (mass-normalised) and inertia_load; numbers may be missing, and all columns are modes then.
struct GivenShapes {
  Eigen::Matrix3Xd nodes;         ///< m
  Eigen::MatrixXi row;            ///< 6 x nodes: the row of each motion among the shapes; −1: it has none
  Eigen::VectorXd frequency;      ///< Hz
  Eigen::MatrixXd shapes;         ///< rows x modes
  Eigen::MatrixXd participation;  ///< modes x 6, about the point of the one base
};
/// @throws FileError  it is none, or what is in it does not fit together
[[nodiscard]] GivenShapes read_given_shapes(const std::string& bytes, const std::string& name);

/// Mode shapes of a run as other runs can compare them: motions at the nodes that have translations for unknowns.
struct KeptShapes {
  std::string print;
  std::vector<double> frequency;  ///< Hz
  SampledModes modes;             ///< mass-normalised
};
/// @throws FileError  the file cannot be read, or is not what it says
[[nodiscard]] KeptShapes read_shapes(const std::filesystem::path& file);

}  // namespace avrenk
