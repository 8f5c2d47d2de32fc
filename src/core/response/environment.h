/// core/response/environment.h: one environment along one axis, from its profile to peaks or RMS of all that is
/// watched.
#pragma once

#include <map>
#include <memory>
#include <string>

#include "core/excitation/frequency_grid.h"
#include "core/response/random.h"
#include "core/response/steady_state.h"
#include "core/response/sweep.h"
#include "core/response/watched.h"

namespace avrenk {

/// x y z rx ry rz.
inline constexpr std::array<std::string_view, 6> axis_names{"x", "y", "z", "rx", "ry", "rz"};

/// How much and with what phase one base follows the profile.
struct BaseMotion {
  int base = 0;
  Complex factor = 1;
};

/// What is applied: base motion along axes, one result per axis; or a steady acceleration.
struct Environment {
  enum class Type { sine, random, steady };
  enum class Combination { none, envelope, root_sum_of_squares };
  std::string name;
  Type type = Type::sine;
  std::string profile;    ///< name, for headings
  std::string level;      ///< "qualification (0 dB)", for headings
  LogLogTable input;      ///< sine: m/s² or rad/s², 0-to-peak; random: PSD of it; level applied
  bool angular = false;   ///< the input is a rotation
  std::vector<int> axes;  ///< indices into axis_names
  GridRequest grid;
  std::vector<BaseMotion> motions;             ///< empty: all bases move as one body; bases not named stand still
  double upper = 1;                            ///< factor on responses when the input is at its upper tolerance
  std::optional<double> sweep_rate, duration;  ///< octaves a minute; s
  Combination combination = Combination::none;
  std::string after;                       ///< the steady environment that acts at the same time
  std::vector<std::string> with_static;    ///< watched quantities whose peak is also taken together with it
  Vector3 acceleration = Vector3::Zero();  ///< steady: the field of gravity that acts on the model, m/s²

