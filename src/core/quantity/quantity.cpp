#include "core/quantity/quantity.h"

#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <optional>
#include <vector>

#include "core/error.h"
#include "core/quantity/meant.h"
#include "core/spelling.h"
#include "core/words.h"

namespace avrenk {
namespace {

struct NamedUnit {
  std::string_view name;
  double factor;  // to SI
  Dimension dimension;
};

constexpr double inch = 0.0254, pound = 0.45359237;
constexpr Dimension none{}, dim_length = kind::length.dimension, dim_mass = kind::mass.dimension,
                            dim_time = kind::time.dimension, dim_force = kind::force.dimension,
                            dim_stress = kind::stress.dimension, dim_angle = kind::angle.dimension,
                            dim_rate = kind::frequency.dimension;
constexpr Dimension dim_octave{{0, 0, 0, 0, 0, 1}};

// Inch and pound are exact by the international yard and pound agreement (1959).
constexpr NamedUnit units[] = {
    {"m", 1, dim_length},
    {"mm", 1e-3, dim_length},
    {"cm", 1e-2, dim_length},
    {"um", 1e-6, dim_length},
    {"km", 1e3, dim_length},
    {"in", inch, dim_length},
    {"inch", inch, dim_length},
    {"ft", 12 * inch, dim_length},
    {"mil", 1e-3 * inch, dim_length},
    {"kg", 1, dim_mass},
    {"gram", 1e-3, dim_mass},
    {"mg", 1e-6, dim_mass},
    {"tonne", 1e3, dim_mass},
    {"lbm", pound, dim_mass},
    {"slug", pound* standard_gravity / (12 * inch), dim_mass},
    {"s", 1, dim_time},
    {"ms", 1e-3, dim_time},
    {"min", 60, dim_time},
    {"hour", 3600, dim_time},
    {"N", 1, dim_force},
    {"mN", 1e-3, dim_force},
    {"kN", 1e3, dim_force},
    {"MN", 1e6, dim_force},
    {"lbf", pound* standard_gravity, dim_force},
    {"Pa", 1, dim_stress},
    {"kPa", 1e3, dim_stress},
    {"MPa", 1e6, dim_stress},
    {"GPa", 1e9, dim_stress},
    {"bar", 1e5, dim_stress},
    {"psi", pound* standard_gravity / (inch * inch), dim_stress},
    {"ksi", 1e3 * pound* standard_gravity / (inch * inch), dim_stress},
    {"Msi", 1e6 * pound* standard_gravity / (inch * inch), dim_stress},
    {"Hz", 1, dim_rate},
    {"kHz", 1e3, dim_rate},
    {"rpm", 1.0 / 60, dim_rate},
    {"rad", 1, dim_angle},
    {"mrad", 1e-3, dim_angle},
    {"deg", pi / 180, dim_angle},
    {"g", standard_gravity, kind::acceleration.dimension},
    {"dB", 1, kind::level.dimension},
    {"oct", 1, dim_octave},
    {"K", 1, kind::temperature.dimension},
    {"%", 1e-2, none},
    {"1", 1, none},
};

// One spelling for the signs that have several: ² and ³ become ^2 and ^3, · becomes a space, µ becomes u.
std::string plain_signs(std::string_view text) {
  std::string out(text);
  const auto replace_all = [&out](std::string_view from, std::string_view to) {
    for (std::size_t at = 0; (at = out.find(from, at)) != std::string::npos; at += to.size())
      out.replace(at, from.size(), to);
  };
  replace_all("²", "^2");
  replace_all("³", "^3");
  replace_all("⁴", "^4");
  replace_all("·", " ");
  replace_all("⋅", " ");
  replace_all("*", " ");
  replace_all("µ", "u");
  replace_all("μ", "u");
  replace_all("°", "deg");
  replace_all("−", "-");
  return out;
}

const NamedUnit& find_unit(std::string_view name) {
  for (const NamedUnit& unit : units)
    if (unit.name == name) return unit;
  if (name == "lb" || name == "lbs")
    throw_input_error("", fmt::format("\"{}\" may be a mass or a force", name), "write lbm or lbf");
  if (name == "G") throw_input_error("", "\"G\" is no unit", "write \"g\" for standard gravity, 9.80665 m/s^2");
  std::vector<std::string> names;
  for (const NamedUnit& unit : units) names.emplace_back(unit.name);
  const auto nearest = nearest_name(name, names);
  throw_input_error("", fmt::format("unknown unit \"{}\"", name),
                    nearest ? fmt::format("write \"{}\"", *nearest) : "see the list of units in docs/plan.md");
}

// unit = factor { (" " | "/") factor };  factor = (name | "(" unit ")") [ "^" integer ]
class UnitParser {
 public:
  explicit UnitParser(std::string_view text) : text_(text) {}

