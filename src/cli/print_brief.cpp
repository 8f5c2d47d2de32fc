#include "cli/print_brief.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "analysis/summaries.h"
#include "core/words.h"
#include "files/limit_tables.h"

namespace avrenk {
namespace {

constexpr std::size_t most_modes = 8, most_listed_modes = 20, most_responses = 12, most_limits = 14, most_further = 6;

double largest_mass(const Table& modes, const std::vector<Cell>& row) {
  double largest = 0;
  for (std::size_t c = 0; c < row.size(); ++c)
    if (modes.columns[c].unit == "%")
      if (const double* share = std::get_if<double>(&row[c]); share && *share > largest) largest = *share;
  return largest;
}

// The chief ones: those that make a limit first, then by their mass, where making a watched quantity counts as 10 %.
Table chief_modes(Table modes, const std::vector<LimitResult>& limits) {
  if (modes.rows.size() <= most_modes) return modes;
  const std::size_t drives = column_index(modes, "drives").value();
  std::set<std::string> of_limits;
  for (const LimitResult& each : limits) of_limits.insert(fmt::format("{}", each.mode + 1));
  std::vector<std::pair<double, std::size_t>> order;
  for (std::size_t r = 0; r < modes.rows.size(); ++r) {
    const bool makes_limit = of_limits.contains(std::get<std::string>(modes.rows[r].front()));
    const bool makes_some = !std::get<std::string>(modes.rows[r][drives]).empty();
    order.emplace_back(-largest_mass(modes, modes.rows[r]) - (makes_some ? 10 : 0) - (makes_limit ? 100 : 0), r);
  }
  std::stable_sort(order.begin(), order.end());
  order.resize(most_modes);
  std::sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
  std::vector<std::vector<Cell>> rows;
  rows.reserve(order.size());
  for (const auto& [weight, r] : order) rows.push_back(modes.rows[r]);
  modes.rows = std::move(rows);
  return modes;
}

void print_key_modes(const Analysis& analysis, const RunTables& tables, Terminal& terminal) {
  if (tables.key_modes.rows.empty()) return;
  const Table chief = chief_modes(tables.key_modes, analysis.assessment.limits);
  terminal.table(chief);
  const std::size_t left_out = tables.key_modes.rows.size() - chief.rows.size();
  if (left_out > 0)
    terminal.print(fmt::format("({} more in tables/{}.csv; all modes in tables/modes.csv)\n", counted(left_out, "row"),
                               tables.key_modes.name));
}

// "box-level: mode 5 at 55.04 Hz, box (110, 125, 250) mm"; empty where nothing is known of it.
std::string cause_in_words(const LimitResult& result, const Show& show) {
  std::vector<std::string> parts;
  const std::string at =
      std::isnan(result.frequency) ? "" : "at " + value_text(result.frequency, show.unit(kind::frequency), 4);
  if (result.mode >= 0)
    parts.push_back(fmt::format("mode {}{}{}", result.mode + 1, at.empty() ? "" : " ", at));
  else if (!at.empty())
    parts.push_back(at);
  if (!result.where.empty()) parts.push_back(result.where);
  if (const std::string bands = exceeded_over(result, show); !bands.empty()) parts.push_back("exceeded from " + bands);
  if (parts.empty()) return "";
  return fmt::format("{}: {}", result.limit->name, fmt::join(parts, ", "));
}

// The worst margins; of those not met, and of the next ones, what makes each in a line of its own.
void print_limits(const Analysis& analysis, const RunTables& tables, Terminal& terminal) {
  constexpr std::size_t explained = 4;
  if (!tables.limits) return;
  const std::vector<LimitResult>& limits = analysis.assessment.limits;
  print_first(*tables.limits, most_limits, terminal);
  print_margin_notes(limits, terminal);
  std::vector<std::string> causes;
  for (std::size_t i = 0; i < limits.size() && causes.size() < (limits[i].met ? explained : most_limits); ++i)
    if (std::string cause = cause_in_words(limits[i], analysis.plan().show); !cause.empty())
      causes.push_back(std::move(cause));
  if (causes.empty()) return;
  terminal.print("\nWhat makes the worst\n");
  for (const std::string& cause : causes) terminal.paragraph(cause);
}

}  // namespace

void print_first(const Table& table, std::size_t most_rows, Terminal& terminal, bool has_file) {
  Table first = table;
  const std::size_t left_out = table.rows.size() > most_rows ? table.rows.size() - most_rows : 0;
  if (left_out > 0) first.rows.resize(most_rows);
  terminal.table(first);
  if (left_out > 0)
    terminal.print(fmt::format("({} more {})\n", counted(left_out, "row"),
                               has_file ? fmt::format("in tables/{}.csv", table.name) : "with --full"));
}

void print_margin_notes(const std::vector<LimitResult>& limits, Terminal& terminal) {
  if (std::any_of(limits.begin(), limits.end(), [](const LimitResult& each) { return !std::isnan(each.upper_margin); }))
    terminal.print("Upper: the margin with the input at the upper edge of its tolerance.\n");
  if (std::any_of(limits.begin(), limits.end(),
                  [](const LimitResult& each) { return std::holds_alternative<LifeLimit>(each.limit->kind); }))
    terminal.print("The margin of a life is what amplitudes may grow by.\n");
}

Table worst_contacts_first(Table table) {
  const auto at = column_index(table, "takes most");
  if (at)
    std::stable_sort(table.rows.begin(), table.rows.end(), [&](const auto& a, const auto& b) {
      const double first = std::get<double>(a[*at]), second = std::get<double>(b[*at]);
      return !std::isnan(first) && (std::isnan(second) || first > second);
    });
  return table;
}

void print_where_tables_are(Terminal& terminal) {
  terminal.print("Tables:  --full prints all; avrenk ask RESULTS tables lists them\n");
}

std::string mass_in_words(const Table& mass) {
  const std::vector<Cell>& all = mass.rows.back();
  const auto number = [&](std::size_t column) { return format_number(std::get<double>(all[column]), 4); };
  return fmt::format("Mass {} {}, centre of gravity at ({}, {}, {}) {}.\n", number(1), mass.columns[1].unit, number(2),
                     number(3), number(4), mass.columns[2].unit);
}

void print_brief(const Analysis& analysis, const RunTables& tables, const OutputSelection& shown, Terminal& terminal) {
  if (shown.mass) terminal.print(mass_in_words(tables.mass));
  if (shown.modes || shown.overview)
    for (const Table& table : tables.rest) print_first(worst_contacts_first(table), most_further, terminal);
  if (shown.overview) {
    print_key_modes(analysis, tables, terminal);
  } else if (shown.modes) {
    terminal.table(tables.modes, most_listed_modes);
    if (tables.levels) print_first(*tables.levels, most_further, terminal);
    print_first(tables.key_modes, most_listed_modes, terminal);
  }
  if ((shown.peaks || shown.overview) && tables.headlines)
    print_first(*tables.headlines, shown.overview ? most_responses : 2 * most_responses, terminal);
  terminal.print("\n");
  terminal.paragraph(accuracy_in_words(analysis));
  if (!analysis.assessment.audit.note.empty()) terminal.paragraph(analysis.assessment.audit.note);
  if (!tables.notches.empty()) print_first(tables.notches.front(), most_further, terminal);
  print_limits(analysis, tables, terminal);
  for (const auto* table : {&tables.variants, &tables.compliance})
    if (*table) print_first(**table, most_further, terminal);
}

}  // namespace avrenk
