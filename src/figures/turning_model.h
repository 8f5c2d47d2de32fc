/// figures/turning_model.h: the model as it can be turned, played and probed: a scene of the report, and a file for
/// other viewers.
#pragma once

#include <memory>

#include "core/quantity/show.h"
#include "core/response/fields.h"
#include "figures/model_scene.h"
#include "files/glb.h"

namespace avrenk {

/// One way to look at the model: how it moves, and what its colours are.
struct TurningView {
  std::string group{}, name{};  ///< "Modes", "mode 4: 61.1 Hz"
  std::string words{};          ///< under it: what is seen
  /// Motion re cos ωt − im sin ωt of every node; absent: it stands still. A mode has no imaginary part. Views that
  /// share one share it in the file as well.
  std::shared_ptr<const NodeMotions> real{}, imaginary{};
  int mode = -1;  ///< of a mode its number, from 0: its size means nothing
  /// Of a case of sines that is seen at whichever frequency the user picks: where it begins, Hz. The page makes its
  /// motion from SweptShapes.
  std::optional<double> picked{};
  /// Number of a node of a part (−1: of none) that makes the colours, in SI; NaN where there is none. Empty: the
  /// largest displacement of the cycle, or the colours of the parts where nothing moves.
  std::function<double(int node, int part)> value{};
  std::string title{};  ///< "von Mises, RMS"
  DisplayUnit unit{};
  bool logarithmic = false;  ///< four decades of colour
};

/// What the motion of a case at any frequency is put together from: the modes among the views, and shapes for all else.
struct SweptShapes {
  std::vector<NodeMotions> others{};  ///< shapes of all else together
  Eigen::MatrixXd weights{};          ///< of each of them, on the coordinates of the modes: r x m
};

/// The whole, with all views as shapes and values of the vertices. Indices of the vertices: "node" that carries each,
/// "part" that it belongs to (−1: none), "at node" 1 of those that stand where their nodes are, one at least of each
/// node that carries any. Notes for the page: {"title", "length": {"unit", "factor"}, "colours": [[r, g, b], …],
/// "parts": [NAME, …], "views": [{"group", "name", "words", "real", "imaginary", "value": indices of shapes and values
/// or −1, "mode", "picked": Hz or 0, "title", "unit", "factor", "logarithmic"}], "frequency": {"unit", "factor"},
/// "swept": [{"shape": its index, "weights": on the coordinates of the modes, "coordinate": instead, of a mode}]}.
/// @param surface  of shells and solids
[[nodiscard]] GlbModel turning_model(const Assembly& assembly, const Surface& surface,
                                     const std::vector<TurningView>& views, const std::string& title, const Show& show,
                                     const SweptShapes& swept = {});

}  // namespace avrenk
