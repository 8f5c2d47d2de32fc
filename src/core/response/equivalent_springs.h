/// core/response/equivalent_springs.h: springs that depend on how far they move, as linear ones in one case of an
/// environment (docs/theory.md, "Isolators").
#pragma once

#include "core/excitation/excitation.h"
#include "core/modes/damping.h"
#include "core/progress.h"

namespace avrenk {

/// Factors on a stiffness and its loss factor that stand in for s(a) and l(a) while the travel is Gaussian: its
/// amplitude has Rayleigh's distribution, and the linear force with the least mean square error has
///
///     s = E[a² s(a)] / E[a²],   s l = E[a² s(a) l(a)] / E[a²]
///
/// (Roberts & Spanos, Random Vibration and Statistical Linearization, 1990). Without amplitude: those of the smallest.
/// @param softening, growth  s and l over a; empty: 1
/// @param rms                of the travel, in the unit of a
[[nodiscard]] std::pair<double, double> gaussian_factors(const LogTable& softening, const LogTable& growth, double rms);

/// One axis of a spring as the case finds it.
struct EquivalentSpring {
  int spring = 0, axis = 0;
  double amplitude = 0;  ///< m, rad: of sine the largest over its frequencies, of random the RMS
  double frequency = 0;  ///< Hz, at which a sine makes it; 0 of random
  double stiffness = 0;  ///< N/m, N m/rad: at that frequency and amplitude; of random at the lowest frequency
  double loss = 0;       ///< the same
};

/// Where a sweep upwards leaves one amplitude for another, or two are possible.
struct AmplitudeJump {
  double from = 0, to = 0;       ///< Hz: at one frequency, or between two
  double ratio = 1;              ///< the larger amplitude over the smaller
  bool is_of_direction = false;  ///< a sweep downwards finds the other one
};

struct EquivalentSprings {
  std::vector<VaryingSpring> springs;   ///< with the factors of this case over frequency
  std::vector<EquivalentSpring> found;  ///< those that depend on their amplitude
  int rounds = 0;     ///< of random: answers until the factors stood still; of sine: the most that a frequency took
  double change = 0;  ///< largest part by which a factor changed in the last of them
  std::size_t points = 0;  ///< of sine: frequencies at which the balance was found …
  double between = 0;      ///< … and the part by which a factor half way between two of them differs from a line
  std::vector<AmplitudeJump> jumps;
};

/// Of sine the first harmonic is balanced at every frequency, a = |δ|, each from the answer at the frequency below it;
/// of random the RMS of the travel. Both are answers of the linear model with the springs as they are then.
/// @param springs  as varying_springs has them
/// @param damping  whose own springs are not looked at
/// @throws NumericalError  an amplitude that does not settle: says by how much
[[nodiscard]] EquivalentSprings linearise(const Excitation& excitation, const Assembly& assembly, const System& system,
                                          const ModalBasis& basis, const ModalDamping& damping,
                                          std::vector<VaryingSpring> springs, int threads = 1);

}  // namespace avrenk