  Unit parse() {
    constexpr std::size_t longest = 200;
    if (text_.size() > longest)
      throw_input_error("", fmt::format("a unit of {} letters is none: \"{}…\"", text_.size(), text_.substr(0, 12)),
                        "");
    Unit unit = product();
    if (at_ != text_.size())
      throw_input_error("", fmt::format("unit \"{}\" has an unexpected \"{}\"", text_, text_.substr(at_)), "");
    return unit;
  }

 private:
  Unit product() {
    Unit total = factor();
    bool divided = false;
    for (;;) {
      const bool space = skip_spaces();
      if (at_ == text_.size() || text_[at_] == ')') return total;
      if (text_[at_] == '/') {
        ++at_;
        skip_spaces();
        const Unit below = factor();
        total = {total.factor / below.factor, total.dimension * power(below.dimension, -1)};
        divided = true;
      } else if (space || text_[at_] == '(') {
        if (divided)
          throw_input_error("", fmt::format("unit \"{}\" can be read in two ways", text_),
                            "put what is divided by in brackets, as in N/(m s)");
        const Unit next = factor();
        total = {total.factor * next.factor, total.dimension * next.dimension};
      } else {
        return total;
      }
    }
  }

  Unit factor() {
    Unit base;
    if (at_ < text_.size() && text_[at_] == '(') {
      ++at_;
      base = product();
      if (at_ == text_.size()) throw_input_error("", fmt::format("unit \"{}\" lacks a closing bracket", text_), "");
      ++at_;
    } else {
      const std::size_t start = at_;
      while (at_ < text_.size() && std::string_view(" /()^").find(text_[at_]) == std::string_view::npos) ++at_;
      if (start == at_) throw_input_error("", fmt::format("unit \"{}\" is not complete", text_), "");
      const NamedUnit& named = find_unit(text_.substr(start, at_ - start));
      base = {named.factor, named.dimension};
    }
    if (at_ < text_.size() && text_[at_] == '^') {
      int exponent = 0;
      const auto [end, bad] = std::from_chars(text_.data() + at_ + 1, text_.data() + text_.size(), exponent);
      if (bad != std::errc{} || std::abs(exponent) > 8)
        throw_input_error("", fmt::format("unit \"{}\" has no whole exponent after ^", text_), "");
      at_ = static_cast<std::size_t>(end - text_.data());
      base = {std::pow(base.factor, exponent), power(base.dimension, exponent)};
    }
    return base;
  }

  bool skip_spaces() {
    const std::size_t start = at_;
    while (at_ < text_.size() && text_[at_] == ' ') ++at_;
    return at_ != start;
  }

