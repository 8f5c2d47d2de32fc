#include "analysis/spring_summaries.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

#include "core/model/spring_law.h"
#include "core/response/sweep.h"
#include "files/spring_tables.h"

namespace avrenk {

std::vector<Table> spring_tables_of(const Analysis& analysis, bool farthest_only) {
  const Assembly& assembly = analysis.assembly();
  const Show& show = analysis.plan().show;
  std::vector<Table> tables;
  std::vector<NamedModes> modes{{"as stated", &analysis.damping().with_springs}};
  for (const VariantAnswers& variant : analysis.assessment.variants) modes.push_back({variant.name, &variant.modes});
  if (Table all =
          spring_mode_table(analysis.basis(), analysis.damping(), modes, depend_on_amplitude(assembly.springs), show);
      !all.rows.empty())
    tables.push_back(std::move(all));
  std::vector<std::pair<const Excitation*, const EquivalentSprings*>> cases;
  for (const auto& [excitation, springs] : analysis.responses->equivalents) {
    cases.emplace_back(excitation.get(), &springs);
    if (farthest_only) continue;
    for (Table& table : equivalent_tables(*excitation, springs, assembly, show)) tables.push_back(std::move(table));
  }
  if (farthest_only)
    for (Table& table : farthest_tables(cases, assembly, show)) tables.push_back(std::move(table));
  return tables;
}

std::vector<NamedMargins> margins_of_variants(const Analysis& analysis) {
  std::vector<NamedMargins> variants;
  for (const VariantAnswers& variant : analysis.assessment.variants)
    if (std::any_of(variant.margins.begin(), variant.margins.end(), [](double margin) { return !std::isnan(margin); }))
      variants.push_back({variant.name, variant.margins});
  return variants;
}

namespace {

// Beyond their last points tables are constant, which is somebody's guess.
void report_ends(const Responses& responses, StageReport& report) {
  const Assembly& assembly = responses.model.assembly();
  double from = HUGE_VAL, to = 0;
  for (const CaseResults& outcome : responses.outcomes) {
    if (outcome.grid().empty()) continue;
    from = std::min(from, outcome.grid().front());
    to = std::max(to, outcome.grid().back());
  }
  const std::string* said = nullptr;
  for (const Spring& spring : assembly.springs) {
    if (!spring.law || (said && *said == spring.joint)) continue;
    said = &spring.joint;
    std::vector<const LogTable*> tables{&spring.law->loss};
    for (const LogTable& each : spring.law->stiffness) tables.push_back(&each);
    double first = 0, last = HUGE_VAL;
    for (const LogTable* log_table : tables)
      if (log_table->size() > 1) {
        first = std::max(first, log_table->front().first);
        last = std::min(last, log_table->back().first);
      }
    if (to > last || from < first)
      report.notes.push_back(
          fmt::format("joint {}: its tables reach from {:.5g} to {:.5g} Hz, and what was run from {:.5g} to {:.5g} Hz: "
                      "beyond them it is as at their ends",
                      spring.joint, first, last, from, to));
  }
  for (const auto& [excitation, springs] : responses.equivalents) {
    std::string joint;
    double worst = 1;
    const bool random = excitation->is_random();
    constexpr double often = 2;  // times the RMS: an amplitude that is passed one time in seven
    for (const EquivalentSpring& equivalent_spring : springs.found) {
      const Spring& spring = assembly.springs[static_cast<std::size_t>(equivalent_spring.spring)];
      const std::size_t turns = equivalent_spring.axis > 2 ? 1 : 0;
      for (const LogTable* table : {&spring.law->softening[turns], &spring.law->loss_growth[turns]})
        if (table->size() > 1)
          if (const double over = (random ? often : 1) * equivalent_spring.amplitude / table->back().first;
              over > worst) {
            worst = over;
            joint = spring.joint;
          }
    }
    if (!joint.empty())
      report.warnings.push_back(
          fmt::format("environment {}: joint {} moves {:.3g} times as far{} as its tables over "
                      "amplitude reach, beyond which they are constant",
                      excitation->name(), joint, worst, random ? " at twice the RMS" : ""));
  }
}

}  // namespace

void report_springs(const Responses& responses, StageReport& report) {
  report_ends(responses, report);
  if (responses.model.damping->springs && !responses.model.plan().modes.residual_vectors)
    report.warnings.push_back(
        "springs that depend on frequency or amplitude bend what no mode of the basis does: leave residual vectors: no "
        "out of modes:");
  for (const auto& [excitation, springs] : responses.equivalents) {
    const std::string name = excitation->name();
    if (springs.found.empty()) continue;
    if (excitation->is_random())
      report.notes.push_back(
          fmt::format("environment {}: springs that depend on amplitude are linear ones for its RMS, settled in {} "
                      "rounds to {:.0e} of stiffness and loss factor",
                      name, springs.rounds, springs.change));
    else
      report.notes.push_back(fmt::format(
          "environment {}: springs that depend on amplitude are balanced at {} frequencies, each in at most {} rounds "
          "to {:.0e}; between two of them stiffness and loss factor are off by {:.0e} at most",
          name, springs.points, springs.rounds, springs.change, springs.between));
    for (const bool of_direction : {false, true}) {
      AmplitudeJump amplitude_jump{HUGE_VAL, 0, 1, of_direction};
      int count = 0;
      for (const AmplitudeJump& jump : springs.jumps) {
        if (jump.is_of_direction != of_direction) continue;
        amplitude_jump = {std::min(amplitude_jump.from, jump.from), std::max(amplitude_jump.to, jump.to),
                          std::max(amplitude_jump.ratio, jump.ratio), of_direction};
        ++count;
      }
      if (count == 0) continue;
      report.warnings.push_back(
          of_direction
              ? fmt::format("environment {}: between {:.5g} and {:.5g} Hz{} the springs have two amplitudes, up to "
                            "{:.3g} times apart: what is told is a sweep upwards, one downwards finds the other",
                            name, amplitude_jump.from, amplitude_jump.to,
                            count > 1 ? fmt::format(", in {} stretches,", count) : "", amplitude_jump.ratio)
              : fmt::format("environment {}: {} the amplitude of the springs jumps, by a factor of {:.3g}", name,
                            count > 1 ? fmt::format("{} times between {:.5g} and {:.5g} Hz", count, amplitude_jump.from,
                                                    amplitude_jump.to)
                                      : fmt::format("at {:.5g} Hz", amplitude_jump.to),
                            amplitude_jump.ratio));
    }
  }
  for (const CaseResults& outcome : responses.outcomes) {
    if (!outcome.sine() || outcome.is_combined()) continue;
    double worst = slow_sweep;
    std::size_t of = 0;
    const std::vector<SineRow>& rows = outcome.sine()->rows;
    for (std::size_t i = 0; i < rows.size(); ++i)
      if (rows[i].sweep_parameter > worst && !rows[i].swept) {
        worst = rows[i].sweep_parameter;
        of = i;
      }
    if (worst > slow_sweep)
      report.warnings.push_back(
          fmt::format("environment {}: its sweep is fast for the peak of {} (S = {:.2g}), and with springs that depend "
                      "on frequency or amplitude the swept response is not computed: the steady one is an upper bound",
                      outcome.name(), responses.watched[of].name, worst));
  }
}

}  // namespace avrenk
