#include "results/field_files.h"

#include <fmt/format.h>

#include <algorithm>

#include "files/life_tables.h"
#include "files/mode_grid.h"
#include "files/motion_results.h"
#include "files/stress_results.h"
#include "files/table.h"
#include "files/vtu.h"
#include "results/turning_views.h"

namespace avrenk {
namespace {

std::string name_of_array(const Analysis& analysis, const std::string& what, double frequency,
                          const std::string& rest) {
  return fmt::format("{}, {}: {}", what, value_text(frequency, analysis.plan().show.unit(kind::frequency), 4), rest);
}

void write_mode_field(const Analysis& analysis, const RunFolder& folder) {
  const Assembly& assembly = analysis.assembly();
  std::optional<StressStations> own_stations;  // of a command that looked at no stress
  if (!analysis.responses->fields.stations && !assembly.groups.empty()) own_stations.emplace(assembly);
  const StressStations* const stations = analysis.responses->fields.stations ? &*analysis.responses->fields.stations
                                         : own_stations                      ? &*own_stations
                                                                             : nullptr;
  folder.write("fields/modes.vtu", to_vtu(mode_grid(assembly, analysis.system(), analysis.basis(), stations,
                                                    analysis.plan().show, analysis.loaded().threads),
                                          analysis.loaded().threads));
}

// How the model buckles under the state that modes are taken about.
void write_buckling(const Analysis& analysis, const RunFolder& folder) {
  const Assembly& assembly = analysis.assembly();
  Grid grid = model_grid(assembly, analysis.plan().show);
  const NodeMotions motions = analysis.system()
                                  .motions(analysis.at_rest().preload->shape)
                                  .reshaped(6, static_cast<Eigen::Index>(assembly.nodes.size()));
  grid.point_arrays.push_back(
      displacement_array(fmt::format("buckling at {:.4g} times {}: displacement (part of the largest)",
                                     analysis.at_rest().preload->load_factor, analysis.plan().modes_about),
                         assembly, motions, 1));
  folder.write("fields/buckling.vtu", to_vtu(grid, 1));
}

// All quantities under one load; what was asked for at single frequencies too.
void write_stress_fields(const Analysis& analysis, const std::string& load, const RunFolder& folder) {
  const Assembly& assembly = analysis.assembly();
  Grid stress = stress_grid(assembly, *analysis.responses->fields.stations, analysis.plan().show);
  const auto add = [&](const StressField& field) {
    for (GridArray& array : stress_arrays(*analysis.responses->fields.stations, field, analysis.plan().show))
      stress.point_arrays.push_back(std::move(array));
  };
  for (const StressField& field : analysis.responses->fields.stress.fields) {
    if (field.name() != load) continue;
    add(field);
    const Table table = stress_table(assembly, *analysis.responses->fields.stations, field, analysis.plan().show);
    folder.write("tables/" + table.name + ".csv", to_csv(table));
  }
  for (const StressField& field : analysis.responses->fields.stress_asked.fields)
    if (field.excitation->is_held_of(load)) add(field);
  folder.write(fmt::format("fields/{}.stress.vtu", load), to_vtu(stress, 1));
}

// The ends of all beams under one load; held at frequencies asked for too.
void write_beam_stress(const Analysis& analysis, const BeamStressField& field, const RunFolder& folder) {
  const Assembly& assembly = analysis.assembly();
  Grid grid = beam_stress_grid(assembly, analysis.plan().show);
  grid.point_arrays = beam_stress_arrays(field, analysis.plan().show);
  for (const BeamStressField& asked : analysis.responses->fields.beam_stress_asked)
    if (asked.excitation->is_held_of(field.name()))
      for (GridArray& array : beam_stress_arrays(asked, analysis.plan().show))
        grid.point_arrays.push_back(std::move(array));
  folder.write(fmt::format("fields/{}.beam-stress.vtu", field.name()), to_vtu(grid, 1));
  const Table table = beam_stress_table(assembly, field, analysis.plan().show);
  folder.write("tables/" + table.name + ".csv", to_csv(table));
}

// Damage of shells and solids by everything that one life goes through.
void write_damage(const Analysis& analysis, const LifeRequest& request, const RunFolder& folder) {
  Grid grid = stress_grid(analysis.assembly(), *analysis.responses->fields.stations, analysis.plan().show);
  for (const Life& life : analysis.responses->lives)
    if (life.request == &request && life.field.cols() > 0)
      for (GridArray& array : damage_arrays(*analysis.responses->fields.stations, life))
        grid.point_arrays.push_back(std::move(array));
  if (!grid.point_arrays.empty()) folder.write(fmt::format("fields/life.{}.vtu", request.name), to_vtu(grid, 1));
}

void write_shapes(const Analysis& analysis, const std::string& outcome, const RunFolder& folder) {
  const Assembly& assembly = analysis.assembly();
  const DisplayUnit length = analysis.plan().show.unit(kind::length);
  Grid field = model_grid(assembly, analysis.plan().show);
  for (const OperatingDeflectionShape& shape : analysis.responses->shapes) {
    if (shape.outcome != outcome) continue;
    const auto add = [&](const Eigen::VectorXd& coordinates, const char* what) {
      field.point_arrays.push_back(
          displacement_array(name_of_array(analysis, shape.excitation->name(), shape.frequency,
                                           fmt::format("relative displacement, {} ({})", what, length.text)),
                             assembly, node_motions(analysis.system(), *shape.basis, coordinates), length.from_si(1)));
    };
    add(shape.coordinates_at(shape.instant), "worst instant");
    add(shape.coordinates.real(), "real part");
    add(shape.coordinates.imag(), "imaginary part");
  }
  folder.write(fmt::format("fields/{}.vtu", outcome), to_vtu(field, 1));
}

void write_motion(const Analysis& analysis, const MotionField& field, const RunFolder& folder) {
  const Assembly& assembly = analysis.assembly();
  Grid grid = model_grid(assembly, analysis.plan().show);
  for (GridArray& array : motion_arrays(assembly, field, analysis.plan().show))
    grid.point_arrays.push_back(std::move(array));
  folder.write(fmt::format("fields/{}.motion.vtu", field.excitation->name()), to_vtu(grid, 1));
  const Table table = node_table(assembly, field, analysis.plan().show);
  folder.write("tables/" + table.name + ".csv", to_csv(table));
}

}  // namespace

Jobs field_jobs(const Analysis& analysis, const RunFolder& folder) {
  Jobs jobs{[&] { write_mode_field(analysis, folder); },
            [&] { folder.write("fields/model.glb", to_glb(turning_model_of(analysis, SIZE_MAX))); }};
  if (analysis.at_rest().preload && analysis.at_rest().preload->shape.size() > 0)
    jobs.emplace_back([&] { write_buckling(analysis, folder); });
  std::vector<std::string> loads;
  for (const StressField& field : analysis.responses->fields.stress.fields)
    if (std::find(loads.begin(), loads.end(), field.name()) == loads.end()) loads.push_back(field.name());
  for (const std::string& load : loads)
    jobs.emplace_back([&analysis, load, &folder] { write_stress_fields(analysis, load, folder); });
  for (const BeamStressField& field : analysis.responses->fields.beam_stress)
    if (!field.worst.empty()) jobs.emplace_back([&] { write_beam_stress(analysis, field, folder); });
  if (analysis.responses->fields.stations)
    for (const LifeRequest& request : analysis.plan().lives)
      jobs.emplace_back([&] { write_damage(analysis, request, folder); });
  for (const MotionField& field : analysis.responses->fields.motions)
    jobs.emplace_back([&] { write_motion(analysis, field, folder); });
  for (std::size_t i = 0; i < analysis.responses->shapes.size(); ++i)  // those of one outcome stand together
    if (const std::string& outcome = analysis.responses->shapes[i].outcome;
        i == 0 || analysis.responses->shapes[i - 1].outcome != outcome)
      jobs.emplace_back([&analysis, &outcome, &folder] { write_shapes(analysis, outcome, folder); });
  return jobs;
}

}  // namespace avrenk
