#include "analysis/warnings.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "core/element/kinds.h"
#include "core/modes/completeness.h"
#include "files/table.h"

namespace avrenk {

double frequency_not_reached(const Analysis& analysis) {
  const ModalBasis& basis = analysis.basis;
  if (analysis.plan.modes.near || analysis.plan.modes.free_motions) return 0;
  const double asked = reach_asked * highest_excited(analysis.plan.environments);
  return basis.exhausted || basis.proven_below >= asked * (1 - 1e-9) ? 0 : asked;
}

namespace {

// Modes that end too near the band: how many more there are up to where they are asked for.
void warn_about_reach(Analysis& analysis) {
  const ModalBasis& basis = analysis.basis;
  const double asked = frequency_not_reached(analysis), highest = highest_excited(analysis.plan.environments);
  if (asked == 0) return;
  const int more = known_count(basis, asked).value() - basis.counted_below;
  const std::string missing =
      more == 0 ? "no mode lies between"
                : fmt::format("{} more mode{} between (pivot count)", more, more == 1 ? " lies" : "s lie");
  analysis.warnings.push_back(fmt::format(
      "the modes end at {:.5g} Hz, {} the excited band of {:.5g} Hz, and {:g} times as far is asked for: {}; write "
      "modes: {{up to: {:.4g} Hz}}",
      basis.proven_below, basis.proven_below < highest ? "inside" : "just above", highest, reach_asked, missing,
      asked));
}

// Excited directions in which the modes represent too little of the mass.
void warn_about_mass(Analysis& analysis) {
  std::set<int> directions;
  for (const Environment& environment : analysis.plan.environments)
    if (!environment.is_static()) directions.insert(environment.axes.begin(), environment.axes.end());
  for (const int direction : directions) {
    const MassCarried mass = mass_carried(analysis.system, analysis.basis, direction);
    if (mass.part() >= mass_asked) continue;
    const DisplayUnit unit = analysis.plan.show.unit(direction < 3 ? kind::mass : kind::inertia);
    const std::string carried =
        analysis.basis.residual_vectors() > 0
            ? fmt::format("the residual vectors carry {} of it", value_text(mass.residual_vectors, unit, 3))
            : std::string("residual vectors are turned off and carry none of it");
    analysis.warnings.push_back(fmt::format(
        "along {} the modes represent {:.3g} % of the mass that can move, less than {:g} %: {} is left out, {}",
        axis_names[static_cast<std::size_t>(direction)], 100 * mass.part(), 100 * mass_asked,
        value_text(mass.left(), unit, 3), carried));
  }
}

}  // namespace

void warn_about_modes(Analysis& analysis) {
  const ModalBasis& basis = analysis.basis;
  warn_about_reach(analysis);
  if (!analysis.plan.modes.near && !analysis.plan.modes.free_motions) warn_about_mass(analysis);
  if (basis.statics.grounded)
    analysis.warnings.push_back(
        fmt::format("a motion of all bases as one body strains the model (static motion and rigid motion differ by "
                    "{:.2g} of it): a spring "
                    "leads to the ground, or there is a second support",
                    basis.statics.rigid_difference));
}

void look_at_meshes(Analysis& analysis) {
  const double highest = highest_excited(analysis.plan.environments);
  const DisplayUnit length = analysis.plan.show.unit(kind::length);
  const Assembly& assembly = analysis.plan.assembly;
  const auto subject = [&](int part) { return "part " + assembly.parts[static_cast<std::size_t>(part)].name; };
  std::set<int> stiff;
  for (const ElementGroup& group : assembly.groups)
    if (!group.kind->is_shell() && group.kind->shape == SolidShape::tetrahedron4) stiff.insert(group.part);
  for (const int part : stiff)
    analysis.findings.push_back({Finding::Grade::warning, subject(part),
                                 "tetrahedra of 4 nodes are too stiff, in bending by far, and their stress is rough",
                                 "mesh it with tetrahedra of 10 nodes"});
  std::map<int, double> bounds;
  for (const Component& component : assembly.components)
    if (component.bound > 0) bounds[component.part] = component.bound;
  for (const auto& [part, bound] : bounds)
    if (bound < reach_asked * highest * (1 - 1e-9))
      analysis.findings.push_back(
          {Finding::Grade::warning, subject(part),
           fmt::format("its own modes are kept to {:.5g} Hz, less than {:g} times the {:.4g} Hz that are excited",
                       bound, reach_asked, highest),
           "ask its owner for more of them"});
  analysis.reach = mesh_reach(assembly);
  for (const MeshReach& reach : analysis.reach) {
    if (!(reach.frequency < highest)) continue;
    analysis.findings.push_back(
        {Finding::Grade::warning, subject(reach.part),
         fmt::format("its elements of {} are good for bending waves up to {:.4g} Hz only, and {:.4g} Hz are excited",
                     value_text(reach.element, length, 3), reach.frequency, highest),
         fmt::format("elements of {} would do", value_text(element_for(reach, highest), length, 2))});
  }
}

void warn_about_damping(Analysis& analysis) {
  const ModalBasis& basis = analysis.basis;
  for (const NearDamping& near : analysis.plan.damping.near) {
    bool found = false;
    for (int r = 0; r < basis.modes; ++r) found = found || near.covers(basis.frequency(r));
    if (!found)
      analysis.warnings.push_back(
          fmt::format("damping near {:.5g} Hz: no mode lies within {:.3g} % of it", near.frequency, 100 * near.within));
  }
}

void warn_about_coupling(Analysis& analysis) {
  constexpr double worth_saying = 0.05;
  double worst = worth_saying;
  std::string text;
  for (const CaseResults& outcome : analysis.outcomes) {
    if (outcome.is_combined()) continue;
    for (std::size_t i = 0; i < analysis.watched.size(); ++i) {
      if (!analysis.watched[i].is_headline()) continue;
      const double change = outcome.sine()     ? outcome.sine()->rows[i].coupling
                            : outcome.random() ? outcome.random()->rows[i].coupling
                                               : 0;
      if (!(std::abs(change) > worst)) continue;
      worst = std::abs(change);
      text = fmt::format(
          "coupled: no leaves out that the modes are coupled by their damping: at its {} in {}, {} would change by "
          "{:+.1f} %; leave it out of damping:",
          outcome.sine() ? "peak" : "dominating frequency the PSD", outcome.name(), analysis.watched[i].name,
          100 * change);
    }
  }
  if (!text.empty()) analysis.warnings.push_back(text);
}

}  // namespace avrenk
