/// core/quantity/quantity.h: numbers with units. Inside the core every number is SI; text with a unit becomes SI here
/// and nowhere else.
#pragma once

#include <array>
#include <numbers>
#include <string>
#include <string_view>

namespace avrenk {

inline constexpr double pi = std::numbers::pi;
inline constexpr double standard_gravity = 9.80665;  ///< m/s², exact (CGPM 1901)

/// Exponents of length, mass, time, angle, level (dB), octave and temperature. Angle is kept apart so that a rotation
/// is not taken for a ratio; Hz is 1/s.
struct Dimension {
  std::array<int, 7> exponents{};
  bool operator==(const Dimension&) const = default;
};
[[nodiscard]] Dimension operator*(const Dimension& a, const Dimension& b);
[[nodiscard]] Dimension power(const Dimension& a, int exponent);

/// What a quantity is, as the user calls it. The constants below are the only ones; they are compared by address.
struct Kind {
  std::string_view name;     ///< with its article: "a length"
  Dimension dimension;       ///< in the order of Dimension::exponents
  std::string_view example;  ///< shown when a quantity of this kind is due
  std::string_view display;  ///< the unit it is printed in unless the plan's `show` says otherwise
};

namespace kind {
inline constexpr Kind ratio{"a ratio", {}, "2 %", "%"};
inline constexpr Kind number{"a plain number", {}, "0.33", "1"};
inline constexpr Kind length{"a length", {{1, 0, 0, 0, 0, 0}}, "8 mm", "mm"};
inline constexpr Kind area{"an area", {{2, 0, 0, 0, 0, 0}}, "120 mm^2", "mm^2"};
inline constexpr Kind second_moment{"a second moment of area", {{4, 0, 0, 0, 0, 0}}, "950 mm^4", "mm^4"};
inline constexpr Kind angle{"an angle", {{0, 0, 0, 1, 0, 0}}, "90 deg", "mrad"};
inline constexpr Kind velocity{"a velocity", {{1, 0, -1, 0, 0, 0}}, "0.3 m/s", "mm/s"};
inline constexpr Kind acceleration{"an acceleration", {{1, 0, -2, 0, 0, 0}}, "4 g", "g"};
inline constexpr Kind angular_velocity{"an angular velocity", {{0, 0, -1, 1, 0, 0}}, "2 rad/s", "rad/s"};
inline constexpr Kind angular_acceleration{"an angular acceleration", {{0, 0, -2, 1, 0, 0}}, "50 rad/s^2", "rad/s^2"};
inline constexpr Kind mass{"a mass", {{0, 1, 0, 0, 0, 0}}, "4.2 kg", "kg"};
inline constexpr Kind inertia{"a moment of inertia", {{2, 1, 0, 0, 0, 0}}, "0.02 kg m^2", "kg m^2"};
inline constexpr Kind line_density{"a mass per length", {{-1, 1, 0, 0, 0, 0}}, "0.3 kg/m", "kg/m"};
inline constexpr Kind area_density{"a mass per area", {{-2, 1, 0, 0, 0, 0}}, "0.4 kg/m^2", "kg/m^2"};
inline constexpr Kind section_modulus{"a section modulus", {{3, 0, 0, 0, 0, 0}}, "120 mm^3", "mm^3"};
inline constexpr Kind density{"a density", {{-3, 1, 0, 0, 0, 0}}, "2810 kg/m^3", "kg/m^3"};
inline constexpr Kind force{"a force", {{1, 1, -2, 0, 0, 0}}, "90 N", "N"};
inline constexpr Kind moment{"a moment", {{2, 1, -2, 0, 0, 0}}, "5 N m", "N m"};
inline constexpr Kind stress{"a stress", {{-1, 1, -2, 0, 0, 0}}, "71 GPa", "MPa"};
inline constexpr Kind pressure{"a pressure", {{-1, 1, -2, 0, 0, 0}}, "20 kPa", "kPa"};
inline constexpr Kind per_length{"a number per length", {{-1, 0, 0, 0, 0, 0}}, "0.02 1/m", "1/m"};
inline constexpr Kind first_moment{"a mass times a length", {{1, 1, 0, 0, 0, 0}}, "0.4 kg m", "kg m"};
inline constexpr Kind unbalance{"an unbalance", {{1, 1, 0, 0, 0, 0}}, "0.8 gram cm", "gram mm"};
inline constexpr Kind receptance{"a displacement per force", {{0, -1, 2, 0, 0, 0}}, "2 mm/kN", "mm/kN"};
inline constexpr Kind mobility{"a velocity per force", {{0, -1, 1, 0, 0, 0}}, "3 mm/(N s)", "mm/(N s)"};
inline constexpr Kind accelerance{"an acceleration per force", {{0, -1, 0, 0, 0, 0}}, "0.1 1/kg", "1/kg"};
inline constexpr Kind line_load{"a force per length", {{0, 1, -2, 0, 0, 0}}, "30 N/m", "N/m"};
inline constexpr Kind stiffness{"a stiffness", {{0, 1, -2, 0, 0, 0}}, "90 N/mm", "N/mm"};
inline constexpr Kind bedding{"a stiffness per area", {{-2, 1, -2, 0, 0, 0}}, "5e13 N/m^3", "N/mm^3"};
inline constexpr Kind rotational_stiffness{"a rotational stiffness", {{2, 1, -2, -1, 0, 0}}, "40 N m/rad", "N m/rad"};
inline constexpr Kind dashpot{"a dashpot constant", {{0, 1, -1, 0, 0, 0}}, "20 N s/m", "N s/m"};
inline constexpr Kind rotational_dashpot{
    "a rotational dashpot constant", {{2, 1, -1, -1, 0, 0}}, "0.3 N m s/rad", "N m s/rad"};
inline constexpr Kind frequency{"a frequency", {{0, 0, -1, 0, 0, 0}}, "20 Hz", "Hz"};
inline constexpr Kind acceleration_psd{"an acceleration PSD", {{2, 0, -3, 0, 0, 0}}, "0.04 g^2/Hz", "g^2/Hz"};
inline constexpr Kind angular_acceleration_psd{
    "an angular acceleration PSD", {{0, 0, -3, 2, 0, 0}}, "3 (rad/s^2)^2/Hz", "(rad/s^2)^2/Hz"};
inline constexpr Kind velocity_psd{"a velocity PSD", {{2, 0, -1, 0, 0, 0}}, "40 (mm/s)^2/Hz", "(mm/s)^2/Hz"};
inline constexpr Kind displacement_psd{"a displacement PSD", {{2, 0, 1, 0, 0, 0}}, "0.01 mm^2/Hz", "mm^2/Hz"};
inline constexpr Kind angular_velocity_psd{
    "an angular velocity PSD", {{0, 0, -1, 2, 0, 0}}, "0.1 (rad/s)^2/Hz", "(rad/s)^2/Hz"};
inline constexpr Kind angle_psd{"an angle PSD", {{0, 0, 1, 2, 0, 0}}, "0.01 mrad^2/Hz", "mrad^2/Hz"};
inline constexpr Kind force_psd{"a force PSD", {{2, 2, -3, 0, 0, 0}}, "0.3 N^2/Hz", "N^2/Hz"};
inline constexpr Kind moment_psd{"a moment PSD", {{4, 2, -3, 0, 0, 0}}, "0.02 (N m)^2/Hz", "(N m)^2/Hz"};
inline constexpr Kind pressure_psd{"a pressure PSD", {{-2, 2, -3, 0, 0, 0}}, "25 Pa^2/Hz", "Pa^2/Hz"};
inline constexpr Kind line_load_psd{"a PSD of a force per length", {{0, 2, -3, 0, 0, 0}}, "4 (N/m)^2/Hz", "(N/m)^2/Hz"};
inline constexpr Kind level{"a level", {{0, 0, 0, 0, 1, 0}}, "-3 dB", "dB"};
inline constexpr Kind slope{"a slope", {{0, 0, 0, 0, 1, -1}}, "+6 dB/oct", "dB/oct"};
inline constexpr Kind temperature{"a temperature difference", {{0, 0, 0, 0, 0, 0, 1}}, "40 K", "K"};
inline constexpr Kind expansion{"a coefficient of expansion", {{0, 0, 0, 0, 0, 0, -1}}, "23e-6 1/K", "1/K"};
inline constexpr Kind time{"a time", {{0, 0, 1, 0, 0, 0}}, "120 s", "s"};
}  // namespace kind

/// A unit: multiply a number by `factor` to reach SI.
struct Unit {
  double factor = 1;
  Dimension dimension;
};

/// Reads a unit such as "g^2/Hz", "kg m^2", "N·m/rad", "(m/s²)²/Hz", "%".
/// `g` is standard gravity; mass units are kg, gram, mg, tonne, lbm, slug. "lb" alone is refused.
/// @throws InputError  unknown or ambiguous unit; the subject is empty
[[nodiscard]] Unit parse_unit(std::string_view text);

/// A number with its dimension, in SI.
struct Quantity {
  double value = 0;
  Dimension dimension;
  bool bare = false;  ///< no unit was written
};

/// Reads "8 mm", "0.04 g^2/Hz", "+6 dB/oct", "1150 rpm", "0.33". White space before the unit may be left out.
/// @throws InputError  not a finite number, or an unknown unit
[[nodiscard]] Quantity parse_quantity(std::string_view text);

/// Reads a quantity that must be of the given kind, in SI. A bare number is accepted only for ratios and plain
/// numbers. N m is accepted for N m/rad, as textbooks write it.
/// @throws InputError  with what was found, what is due, and an example
[[nodiscard]] double parse_as(const Kind& due, std::string_view text);

/// "an acceleration", "a length"; or "kg m^-1 s^-2" where the trade has no name for it.
[[nodiscard]] std::string describe(const Dimension& dimension);

/// The unit in which numbers of one kind are printed.
struct DisplayUnit {
  std::string text;   ///< "mm", "g²/Hz"
  double factor = 1;  ///< SI value of one such unit
  [[nodiscard]] double from_si(double value) const { return value / factor; }
};
[[nodiscard]] DisplayUnit display_unit(std::string_view unit);

/// The unit of the PSD of a quantity printed in `unit`: "g" gives "g²/Hz", "m/s²" gives "(m/s²)²/Hz".
[[nodiscard]] DisplayUnit psd_unit(const DisplayUnit& unit);

}  // namespace avrenk
