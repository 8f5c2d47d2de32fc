/// figures/model_pictures.h: pictures of the model, of its modes, and of its shapes under a sine.
#pragma once

#include "core/check/element_quality.h"
#include "core/modes/mode_content.h"
#include "core/quantity/show.h"
#include "core/response/fields.h"
#include "core/response/motion_survey.h"
#include "core/response/stress_found.h"
#include "figures/model_scene.h"

namespace avrenk {

/// How somebody wants to see the model.
struct Viewpoint {
  View view{};
  std::vector<bool> parts{};  ///< which are drawn, and nothing else then; empty: all of the model
  double scale = 0;           ///< displacements are drawn so many times as large; 0: the largest a tenth of the model
  [[nodiscard]] bool shows(int part) const { return parts.empty() || parts[static_cast<std::size_t>(part)]; }
};

/// What pictures of a model are made from.
struct PictureSource {
  const Assembly& assembly;
  const System& system;
  const ModalBasis& basis;
  const ModalDamping& damping;
  std::string title;  ///< of the plan
  const Show& show;
  const Surface* surface = nullptr;                    ///< of shells and solids; nullptr: each picture looks for it
  const std::vector<ModeContent>* contents = nullptr;  ///< of every mode; nullptr: pictures do not say what moves
  Viewpoint sight{};
};

/// Parts, masses, springs and base in colours of their own; places marked with a word each.
[[nodiscard]] Image model_picture(const Assembly& assembly, const std::string& title, const Show& show,
                                  const std::vector<Picture::Mark>& marks = {});

/// Shells and solids coloured by the Jacobian of their elements; the worst of the three worst parts are marked.
[[nodiscard]] Image quality_picture(const Assembly& assembly, const std::vector<PartQuality>& quality);

/// A normal mode over the ghost of the model as built, coloured by displacement, its largest translation one tenth of
/// the model's size.
[[nodiscard]] Image mode_picture(const PictureSource& source, int mode);

/// The first modes on one page, at most twelve.
[[nodiscard]] Image mode_sheet(const PictureSource& source);

/// One cycle of a mode in `frames` images of 640 x 480.
[[nodiscard]] std::vector<Image> mode_animation(const PictureSource& source, int mode, int frames = 16);

/// The shape of a sine case at one frequency, relative to the base, at the instant at which the largest displacement of
/// any node is largest.
[[nodiscard]] Image shape_picture(const PictureSource& source, const OperatingDeflectionShape& shape);

/// One cycle of it in `frames` images of 640 x 480.
[[nodiscard]] std::vector<Image> shape_animation(const PictureSource& source, const OperatingDeflectionShape& shape,
                                                 int frames = 16);

/// Shells and solids coloured by a stress of one load, of a shell the largest over its thickness, and beams by their
/// von Mises stress; the largest is marked.
/// @param field, beams  with a worst place each; one of them may be nullptr
/// @param shape  how the model moves meanwhile; nullptr: it is drawn as built
[[nodiscard]] Image stress_picture(const PictureSource& source, const StressStations* stations,
                                   const StressField* field, const BeamStressField* beams,
                                   const OperatingDeflectionShape* shape = nullptr);

/// Every node coloured by the RMS of its acceleration under one random case; the largest is marked.
[[nodiscard]] Image motion_picture(const PictureSource& source, const MotionField& field);

/// The largest PSD of acceleration of every node over frequency, in decades, beside the frequency at which it is that.
[[nodiscard]] Image envelope_picture(const PictureSource& source, const MotionField& field);

/// In words: the largest effective masses of a mode, "x 58 %, ry 21 %"; "less than 1 % in any direction".
[[nodiscard]] std::string effective_masses_in_words(const ModalBasis& basis, int mode);

}  // namespace avrenk
