/// results/jobs.h: what is drawn and written side by side.
#pragma once

#include <functional>
#include <vector>

namespace avrenk {

/// Pieces of work that may be done side by side; they refer to what they were made from.
using Jobs = std::vector<std::function<void()>>;

}  // namespace avrenk
