/// files/modes_file.h: the modes of a model kept in an HDF5 file, so that a changed damping, level or limit need not
/// compute them again. Layout: docs/results.md.
#pragma once

#include <filesystem>
#include <optional>

#include "core/modes/modal_basis.h"

namespace avrenk {

/// Counts the versions of the layout of results.h5; a file of another version is not read.
inline constexpr int modes_layout = 1;

/// 128 bits over all that the modes depend on: M and K as assembled, how the feet follow the bases, what is asked for.
/// Damping, profiles, limits and names are not among them.
[[nodiscard]] std::string fingerprint(const System& system, const ModeRequest& request);

/// Writes what is solved for (not what follows from it by products): shapes, frequencies, static solutions, proofs.
/// @throws FileError
void write_modes(const std::filesystem::path& file, const ModalBasis& basis, const std::string& fingerprint);

/// The basis of the same model and request; nothing if there is no file, or it is of another model or layout, cut
/// short, or changed: its content must have the checksum written with it.
[[nodiscard]] std::optional<ModalBasis> read_modes(const std::filesystem::path& file, const System& system,
                                                   const std::string& fingerprint);

}  // namespace avrenk
