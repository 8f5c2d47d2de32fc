#include "files/limit_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "core/assess/clearance.h"

namespace avrenk {
std::string verdict_word(const LimitResult& result) {
  return result.met ? "met" : result.answered ? "EXCEEDED" : "NOT ANSWERED";
}

std::string exceeded_over(const LimitResult& result, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  std::vector<std::string> bands;
  for (const auto& [from, to] : result.bands)
    bands.push_back(from < to ? fmt::format("{} to {}", format_number(frequency.from_si(from), 4),
                                            format_number(frequency.from_si(to), 4))
                              : format_number(frequency.from_si(from), 4));
  return bands.empty() ? "" : fmt::format("{} {}", fmt::join(bands, ", "), frequency.text);
}

Table limit_table(const std::vector<LimitResult>& results, const Show& show) {
  const bool tolerances =
      std::any_of(results.begin(), results.end(), [](const LimitResult& r) { return !std::isnan(r.upper_margin); });
  Table table{"limits",
              "Limits, worst first; margin: allowable / (factors × value) − 1, or value / (factors × bound) − 1",
              {{"limit", ""},
               {"verdict", ""},
               {"margin", "%", 3, true, 1},
               {"upper", "%", 3, tolerances, 1},
               {"value", "", 4},
               {"factor", "", 3, false},
               {"allowable", "", 4},
               {"unit", ""},
               {"of", ""},
               {"factors", "", 4, false},
               {"allowable from", "", 4, false},
               {"where", "", 4, false},
               {"at", show.unit(kind::frequency).text, 5, false},
               {"mode", "", 4, false},
               {"exceeded over", "", 4, false},
               {"remark", "", 4, false},
               {"exceeded with", "%", 4, false},
               {"requirement", "", 4, false}},
              {}};
  for (const LimitResult& result : results) {
    const DisplayUnit unit = result.unit(show);
    const double factor = result.limit->factor;
    const std::string what = factor == 1 ? result.what : fmt::format("{:.4g} × {}", factor, result.what);
    const std::string remark = result.upper_bound ? "upper bound: n sigma added to the static value"
                               : std::holds_alternative<LifeLimit>(result.limit->kind)
                                   ? "margin: what amplitudes may grow by"
                               : result.gaussian ? ""
                                                 : "not Gaussian: n sigma of a magnitude has no fixed probability";
    table.rows.push_back({result.limit->name, verdict_word(result), 100 * result.margin, 100 * result.upper_margin,
                          unit.from_si(result.value), result.limit->factor, unit.from_si(result.allowable), unit.text,
                          what, result.limit->factors, result.limit->property, result.where,
                          show.unit(kind::frequency).from_si(result.frequency),
                          result.mode < 0 ? "" : fmt::format("{}", result.mode + 1), exceeded_over(result, show),
                          remark, 100 * result.exceeded, result.limit->requirement});
  }
  return table;
}

Table compliance_table(const std::vector<Limit>& limits, const std::vector<LimitResult>& results) {
  Table table{"compliance",
              "Requirements: the worst of the limits that show each",
              {{"requirement", ""}, {"verdict", ""}, {"margin", "%", 3, true, 1}, {"worst", ""}, {"shown by", ""}},
              {}};
  std::map<std::string, std::vector<const Limit*>> by_requirement;
  for (const Limit& limit : limits)
    if (!limit.requirement.empty()) by_requirement[limit.requirement].push_back(&limit);
  for (const auto& [requirement, own] : by_requirement) {
    const LimitResult* worst = nullptr;
    std::string names;
    bool is_complete = true;
    for (const Limit* limit : own) {
      names += (names.empty() ? "" : ", ") + limit->name;
      const auto found = std::find_if(results.begin(), results.end(),
                                      [&](const LimitResult& each) { return each.limit->name == limit->name; });
      is_complete = is_complete && found != results.end();
      if (found != results.end() && (!worst || found->deciding() < worst->deciding())) worst = &*found;
    }
    table.rows.push_back({requirement,
                          worst && !worst->met ? verdict_word(*worst) : std::string(is_complete ? "met" : "not judged"),
                          worst ? 100 * worst->deciding() : std::nan(""), worst ? worst->limit->name : "", names});
  }
  return table;
}

Table clearance_table(const std::vector<CaseResults>& outcomes, const std::vector<Output>& watched,
                      const std::vector<Limit>& limits, const Show& show) {
  const DisplayUnit length = show.unit(kind::length);
  Table table{"clearances",
              "Clearances: how far motion along the line closes the gap and opens it; random at 3σ",
              {{"watched", ""},
               {"in", ""},
               {"gap", length.text},
               {"closing", length.text},
               {"opening", length.text},
               {"left", length.text},
               {"where", "", 4, false}},
              {}};
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (watched[i].quantity->keyword != "clearance") continue;
    for (const CaseResults& outcome : outcomes) {
      const auto add = [&](const CaseResults* still, const std::string& in) {
        const Clearance own = clearance_of(watched[i], i, outcome, still, outcome.random() ? 3 : 1);
        table.rows.push_back({watched[i].name, in, length.from_si(own.gap), length.from_si(own.closing),
                              length.from_si(own.opening), length.from_si(own.left()), own.where});
      };
      add(nullptr, outcome.name());
      if (outcome.at_rest()) continue;
      for (const CaseResults& still : outcomes) {
        const std::string& name = still.environment().name;
        const bool wanted = std::any_of(limits.begin(), limits.end(), [&](const Limit& limit) {
          return covers(limit, *outcome.excitation) && limit.response()->of == watched[i].name &&
                 limit.response()->with == name;
        });
        if (still.at_rest() && (wanted || outcome.environment().after == name))
          add(&still, outcome.name() + " with " + name);
      }
    }
  }
  return table;
}

}  // namespace avrenk
