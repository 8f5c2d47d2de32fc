#include "figures/model_pictures.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "files/stress_results.h"
#include "files/table.h"

namespace avrenk {
namespace {

constexpr double largest_on_paper = 0.1;  // of the model's size

NodeMotions mode_motions(const PictureSource& source, int mode) {
  return node_motions(source.system, source.basis, Eigen::VectorXd::Unit(source.basis.size(), mode));
}

std::string mode_name(const PictureSource& source, int mode) {
  return fmt::format("Mode {}, {}", mode + 1,
                     value_text(source.basis.frequency(mode), source.show.unit(kind::frequency), 4));
}

// What is known of a mode in words; nothing where the source has no contents.
ModeContent content_of(const PictureSource& source, int mode) {
  return source.contents ? (*source.contents)[static_cast<std::size_t>(mode)] : ModeContent{};
}

// "Mode 3, 62.1 Hz: mast bends in x"
std::string mode_title(const PictureSource& source, int mode) {
  const std::string what = content_of(source, mode).what;
  return mode_name(source, mode) + (what.empty() ? "" : ": " + what);
}

// Begins a line with one thing more, if there is any.
std::string before(const std::string& text) { return text.empty() ? "" : text + "; "; }

// The model in motion, as it is wanted to be seen.
ModelLook look_of(const PictureSource& source, const NodeMotions* motions, double scale, double largest) {
  ModelLook look;
  look.motions = motions;
  look.scale = scale;
  look.largest = largest;
  look.ghost = motions != nullptr;
  look.surface = source.surface;
  look.parts = source.sight.parts.empty() ? nullptr : &source.sight.parts;
  return look;
}

// Nodes of the parts that alone are drawn.
std::vector<int> nodes_drawn(const PictureSource& source) {
  std::vector<int> nodes;
  for (const BeamElement& beam : source.assembly.beams)
    if (source.sight.shows(beam.part)) nodes.insert(nodes.end(), beam.nodes.begin(), beam.nodes.end());
  for (const ElementGroup& group : source.assembly.groups)
    if (source.sight.shows(group.part)) nodes.insert(nodes.end(), group.nodes.begin(), group.nodes.end());
  return nodes;
}

// The largest translation of a node that is drawn.
LargestMotion largest_drawn(const PictureSource& source, const NodeMotions& motions) {
  if (source.sight.parts.empty()) return largest_translation(motions);
  LargestMotion largest{-1, 0};
  for (const int node : nodes_drawn(source)) {
    const double own = motions.col(node).head<3>().norm();
    constexpr double rounding = 1e-9;
    if (own > largest.value * (1 + rounding)) largest = {own, node};
  }
  return largest.value < 0 ? LargestMotion{0, largest.node} : largest;
}

// Displacements drawn so many times as large.
double drawn_times(const PictureSource& source, double largest) {
  if (source.sight.scale > 0) return source.sight.scale;
  return largest > 0 ? largest_on_paper * model_size(source.assembly) / largest : 0;
}

// ", of deck and strut alone"; nothing where all is drawn.
std::string parts_in_words(const PictureSource& source) {
  std::string names;
  for (std::size_t p = 0; p < source.sight.parts.size(); ++p)
    if (source.sight.parts[p]) names += (names.empty() ? "" : ", ") + source.assembly.parts[p].name;
  return names.empty() ? "" : "; " + names + " alone";
}

// Outer points of a motion of what is drawn to both sides: they hold the pictures of one animation still.
std::vector<Vector3> reach_of(const PictureSource& source, const NodeMotions& motions, double scale) {
  std::vector<Vector3> points;
  const auto take = [&](int node) {
    for (const double sign : {-1.0, 1.0})
      points.emplace_back(source.assembly.position(node) + sign * scale * motions.col(node).head<3>());
  };
  if (source.sight.parts.empty())
    for (int node = 0; node < static_cast<int>(source.assembly.nodes.size()); ++node) take(node);
  else
    for (const int node : nodes_drawn(source)) take(node);
  return points;
}

Picture small_picture(const std::string& title, const std::string& subtitle) {
  Picture picture{title, subtitle, 640, 480};
  picture.triad = false;
  picture.margin = 0.85;
  return picture;
}

}  // namespace

std::string effective_masses_in_words(const ModalBasis& basis, int mode) {
  std::vector<std::pair<double, int>> parts;
  for (int d = 0; d < 6; ++d)
    if (const double part = basis.effective_mass(mode, d) / basis.rigid_mass(d, d); part >= 0.01)
      parts.emplace_back(part, d);
  std::stable_sort(parts.begin(), parts.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::string text;
  for (std::size_t i = 0; i < std::min<std::size_t>(parts.size(), 3); ++i)
    text += fmt::format("{}{} {:.0f} %", i ? ", " : "", axis_names[static_cast<std::size_t>(parts[i].second)],
                        100 * parts[i].first);
  return text.empty() ? "less than 1 % in any direction" : text;
}

Image model_picture(const Assembly& assembly, const std::string& title, const Show& show,
                    const std::vector<Picture::Mark>& marks) {
  const MassProperties total = total_mass(assembly);
  std::size_t elements = assembly.beams.size();
  for (const ElementGroup& group : assembly.groups) elements += group.elements();
  const auto places =
      std::count_if(assembly.nodes.begin(), assembly.nodes.end(), [](const Node& node) { return node.is_place(); });
  Picture picture{
      title.empty() ? "The model" : title,
      fmt::format("{} nodes, {} elements, {} springs, {} bodies; {} in all", places, elements, assembly.springs.size(),
                  assembly.masses.size(), value_text(total.mass, show.unit(kind::mass), 4))};
  picture.legend = model_legend(assembly);
  picture.legend.emplace_back("base", Colour{0.45, 0.48, 0.53});
  picture.marks = marks;
  ModelLook look;
  look.loads = true;
  std::size_t named = 0;  // loads that have their name
  for (const LoadArrow& arrow : load_arrows(assembly))
    if (arrow.load >= named) {
      picture.marks.push_back({arrow.from, assembly.loads[arrow.load].name});
      named = arrow.load + 1;
    }
  if (named > 0) picture.legend.emplace_back("loads", load_colour);
  return draw(model_scene(assembly, look), picture);
}

Image mode_picture(const PictureSource& source, int mode) {
  const NodeMotions motions = mode_motions(source, mode);
  const LargestMotion largest = largest_drawn(source, motions);
  // The size of a mode means nothing: that it is drawn with is a part of the model's.
  const double scale = largest.value > 0 ? largest_on_paper * model_size(source.assembly) / largest.value : 0;
  Picture picture{mode_title(source, mode),
                  fmt::format("{}effective mass {}; largest translation {} of the model's size; grey lines: as built{}",
                              before(content_of(source, mode).energy), effective_masses_in_words(source.basis, mode),
                              largest_on_paper, parts_in_words(source)),
                  1280, 800, ColourBar{"Displacement (part of the largest)", 0, 1}};
  picture.marks = {{source.assembly.nodes[static_cast<std::size_t>(largest.node)].position +
                        scale * motions.col(largest.node).head<3>(),
                    fmt::format("largest: {}", source.assembly.nodes[static_cast<std::size_t>(largest.node)].origin)}};
  return draw(model_scene(source.assembly, look_of(source, &motions, scale, largest.value)), picture,
              source.sight.view);
}

Image mode_sheet(const PictureSource& source) {
  std::vector<Image> pictures;
  const int count = std::min(source.basis.modes, 12);
  for (int r = 0; r < count; ++r) {
    const NodeMotions motions = mode_motions(source, r);
    const LargestMotion largest = largest_translation(motions);
    Picture picture{mode_name(source, r),
                    before(content_of(source, r).what) + effective_masses_in_words(source.basis, r), 426, 320};
    picture.triad = false;
    picture.margin = 0.72;
    pictures.push_back(
        draw(model_scene(source.assembly, {&motions,
                                           largest_on_paper * model_size(source.assembly) / largest.value,
                                           largest.value,
                                           true,
                                           source.surface,
                                           {}}),
             picture));
  }
  return sheet(pictures, 3,
               count < source.basis.modes ? fmt::format("The first {} of {} modes", count, source.basis.modes)
                                          : std::string("All modes"),
               "natural frequency; effective mass as a part of the whole; colour: displacement as a part of the "
               "largest; grey lines: as built");
}

std::vector<Image> mode_animation(const PictureSource& source, int mode, int frames) {
  const NodeMotions motions = mode_motions(source, mode);
  const LargestMotion largest = largest_drawn(source, motions);
  const double scale = largest.value > 0 ? largest_on_paper * model_size(source.assembly) / largest.value : 0;
  const std::vector<Vector3> reach = reach_of(source, motions, scale);
  Picture picture = small_picture(mode_title(source, mode),
                                  fmt::format("effective mass {}", effective_masses_in_words(source.basis, mode)));
  std::vector<Image> images;
  for (int k = 0; k < frames; ++k) {
    if (2 * k > frames) {  // the second half of the cycle is the first backwards
      images.push_back(images[static_cast<std::size_t>(frames - k)]);
      continue;
    }
    const double part = std::cos(2 * std::numbers::pi * k / frames);
    const NodeMotions now = part * motions;
    images.push_back(draw(model_scene(source.assembly, look_of(source, &now, scale, largest.value)), picture,
                          source.sight.view, reach));
  }
  return images;
}

std::vector<Image> shape_animation(const PictureSource& source, const OperatingDeflectionShape& shape, int frames) {
  const NodeMotions real = node_motions(source.system, *shape.basis, shape.coordinates.real()),
                    imaginary = node_motions(source.system, *shape.basis, shape.coordinates.imag());
  const auto at = [&](double angle) -> NodeMotions { return std::cos(angle) * real - std::sin(angle) * imaginary; };
  double largest = shape.largest;
  if (!source.sight.parts.empty()) {
    largest = 0;
    for (int k = 0; k < frames; ++k)
      largest = std::max(largest, largest_drawn(source, at(2 * std::numbers::pi * k / frames)).value);
  }
  const double scale = drawn_times(source, largest);
  std::vector<Vector3> reach = reach_of(source, real, scale), other = reach_of(source, imaginary, scale);
  reach.insert(reach.end(), other.begin(), other.end());
  Picture picture = small_picture(
      fmt::format("{} at {}", shape.outcome, value_text(shape.frequency, source.show.unit(kind::frequency), 4)),
      fmt::format("displacement relative to the base, one cycle, drawn × {}; colour: part of the largest, {}{}",
                  format_number(scale, 3), value_text(largest, source.show.unit(kind::length), 3),
                  parts_in_words(source)));
  std::vector<Image> images;
  for (int k = 0; k < frames; ++k) {
    const NodeMotions now = at(2 * std::numbers::pi * k / frames);
    images.push_back(
        draw(model_scene(source.assembly, look_of(source, &now, scale, largest)), picture, source.sight.view, reach));
  }
  return images;
}

Image shape_picture(const PictureSource& source, const OperatingDeflectionShape& shape) {
  const NodeMotions motions = node_motions(source.system, *shape.basis, shape.coordinates_at(shape.instant));
  // Of some parts the largest at that instant; of all that of the whole cycle.
  const bool whole = source.sight.parts.empty();
  const LargestMotion largest = whole ? LargestMotion{shape.largest, shape.node} : largest_drawn(source, motions);
  const double scale = drawn_times(source, largest.value);
  const DisplayUnit length = source.show.unit(kind::length), hertz = source.show.unit(kind::frequency);
  const Node& node = source.assembly.nodes[static_cast<std::size_t>(largest.node)];
  Picture picture{
      fmt::format("{} at {}{}", shape.outcome, shape.at,
                  shape.excitation->held && shape.excitation->held->mode == 0
                      ? std::string()
                      : ", " + value_text(shape.frequency, hertz, 4)),
      fmt::format(
          "displacement relative to the base, at {}({:.0f}° of the cycle{}), drawn × {}; grey lines: as built{}",
          shape.excitation->held && shape.excitation->held->phase ? "" : "the instant of the largest ",
          std::fmod(360 + shape.instant * 180 / std::numbers::pi, 360),
          shape.excitation->axis ? " of the base's acceleration" : "", format_number(scale, 3), parts_in_words(source)),
      1280, 800, ColourBar{fmt::format("Displacement ({})", length.text), 0, length.from_si(largest.value)}};
  picture.marks = {{node.position + scale * motions.col(largest.node).head<3>(),
                    fmt::format("{}, {}", value_text(largest.value, length, 3), node.origin)}};
  return draw(model_scene(source.assembly, look_of(source, &motions, scale, largest.value)), picture,
              source.sight.view);
}

namespace {
const char* held_in_words(const AskedFrequency& held) { return held.phase ? "" : ", largest of the cycle"; }
}  // namespace

Image stress_picture(const PictureSource& source, const StressStations* stations, const StressField* field,
                     const BeamStressField* beams, const OperatingDeflectionShape* shape) {
  const DisplayUnit stress = source.show.unit(kind::stress);
  const Assembly& assembly = source.assembly;
  const Excitation& excitation = field ? *field->excitation : *beams->excitation;
  const StressQuantity quantity = field ? field->quantity : StressQuantity::von_mises;
  // The worst of what is drawn.
  const WorstStress* in_field = nullptr;
  const WorstBeamStress* in_beams = nullptr;
  if (field)
    for (const WorstStress& each : field->worst)
      if (!in_field && source.sight.shows(stations->all()[static_cast<std::size_t>(each.place.station)].part))
        in_field = &each;
  if (beams)
    for (const WorstBeamStress& each : beams->worst)
      if (!in_beams && source.sight.shows(assembly.beams[static_cast<std::size_t>(each.beam)].part)) in_beams = &each;
  const bool beam_is_worst = in_beams && (!in_field || in_beams->value > std::abs(in_field->value));
  const double largest = beam_is_worst ? in_beams->value : in_field ? std::abs(in_field->value) : 0;
  std::optional<NodeMotions> motions;
  if (shape) motions = node_motions(source.system, *shape->basis, shape->coordinates_at(shape->instant));
  const double scale = motions ? drawn_times(source, largest_drawn(source, *motions).value) : 0;
  ModelLook look = look_of(source, motions ? &*motions : nullptr, scale, 0);
  const auto part_of_largest = [&](double own) { return std::isnan(own) || largest > 0 ? own / largest : 0; };
  if (field)
    look.face_value = [&](const Surface::Face& face, std::size_t i) {
      const int index = stations->of(face.group, face.element, static_cast<std::size_t>((*face.local)[i]));
      const auto at = static_cast<std::size_t>(index);
      return part_of_largest(std::abs(field->value(worst_level(stations->all()[at], *field, at), index)));
    };
  if (beams)
    look.beam_value = [&](std::size_t beam, std::size_t end) {
      return part_of_largest(beams->value(static_cast<Eigen::Index>(end), static_cast<Eigen::Index>(beam)));
    };
  const auto type = excitation.environment->type();
  std::vector<std::string> notes;
  if (field) notes.emplace_back("shells: the largest over the thickness; mean of neighbours within a part");
  if (beams) notes.emplace_back("beams: the largest of the section, at both ends");
  if (in_field && !beam_is_worst && !std::isnan(in_field->jump))
    notes.push_back(fmt::format("at the largest the elements differ from their mean by {} %",
                                in_field->jump < 5e-4 ? "less than 0.1" : format_number(100 * in_field->jump, 2)));
  if (shape)
    notes.push_back(fmt::format("drawn on the shape at {}{:.0f}° of the cycle, × {}",
                                excitation.held && excitation.held->phase ? "" : "its largest, ",
                                std::fmod(360 + shape->instant * 180 / std::numbers::pi, 360),
                                format_number(scale, 3)));
  if (const std::string alone = parts_in_words(source); !alone.empty()) notes.push_back(alone.substr(2));
  Picture picture{fmt::format("{}: {}{}", excitation.name(), stress_words(quantity),
                              type == Environment::Type::random       ? ", RMS"
                              : excitation.held                       ? held_in_words(*excitation.held)
                              : type == Environment::Type::sine       ? ", largest of the sweep"
                              : quantity != StressQuantity::von_mises ? ", without its sign"
                                                                      : ""),
                  fmt::format("{}", fmt::join(notes, "; ")), 1280, 800,
                  ColourBar{fmt::format("{} ({})", name_of(quantity), stress.text), 0, stress.from_si(largest)}};
  const auto mark = [&](int part, int node, Vector3 at, double value, double frequency) {
    if (motions) at += scale * motions->col(node).head<3>();
    const std::string& name = assembly.parts[static_cast<std::size_t>(part)].name;
    const std::string text = value_text(value, stress, 3);
    picture.marks = {{at, frequency > 0 ? fmt::format("{} at {}, {}", text,
                                                      value_text(frequency, source.show.unit(kind::frequency), 4), name)
                                        : fmt::format("{}, {}", text, name)}};
  };
  if (beam_is_worst) {
    const BeamElement& beam = assembly.beams[static_cast<std::size_t>(in_beams->beam)];
    mark(beam.part, beam.nodes[in_beams->end == 0 ? 0 : 1],
         in_beams->end == 0 ? beam.geometry.end1 : beam.geometry.end2, in_beams->value, in_beams->frequency);
  } else if (in_field) {
    const StressStation& station = stations->all()[static_cast<std::size_t>(in_field->place.station)];
    mark(station.part, station.node, assembly.position(station.node), in_field->value, in_field->frequency);
  }
  return draw(model_scene(assembly, look), picture, source.sight.view);
}

Image motion_picture(const PictureSource& source, const MotionField& field) {
  const DisplayUnit unit = source.show.unit(kind::acceleration);
  std::vector<bool> drawn(source.assembly.nodes.size(), source.sight.parts.empty());
  if (!source.sight.parts.empty())
    for (const int node : nodes_drawn(source)) drawn[static_cast<std::size_t>(node)] = true;
  int worst = static_cast<int>(std::find(drawn.begin(), drawn.end(), true) - drawn.begin());
  for (int node = worst; node < static_cast<int>(field.psd.size()); ++node) {
    if (!drawn[static_cast<std::size_t>(node)]) continue;
    if (field.rms_acceleration(node) > field.rms_acceleration(worst) || std::isnan(field.psd[worst])) worst = node;
  }
  const double largest = field.rms_acceleration(worst);
  ModelLook look = look_of(source, nullptr, 0, 0);
  look.node_value = [&](int node) {
    const double own = field.rms_acceleration(node);
    return largest > 0 && !std::isnan(own) ? own / largest : 0;
  };
  Picture picture{field.excitation->name() + ": RMS of the acceleration of every node",
                  "absolute; the length of its three directions together" + parts_in_words(source), 1280, 800,
                  ColourBar{fmt::format("Acceleration, RMS ({})", unit.text), 0, unit.from_si(largest)}};
  picture.marks = {
      {source.assembly.position(worst), fmt::format("{}, {}", value_text(largest, unit, 3),
                                                    source.assembly.nodes[static_cast<std::size_t>(worst)].origin)}};
  return draw(model_scene(source.assembly, look), picture, source.sight.view);
}

Image envelope_picture(const PictureSource& source, const MotionField& field) {
  const DisplayUnit psd = psd_unit(source.show.unit(kind::acceleration)), hertz = source.show.unit(kind::frequency);
  constexpr double decades = 1e-4;  // of the largest: below that everything is dark
  const LargestPsd worst = field.worst.empty() ? LargestPsd{} : field.worst.front();
  const double high = worst.value > 0 ? worst.value : 1, from = field.excitation->grid.from,
               to = field.excitation->grid.to;
  const auto logarithmic = [](double value, double low, double top) {
    return value > low ? std::clamp(std::log(value / low) / std::log(top / low), 0.0, 1.0) : 0;
  };
  const auto half = [&](const std::function<double(int)>& value, const ColourBar& bar,
                        std::vector<Picture::Mark> marks) {
    ModelLook look;
    look.surface = source.surface;
    look.node_value = value;
    Picture picture{"", "", 640, 714, bar};
    picture.marks = std::move(marks);
    picture.margin = 0.8;
    return draw(model_scene(source.assembly, look), picture);
  };
  const std::string mark =
      fmt::format("{} at {}", value_text(worst.value, psd, 3), value_text(worst.frequency, hertz, 4));
  return sheet(
      {half([&](int node) { return logarithmic(field.psd[node], decades * high, high); },
            {fmt::format("Largest PSD ({})", psd.text), psd.from_si(decades * high), psd.from_si(high), true},
            {{source.assembly.position(worst.node), mark}}),
       half([&](int node) { return logarithmic(field.frequency[node], from, to); },
            {fmt::format("Its frequency ({})", hertz.text), hertz.from_si(from), hertz.from_si(to), true}, {})},
      2, field.excitation->name() + ": the largest PSD of acceleration of every node, and its frequency",
      "sum of the three directions, largest over all frequencies; left: four decades below the largest of all");
}

Image quality_picture(const Assembly& assembly, const std::vector<PartQuality>& quality) {
  ModelLook look;
  look.face_value = [&](const Surface::Face& face, std::size_t) {
    return element_quality(assembly, assembly.groups[face.group], face.element).jacobian;
  };
  int beyond = 0;
  std::vector<const PartQuality*> worst;
  for (const PartQuality& own : quality) {
    beyond += own.beyond;
    worst.push_back(&own);
  }
  Picture picture{"Shape of the elements",
                  fmt::format("the Jacobian at the corners of each element, smallest over largest: 1 is a block or a "
                              "parallelogram; {} elements are poorly shaped",
                              beyond),
                  1280, 800, ColourBar{"Jacobian, smallest over largest", 0, 1}};
  std::stable_sort(worst.begin(), worst.end(),
                   [](const PartQuality* a, const PartQuality* b) { return a->worst.jacobian < b->worst.jacobian; });
  constexpr std::size_t marked = 3;
  for (std::size_t i = 0; i < std::min(marked, worst.size()) && worst[i]->worst.jacobian < 0.95; ++i)
    picture.marks.push_back(
        {worst[i]->at[0], fmt::format("{}: {:.2g}", assembly.parts[static_cast<std::size_t>(worst[i]->part)].name,
                                      worst[i]->worst.jacobian)});
  return draw(model_scene(assembly, look), picture);
}

}  // namespace avrenk
