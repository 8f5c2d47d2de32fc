/// core/response/environment.h: one environment along one axis, from its profile to peaks or RMS of all that is
/// watched.
#pragma once

#include <map>
#include <string>

#include "core/excitation/frequency_grid.h"
#include "core/response/random.h"
#include "core/response/steady_state.h"
#include "core/response/watched.h"

namespace avrenk {

/// x y z rx ry rz.
inline constexpr std::array<std::string_view, 6> axis_names{"x", "y", "z", "rx", "ry", "rz"};

/// What is applied: base motion along axes, one result per axis.
struct Environment {
  enum class Type { sine, random };
  std::string name;
  Type type = Type::sine;
  std::string profile;    ///< name, for headings
  std::string level;      ///< "qualification (0 dB)", for headings
  LogLogTable input;      ///< sine: m/s² or rad/s², 0-to-peak; random: PSD of it; level applied
  bool angular = false;   ///< the input is a rotation
  std::vector<int> axes;  ///< indices into axis_names
  GridRequest grid;
};

/// One watched quantity in one environment and axis.
struct SineRow {
  SinePeak peak;
  std::string where;       ///< the worst candidate
  Eigen::MatrixXcd curve;  ///< of the worst candidate: 1 or 3 rows x grid points, per the level applied
};
struct RandomRow {
  double rms = 0;
  std::string where;
  double curve_rms = 0;     ///< the drawn curve's own integral
  std::vector<double> psd;  ///< of the worst candidate, unit²/Hz
  std::vector<std::pair<int, double>>
      shares;  ///< mode (from 0; −1: base motion) and part of the variance, largest first
};

struct Outcome {
  const Environment* environment = nullptr;
  int axis = 0;
  std::vector<double> grid;   ///< Hz
  std::vector<SineRow> sine;  ///< one for each watched quantity, or empty
  std::vector<RandomRow> random;
  double integration_error = 0;
  int integration_points = 0;
  [[nodiscard]] std::string name() const;  ///< "random.z"
};

/// Runs an environment along one of its axes.
/// @throws InputError      an undamped mode inside the band, or a residual vector inside it (too few modes)
/// @throws NumericalError  the RMS integral does not settle
[[nodiscard]] Outcome run_environment(const Environment& environment, int axis, const ModalBasis& basis,
                                      const ModalDamping& damping, const std::vector<Watched>& watched);

}  // namespace avrenk
