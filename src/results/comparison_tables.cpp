#include "results/comparison_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/comparison.h"
#include "core/modes/shape_match.h"
#include "core/words.h"
#include "plan/plan_changes.h"

namespace avrenk {
namespace {

// A text of at most so many columns, its middle left out.
std::string shortened(const std::string& text, std::size_t most) {
  if (display_width(text) <= most) return text;
  std::vector<std::string> letters;
  for (std::size_t i = 0; i < text.size();) {
    std::size_t end = i + 1;
    while (end < text.size() && (static_cast<unsigned char>(text[end]) & 0xC0U) == 0x80U) ++end;
    letters.push_back(text.substr(i, end - i));
    i = end;
  }
  const std::size_t head = (most - 1) / 2, tail = most - 1 - head;
  return fmt::format("{}…{}", fmt::join(letters.begin(), letters.begin() + static_cast<std::ptrdiff_t>(head), ""),
                     fmt::join(letters.end() - static_cast<std::ptrdiff_t>(tail), letters.end(), ""));
}

bool has_phases(const Comparison& comparison, const std::string& in) {
  return std::any_of(comparison.quantities.begin(), comparison.quantities.end(), [&](const ComparedQuantity& each) {
    return each.in == in && is_shown(comparison, each) && each.curves.back().alike &&
           std::isfinite(each.curves.back().alike->assurance);
  });
}

// Of a curve to the first.
void add_differences(const ComparedQuantity& quantity, const ComparedCurve& curve, std::vector<Cell>& row) {
  const ComparedCurve& first = quantity.curves.front();
  const bool is_first = &curve == &first;
  const double none = std::nan("");
  row.emplace_back(is_first ? none : 100 * (curve.highest_at / first.highest_at - 1));
  row.emplace_back(is_first ? none : ratio_in_decibels(curve.highest / first.highest, quantity.is_psd));
  row.emplace_back(curve.alike ? curve.alike->level : none);
  row.emplace_back(curve.alike ? curve.alike->assurance : none);
}

std::vector<Column> peak_columns() {
  return {{"peak", "Hz", 5},
          {"value", "", 4},
          {"unit", ""},
          {"mode", "Hz", 6},
          {"± ", "Hz", 2},
          {"damping", "%", 4},
          {"±", "%", 2},
          {"misfit", "%", 2},
          {"moved", "%", 3, true, 2},
          {"higher", "dB", 3, true, 2}};
}

// What a peak is, beside that of the first curve.
void add_peak_cells(const ComparedQuantity& quantity, const ComparedCurve& curve, std::size_t p,
                    std::vector<Cell>& row) {
  const ResponsePeak& peak = curve.peaks[p];
  const ResponsePeak* const partner = curve.partners[p] ? &quantity.curves.front().peaks[*curve.partners[p]] : nullptr;
  const CurveMode& mode = peak.mode;
  const double none = std::nan("");
  const bool both_fitted = partner && partner->mode.is_fitted && mode.is_fitted;
  for (const double value : {peak.frequency, peak.height / quantity.factor}) row.emplace_back(value);
  row.emplace_back(quantity.unit);
  for (const double value :
       {mode.frequency, mode.frequency_error, 100 * mode.damping, 100 * mode.damping_error, 100 * mode.misfit,
        both_fitted ? 100 * (mode.frequency / partner->mode.frequency - 1)
        : partner   ? 100 * (peak.frequency / partner->frequency - 1)
                    : none,
        partner ? ratio_in_decibels(peak.height / partner->height, quantity.is_psd) : none})
    row.emplace_back(value);
}

}  // namespace

Table plan_change_table(const std::vector<PlanChange>& changes, std::size_t widest) {
  Table table{"plan-changes", "What differs between their plans", {{"value", ""}, {"first", ""}, {"second", ""}}, {}};
  const auto fitted = [&](const std::string& text) { return widest > 0 ? shortened(text, widest) : text; };
  const auto side = [&](const std::string& text) { return text.empty() ? "–" : fitted(text); };
  for (const PlanChange& change : changes)
    table.rows.push_back({fitted(change.path), side(change.first), side(change.second)});
  return table;
}

Table limit_change_table(const Comparison& comparison, std::size_t first, std::size_t second) {
  Table table{"limits-compared",
              "Margins of both, and what changed them: ratios in dB, second to first",
              {{"limit", ""},
               {"first", "%", 3, true, 1},
               {"second", "%", 3, true, 1},
               {"allowable", "dB", 3, true, 2},
               {"factor", "dB", 3, true, 2},
               {"input", "dB", 3, true, 2},
               {"response", "dB", 3, true, 2},
               {"peak moved", "%", 3, true, 2},
               {"of", ""}},
              {}};
  for (const LimitChange& change : limit_changes(comparison, first, second))
    table.rows.push_back({change.name, change.first, change.second, change.allowable, change.factor, change.input,
                          change.structure, change.shift, change.of});
  return table;
}

Table assurance_table(const ShapeMatch& match) {
  Table table{"modal-assurance",
              "MAC of every mode of the first run (lines) with every mode of the second (columns)",
              {{"mode", ""}},
              {}};
  for (Eigen::Index j = 0; j < match.assurance.cols(); ++j)
    table.columns.push_back({fmt::format("{}", j + 1), "", 3, true, 3});
  for (Eigen::Index i = 0; i < match.assurance.rows(); ++i) {
    std::vector<Cell> row{fmt::format("{}", i + 1)};
    for (const double value : match.assurance.row(i)) row.emplace_back(value);
    table.rows.push_back(std::move(row));
  }
  return table;
}

bool is_shown(const Comparison& comparison, const ComparedQuantity& quantity) {
  return comparison.has_measured() || !quantity.is_component;
}

Table compared_curve_table(const Comparison& comparison) {
  Table table{"curves-compared",
              "",
              {{"curve", ""},
               {"in", ""},
               {"source", ""},
               {"highest", ""},
               {"unit", ""},
               {"at", "Hz"},
               {"moved", "%"},
               {"higher", "dB"},
               {"over all", "dB"},
               {"assurance", ""}},
              {}};
  for (const ComparedQuantity& quantity : comparison.quantities)
    for (const ComparedCurve& curve : quantity.curves) {
      table.rows.push_back({quantity.name, quantity.in, comparison.sources[curve.source].label,
                            curve.highest / quantity.factor, quantity.unit, curve.highest_at});
      add_differences(quantity, curve, table.rows.back());
    }
  return table;
}

Table compared_curve_table(const Comparison& comparison, const std::string& in) {
  const bool side_by_side = comparison.sources.size() == 2;
  Table table{"", fmt::format("{}the highest of each curve", in.empty() ? "" : in + ": "), {{"curve", ""}}, {}};
  if (side_by_side)
    for (const Column& column : {Column{"first", "", 4}, {"second", "", 4}, {"unit", ""}, {"at", "Hz", 5}})
      table.columns.push_back(column);
  else
    for (const Column& column : {Column{"of", ""}, {"highest", "", 4}, {"unit", ""}, {"at", "Hz", 5}})
      table.columns.push_back(column);
  for (const Column& column : {Column{"moved", "%", 3, true, 2},
                               {"higher", "dB", 3, true, 2},
                               {"over all", "dB", 3, true, 2},
                               {"assurance", "", 3, has_phases(comparison, in), 3}})
    table.columns.push_back(column);
  for (const ComparedQuantity& quantity : comparison.quantities) {
    if (quantity.in != in || !is_shown(comparison, quantity)) continue;
    const ComparedCurve& first = quantity.curves.front();
    for (const ComparedCurve& curve : quantity.curves) {
      if (side_by_side && &curve == &first) continue;
      if (side_by_side)
        table.rows.push_back({quantity.name, first.highest / quantity.factor, curve.highest / quantity.factor,
                              quantity.unit, first.highest_at});
      else
        table.rows.push_back({&curve == &first ? quantity.name : "", fmt::format("{}", curve.source + 1),
                              curve.highest / quantity.factor, quantity.unit, curve.highest_at});
      add_differences(quantity, curve, table.rows.back());
    }
  }
  return table;
}

Table compared_peak_table(const Comparison& comparison) {
  Table table{"peaks-compared", "", {{"curve", ""}, {"in", ""}, {"source", ""}}, {}};
  for (const Column& column : peak_columns()) table.columns.push_back(column);
  for (const ComparedQuantity& quantity : comparison.quantities)
    for (const ComparedCurve& curve : quantity.curves)
      for (std::size_t p = 0; p < curve.peaks.size(); ++p) {
        std::vector<Cell> row{quantity.name, quantity.in, comparison.sources[curve.source].label};
        add_peak_cells(quantity, curve, p, row);
        table.rows.push_back(std::move(row));
      }
  return table;
}

Table compared_peak_table(const ComparedQuantity& quantity) {
  Table table{
      "", fmt::format("{}{}: peaks{}", quantity.name, in_words(quantity), per_input_words(quantity)), {{"of", ""}}, {}};
  for (const Column& column : peak_columns()) table.columns.push_back(column);
  const auto add = [&](const ComparedCurve& curve, std::size_t p) {
    std::vector<Cell> row{fmt::format("{}", curve.source + 1)};
    add_peak_cells(quantity, curve, p, row);
    table.rows.push_back(std::move(row));
  };
  const ComparedCurve& first = quantity.curves.front();
  for (std::size_t p = 0; p < first.peaks.size(); ++p) {
    add(first, p);
    for (const ComparedCurve& other : quantity.curves)
      for (std::size_t q = 0; &other != &first && q < other.peaks.size(); ++q)
        if (other.partners[q] == p) add(other, q);
  }
  for (const ComparedCurve& other : quantity.curves)
    for (std::size_t q = 0; &other != &first && q < other.peaks.size(); ++q)
      if (!other.partners[q]) add(other, q);
  return table;
}

std::string in_words(const ComparedQuantity& quantity) { return quantity.in.empty() ? "" : " in " + quantity.in; }
std::string per_input_words(const ComparedQuantity& quantity) { return quantity.per_input ? ", over the input" : ""; }

}  // namespace avrenk
