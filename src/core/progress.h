/// core/progress.h: how long work tells what it is doing; the core knows no terminal.
#pragma once

#include <functional>
#include <string>

namespace avrenk {

/// Called with what is being done and the fraction done (0 to 1; negative: unknown).
using Progress = std::function<void(const std::string& stage, double fraction)>;

inline void tell(const Progress& progress, const std::string& stage, double fraction = -1) {
  if (progress) progress(stage, fraction);
}

}  // namespace avrenk
