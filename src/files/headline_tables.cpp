#include "files/headline_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace avrenk {
namespace {

// The case in which a watched quantity is the largest, among those of one type.
struct WorstCase {
  const CaseResults* outcome = nullptr;
  double value = std::nan("");
};

WorstCase worst_case(const std::vector<CaseResults>& outcomes, const std::vector<std::vector<bool>>& real,
                     const Output& watched, std::size_t index, Environment::Type type) {
  WorstCase worst;
  double strongest = -1;
  for (std::size_t k = 0; k < outcomes.size(); ++k) {
    const CaseResults& outcome = outcomes[k];
    if (outcome.environment().type() != type || !outcome.has(watched) || outcome.excitation->held ||
        is_replaced(*outcome.excitation, outcomes))
      continue;
    const bool is_real = real[k][index];
    if (!is_real && (watched.quantity->is_reciprocal || outcome.at_rest())) continue;
    const double strength = is_real ? outcome.strength(index, watched) : 0;
    if (!(strength > strongest)) continue;
    strongest = strength;
    worst = {&outcome, is_real ? outcome.headline(index) : 0};
  }
  return worst;
}

}  // namespace

Table headline_table(const std::vector<CaseResults>& outcomes, const std::vector<Output>& watched, const Show& show) {
  using Type = Environment::Type;
  const auto count = [&](Type type) {
    return std::count_if(outcomes.begin(), outcomes.end(),
                         [&](const CaseResults& each) { return each.environment().type() == type; });
  };
  const bool sine = count(Type::sine) > 0, random = count(Type::random) > 0, still = count(Type::constant) > 0,
             several_still = count(Type::constant) > 1;
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"headlines",
              "Largest responses: of each type of environment the worst case",
              {{"watched", ""},
               {"unit", ""},
               {"static", "", 4, still},
               {"static in", "", 4, several_still},
               {"sine peak", "", 4, sine},
               {"at", frequency.text, 5, sine},
               {"peak in", "", 4, sine},
               {"RMS", "", 4, random},
               {"RMS in", "", 4, random}},
              {}};
  std::vector<std::vector<bool>> real;
  real.reserve(outcomes.size());
  for (const CaseResults& outcome : outcomes) real.push_back(real_answers(outcome, watched));
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (!watched[i].is_headline()) continue;
    const WorstCase at_rest = worst_case(outcomes, real, watched[i], i, Type::constant),
                    peak = worst_case(outcomes, real, watched[i], i, Type::sine),
                    rms = worst_case(outcomes, real, watched[i], i, Type::random);
    if (!at_rest.outcome && !peak.outcome && !rms.outcome) continue;
    const auto name = [](const WorstCase& worst) { return worst.outcome ? worst.outcome->name() : ""; };
    const bool has_frequency = peak.outcome && !peak.outcome->is_root_sum() && peak.value != 0;
    const DisplayUnit unit = show.unit(*watched[i].quantity->kind);
    table.rows.push_back(
        {watched[i].name, unit.text, unit.from_si(at_rest.value), name(at_rest), unit.from_si(peak.value),
         has_frequency ? frequency.from_si(peak.outcome->sine()->rows[i].peak.frequency) : std::nan(""), name(peak),
         unit.from_si(rms.value), name(rms)});
  }
  return table;
}

Table key_mode_table(const Table& modes, const Table& shapes, const std::vector<ModeContent>& contents) {
  constexpr double least_mass = 1;  // %
  Table table{"key-modes", "Modes that matter: 1 % of the mass or more along an axis", {}, {}};
  std::vector<std::size_t> taken, axes;
  for (const char* name : {"mode", "frequency", "x", "y", "z", "Q"})
    if (const auto at = column_index(modes, name)) {
      taken.push_back(*at);
      if (modes.columns[*at].unit == "%") axes.push_back(*at);
      table.columns.push_back(modes.columns[*at]);
    }
  const std::size_t drives = column_index(shapes, "drives").value();
  if (shapes.columns[drives].terminal) table.title += ", or half of a watched quantity";
  table.columns.insert(table.columns.end(), {{"drives", "", 4, shapes.columns[drives].terminal}, {"what moves", ""}});
  for (std::size_t r = 0; r < shapes.rows.size(); ++r) {
    const bool has_mass = std::any_of(
        axes.begin(), axes.end(), [&](std::size_t at) { return std::get<double>(modes.rows[r][at]) >= least_mass; });
    if (!has_mass && std::get<std::string>(shapes.rows[r][drives]).empty()) continue;
    std::vector<Cell>& row = table.rows.emplace_back();
    for (const std::size_t at : taken) row.push_back(modes.rows[r][at]);
    row.push_back(shapes.rows[r][drives]);
    row.emplace_back(contents[r].what);
  }
  return table;
}

}  // namespace avrenk
