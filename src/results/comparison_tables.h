/// results/comparison_tables.h: tables of runs and measured curves side by side.
#pragma once

#include <string>

#include "files/table.h"

namespace avrenk {

struct ComparedQuantity;
struct Comparison;
struct PlanChange;
struct ShapeMatch;

/// What differs between the plans of two runs. @param widest  columns that a value may take; 0: any
[[nodiscard]] Table plan_change_table(const std::vector<PlanChange>& changes, std::size_t widest = 0);
/// Margins of two runs and what changed them: ratios in dB, the second to the first.
[[nodiscard]] Table limit_change_table(const Comparison& comparison, std::size_t first, std::size_t second);
/// MAC of every mode of one run (lines) with every mode of another (columns).
[[nodiscard]] Table assurance_table(const ShapeMatch& match);

/// Curves that are printed and drawn: with measured ones all; of runs alone those that are no component.
[[nodiscard]] bool is_shown(const Comparison& comparison, const ComparedQuantity& quantity);
/// The highest of each curve, of all cases.
[[nodiscard]] Table compared_curve_table(const Comparison& comparison);
/// The same of one case as it is printed: two sources on one line, more on a line each.
[[nodiscard]] Table compared_curve_table(const Comparison& comparison, const std::string& in);
/// The peaks of all quantities.
[[nodiscard]] Table compared_peak_table(const Comparison& comparison);
/// The peaks of one quantity: those of the first with their partners, then those that have none.
[[nodiscard]] Table compared_peak_table(const ComparedQuantity& quantity);

/// " in sine.x"; nothing where there is but one case.
[[nodiscard]] std::string in_words(const ComparedQuantity& quantity);
/// ", over the input"; nothing of plain values.
[[nodiscard]] std::string per_input_words(const ComparedQuantity& quantity);

}  // namespace avrenk
