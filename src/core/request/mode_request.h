/// core/request/mode_request.h: which modes are wanted.
#pragma once

#include <optional>

namespace avrenk {

/// Which modes: all below a frequency, the lowest so many, or so many near a frequency.
struct ModeRequest {
  std::optional<double> up_to;  ///< Hz; or a count:
  std::optional<int> count;
  bool residual_vectors = true;  ///< of the bases' inertia, loads and dampers; shapes without mass are always kept
  bool feet = false;             ///< also the reaction of each single foot
  /// Rigid motions and mechanisms are meant: they are modes of 0 Hz. There is no static solution then, no residual
  /// vector and no response.
  bool free_motions = false;
  /// Hz: the `count` modes nearest to it. There are no residual vectors and no responses: lower modes are missing.
  std::optional<double> near{};
};

}  // namespace avrenk
