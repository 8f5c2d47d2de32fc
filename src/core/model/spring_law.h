/// core/model/spring_law.h: what a spring's stiffness and loss factor depend on (docs/theory.md, "Isolators").
#pragma once

#include <algorithm>
#include <array>
#include <string>
#include <vector>

#include "core/log_interpolation.h"

namespace avrenk {

struct Spring;  // core/model/spring.h

/// Of a spring whose complex stiffness is k(f) s(a) (1 + i η(f) l(a)) along each of its axes, a the amplitude of its
/// travel along that axis. The spring itself has what it is at 0 Hz and the smallest amplitude.
struct SpringLaw {
  std::array<LogTable, 6> stiffness;  ///< N/m ×3, N m/rad ×3 over Hz; empty: constant
  LogTable loss;                      ///< η over Hz; empty: constant, as the spring has it
  /// Factors s and l over the amplitude, m or rad; empty: 1. Of translations, then of rotations.
  std::array<LogTable, 2> softening, loss_growth;

  /// How else its pieces may come out: parts of its stiffness and its loss factor.
  struct Variant {
    std::string name;
    double stiffness = 1, loss = 1;
  };
  std::vector<Variant> variants;

  [[nodiscard]] bool has_tables() const;
  [[nodiscard]] bool depends_on_amplitude() const;
};

/// Whether the law of any of some springs does.
[[nodiscard]] bool depend_on_amplitude(const std::vector<Spring>& springs);

}  // namespace avrenk
