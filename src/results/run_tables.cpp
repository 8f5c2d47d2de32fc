#include "results/run_tables.h"

#include <algorithm>

#include "analysis/contact_summaries.h"
#include "analysis/spring_summaries.h"
#include "analysis/summaries.h"
#include "core/check/gravity.h"
#include "files/check_tables.h"
#include "files/headline_tables.h"
#include "files/history_files.h"
#include "files/level_tables.h"
#include "files/life_tables.h"
#include "files/limit_tables.h"
#include "files/load_tables.h"
#include "files/mode_tables.h"
#include "files/model_tables.h"
#include "files/motion_results.h"
#include "files/notch_tables.h"
#include "files/result_tables.h"
#include "files/stress_results.h"

namespace avrenk {
namespace {

std::optional<Table> unless_empty(Table table) {
  if (table.rows.empty()) return std::nullopt;
  return table;
}

std::vector<Table> answers_of(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show) {
  if (watched.empty()) return {};
  if (outcome.at_rest()) return {static_answer_table(outcome, watched, show)};
  std::vector<Table> tables{outcome.sine() ? peak_table(outcome, watched, show) : rms_table(outcome, watched, show)};
  if (!outcome.is_combined())
    tables.push_back(outcome.sine() ? sine_reason_table(outcome, watched, show)
                                    : random_reason_table(outcome, watched, show));
  return tables;
}

std::vector<Table> further_tables(const Analysis& analysis, const CaseResults& outcome) {
  if (analysis.watched().empty() || outcome.at_rest()) return {};
  const Show& show = analysis.plan().show;
  std::vector<Table> tables{asked_table(outcome, analysis.watched(), show),
                            whole_table(outcome, analysis.responses->shapes,
                                        analysis.responses->fields.found_stress_asked(), analysis.assembly(), show)};
  for (const OnRandom& both : analysis.responses->on_random)
    if (both.acting == outcome.excitation) tables.push_back(on_random_table(both, analysis.watched(), show));
  if (outcome.random()) {
    for (const MotionField& field : analysis.responses->fields.motions)
      if (field.excitation->name() == outcome.name()) tables.push_back(motion_table(analysis.assembly(), field, show));
    tables.push_back(band_table(outcome, analysis.watched(), show));
    tables.push_back(input_table(outcome, analysis.watched()));
    if (!outcome.is_combined()) tables.push_back(pair_table(outcome, analysis.watched()));
  }
  std::erase_if(tables, [](const Table& table) { return table.rows.empty(); });
  return tables;
}

CaseTables tables_of_case(const Analysis& analysis, std::size_t i) {
  const CaseResults& outcome = analysis.outcomes()[i];
  const Show& show = analysis.plan().show;
  CaseTables tables{answers_of(outcome, analysis.watched(), show), further_tables(analysis, outcome), {}, {}};
  if (!analysis.responses->driven[i].empty())
    tables.driven = driven_table(*outcome.excitation, analysis.responses->driven[i], analysis.assembly(),
                                 analysis.basis(), analysis.modal().contents, show);
  if (!analysis.responses->power[i].empty())
    tables.power = power_table(*outcome.excitation, analysis.responses->power[i], show);
  return tables;
}

}  // namespace

std::vector<Table> notch_tables_of(const Responses& responses) {
  if (responses.notched.empty()) return {};
  const Show& show = responses.model.plan().show;
  std::vector<Table> tables{notch_table(responses.notched, show)};
  const auto outcome_of = [&](const std::shared_ptr<const Excitation>& excitation) -> const CaseResults& {
    return *std::find_if(responses.outcomes.begin(), responses.outcomes.end(),
                         [&](const CaseResults& outcome) { return outcome.excitation == excitation; });
  };
  for (const NotchedInput& input : responses.notched)
    tables.push_back(
        notched_peak_table(outcome_of(input.specified), outcome_of(input.applied), responses.watched, show));
  return tables;
}

RunTables run_tables(const Analysis& analysis) {
  const Show& show = analysis.plan().show;
  const Assembly& assembly = analysis.assembly();
  const ModalBasis& basis = analysis.basis();
  RunTables tables;
  tables.mass = mass_table(assembly, show);
  if (basis.free_motions() == 0)
    tables.gravity = static_table(
        assembly,
        under_gravity(assembly, analysis.system(),
                      analysis.at_rest().preload ? analysis.at_rest().preload->at_rest.statics : basis.statics),
        show);
  tables.modes = mode_table(basis, analysis.damping(), show);
  if (!analysis.modal().levels.empty())
    tables.levels = preload_table(analysis.modal().levels, analysis.plan().modes_about, show);
  tables.shapes =
      shape_table(assembly, basis, analysis.modal().contents, analysis.watched(), analysis.outcomes(), show);
  tables.key_modes = key_mode_table(tables.modes, tables.shapes, analysis.modal().contents);
  tables.strain_energy = strain_energy_table(assembly, basis, analysis.modal().contents, show);
  tables.kinetic_energy = kinetic_energy_table(assembly, basis, analysis.modal().contents, show);
  tables.participation = participation_table(assembly, basis, show);
  if (basis.residual_vectors() > 0) tables.residual = residual_table(basis, analysis.damping(), show);
  if (!analysis.assessment.audit.answers.empty())
    tables.audit = audit_table(analysis.assessment.audit.answers, analysis.watched(), show);
  tables.loads = unless_empty(load_table(assembly, show));
  tables.rest = rest_tables_of(analysis);
  tables.springs = spring_tables_of(analysis, false);
  for (std::size_t i = 0; i < analysis.outcomes().size(); ++i) tables.cases.push_back(tables_of_case(analysis, i));
  tables.headlines = unless_empty(headline_table(analysis.outcomes(), analysis.watched(), show));
  tables.clearances =
      unless_empty(clearance_table(analysis.outcomes(), analysis.watched(), analysis.plan().limits, show));
  tables.stress = unless_empty(worst_stress_table(assembly, analysis.responses->fields.found_stress(), show));
  if (!analysis.assessment.limits.empty()) tables.limits = limit_table(analysis.assessment.limits, show);
  if (const auto variants = margins_of_variants(analysis); !variants.empty()) {
    tables.variants = variant_table(analysis.assessment.limits, variants);
    if (!analysis.responses->notched.empty()) tables.variants->title += ", inputs as notched for those stated";
  }
  tables.compliance = unless_empty(compliance_table(analysis.plan().limits, analysis.assessment.limits));
  tables.notches = notch_tables_of(*analysis.responses);
  tables.life = life_tables(analysis.responses->lives, show);
  if (!analysis.assessment.equipment.empty()) tables.equipment = equipment_table(analysis.assessment.equipment, show);
  for (const History& each : analysis.responses->histories) tables.histories.push_back(history_table(each, show));
  return tables;
}

std::vector<const Table*> RunTables::all() const {
  std::vector<const Table*> list;
  const auto add = [&](const std::optional<Table>& table) {
    if (table) list.push_back(&*table);
  };
  const auto add_each = [&](const std::vector<Table>& tables) {
    for (const Table& table : tables) list.push_back(&table);
  };
  list.push_back(&mass);
  add(gravity);
  list.push_back(&modes);
  list.push_back(&key_modes);
  add(levels);
  for (const Table* table : {&shapes, &strain_energy, &kinetic_energy, &participation}) list.push_back(table);
  for (const auto* table : {&residual, &audit, &loads}) add(*table);
  add_each(rest);
  add_each(springs);
  add(headlines);
  for (const CaseTables& case_tables : cases) {
    add_each(case_tables.answers);
    add_each(case_tables.further);
    add(case_tables.driven);
    add(case_tables.power);
  }
  for (const auto* table : {&clearances, &stress, &limits, &variants, &compliance}) add(*table);
  add_each(notches);
  add_each(life);
  add(equipment);
  add_each(histories);
  return list;
}

}  // namespace avrenk
