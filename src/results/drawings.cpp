#include "results/drawings.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

#include "analysis/spring_summaries.h"
#include "core/error.h"
#include "core/parallel.h"
#include "figures/assessment_charts.h"
#include "figures/model_pictures.h"
#include "files/life_tables.h"
#include "files/load_tables.h"
#include "files/model_tables.h"
#include "files/stress_results.h"
#include "files/table.h"
#include "results/answer_drawings.h"

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
    if (shape.excitation->is_held_of(outcome.name()) && count++ < most_asked_pictures)
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
    for (const FigureRequest::Viewpoint& viewpoint : figure.sights) {
      Viewpoint sight{{viewpoint.azimuth, viewpoint.elevation}, {}, figure.scale};
      if (!figure.parts.empty()) sight.parts.assign(analysis.assembly().parts.size(), false);
      for (const int part : figure.parts) sight.parts[static_cast<std::size_t>(part)] = true;
      const std::string view = figure.sights.size() > 1 ? "." + viewpoint.name : "";
      const std::string words = fmt::format("{}, seen from {}", caption, viewpoint.name);
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
    const EquipmentRequest& equipment_request = *level.request;
    NamedChart named =
        envelope_chart({"level." + equipment_request.name, fmt::format("Equipment level {}", equipment_request.name),
                        fmt::format("{} in {}, the largest of {} case{}; margin {:g} dB", equipment_request.of,
                                    fmt::join(equipment_request.environments, ", "), level.cases.size(),
                                    level.cases.size() == 1 ? "" : "s", equipment_request.margin),
                        level.grid, level.largest, level.envelope, equipment_request.octaves > 0 && level.random,
                        level.random, *level.kind},
                       plan.show);
    drawings.push_back({"equipment", named.name, fmt::format("Equipment level {}.", equipment_request.name),
                        named.in_words, std::move(named.chart)});
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

Jobs drawing_jobs(const std::vector<Drawing>& drawings, const RunFolder& folder, std::vector<std::string>& failures) {
  failures.resize(drawings.size());
  Jobs jobs;
  std::vector<std::size_t> charts;
  for (std::size_t i = 0; i < drawings.size(); ++i) {
    if (drawings[i].chart) {
      charts.push_back(i);
      continue;
    }
    jobs.emplace_back([&drawing = drawings[i], &failure = failures[i], &folder] {
      try {
        folder.write(drawing.file(), drawing.picture());
      } catch (const FileError& error) {
        failure = error.what();
      }
    });
  }
  const auto draw = [&drawings, &folder](std::span<const std::size_t> chosen) {
    std::vector<ChartFiles> files;
    for (const std::size_t i : chosen)
      files.push_back({&*drawings[i].chart, folder.path(drawings[i].file()).replace_extension()});
    draw_charts(files);
  };
  constexpr std::size_t together = 6;  // charts in one process, so that its start does not weigh
  for (std::size_t first = 0; first < charts.size(); first += together) {
    const auto end = charts.begin() + static_cast<std::ptrdiff_t>(std::min(first + together, charts.size()));
    jobs.emplace_back(
        [draw, &failures, batch = std::vector<std::size_t>(charts.begin() + static_cast<std::ptrdiff_t>(first), end)] {
          try {
            draw(batch);
          } catch (const FileError&) {  // whichever it is: one by one
            for (const std::size_t i : batch) try {
                draw(std::array{i});
              } catch (const FileError& error) {
                failures[i] = error.what();
              }
          }
        });
  }
  return jobs;
}

}  // namespace avrenk
