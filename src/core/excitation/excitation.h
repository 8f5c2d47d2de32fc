/// core/excitation/excitation.h: what acts in one case of an environment, made once; nothing downstream asks which axis
/// it is, or whether it is a motion or a force.
#pragma once

#include <cmath>
#include <memory>
#include <span>
#include <string_view>

#include "core/excitation/environment.h"

namespace avrenk {

struct Assembly;  // core/model/assembly.h
struct System;    // core/system/system.h

/// A frequency at which the user asks what happens.
struct AskedFrequency {
  double frequency = 0;           ///< Hz
  int mode = 0;                   ///< whose natural frequency it is, from 1; 0: a frequency of the plan
  std::optional<double> phase{};  ///< rad, ωt of one instant of the cycle; absent: the largest of it
  /// "mode 4", "63 Hz" or "63 Hz phase 40 deg".
  [[nodiscard]] std::string words() const;
};

/// Columns of inputs that act at the same time, each a combination of the accelerations of the bases and of the loads
/// of the model per unit of the amplitude beside it. A column is a source by itself, but for pressure fields: see
/// SpectralMatrix.
struct Excitation {
  const Environment* environment = nullptr;
  std::string along;           ///< what tells this case from others of its environment: "x", "idle"; may be empty
  bool is_combined = false;    ///< all cases of the environment together: nothing acts by itself
  const Kind* kind = nullptr;  ///< of the first source, to which ratios and phases refer; nullptr: nothing varies
  GridRequest grid;            ///< Hz
  std::vector<AskedFrequency> asked;              ///< ascending, inside the band; points of the grid
  std::optional<AskedFrequency> held;             ///< the whole band is this one
  std::shared_ptr<const Excitation> specified{};  ///< what this one was notched from; nullptr: it is not notched
  double order = 0;                               ///< of a shaft: frequency over its speed; 0: no shaft
  /// x … rz, along which bases move; absent where they stand still.
  std::optional<int> axis;
  std::optional<int> pushed_along;  ///< x, y or z, along which all its loads push; absent: several, or none does
  std::vector<std::string> inputs;  ///< what each source is, for headings: "launch-sine along x", "pump (pump-stroke)"
  std::vector<std::string> names;   ///< of each source, to tell them apart: "x", "left.x", "pump"
  std::vector<const Kind*> kinds;   ///< of each source
  Eigen::MatrixXcd base;            ///< n_b x s: m/s², rad/s²
  Eigen::MatrixXcd loads;           ///< n_l x s
  Drive drive;                      ///< of sine, s
  SpectralMatrix spectrum;          ///< of random, s x s

  /// "random.z", "random.combined", "gravity", "sine.x.mode-4".
  [[nodiscard]] std::string name() const;
  /// Whether a name is that of its environment, with all its cases, or its own; of one that is notched that of what it
  /// was made from.
  [[nodiscard]] bool is_called(std::string_view called) const;
  /// Whether any of some names is one of these; all cases together have their own name alone.
  [[nodiscard]] bool is_among(const std::vector<std::string>& names) const;
  /// Whether it is the case of that name, held at a frequency that was asked for.
  [[nodiscard]] bool is_held_of(std::string_view load) const;
  [[nodiscard]] bool is_sine() const { return environment->is_sine(); }
  [[nodiscard]] bool is_random() const { return environment->is_random(); }
  [[nodiscard]] bool is_static() const { return environment->is_static(); }
  /// "launch-sine along x, qualification (0 dB)".
  [[nodiscard]] std::string heading() const;
  /// Points at which curves need a point, Hz: those of all its tables.
  [[nodiscard]] std::vector<double> curve_points() const;
  /// Amplitudes of the columns, s x 1; of random as many side by side as it takes for their squares to add up.
  [[nodiscard]] Eigen::MatrixXcd at(double frequency) const;
  /// Of the first column its magnitude, or its PSD: the input that stands beside curves.
  [[nodiscard]] double reference(double frequency) const;
};

/// One case of base motion along an axis, or of what acts at rest, without loads.
[[nodiscard]] std::shared_ptr<const Excitation> excitation_along(const Environment& environment,
                                                                 std::optional<int> axis, const System& system);
/// Each case of an environment by itself: axis by axis, or load case by load case.
[[nodiscard]] std::vector<std::shared_ptr<const Excitation>> excitations(const Environment& environment,
                                                                         const Assembly& assembly,
                                                                         const System& system);
/// The same case, asked for at natural frequencies too, as its environment wants it.
/// @param natural  Hz, of all modes
/// @throws InputError  a mode that there is not, or one outside the band
[[nodiscard]] std::shared_ptr<const Excitation> asked_at_modes(std::shared_ptr<const Excitation> excitation,
                                                               const Eigen::VectorXd& natural);
/// The same case at one frequency alone.
[[nodiscard]] std::shared_ptr<const Excitation> held_at(const Excitation& excitation, const AskedFrequency& at);
/// What stands for all of them together.
[[nodiscard]] std::shared_ptr<const Excitation> combined_excitation(const Environment& environment);

/// Of the input to which ratios and phases refer: that of base motion, else of the first load; nullptr: none.
[[nodiscard]] const Kind* reference_kind(const Environment& environment, const Assembly& assembly);

/// What tells the cases of an environment from one another: "x", "idle", "x.idle"; empty where there is only one.
[[nodiscard]] std::vector<std::string> case_names(const Environment& environment);

/// One source of an environment: a column of its excitations, or the patterns of a pressure field.
struct Input {
  std::string name;  ///< "x", "left.x", "pump"
  const Kind* kind = nullptr;
  LogLogTable level{};          ///< of random
  std::optional<Vector3> at{};  ///< where it acts: of bases that are inputs of their own, and the middle of loads
  bool is_field = false;        ///< a pressure field
  std::shared_ptr<const JointAcceptances> acceptances{};  ///< of it, once its patterns are made
};
/// Inputs that act at once, in the order of their columns: axis by axis, base by base where these move apart, then the
/// loads. @param assembly  where bases are inputs of their own, or loads act
[[nodiscard]] std::vector<Input> inputs_of(const Environment& environment, std::span<const int> axes,
                                           const LoadCase& loads, const Assembly* assembly);
/// Their spectral matrix, with the coherences that the environment gives them.
/// @throws InputError  coherences that contradict one another, or that need a distance that is not known
[[nodiscard]] SpectralMatrix spectrum_of(const Environment& environment, const std::vector<Input>& inputs);

}  // namespace avrenk
