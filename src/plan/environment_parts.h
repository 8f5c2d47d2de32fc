/// plan/environment_parts.h: environments, one reader a kind.
#pragma once

#include "plan/sections.h"

namespace avrenk {

/// What acts at rest: {acceleration: {z: -1 g}, loads: …, displacement: …, bolts: …}. @param map  of the environment
[[nodiscard]] std::optional<Environment> read_static_environment(const Tree& tree, const std::string& name,
                                                                 MapReader& map, Reading& reading);

/// The band that is excited, and the points of its grid.
/// @param given  what the environment says under frequencies or speeds, or nullptr
/// @param whole  the environment
void read_grid(const Tree* given, const std::string& subject, Environment& environment, const Tree& whole,
               Problems& problems);

/// Keys of random environments.
struct RandomKeys {
  const Tree *bands = nullptr, *bases = nullptr, *coherence = nullptr, *combine = nullptr;
  bool simultaneous = false;
};
/// What a random environment has besides; of a sine each of them is refused.
void read_random_input(const RandomKeys& keys, Environment& environment, const Tree& whole, const std::string& subject,
                       Reading& reading);

}  // namespace avrenk
