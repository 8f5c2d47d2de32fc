/// core/excitation/environment.h: what the specification applies: base motion along axes, loads, or what acts at rest.
#pragma once

#include <array>
#include <complex>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "core/algebra.h"
#include "core/excitation/amplitude.h"
#include "core/excitation/frequency_grid.h"
#include "core/excitation/spectrum.h"

namespace avrenk {

/// x y z rx ry rz.
inline constexpr std::array<std::string_view, 6> axis_names{"x", "y", "z", "rx", "ry", "rz"};

/// How much and with what phase one base follows the profile.
struct BaseMotion {
  int base = 0;
  std::complex<double> factor = 1;
};

/// One load of the model and how large it is.
struct DrivenLoad {
  int load = 0;                          ///< index into Assembly::loads
  std::string profile{};                 ///< name, or the amount as it was written: for headings
  Amplitude amplitude{};                 ///< sine: per unit of the load
  double amount = 0;                     ///< static: per unit of the load
  double phase = 0;                      ///< rad, in the amplitude
  double upper = 1;                      ///< factor when its profile is at its upper tolerance
  std::optional<double> sweep_rate{};    ///< octaves a minute
  LogLogTable spectrum{};                ///< random: PSD, (unit of the load)²/Hz, level applied
  std::optional<double> duration{};      ///< s, of random
  std::optional<PressureField> field{};  ///< random: the pressure is not the same everywhere
  int patterns = -1;                     ///< the load in whose columns the field acts, made from the modes
  std::shared_ptr<const JointAcceptances> acceptances{};  ///< of these
};

/// Loads that act together.
struct LoadCase {
  std::string name;  ///< what tells it from others of its environment; empty where there is only one
  std::vector<DrivenLoad> loads;
  double order = 0;  ///< frequency over the speed of a shaft; 0: no shaft
};

/// How inputs of a random environment go together; of several rules for one pair the last counts.
struct CoherenceRule {
  std::array<std::string, 2> between;    ///< names of inputs: see Excitation::names; empty: every pair
  std::vector<Coherence::Point> points;  ///< γ and phase of the second to the first
  Vector3 slowness = Vector3::Zero();    ///< s/m, along which a wave travels: what lies farther comes later
  double length = 0;                     ///< m, over which γ falls to 1/e; 0: it does not
  double decay = 0;                      ///< s/m: γ falls by e^{−decay f d} besides
  /// It needs to know where the inputs act.
  [[nodiscard]] bool has_distance() const;
};

/// Which modes answer an environment: the first so many, some by number, or those in a band.
struct ModeChoice {
  std::optional<int> first;
  std::vector<int> numbers;  ///< from 1
  double from = 0, to = 0;   ///< Hz; to = 0: no band
  bool residual_vectors = true;
};

/// What a sine has besides.
struct SineInput {
  std::optional<double> sweep_rate{};  ///< octaves a minute
  std::vector<double> tones{};         ///< Hz: fixed tones that act at once; empty: one that sweeps
  bool direct = false;                 ///< answered by the full equations, without modes
};

/// What a random input has besides.
struct RandomInput {
  bool simultaneous = false;                       ///< all axes act at once, else one result each
  bool bases_apart = false;                        ///< each base that moves is an input of its own
  std::vector<std::pair<double, double>> bands{};  ///< Hz, over which RMS values are wanted besides
  std::vector<CoherenceRule> coherences{};         ///< of inputs that act at once; none: they are not correlated
  std::optional<double> band_width{};              ///< Hz: only such a band of it acts at a time, and sweeps
};

/// What acts at rest.
struct StaticInput {
  Vector3 acceleration = Vector3::Zero();  ///< the field of gravity that acts on the model, m/s²
  std::map<int, Vector6> displaced{};      ///< m and rad that bases are out of place
  std::vector<int> bolts{};                ///< springs that are tightened first, in this order
  bool one_by_one = false;                 ///< of them: see RestRequest
  int settled = -1;                        ///< the load that bolts and gaps make; −1: there are none
};

/// What is applied, one result for each axis or each case of loads.
struct Environment {
  enum class Type { sine, random, constant };  // as the alternatives of `form`
  enum class Combination { none, envelope, root_sum_of_squares };
  std::string name;
  std::variant<SineInput, RandomInput, StaticInput> form{};
  std::vector<LoadCase> load_cases{};

  // What vibrates has these, whether it is sine or random.
  std::string profile{};        ///< name, for headings
  std::string level{};          ///< "qualification (0 dB)", for headings
  LogLogTable input{};          ///< of the bases. sine: m/s² or rad/s², 0-to-peak; random: PSD of it; level applied
  bool angular = false;         ///< the input is a rotation
  std::vector<int> axes{};      ///< indices into axis_names; empty: the bases stand still
  GridRequest grid{};           ///< of orders of a shaft: in revolutions a second
  std::vector<int> at_modes{};  ///< numbers from 1: asked for at their natural frequencies besides
  bool at_all_modes = false;    ///< all of them inside the band
  std::vector<BaseMotion> motions{};  ///< empty: all bases move as one body; bases not named stand still
  std::optional<ModeChoice> modes{};  ///< absent: all of them
  double upper = 1;                   ///< factor on responses when the input is at its upper tolerance
  std::optional<double> duration{};   ///< s
  Combination combination = Combination::none;
  std::string superposed_on{};  ///< the random environment that acts at the same time; empty: none
  std::string after{};          ///< the static environment that acts at the same time

  [[nodiscard]] Type type() const { return static_cast<Type>(form.index()); }
  [[nodiscard]] bool is_sine() const { return type() == Type::sine; }
  [[nodiscard]] bool is_random() const { return type() == Type::random; }
  [[nodiscard]] bool is_static() const { return type() == Type::constant; }
  /// @pre it is of that type
  [[nodiscard]] const SineInput& sine() const { return std::get<SineInput>(form); }
  [[nodiscard]] SineInput& sine() { return std::get<SineInput>(form); }
  [[nodiscard]] const RandomInput& random() const { return std::get<RandomInput>(form); }
  [[nodiscard]] RandomInput& random() { return std::get<RandomInput>(form); }
  [[nodiscard]] const StaticInput& at_rest() const { return std::get<StaticInput>(form); }
  [[nodiscard]] StaticInput& at_rest() { return std::get<StaticInput>(form); }

  [[nodiscard]] bool is_direct() const { return is_sine() && sine().direct; }
  [[nodiscard]] bool is_simultaneous() const { return is_random() && random().simultaneous; }
  [[nodiscard]] bool has_bases_apart() const { return is_random() && random().bases_apart; }
  [[nodiscard]] bool is_settled() const { return is_static() && at_rest().settled >= 0; }
  /// Its grid counts revolutions of a shaft a second.
  [[nodiscard]] bool by_speed() const { return !load_cases.empty() && load_cases.front().order > 0; }
};

/// Motions of all bases that the environment has out of place, n_b; zero of others.
[[nodiscard]] Eigen::VectorXd displacement_of(const Environment& environment, Eigen::Index motions);

/// Highest frequency that any of them excites, Hz; 0 if none does.
[[nodiscard]] double highest_excited(const std::vector<Environment>& environments);

}  // namespace avrenk
