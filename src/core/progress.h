/// core/progress.h: how long work tells what it is doing; the core knows no terminal.
#pragma once

#include <functional>
#include <string>

namespace avrenk {

/// What is being done, which part of it is done (0 to 1; negative: unknown), and how long the rest of the work may take
/// (s; negative: unknown).
struct Step {
  std::string stage;
  double fraction = -1, seconds_left = -1;
};
using Progress = std::function<void(const Step&)>;

inline void report_progress(const Progress& progress, const std::string& stage, double fraction = -1,
                            double seconds_left = -1) {
  if (progress) progress({stage, fraction, seconds_left});
}

}  // namespace avrenk