  std::string_view text_;
  std::size_t at_ = 0;
};

constexpr const Kind* known_kinds[] = {&kind::length,
                                       &kind::area,
                                       &kind::second_moment,
                                       &kind::angle,
                                       &kind::velocity,
                                       &kind::acceleration,
                                       &kind::angular_velocity,
                                       &kind::angular_acceleration,
                                       &kind::mass,
                                       &kind::inertia,
                                       &kind::density,
                                       &kind::force,
                                       &kind::moment,
                                       &kind::stress,
                                       &kind::stiffness,
                                       &kind::rotational_stiffness,
                                       &kind::bedding,
                                       &kind::dashpot,
                                       &kind::frequency,
                                       &kind::rotational_dashpot,
                                       &kind::acceleration_psd,
                                       &kind::level,
                                       &kind::slope,
                                       &kind::time,
                                       &kind::temperature,
                                       &kind::expansion,
                                       &kind::angular_acceleration_psd,
                                       &kind::velocity_psd,
                                       &kind::displacement_psd,
                                       &kind::angular_velocity_psd,
                                       &kind::angle_psd,
                                       &kind::force_psd,
                                       &kind::moment_psd,
                                       &kind::pressure_psd,
                                       &kind::line_load_psd};

bool fits(const Kind& due, const Dimension& found) {
  if (found == due.dimension) return true;
  constexpr Dimension angle_once{{0, 0, 0, -1, 0, 0}};  // N m for N m/rad
  const bool rotational = &due == &kind::rotational_stiffness || &due == &kind::rotational_dashpot;
  return rotational && found * angle_once == due.dimension;
}

}  // namespace

Dimension operator*(const Dimension& a, const Dimension& b) {
  Dimension product;
  for (std::size_t i = 0; i < product.exponents.size(); ++i) product.exponents[i] = a.exponents[i] + b.exponents[i];
  return product;
}

Dimension power(const Dimension& a, int exponent) {
  Dimension result;
  for (std::size_t i = 0; i < result.exponents.size(); ++i) result.exponents[i] = a.exponents[i] * exponent;
  return result;
}

Unit parse_unit(std::string_view text) {
  const std::string plain = plain_signs(trimmed(text));
  return UnitParser(plain).parse();
}

Quantity parse_quantity(std::string_view text) {
  const std::string plain = plain_signs(trimmed(text));
  const char* begin = plain.data();
  const char* const end = begin + plain.size();
  if (begin != end && *begin == '+') ++begin;
  double number = 0;
  const auto [rest, bad] = std::from_chars(begin, end, number);
  if (bad != std::errc{}) throw_input_error("", fmt::format("\"{}\" is not a number with a unit", text), "");
  if (!std::isfinite(number)) throw_input_error("", fmt::format("\"{}\" is not a finite number", text), "");
  const std::string_view unit_text = trimmed({rest, static_cast<std::size_t>(end - rest)});
  if (unit_text.empty()) return {number, {}, true};
  const Unit unit = UnitParser(unit_text).parse();
  const double value = number * unit.factor;
  if (!std::isfinite(value)) throw_input_error("", fmt::format("\"{}\" is beyond all numbers", text), "");
  return {value, unit.dimension, false};
}

double parse_as(const Kind& due, std::string_view text) {
  Quantity quantity;
  try {
    quantity = parse_quantity(text);
  } catch (const InputError& error) {
    Problem problem = error.problems.front();
    if (problem.remedy.empty()) problem.remedy = fmt::format("write {} such as \"{}\"", due.name, due.example);
    throw InputError(problem);
  }
  const bool unitless = due.dimension == none;
  if (quantity.bare && !unitless)
    throw_input_error("", fmt::format("\"{}\" has no unit", trimmed(text)),
                      fmt::format("write {} such as \"{}\"", due.name, due.example));
  if (!fits(due, quantity.dimension))
    throw_input_error("", fmt::format("\"{}\" is {}", trimmed(text), describe(quantity.dimension)),
                      fmt::format("write {} such as \"{}\"", due.name, due.example));
  // No structure has such numbers; their squares and products would leave the range of all numbers.
  const double size = std::abs(quantity.value), most = &due == &kind::frequency                 ? 1e9
                                                       : due.dimension == kind::level.dimension ? 400
                                                       : due.dimension == kind::slope.dimension ? 1000
                                                                                                : most_meant;
  if (size > most || (size > 0 && size < least_meant))
    throw_input_error("", fmt::format("\"{}\" is too {} to be meant", trimmed(text), size > most ? "much" : "little"),
                      fmt::format("write {} such as \"{}\"", due.name, due.example));
  return quantity.value;
}

std::string describe(const Dimension& dimension) {
  if (dimension == none) return "a ratio";
  for (const Kind* known : known_kinds)
    if (known->dimension == dimension) return std::string(known->name);
  constexpr std::string_view symbols[] = {"m", "kg", "s", "rad", "dB", "oct", "K"};
  std::string text = "a quantity in";
  for (std::size_t i = 0; i < dimension.exponents.size(); ++i) {
    const int exponent = dimension.exponents[i];
    if (exponent == 1) text += fmt::format(" {}", symbols[i]);
    if (exponent != 0 && exponent != 1) text += fmt::format(" {}^{}", symbols[i], exponent);
  }
  return text;
}

DisplayUnit display_unit(std::string_view unit) {
  std::string pretty(unit);
  for (const auto& [from, to] : {std::pair{"^2", "²"}, std::pair{"^3", "³"}, std::pair{"^4", "⁴"}})
    for (std::size_t at = 0; (at = pretty.find(from, at)) != std::string::npos;) pretty.replace(at, 2, to);
  return {pretty, parse_unit(unit).factor};
}

DisplayUnit psd_unit(const DisplayUnit& unit) {
  const bool compound = unit.text.find_first_of(" /") != std::string::npos;
  return {(compound ? "(" + unit.text + ")²" : unit.text + "²") + "/Hz", unit.factor * unit.factor};
}

}  // namespace avrenk
