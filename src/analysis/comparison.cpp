#include "analysis/comparison.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <filesystem>
#include <map>

#include "core/error.h"
#include "core/excitation/profile.h"
#include "core/parallel.h"
#include "core/spelling.h"
#include "files/curve_files.h"

namespace avrenk {

std::pair<std::string, std::string> file_and_case(const std::string& word) {
  const std::size_t colon = word.rfind(".csv:");
  if (colon == std::string::npos || std::filesystem::exists(word)) return {word, ""};
  return {word.substr(0, colon + 4), word.substr(colon + 5)};
}

namespace {

constexpr std::string_view curves_ending = ".curves.csv";

ComparedSource open_run(const std::string& word) {
  const std::filesystem::path path(word);
  if (!std::filesystem::exists(path))
    throw FileError(
        fmt::format("{}: there is no such folder of results; name one that avrenk modes or run wrote, or a "
                    "CSV file of measured curves",
                    word));
  ComparedSource opened{word, path.has_filename() ? path.filename().string() : path.parent_path().filename().string(),
                        true, ""};
  if (!std::filesystem::is_directory(path)) return opened;  // kept modes alone
  if (std::filesystem::exists(path / "summary.json")) opened.summary = read_summary(path / "summary.json");
  if (!std::filesystem::is_directory(path / "tables")) return opened;
  for (const auto& entry : std::filesystem::directory_iterator(path / "tables"))
    if (const std::string name = entry.path().filename().string(); name.ends_with(curves_ending))
      opened.curves.emplace(name.substr(0, name.size() - curves_ending.size()), read_curves(entry.path().string()));
  return opened;
}

// Why a measured file is not of a case; empty: it is.
std::string obstacle(const CurveFile& measured, const CurveFile& of_run) {
  std::vector<std::string> names;
  for (const FileCurve& each : of_run.curves) names.push_back(each.name);
  for (const FileCurve& curve : measured.curves) {
    const FileCurve* const partner = of_run.find(curve.name);
    if (!partner) return fmt::format("no \"{}\" is watched; {}", curve.name, suggest_name(curve.name, names));
    const bool fits = partner->si.dimension == curve.si.dimension ||
                      (is_ratio(curve) && of_run.input && of_run.input->si.dimension == partner->si.dimension);
    if (!fits)
      return fmt::format("\"{}\" is measured in {}, the run has it in {}; give it in such a unit", curve.name,
                         curve.unit, partner->unit);
  }
  return "";
}

ComparedSource open_measured(const std::string& word, const std::vector<ComparedSource>& sources) {
  const auto named = file_and_case(word);
  const std::string& file = named.first;
  std::string in = named.second;
  CurveFile curves = read_curves(file);
  for (const FileCurve& curve : curves.curves)
    if (const auto gaps = std::count_if(curve.magnitude.begin(), curve.magnitude.end(),
                                        [](double value) { return !std::isfinite(value); }))
      throw InputError(Problem{fmt::format("\"{}\"", curve.name), fmt::format("{} of its numbers are missing", gaps),
                               "leave those lines out, or put the curve into a file of its own", Place{file, 0, 0}});
  // Each case of any run, once; why the file is not of it.
  std::map<std::string, std::string> cases;
  for (const ComparedSource& run : sources) {
    if (!run.is_run) continue;
    for (const auto& [name, of_run] : run.curves)
      if (const std::string why = obstacle(curves, of_run); !cases.contains(name) || why.empty()) cases[name] = why;
  }
  std::vector<std::string> names, fitting;
  for (const auto& [name, why] : cases) {
    names.push_back(name);
    if (why.empty()) fitting.push_back(name);
  }
  const auto refuse_file = [&](const std::string& wrong, const std::string& remedy) {
    throw InputError(Problem{"", wrong, remedy, Place{file, 1, 1}});
  };
  const std::string stem = std::filesystem::path(file).stem().string();
  if (!in.empty()) {
    if (!cases.contains(in)) refuse_file(fmt::format("no run has a case \"{}\"", in), suggest_name(in, names));
    if (!cases[in].empty()) refuse_file(fmt::format("in {}: {}", in, cases[in]), "");
  } else if (!names.empty()) {
    if (fitting.empty()) refuse_file(fmt::format("in {}: {}", names.front(), cases.begin()->second), "");
    const bool is_named = std::find(fitting.begin(), fitting.end(), stem) != fitting.end();
    if (fitting.size() > 1 && !is_named)
      refuse_file(fmt::format("it may be of any of the cases {}", fmt::join(fitting, ", ")),
                  fmt::format("write {}:{} for one of them", file, fitting.front()));
    in = is_named ? stem : fitting.front();
  }
  ComparedSource opened{file, stem, false, in};
  opened.curves.emplace(in, std::move(curves));
  return opened;
}

std::vector<double> input_of(const CurveFile& file) {
  if (!file.input) return {};
  const std::vector<double>& input = file.input->magnitude;
  const bool is_known = std::all_of(input.begin(), input.end(), [](double v) { return std::isfinite(v) && v > 0; });
  return is_known ? input : std::vector<double>{};
}

// A curve of a file ready for comparison. @param unit  what it is printed in; set where it is empty
ComparedCurve prepared(std::size_t source, const CurveFile& file, const FileCurve& own, ComparedQuantity& quantity,
                       const std::string& path) {
  ComparedCurve compared{source, {file.grid, own.magnitude, own.response, quantity.is_psd}, input_of(file)};
  std::string unit = own.unit;
  double factor = own.si.factor;
  if (quantity.per_input && !is_ratio(own)) {
    if (compared.input.empty())
      throw InputError(Problem{fmt::format("\"{}\"", own.name),
                               "what it is compared with is over its input, and its own is not known",
                               "add a column \"input (g)\" with the amplitude at each frequency", Place{path, 0, 0}});
    for (std::size_t k = 0; k < compared.input.size(); ++k) {
      compared.curve.magnitude[k] /= compared.input[k];
      if (!compared.curve.response.empty()) compared.curve.response[k] /= compared.input[k];
    }
    compared.input.clear();
    factor /= file.input->si.factor;
    unit = fmt::format("({})/({})", own.unit, file.input->unit);
    if (own.unit.find('/') == std::string::npos && file.input->unit.find('/') == std::string::npos)
      unit = own.unit + "/" + file.input->unit;
  }
  if (quantity.unit.empty()) {
    quantity.unit = unit;
    quantity.factor = factor;
  }
  const std::vector<double>& magnitude = compared.curve.magnitude;
  const auto top = static_cast<std::size_t>(std::max_element(magnitude.begin(), magnitude.end()) - magnitude.begin());
  compared.highest = magnitude[top];
  compared.highest_at = file.grid[top];
  return compared;
}

bool is_whole(const FileCurve& curve) {
  return std::all_of(curve.magnitude.begin(), curve.magnitude.end(), [](double value) { return std::isfinite(value); });
}

// Of one quantity in one case, from all that have it.
std::optional<ComparedQuantity> quantity_of(const std::vector<ComparedSource>& all, const std::string& in,
                                            const std::string& name) {
  struct Found {
    std::size_t source;
    const CurveFile* file;
    const FileCurve* curve;
  };
  std::vector<Found> found;
  ComparedQuantity quantity;
  quantity.in = in;
  quantity.name = name;
  bool is_first = true;
  for (std::size_t s = 0; s < all.size(); ++s) {
    const auto file = all[s].curves.find(in);
    const FileCurve* const curve = file == all[s].curves.end() ? nullptr : file->second.find(name);
    if (!curve || !is_whole(*curve)) continue;
    found.push_back({s, &file->second, curve});
    const bool measured = !all[s].is_run;
    if (is_first) quantity.is_psd = is_psd(*curve);
    is_first = false;
    if (measured && (is_ratio(*curve) || file->second.input)) quantity.per_input = true;
    const std::size_t dot = name.rfind('.');
    if (dot != std::string::npos && file->second.find(name.substr(0, dot))) quantity.is_component = true;
  }
  if (found.size() < 2) return std::nullopt;
  for (const Found& candidate : found)
    if (candidate.curve->si.dimension != found.front().curve->si.dimension && !quantity.per_input)
      throw InputError(Problem{fmt::format("\"{}\"", name),
                               fmt::format("it is in {} here and in {} in {}", candidate.curve->unit,
                                           found.front().curve->unit, found.front().file->file),
                               "give both in units of one kind", Place{candidate.file->file, 1, 1}});
  for (const Found& each : found)
    quantity.curves.push_back(prepared(each.source, *each.file, *each.curve, quantity, all[each.source].path));
  return quantity;
}

void compare_within(ComparedQuantity& quantity, bool with_modes) {
  ComparedCurve& first = quantity.curves.front();
  if (with_modes)
    for (ComparedCurve& each : quantity.curves) each.peaks = response_peaks(each.curve, each.input);
  const auto frequencies = [](const ComparedCurve& curve) {
    std::vector<double> all;
    for (const ResponsePeak& peak : curve.peaks) all.push_back(peak.frequency);
    return all;
  };
  for (ComparedCurve& compared_curve : quantity.curves) {
    compared_curve.partners.resize(compared_curve.peaks.size());
    if (&compared_curve == &first) continue;
    compared_curve.alike = likeness(first.curve, compared_curve.curve);
    for (const auto& [of_first, own] : pair_peaks(frequencies(first), frequencies(compared_curve)))
      compared_curve.partners[own] = of_first;
  }
}

// A run's limits by what they are called and of what they are.
struct LimitRow {
  std::string name, of;
  double margin = 0, value = 0, factor = 1, allowable = 0;
};

std::vector<LimitRow> limits_of(const std::optional<Summary>& summary) {
  std::vector<LimitRow> rows;
  const Table* const table = summary ? find_table(*summary, "limits") : nullptr;
  if (!table) return rows;
  const auto column = [&](std::string_view name) {
    const std::optional<std::size_t> found = column_index(*table, name);
    if (!found)
      throw FileError(fmt::format("the summary of {} has limits without a column \"{}\"", summary->plan, name));
    return *found;
  };
  const std::size_t name = column("limit"), of = column("of"), margin = column("margin"), value = column("value"),
                    factor = column("factor"), allowable = column("allowable"), unit = column("unit");
  for (const std::vector<Cell>& cells : table->rows) {
    const auto text = [&](std::size_t i) {
      const std::string* const own = std::get_if<std::string>(&cells[i]);
      return own ? *own : "";
    };
    const auto number = [&](std::size_t i) {
      const double* const own = std::get_if<double>(&cells[i]);
      return own ? *own : std::nan("");
    };
    LimitRow row{text(name), text(of), number(margin), number(value), number(factor), number(allowable)};
    constexpr std::string_view times = " × ";
    if (const std::size_t at = row.of.find(times); at != std::string::npos && number(factor) != 1)
      row.of.erase(0, at + times.size());
    const double si = text(unit).empty() ? 1 : parse_unit(text(unit)).factor;
    row.value *= si;
    row.allowable *= si;
    rows.push_back(std::move(row));
  }
  return rows;
}

// The input behind a limit's value: at the peak of a sine's curve, or the RMS of a random one's.
struct InputBehind {
  double value = std::nan(""), frequency = std::nan("");
};
InputBehind input_behind(const ComparedSource& run, const std::string& of) {
  // "box.acceleration, peak, sine.y"; with a static answer added, "sine.y with gravity", it has no curve.
  const std::size_t last = of.rfind(", "), first = of.find(", ");
  if (last == std::string::npos || first == last) return {};
  const auto found = run.curves.find(of.substr(last + 2));
  if (found == run.curves.end()) return {};
  const CurveFile& file = found->second;
  const std::string name = of.substr(0, first);
  const FileCurve* const curve = file.find(name);
  const std::vector<double> input = input_of(file);
  if (!curve || input.empty() || !is_whole(*curve)) return {};
  if (is_psd(*curve)) {
    std::vector<Breakpoint> points;
    for (std::size_t k = 0; k < input.size(); ++k) points.push_back({file.grid[k], input[k], std::nullopt});
    return {std::sqrt(LogLogTable(points, 10).area()), std::nan("")};
  }
  const auto top = static_cast<std::size_t>(std::max_element(curve->magnitude.begin(), curve->magnitude.end()) -
                                            curve->magnitude.begin());
  return {input[top], file.grid[top]};
}

}  // namespace

bool Comparison::has_measured() const {
  return std::any_of(sources.begin(), sources.end(), [](const ComparedSource& each) { return !each.is_run; });
}

bool is_measured(const std::string& word) {
  const std::string file = file_and_case(word).first;
  return file.ends_with(".csv") && !std::filesystem::is_directory(file);
}

Comparison compare_curves(const std::vector<std::string>& words, bool with_modes, int threads,
                          const Progress& progress) {
  Comparison comparison;
  std::vector<ComparedSource>& sources = comparison.sources;
  sources.resize(words.size());
  for (const bool measured : {false, true})  // runs first: what was measured is looked for in them
    for (std::size_t i = 0; i < words.size(); ++i)
      if (is_measured(words[i]) == measured)
        sources[i] = measured ? open_measured(words[i], sources) : open_run(words[i]);
  std::map<std::string, int> labels;
  for (ComparedSource& each : sources)
    if (const int number = ++labels[each.label]; number > 1) each.label = fmt::format("{} ({})", each.label, number);
  // Quantities in the order of the first that has them; with measured ones only theirs.
  std::vector<std::pair<std::string, std::string>> wanted;
  for (const ComparedSource& compared_source : sources) {
    if (comparison.has_measured() && compared_source.is_run) continue;
    for (const auto& [in, file] : compared_source.curves)
      for (const FileCurve& curve : file.curves)
        if (std::pair key{in, curve.name}; std::find(wanted.begin(), wanted.end(), key) == wanted.end())
          wanted.push_back(std::move(key));
  }
  for (const auto& [in, name] : wanted)
    if (std::optional<ComparedQuantity> quantity = quantity_of(sources, in, name))
      comparison.quantities.push_back(std::move(*quantity));
  std::atomic<std::size_t> done = 0;
  const auto total = static_cast<double>(comparison.quantities.size());
  run_jobs(comparison.quantities.size(), threads, [&](std::size_t i) {
    compare_within(comparison.quantities[i], with_modes);
    if (progress) progress({"comparing curves", static_cast<double>(++done) / total, -1});
  });
  return comparison;
}

std::vector<LimitChange> limit_changes(const Comparison& comparison, std::size_t first, std::size_t second) {
  const std::vector<LimitRow> before = limits_of(comparison.sources[first].summary),
                              after = limits_of(comparison.sources[second].summary);
  const double none = std::nan("");
  const auto same = [](const LimitRow& row) {
    return [&row](const LimitRow& other) { return other.name == row.name && other.of == row.of; };
  };
  std::vector<LimitChange> changes;
  for (const LimitRow& old : before) {
    LimitChange& change =
        changes.emplace_back(LimitChange{old.name, old.of, old.margin, none, none, none, none, none, none});
    const auto now = std::find_if(after.begin(), after.end(), same(old));
    if (now == after.end()) continue;
    change.second = now->margin;
    const auto decibels = [](double to, double from) { return ratio_in_decibels(to / from, false); };
    change.allowable = decibels(now->allowable, old.allowable);
    change.factor = decibels(now->factor, old.factor);
    const InputBehind was = input_behind(comparison.sources[first], old.of),
                      is = input_behind(comparison.sources[second], now->of);
    change.input = decibels(is.value, was.value);
    change.structure = decibels(now->value, old.value) - (std::isfinite(change.input) ? change.input : 0);
    change.shift = 100 * (is.frequency / was.frequency - 1);
  }
  for (const LimitRow& row : after)
    if (std::none_of(before.begin(), before.end(), same(row)))
      changes.push_back({row.name, row.of, none, row.margin, none, none, none, none, none});
  return changes;
}

}  // namespace avrenk
