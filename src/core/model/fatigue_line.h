/// core/model/fatigue_line.h: how many cycles of an amplitude a material or a joint bears.
#pragma once

#include <string>

#include "core/quantity/quantity.h"

namespace avrenk {

/// How a constant stress lets an amplitude count for more.
enum class MeanStressRule { none, goodman, gerber };

/// A straight S–N line on log-log paper, N = N₁ (S₁/S)^k (Basquin, Proc. ASTM 10, 1910): cycles of amplitude S that
/// half of the specimens bear.
struct FatigueLine {
  std::string name;                  ///< of the material, or of the line
  const Kind* kind = &kind::stress;  ///< of S
  double strength = 0;               ///< S₁: an amplitude, SI
  double cycles = 0;                 ///< N₁
  double slope = 0;                  ///< k
  double scatter = 0;                ///< standard deviation of log₁₀ N at one amplitude
  double survival = 0.5;             ///< probability with which the life that is counted on is reached
  MeanStressRule mean = MeanStressRule::none;
  double ultimate = 0;  ///< S_u of the rule, SI
};

}  // namespace avrenk
