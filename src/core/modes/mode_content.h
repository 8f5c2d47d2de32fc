/// core/modes/mode_content.h: what a mode is: who moves and how, and where the energy sits.
#pragma once

#include <string>

#include "core/modes/modal_basis.h"

namespace avrenk {

/// One mode in words and shares.
struct ModeContent {
  std::string what;    ///< "mast bends in x"; "box moves as a body in z"
  std::string energy;  ///< "78 % of the strain energy"; "kinetic energy: box 91 %; strain energy: isolators 88 %"
  [[nodiscard]] std::string in_words() const { return energy.empty() ? what : what + ": " + energy; }
  /// Parts of ½ω², about a preloaded state of the elastic energy alone; of a free motion zero.
  Eigen::VectorXd strain_parts, strain_joints;
  Eigen::VectorXd kinetic_parts, kinetic_bodies;  ///< parts of ½ω²
};

/// Of every mode. Strain energy as a part of ½ω² sums to one over parts and joints, kinetic energy over parts and
/// bodies (the modes are mass-normalised).
///
/// In words: the part or body with the most kinetic energy moves as a body where a rigid motion fitted to its nodes
/// leaves less than a tenth of their mean square and it holds less than three tenths of the strain energy; lines twist,
/// stretch or bend as their energy is (of axial force, of torque, else), shells bend where more than half of the mean
/// square is along their normals. Its direction is that of its mean-square translation, as long as one axis has two
/// thirds of it.
/// @param threads  0: one a processor
[[nodiscard]] std::vector<ModeContent> contents_of_modes(const Assembly& assembly, const System& system,
                                                         const ModalBasis& basis, int threads = 0);

/// Shares by name, largest first: "deck 62 %, struts 21 %"; below `least` none, at most `most`.
[[nodiscard]] std::string shares_in_words(const std::vector<std::pair<std::string, double>>& shares, double least,
                                          std::size_t most);
/// Strain energy by part and joint, kinetic energy by part and body, largest first.
[[nodiscard]] std::vector<std::pair<std::string, double>> strain_shares(const Assembly&, const ModeContent&);
[[nodiscard]] std::vector<std::pair<std::string, double>> kinetic_shares(const Assembly&, const ModeContent&);

}  // namespace avrenk