  /// The bases' accelerations per unit input along an axis, n_b x 1.
  [[nodiscard]] Eigen::VectorXcd directions(int axis, const System& system) const;
};

/// "random.z", "random.combined" (axis −1), "gravity".
[[nodiscard]] std::string outcome_name(const Environment& environment, int axis);

/// The state z under a steady environment: q = Φᵀ(M R g)/ω², and the base acceleration that acts as gravity does.
[[nodiscard]] Eigen::VectorXcd steady_state(const Environment& environment, const System& system,
                                            const ModalBasis& basis);

/// Highest frequency that any of them excites, Hz; 0 if none does.
[[nodiscard]] double highest_excited(const std::vector<Environment>& environments);

/// Peak of the sine response together with a steady one: the largest over phase and frequency of their sum.
struct WithStatic {
  double value = 0, upper_value = 0;  ///< at the level applied, and at its upper tolerance
  std::string where;
};

/// One watched quantity in one environment and axis.
struct SineRow {
  SinePeak peak;
  std::string where;       ///< the worst candidate
  Eigen::MatrixXcd curve;  ///< of the worst candidate: 1 to 3 rows x grid points, per the level applied
  std::vector<std::pair<int, double>> shares;  ///< mode (from 0; −1: base motion) and its part of the peak
  double amplification = 0;                    ///< over the static answer to the same acceleration; NaN: it has none
  std::optional<HalfPower> half_power;         ///< absent where the curve does not fall by half on both sides
  double sweep_parameter = 0;                  ///< S of the mode with the largest share; NaN without a sweep rate
  std::optional<SinePeak> swept;               ///< where S is above slow_sweep
  /// Relative change of the response at the peak when modes are coupled by their damping; NaN of components.
  double coupling = 0;
  std::optional<WithStatic> with_static;
};
struct RandomRow {
  double rms = 0;
  std::string where;
  double curve_rms = 0;     ///< the drawn curve's own integral
  std::vector<double> psd;  ///< of the worst candidate, unit²/Hz
  std::vector<std::pair<int, double>>
      shares;                         ///< mode (from 0; −1: base motion) and part of the variance, largest first
  std::vector<DominatingBand> bands;  ///< largest share first
  SpectralMoments moments;
  double largest = 0;   ///< expected largest in the duration; NaN without a duration, or if not Gaussian
  double coupling = 0;  ///< relative change of the PSD at the dominating frequency when modes are coupled; NaN likewise
  Eigen::VectorXd candidate_rms;
};
struct StaticRow {
  double value = 0;
  std::string where;
  Eigen::VectorXd rows;  ///< of every base of the candidates
};

struct Outcome {
  const Environment* environment = nullptr;
  int axis = 0;               ///< −1: all axes combined
  std::vector<double> grid;   ///< Hz; empty for steady and combined
  std::vector<SineRow> sine;  ///< one for each watched quantity, or empty
  std::vector<RandomRow> random;
  std::vector<StaticRow> steady;
  double integration_error = 0;
  [[nodiscard]] bool is_combined() const { return axis < 0; }
  /// Its peaks have no frequency and no phase of their own.
  [[nodiscard]] bool is_root_sum() const;
  [[nodiscard]] std::string name() const { return outcome_name(*environment, axis); }
};

/// @throws InputError  an undamped mode inside the band of an environment, or a residual vector inside it (too few
/// modes)
void require_response(const Environment& environment, const ModalBasis& basis, const ModalDamping& damping);

/// Most points of its grid, and the bytes that its states and so many rows of watched quantities take there.
struct GridCost {
  double points = 0, bytes = 0;
};
[[nodiscard]] GridCost grid_cost(const Environment& environment, const ModalBasis& basis, const ModalDamping& damping,
                                 std::size_t rows);

/// What an environment along one of its axes does to the whole model: made once for all that is asked of it, the survey
/// of stress and what is watched. Its parts refer to one another: it stays where it was made.
struct Excited {
  /// @throws InputError      see require_response
  /// @throws NumericalError  the RMS integral does not settle
  Excited(const Environment& environment, int axis, const System& system, const ModalBasis& basis,
          const ModalDamping& damping);
  Excited(const Excited&) = delete;
  Excited& operator=(const Excited&) = delete;
  ~Excited() = default;

  const Environment& environment;
  int axis;
  Eigen::VectorXcd still;            ///< steady: z
  std::optional<Transfer> transfer;  ///< of sine and random
  std::vector<double> grid;          ///< Hz
  std::optional<SineResponse> sine;
  std::optional<ModalCovariance> covariance;
};

/// Each made where it stays.
using ExcitedLoads = std::vector<std::unique_ptr<Excited>>;

/// Peaks or RMS of all that is watched, of sine or random. The covariance is refined where they need it.
/// @param after  the outcome of the steady environment that acts at the same time, or nullptr
[[nodiscard]] Outcome run_environment(Excited& excited, const std::vector<Watched>& watched,
                                      const Outcome* after = nullptr);
/// The same of an environment along one of its axes that nothing else is asked of.
[[nodiscard]] Outcome run_environment(const Environment& environment, int axis, const System& system,
                                      const ModalBasis& basis, const ModalDamping& damping,
                                      const std::vector<Watched>& watched, const Outcome* after = nullptr);

/// The answer to a steady acceleration: q = Φᵀ(M R g)/ω², exact with residual vectors. Motions are relative to the
/// base, which stands still; nodes have no velocity and no acceleration.
[[nodiscard]] Outcome run_steady(const Environment& environment, const System& system, const ModalBasis& basis,
                                 const std::vector<Watched>& watched);

/// All axes of one environment together: the largest of them (envelope), or the root of the sum of squares for axes
/// that act at the same time without a fixed phase. Of random RMS it is exact, candidate by candidate; of sine peaks it
/// takes each axis's largest wherever and at whatever frequency it occurs, which is never low.
[[nodiscard]] Outcome combine(const Environment& environment, const std::vector<const Outcome*>& axes,
                              const std::vector<Watched>& watched);

}  // namespace avrenk
