#include "files/curve_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <sstream>

#include "core/error.h"
#include "core/spelling.h"
#include "core/words.h"
#include "files/csv.h"
#include "files/text_file.h"

namespace avrenk {
namespace {

constexpr const char* example_header =
    "write its header as in: frequency (Hz),box.acceleration.z (g),box.acceleration.z phase (deg)";

[[noreturn]] void refuse_at(const Place& place, std::string wrong, std::string instead) {
  throw InputError(Problem{"", std::move(wrong), std::move(instead), place});
}

// What a column holds of the curve that it belongs to.
struct CurveColumn {
  enum class Holds { frequency, magnitude, phase, real, imaginary, none };
  Holds holds = Holds::none;
  std::string name, unit;  // of the curve, without " phase"
  Unit si{};
};
using Holds = CurveColumn::Holds;

// Where each field of a line begins, from 1. A comma in quotes parts none.
std::vector<int> field_places(const std::string& line) {
  std::vector<int> places{1};
  bool quoted = false;
  for (std::size_t i = 0; i < line.size(); ++i) {
    quoted = quoted != (line[i] == '"');
    if (line[i] == ',' && !quoted) places.push_back(static_cast<int>(i) + 2);
  }
  return places;
}

CurveColumn column_of(const std::string& name, const std::string& unit, bool first, const Place& place) {
  if (unit.empty()) refuse_at(place, fmt::format("column \"{}\" has no unit", name), example_header);
  CurveColumn column{first ? Holds::frequency : Holds::magnitude, name, unit, {}};
  try {
    column.si = parse_unit(unit);
  } catch (const InputError& error) {
    refuse_at(place, error.problems.front().wrong, error.problems.front().remedy);
  }
  if (first) {
    if (column.si.dimension != kind::frequency.dimension)
      refuse_at(place, fmt::format("the first column, \"{}\", is no frequency", name), example_header);
    return column;
  }
  if (unit == "rpm") return {};
  const std::pair<std::string_view, Holds> endings[] = {
      {" phase", Holds::phase}, {" real", Holds::real}, {" imaginary", Holds::imaginary}};
  for (const auto& [ending, holds] : endings)
    if (name.size() > ending.size() && name.ends_with(ending)) {
      column.holds = holds;
      column.name = trimmed(name.substr(0, name.size() - ending.size()));
    }
  if (column.holds == Holds::phase && column.si.dimension != kind::angle.dimension)
    refuse_at(place, fmt::format("the phase \"{}\" is in {}", name, unit), "give it in deg or rad");
  return column;
}

double number_of(const std::string& field, const Place& place) {
  double value = 0;
  const char* const end = field.data() + field.size();
  const auto [stop, error] = std::from_chars(field.data() + (field.starts_with('+') ? 1 : 0), end, value);
  if (error != std::errc{} || stop != end)
    refuse_at(place, fmt::format("\"{}\" is no number", field), "write plain numbers; units stand in the header");
  return value;
}

// Columns of numbers by their place in the header.
std::vector<std::vector<double>> read_numbers(std::istringstream& stream, const std::string& file,
                                              const std::vector<CurveColumn>& columns) {
  std::vector<std::vector<double>> numbers(columns.size());
  std::string line;
  for (int number = 2; std::getline(stream, line); ++number) {
    if (trimmed(line).empty()) continue;
    const std::vector<std::string> fields = csv_fields(line);
    if (fields.size() != columns.size())
      refuse_at({file, number, 1},
                fmt::format("the line has {}, the header names {}", counted(fields.size(), "field"), columns.size()),
                "give a number for each column");
    const std::vector<int> places = field_places(line);
    const auto place = [&](std::size_t i) { return Place{file, number, i < places.size() ? places[i] : 1}; };
    for (std::size_t i = 0; i < columns.size(); ++i) {
      const Holds holds = columns[i].holds;
      if (holds == Holds::none) continue;
      const double value = number_of(fields[i], place(i));
      if (holds == Holds::frequency &&
          (!std::isfinite(value) || value < 0 || (!numbers[i].empty() && value < numbers[i].back())))
        refuse_at(place(i), fmt::format("the frequency {} does not rise", fields[i]),
                  "give the lines in the order of their frequencies");
      if (holds == Holds::magnitude && value < 0)
        refuse_at(place(i), fmt::format("the magnitude {} is negative", fields[i]),
                  "give magnitude and phase, or name the columns real and imaginary");
      numbers[i].push_back(value);
    }
  }
  return numbers;
}

}  // namespace

const FileCurve* CurveFile::find(const std::string& name) const {
  const auto found =
      std::find_if(curves.begin(), curves.end(), [&](const FileCurve& each) { return each.name == name; });
  return found == curves.end() ? nullptr : &*found;
}

bool is_psd(const FileCurve& curve) { return curve.unit.ends_with("/Hz"); }

CurveFile read_curves(const std::string& file) {
  constexpr std::size_t most_bytes = 512U << 20U;
  std::istringstream stream(read_text_file(file, most_bytes, "a table of curves"));
  std::string header;
  if (!std::getline(stream, header)) refuse_at({file, 1, 1}, "the file is empty", example_header);
  if (header.starts_with("\xEF\xBB\xBF")) header.erase(0, 3);  // the mark with which some editors begin
  const std::vector<int> places = field_places(header);
  std::vector<CurveColumn> columns;
  for (const auto& [name, unit] : csv_columns(header)) {
    const std::size_t i = columns.size();
    columns.push_back(column_of(name, unit, i == 0, {file, 1, i < places.size() ? places[i] : 1}));
  }
  if (columns.size() < 2) refuse_at({file, 1, 1}, "the file has one column only", example_header);
  const std::vector<std::vector<double>> numbers = read_numbers(stream, file, columns);
  if (numbers.front().empty())
    refuse_at({file, 1, 1}, "the file has a header and no numbers", "give a line a frequency");

  CurveFile result{file, {}, {}, {}};
  for (const double each : numbers.front()) result.grid.push_back(each * columns.front().si.factor);
  const auto column = [&](const std::string& name, Holds holds) -> const std::vector<double>* {
    const auto is_it = [&](const CurveColumn& each) { return each.name == name && each.holds == holds; };
    const auto found = std::find_if(columns.begin(), columns.end(), is_it);
    return found == columns.end() ? nullptr : &numbers[static_cast<std::size_t>(found - columns.begin())];
  };
  for (std::size_t i = 1; i < columns.size(); ++i) {
    const CurveColumn& curve_column = columns[i];
    const Place place{file, 1, i < places.size() ? places[i] : 1};
    for (std::size_t j = 1; j < i; ++j)
      if (curve_column.holds != Holds::none && columns[j].holds == curve_column.holds &&
          columns[j].name == curve_column.name)
        refuse_at(place, fmt::format("two columns are called \"{}\"", curve_column.name), "give each its own name");
    const std::vector<double>* const magnitude = column(curve_column.name, Holds::magnitude);
    if (curve_column.holds == Holds::phase && !magnitude)
      refuse_at(place, fmt::format("\"{}\" has a phase and no magnitude", curve_column.name), example_header);
    const std::vector<double>*const real = column(curve_column.name, Holds::real), *const imaginary =
                                                                                       column(curve_column.name,
                                                                                              Holds::imaginary);
    if ((curve_column.holds == Holds::real || curve_column.holds == Holds::imaginary) &&
        (!real || !imaginary || magnitude))
      refuse_at(place, fmt::format("of \"{}\" there is not just a real and an imaginary part", curve_column.name),
                "give it by these two, or by its magnitude and phase");
    if (curve_column.holds != Holds::magnitude && curve_column.holds != Holds::real) continue;
    FileCurve curve{curve_column.name, curve_column.unit, curve_column.si, {}, {}};
    const std::vector<double>* const phase = column(curve_column.name, Holds::phase);
    double to_radian = 1;
    for (const CurveColumn& each : columns)
      if (each.holds == Holds::phase && each.name == curve_column.name) to_radian = each.si.factor;
    for (std::size_t k = 0; k < result.grid.size(); ++k) {
      const double factor = curve_column.si.factor;
      if (real)
        curve.response.emplace_back(factor * (*real)[k], factor * (*imaginary)[k]);
      else if (phase)
        curve.response.push_back(std::polar(1.0, to_radian * (*phase)[k]) * (factor * (*magnitude)[k]));
      curve.magnitude.push_back(real ? std::abs(curve.response.back()) : factor * (*magnitude)[k]);
    }
    if (curve_column.name == "input" || curve_column.name == "input amplitude" || curve_column.name == "input PSD")
      result.input = std::move(curve);
    else
      result.curves.push_back(std::move(curve));
  }
  if (result.curves.empty()) refuse_at({file, 1, 1}, "the file holds no response", example_header);
  return result;
}

}  // namespace avrenk
