#include "results/drawings.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/spring_summaries.h"
#include "core/parallel.h"
#include "figures/assessment_charts.h"
#include "figures/model_pictures.h"
#include "files/life_tables.h"
#include "files/load_tables.h"
#include "files/mode_grid.h"
#include "files/model_tables.h"
#include "files/motion_results.h"
#include "files/stress_results.h"
#include "files/table.h"
#include "files/vtu.h"
#include "results/answer_drawings.h"
#include "results/turning_views.h"

namespace avrenk {
namespace {

constexpr double worth_a_picture = 0.05;  // effective mass of a mode along x, y or z
constexpr int milliseconds_of_a_frame = 60;
constexpr std::size_t most_mode_pictures = 8, most_animations = 4, most_asked_pictures = 6;

std::string hertz(const Analysis& analysis, double frequency) {
  return value_text(frequency, analysis.plan().show.unit(kind::frequency), 4);
}

void add_modes(const Analysis& analysis, std::vector<Drawing>& drawings) {
  if (analysis.basis().modes == 0) return;
  const NamedChart masses = mass_chart(analysis.basis(), analysis.plan().show);
  drawings.push_back(
      {"modes", masses.name, "Effective mass of the modes and its running sum.", masses.in_words, masses.chart});
  if (analysis.modal().levels.size() > 1) {
    NamedChart levels = preload_chart(analysis.modal().levels, analysis.plan().modes_about, analysis.plan().show);
    drawings.push_back({"modes", std::move(levels.name), levels.chart.title + ".", std::move(levels.in_words),
                        std::move(levels.chart)});
  }
  drawings.push_back({"modes",
                      "modes",
                      "Shapes of the first modes over the model as built.",
                      "Pictures of the first modes.",
                      {},
                      [&analysis] { return to_png(mode_sheet(picture_source(analysis))); }});
  std::size_t animated = 0;
  for (const int r : weighty_modes(analysis.basis())) {
    const std::string words =
        fmt::format("Mode {}, {}: {}; effective mass {}.", r + 1, hertz(analysis, analysis.basis().frequency(r)),
                    analysis.modal().contents[static_cast<std::size_t>(r)].in_words(),
                    effective_masses_in_words(analysis.basis(), r));
    drawings.push_back({"modes", fmt::format("mode.{:02}", r + 1), words, words, {}, [&analysis, r] {
                          return to_png(mode_picture(picture_source(analysis), r));
                        }});
    if (animated++ < most_animations)
      drawings.push_back({"modes",
                          fmt::format("mode.{:02}.moving", r + 1),
                          words,
                          words,
                          {},
                          [&analysis, r] {
                            return to_animated_png(mode_animation(picture_source(analysis), r),
                                                   milliseconds_of_a_frame);
                          },
                          false});
  }
}

// At the strongest peak, and at the first frequencies asked for.
void add_shapes(const Analysis& analysis, const std::string& outcome, std::vector<Drawing>& drawings) {
  std::size_t count = 0;
  for (const OperatingDeflectionShape& shape : analysis.responses->shapes) {
    if (shape.outcome != outcome || (shape.excitation->held && ++count > most_asked_pictures)) continue;
    const std::string words = fmt::format("Shape at {}, {}.", shape.at, hertz(analysis, shape.frequency));
    drawings.push_back({outcome, shape.excitation->name() + ".shape", words, words, {}, [&analysis, &shape] {
                          return to_png(shape_picture(picture_source(analysis), shape));
                        }});
  }
}

// Of a load, or of its cases held at the frequencies asked for.
bool is_held(const Excitation& excitation, const std::string& outcome) {
  return excitation.held && excitation.name().starts_with(outcome + ".");
}

// A picture of each quantity; beams stand in that of von Mises stress, or in one of their own.
void add_stress_of(const Analysis& analysis, const StressFound& found, const Excitation& load,
                   const std::string& outcome, std::vector<Drawing>& drawings) {
  const std::string name = load.name();
  const std::string when = load.held ? " at " + load.held->words() : "";
  const BeamStressField* const beams = found.beams_of(name);
  const auto add = [&](const StressField* field, const BeamStressField* of_beams) {
    double largest = field ? field->worst.front().value : 0;
    if (of_beams && of_beams->worst.front().value > std::abs(largest)) largest = of_beams->worst.front().value;
    const std::string words = fmt::format("{}{}: {}; the largest is {}.",
                                          !field      ? "Beams"
                                          : !of_beams ? "Shells and solids"
                                                      : "Shells, solids and beams",
                                          when, stress_words(field ? field->quantity : StressQuantity::von_mises),
                                          value_text(largest, analysis.plan().show.unit(kind::stress), 3));
    drawings.push_back({outcome,
                        field ? stress_table_name(*field) : name + ".stress",
                        words,
                        words,
                        {},
                        [&analysis, stations = found.stations, field, of_beams] {
                          return to_png(stress_picture(picture_source(analysis), stations, field, of_beams));
                        }});
  };
  bool with_beams = false;
  for (const StressField& field : found.fields) {
    if (field.name() != name || field.worst.empty()) continue;
    const bool both = field.quantity == StressQuantity::von_mises;
    add(&field, both ? beams : nullptr);
    with_beams = with_beams || both;
  }
  if (beams && !with_beams) add(nullptr, beams);
}

void add_stress(const Analysis& analysis, const CaseResults& outcome, std::vector<Drawing>& drawings) {
  add_stress_of(analysis, analysis.responses->fields.found_stress(), *outcome.excitation, outcome.name(), drawings);
  std::size_t count = 0;
  for (const OperatingDeflectionShape& shape : analysis.responses->shapes)
    if (shape.excitation->held && is_held(*shape.excitation, outcome.name()) && count++ < most_asked_pictures)
      add_stress_of(analysis, analysis.responses->fields.found_stress_asked(), *shape.excitation, outcome.name(),
                    drawings);
}

void add_motions(const Analysis& analysis, const std::string& outcome, std::vector<Drawing>& drawings) {
  for (const MotionField& field : analysis.responses->fields.motions) {
    if (field.excitation->name() != outcome) continue;
    drawings.push_back({outcome,
                        outcome + ".motion",
                        "RMS of the acceleration of every node.",
                        "Picture of the model, coloured by the RMS of acceleration.",
                        {},
                        [&analysis, &field] { return to_png(motion_picture(picture_source(analysis), field)); }});
    const std::string words =
        "The largest PSD of acceleration of every node over frequency, and the frequency at which it is that.";
    drawings.push_back({outcome, outcome + ".envelope", words, words, {}, [&analysis, &field] {
                          return to_png(envelope_picture(picture_source(analysis), field));
                        }});
  }
}

void add_responses(const Analysis& analysis, bool complex, std::vector<Drawing>& drawings) {
  const ChartSource source{
      analysis.watched(),
      analysis.plan().limits,
      analysis.basis(),
      heading_of(analysis),
      analysis.plan().show,
      [&](const CaseResults& outcome, std::size_t index) { return analysis.responses->curve_of(outcome, index); }};
  std::vector<std::vector<NamedChart>> charts(analysis.outcomes().size());
  run_jobs(charts.size(), analysis.loaded().threads,
           [&](std::size_t i) { charts[i] = response_charts(analysis.outcomes()[i], source); });
  const auto add = [&](const CaseResults& outcome, NamedChart&& named) {
    drawings.push_back({outcome.name(), std::move(named.name), named.chart.title + ".", std::move(named.in_words),
                        std::move(named.chart)});
  };
  for (const Environment& environment : analysis.modal().environments) {
    if (!environment.by_speed()) continue;
    std::vector<OrderSource> orders;
    for (std::size_t k = 0; k < analysis.outcomes().size(); ++k)
      if (&analysis.outcomes()[k].environment() == &environment && !analysis.outcomes()[k].is_combined())
        orders.push_back({*analysis.outcomes()[k].excitation, analysis.responses->driven[k]});
    if (orders.empty()) continue;
    NamedChart named = order_chart(orders, analysis.basis(), analysis.plan().show);
    drawings.push_back({"environment-" + environment.name, std::move(named.name), named.chart.title + ".",
                        std::move(named.in_words), std::move(named.chart)});
  }
  for (std::size_t i = 0; i < charts.size(); ++i) {
    const CaseResults& outcome = analysis.outcomes()[i];
    for (NamedChart& named : charts[i]) add(outcome, std::move(named));
    if (complex)
      for (NamedChart& named : complex_charts(outcome, source)) add(outcome, std::move(named));
    if (auto named = share_chart(outcome, source)) add(outcome, std::move(*named));
    add_stress(analysis, outcome, drawings);
    add_motions(analysis, outcome.name(), drawings);
    add_shapes(analysis, outcome.name(), drawings);
  }
}

std::string name_of_array(const Analysis& analysis, const std::string& what, double frequency,
                          const std::string& rest) {
  return fmt::format("{}, {}: {}", what, hertz(analysis, frequency), rest);
}

}  // namespace

std::vector<int> weighty_modes(const ModalBasis& basis) {
  std::vector<std::pair<double, int>> all;
  for (int r = 0; r < basis.modes; ++r) {
    double part = 0;
    for (int d = 0; d < 3; ++d) part = std::max(part, basis.effective_mass(r, d) / basis.rigid_mass(d, d));
    if (part >= worth_a_picture) all.emplace_back(-part, r);
  }
  std::sort(all.begin(), all.end());
  if (all.size() > most_mode_pictures) all.resize(most_mode_pictures);
  std::vector<int> modes;
  modes.reserve(all.size());
  for (const auto& [part, r] : all) modes.push_back(r);
  std::sort(modes.begin(), modes.end());
  return modes;
}

namespace {

// Figures that the plan asks for. Those of modes need no responses.
void add_figures_asked_for(const Analysis& analysis, std::vector<Drawing>& drawings) {
  const Plan& plan = analysis.plan();
  const auto add_views = [&](const FigureRequest& figure, const std::string& in, const std::string& caption,
                             const std::function<std::string(const Viewpoint&)>& picture) {
    for (const FigureRequest::Viewpoint& each : figure.sights) {
      Viewpoint sight{{each.azimuth, each.elevation}, {}, figure.scale};
      if (!figure.parts.empty()) sight.parts.assign(analysis.assembly().parts.size(), false);
      for (const int part : figure.parts) sight.parts[static_cast<std::size_t>(part)] = true;
      const std::string view = figure.sights.size() > 1 ? "." + each.name : "";
      const std::string words = fmt::format("{}, seen from {}", caption, each.name);
      drawings.push_back({"figures",
                          fmt::format("figure.{}{}{}", figure.name, in, view),
                          words + ".",
                          words + ".",
                          {},
                          [picture, sight] { return picture(sight); }});
    }
  };
  for (std::size_t f = 0; f < plan.figures.size(); ++f) {
    const FigureRequest& figure = plan.figures[f];
    if (figure.mode) {
      const int mode = *figure.mode - 1;
      if (mode >= analysis.basis().modes) continue;
      add_views(figure, "", fmt::format("{}: mode {}", figure.name, *figure.mode),
                [&analysis, &figure, mode](const Viewpoint& sight) {
                  const PictureSource source = picture_source(analysis, sight);
                  return figure.plays ? to_animated_png(mode_animation(source, mode), milliseconds_of_a_frame)
                                      : to_png(mode_picture(source, mode));
                });
      continue;
    }
    if (!analysis.responses->figure_answers) continue;
    std::vector<PlottedCurve> curves;
    for (const AnswerCurve& curve : analysis.responses->figure_answers->curves) {
      if (curve.question != f) continue;
      const DisplayUnit unit = figure.question.unit.value_or(plan.show.unit(*figure.question.request.quantity->kind));
      curves.push_back(plotted_curve(curve, curve.is_psd ? psd_unit(unit) : unit, plan.show.unit(kind::frequency)));
    }
    if (!curves.empty()) {
      Chart chart = curves_chart(figure.question.text, plan.title, curves, plan.show.unit(kind::frequency).text);
      const std::string caption = fmt::format("{}: {}.", figure.name, figure.question.text);
      if (!chart.panels.empty())
        drawings.push_back({"figures", "figure." + figure.name, caption, caption, std::move(chart)});
    }
    std::size_t fields = 0;
    for (const AnswerField& field : analysis.responses->figure_answers->fields) fields += field.question == f ? 1 : 0;
    for (const AnswerField& field : analysis.responses->figure_answers->fields)
      if (field.question == f)
        add_views(figure, fields > 1 ? "." + field.excitation->name() : "",
                  fmt::format("{}: {}{}", figure.name, figure.question.text,
                              fields > 1 ? ", " + field.excitation->name() : ""),
                  [&analysis, &figure, &field](const Viewpoint& sight) {
                    const PictureSource source = picture_source(analysis, sight);
                    if (!figure.plays || !field.shape)
                      return to_png(picture_of(source, field, analysis.responses->figure_answers->stations.get()));
                    return to_animated_png(shape_animation(source, *field.shape), milliseconds_of_a_frame);
                  });
  }
}

}  // namespace

std::vector<Drawing> drawings_of(const Analysis& analysis, const DrawingRequest& request) {
  std::vector<Drawing> drawings;
  const Plan& plan = analysis.plan();
  if (!analysis.assessment.limits.empty()) {
    const NamedChart margins = margin_chart(analysis.assessment.limits, plan.show);
    drawings.push_back({"margins", margins.name, "Margins, worst first.", margins.in_words, margins.chart});
    if (const auto variants = margins_of_variants(analysis); !variants.empty()) {
      NamedChart others = variant_chart(analysis.assessment.limits, variants);
      drawings.push_back({"margins", std::move(others.name), others.chart.title + ".", std::move(others.in_words),
                          std::move(others.chart)});
    }
  }
  if (request.model) {
    std::string names;
    for (const auto& [name, colour] : model_legend(analysis.assembly())) names += (names.empty() ? "" : ", ") + name;
    drawings.push_back({"model",
                        "model",
                        "The model: beams by their sections, shells and solids by their surface, bodies as spheres, "
                        "springs as zigzags.",
                        "Picture of the model with " + names + ".",
                        {},
                        [&analysis] {
                          return to_png(
                              model_picture(analysis.assembly(), analysis.plan().title, analysis.plan().show));
                        }});
  }
  if (request.modes) add_modes(analysis, drawings);
  if (request.modes || request.responses) add_figures_asked_for(analysis, drawings);
  if (request.profiles)
    for (const Profile& profile : plan.profiles) {
      NamedChart named = chart_of_profile(profile, "level 0 dB", plan.show);
      drawings.push_back(
          {"profiles", named.name, fmt::format("Profile {}.", profile.name), named.in_words, std::move(named.chart)});
    }
  if (request.responses) add_responses(analysis, request.complex, drawings);
  for (const CrossSpectrum& spectrum : analysis.responses->cross_spectra) {
    NamedChart named = cross_chart(spectrum, plan.show);
    drawings.push_back(
        {spectrum.excitation->name(), named.name, named.chart.title + ".", named.in_words, std::move(named.chart)});
  }
  for (const NotchedInput& input : analysis.responses->notched) {
    NamedChart named = notch_chart(input, plan.show);
    drawings.push_back({"notches", named.name,
                        fmt::format("Input of {}: specified, and applied in its place.", input.specified->name()),
                        named.in_words, std::move(named.chart)});
  }
  for (const EquipmentLevel& level : analysis.assessment.equipment) {
    const EquipmentRequest& own = *level.request;
    NamedChart named = envelope_chart(
        {"level." + own.name, fmt::format("Equipment level {}", own.name),
         fmt::format("{} in {}, the largest of {} case{}; margin {:g} dB", own.of, fmt::join(own.environments, ", "),
                     level.cases.size(), level.cases.size() == 1 ? "" : "s", own.margin),
         level.grid, level.largest, level.envelope, own.octaves > 0 && level.random, level.random, *level.kind},
        plan.show);
    drawings.push_back({"equipment", named.name, fmt::format("Equipment level {}.", own.name), named.in_words,
                        std::move(named.chart)});
  }
  return drawings;
}

Table table_of_profile(const Profile& profile, const Show& show) {
  if (profile.of_load() && !profile.is_random()) return load_profile_table(profile.points, *profile.stated, show);
  return profile_table(profile.table, profile.is_random(), *profile.drives, show);
}

NamedChart chart_of_profile(const Profile& profile, const std::string& heading, const Show& show) {
  if (profile.of_load() && !profile.is_random())
    return load_profile_chart(
        {profile.name, heading, profile.amplitude(), *profile.stated, profile.upper, profile.lower, profile.tolerance},
        show);
  return profile_chart({profile.name, heading, profile.table, profile.is_random(), profile.drives, profile.upper,
                        profile.lower, profile.tolerance},
                       show);
}

Jobs drawing_jobs(const std::vector<Drawing>& drawings, const RunFolder& folder) {
  Jobs jobs;
  std::vector<ChartFiles> charts;
  for (const Drawing& each : drawings) {
    if (each.chart)
      charts.push_back({&*each.chart, folder.path(each.file()).replace_extension()});
    else
      jobs.emplace_back([&each, &folder] { folder.write(each.file(), each.picture()); });
  }
  constexpr std::size_t together = 6;  // charts in one process, so that its start does not weigh
  for (std::size_t first = 0; first < charts.size(); first += together) {
    const auto end = charts.begin() + static_cast<std::ptrdiff_t>(std::min(first + together, charts.size()));
    jobs.emplace_back([batch = std::vector<ChartFiles>(charts.begin() + static_cast<std::ptrdiff_t>(first), end)] {
      draw_charts(batch);
    });
  }
  return jobs;
}

namespace {

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
    if (is_held(*field.excitation, load)) add(field);
  folder.write(fmt::format("fields/{}.stress.vtu", load), to_vtu(stress, 1));
}

// The ends of all beams under one load; held at frequencies asked for too.
void write_beam_stress(const Analysis& analysis, const BeamStressField& field, const RunFolder& folder) {
  const Assembly& assembly = analysis.assembly();
  Grid grid = beam_stress_grid(assembly, analysis.plan().show);
  grid.point_arrays = beam_stress_arrays(field, analysis.plan().show);
  for (const BeamStressField& asked : analysis.responses->fields.beam_stress_asked)
    if (is_held(*asked.excitation, field.name()))
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
