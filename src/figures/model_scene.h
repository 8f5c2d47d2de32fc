/// figures/model_scene.h: an assembly as a scene: beams as the outlines of their sections, shells and solids by
/// their surface, masses as spheres, springs
/// as zigzags, rigid links as lines, feet as blocks, loads as arrows.
#pragma once

#include <functional>

#include "core/mesh/surface.h"
#include "core/response/fields.h"
#include "figures/scene.h"

namespace avrenk {

/// Value (0 to 1) at node `i` of a face of the surface.
using FaceValue = std::function<double(const Surface::Face& face, std::size_t i)>;

/// How an assembly is drawn.
struct ModelLook {
  const NodeMotions* motions = nullptr;  ///< added to the nodes, times `scale`; nullptr: as built
  double scale = 1;
  double largest = 0;  ///< translation (m, not scaled) at the light end of the colours; 0: parts in their own colours
  bool ghost = false;  ///< the lines of the model as built, in light grey
  const Surface* surface = nullptr;              ///< of shells and solids; nullptr: it is looked for
  std::function<double(int node)> node_value{};  ///< colours of everything by a value (0 to 1) of the nodes
  FaceValue face_value{};  ///< colours of shells and solids by a value of their own; all else, and NaN, is grey
  std::function<double(std::size_t beam, std::size_t end)> beam_value{};  ///< the same of beams
  bool loads = false;                                                     ///< arrows where loads act
  const std::vector<bool>* parts = nullptr;  ///< those that are drawn, and nothing else; nullptr: all there is
  bool parts_apart = false;  ///< where parts of shells and solids share nodes each has points of its own
};

/// A force or moment of a load as drawn: its tip where it acts. Of many nodes a part of them stands for all.
struct LoadArrow {
  Eigen::Vector3d from, to;
  bool moment = false;
  std::size_t load = 0;
};
[[nodiscard]] std::vector<LoadArrow> load_arrows(const Assembly& assembly);
inline constexpr Colour load_colour{0.80, 0.16, 0.12};

/// Colour of each part, mass and joint with its name, in the order in which the scene takes them.
[[nodiscard]] std::vector<std::pair<std::string, Colour>> model_legend(const Assembly& assembly);

/// The tag of a point is the node that carries it and the part that it belongs to, −1 where there is none.
[[nodiscard]] Scene model_scene(const Assembly& assembly, const ModelLook& look);

/// Longest side of the box around all nodes and bodies, m.
[[nodiscard]] double model_size(const Assembly& assembly);

}  // namespace avrenk
