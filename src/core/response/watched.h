/// core/response/watched.h: what the user asked to see: a quantity at a place, of a joint, a part or a base, by
/// component.
#pragma once

#include "core/quantity/quantity.h"
#include "core/response/channels.h"

namespace avrenk {

/// What a quantity belongs to.
enum class Subject { node, spring, beam, base, foot };

/// One quantity that can be watched; the table below is the only list.
struct WatchedQuantity {
  std::string_view keyword;      ///< what the plan calls it
  std::string_view description;  ///< its full name in tables and on axes
  Subject subject;
  const Kind* kind;
  bool vector;  ///< components and magnitude; else a single number
};
[[nodiscard]] std::span<const WatchedQuantity> watched_quantities();

/// One line of the plan's `watch`: a quantity and where.
struct WatchRequest {
  std::string name;  ///< the user's
  const WatchedQuantity* quantity = nullptr;
  std::vector<int> items;           ///< nodes, springs, beams or feet; unused for a base
  Vector3 about = Vector3::Zero();  ///< for moments of a base
};

/// One number as a function of frequency; where several nodes or elements make one place, each is a candidate and the
/// worst is reported by name.
struct Watched {
  std::string name;       ///< "tip.acceleration.z"; "tip.acceleration" for the magnitude
  std::string entry;      ///< "tip"
  std::string component;  ///< "x", "y", "z", "magnitude", or empty
  const WatchedQuantity* quantity = nullptr;
  std::vector<Measure> candidates;
  [[nodiscard]] bool is_magnitude() const { return component == "magnitude"; }
};

[[nodiscard]] std::vector<Watched> watch(const Assembly& assembly, const Channels& channels,
                                         const std::vector<WatchRequest>& requests);

/// By its name; nullptr if none.
[[nodiscard]] const Watched* find_watched(const std::vector<Watched>& all, std::string_view name);

/// All names that `watch` will make, without the modes: for checking a plan.
[[nodiscard]] std::vector<std::string> watched_names(const std::vector<WatchRequest>& requests);

}  // namespace avrenk
