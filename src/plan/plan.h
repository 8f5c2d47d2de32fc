/// plan/plan.h: the plan file, read, checked and turned into what the core works with.
#pragma once

#include <map>
#include <set>

#include "core/excitation/environment.h"
#include "core/excitation/vibrator.h"
#include "core/model/assembly.h"
#include "core/quantity/show.h"
#include "core/request/damping_rule.h"
#include "core/request/equipment_request.h"
#include "core/request/life_request.h"
#include "core/request/limit.h"
#include "core/request/mode_request.h"
#include "core/request/output_request.h"
#include "core/request/record_requests.h"
#include "plan/tree.h"

namespace avrenk {

/// One input profile as the specification states it, level 0 dB.
struct Profile {
  enum class Type { sine, random };
  std::string name;
  Type type = Type::sine;
  bool angular = false;
  const Kind* stated = nullptr;        ///< what it was given in: acceleration, velocity, displacement, PSD, force …
  const Kind* drives = nullptr;        ///< what it is of: acceleration, angular acceleration, or the kind of a load
  LogLogTable table;                   ///< base acceleration amplitude, or a PSD of what it is of; SI
  std::vector<AmplitudePoint> points;  ///< of a load's sine profile, in the unit of the load; SI
  BetweenPoints between = BetweenPoints::power_law;  ///< what holds between them
  [[nodiscard]] bool of_load() const {
    return !points.empty() || (drives != &kind::acceleration && drives != &kind::angular_acceleration);
  }
  [[nodiscard]] bool is_random() const { return type == Type::random; }
  /// As a load is driven by it. @pre sine
  [[nodiscard]] Amplitude amplitude() const { return of_load() ? Amplitude(points, between) : Amplitude(table); }
  std::optional<double> duration;    ///< s
  std::optional<double> sweep_rate;  ///< octaves/minute
  double upper = 1, lower = 1;       ///< tolerance band, as factors on the level of the table
  std::string tolerance;             ///< "±3 dB"; empty: none
};

/// One question to a finished run, in one line:
///
///     [curve of | field of] QUANTITY[.COMPONENT] of PLACE [in CASE, CASE] [at FREQUENCY | at mode N] [phase ANGLE]
///     [as UNIT]
struct Question {
  enum class Form { value, curve, field };
  std::string text;  ///< as it was asked
  Form form = Form::value;
  std::string of;                     ///< the place, as it was called
  OutputRequest request{};            ///< of a field only its quantity
  std::string component;              ///< "x"; empty: the magnitude, or all there is
  std::vector<std::string> cases{};   ///< "sine", "sine.x"; empty: all that were run
  std::optional<double> frequency{};  ///< Hz
  std::optional<int> mode{};          ///< at its natural frequency, from 1
  std::optional<double> phase{};      ///< rad, after the input's largest
  std::optional<DisplayUnit> unit{};  ///< absent: that of the plan
  Place place{};                      ///< for messages
};

/// A figure that the plan asks for: the shape of a mode, or a curve or field that a question names.
struct FigureRequest {
  std::string name;
  std::optional<int> mode{};  ///< from 1
  Question question{};        ///< of what is no mode
  /// A direction from which it is looked at, degrees: azimuth from x towards y, elevation above the xy plane.
  struct Viewpoint {
    std::string name;
    double azimuth = 0, elevation = 0;
  };
  std::vector<Viewpoint> sights{};  ///< one at least
  std::vector<int> parts{};         ///< these alone; empty: the whole model
  double scale = 0;                 ///< displacements are drawn so many times as large; 0: so that they are seen
  bool plays = false;               ///< of a mode or the shape of a sine: one cycle of it
};

/// How far a real piece may be from its model.
struct Scatter {
  double frequencies = 0;         ///< part by which all natural frequencies may be lower or higher
  std::vector<double> damping{};  ///< ratios ζ between which the general damping may lie; empty: it is as it is
};

/// What the conductor of a test is handed, a page for each axis and level.
struct TestSheets {
  std::vector<std::string> accelerometers;            ///< "box.acceleration"
  double abort = 1.4125375446227544;                  ///< times what is predicted: 3 dB
  std::optional<double> low_level{};                  ///< dB, of a run before and after, beside the level tested
  double frequency_change = 0, amplitude_change = 0;  ///< parts by which it may differ afterwards
};

struct Plan {
  std::string file, title;
  std::vector<std::pair<std::string, std::string>> document{};  ///< names and texts for the head of the report
  Show show;
  Assembly assembly;
  ModeRequest modes;                 ///< the default is filled in: 1.5 times the highest frequency excited or limited
  std::string modes_about;           ///< the static environment that modes are taken about; empty: none
  std::vector<double> modes_levels;  ///< parts of that state under which frequencies are told besides
  bool modes_defaulted = false;
  DampingRule damping;
  std::vector<OutputRequest> watch;
  std::vector<Profile> profiles;
  std::vector<Environment> environments;
  std::vector<Limit> limits;
  std::optional<Vibrator> vibrator{};
  std::optional<TestSheets> test_sheets{};
  std::vector<HistoryRequest> histories{};
  std::vector<CrossRequest> cross_spectra{};
  std::vector<LifeRequest> lives{};
  Scatter scatter{};
  std::vector<std::string> variants{};        ///< of springs, by name, in the order of the plan
  std::string variant{};                      ///< that which the springs are; empty: what their joints say
  std::vector<EquipmentRequest> equipment{};  ///< responses that become specifications
  std::vector<FigureRequest> figures{};
  std::vector<std::string> notes;         ///< defaults that the run prints
  std::set<std::string> regions;          ///< places chosen by region, which seldom are a single node
  std::map<std::string, Place> subjects;  ///< where each part, joint, mass … stands, for problems found later

  /// Adds the place of each problem's subject, where it has none.
  [[nodiscard]] InputError located(const InputError& error) const;
};

/// Reads a plan file and everything it includes.
/// @throws InputError  all that is wrong in it
/// @throws FileError   it cannot be read
[[nodiscard]] Plan read_plan(const std::string& file, const std::vector<Override>& overrides);

/// The same; `sources` holds every file that was read.
[[nodiscard]] Plan read_plan(const std::string& file, const std::vector<Override>& overrides, SourceFiles& sources);

/// The plan of a run, and what is asked of it.
struct AskedPlan {
  Plan plan;
  std::vector<Question> questions;
};
/// @throws InputError  a question is not understood: says where in it, and the nearest name
[[nodiscard]] AskedPlan read_asked_plan(KeptPlan& kept, const std::vector<std::string>& questions);

/// Only title, show, profiles and vibrator: the rest of the file is neither needed nor checked. A CSV file is a bare
/// table, each column a profile.
[[nodiscard]] Plan read_profiles_only(const std::string& file, const std::vector<Override>& overrides);

}  // namespace avrenk
