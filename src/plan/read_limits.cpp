// factors and limits: what must be met.
#include <algorithm>
#include <cmath>
#include <tuple>

#include "core/assess/buckling.h"
#include "core/assess/formula.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

std::optional<Take> read_take(const Tree& tree, const std::string& subject, Problems& problems) {
  if (!tree.is_text()) {
    problems.add(tree, subject, "a word is due", "write peak, RMS or 3 sigma");
    return std::nullopt;
  }
  if (tree.text == "peak") return Take{Take::Form::peak, 1};
  if (tree.text == "RMS") return Take{Take::Form::rms, 1};
  if (tree.text == "PSD") return Take{Take::Form::psd, 1};
  const std::size_t word = tree.text.find("sigma");
  if (word != std::string::npos && word + 5 == tree.text.size()) {
    const auto number = [&]() -> std::optional<double> {
      try {
        return parse_as(kind::number, tree.text.substr(0, word));
      } catch (const InputError&) {
        return std::nullopt;
      }
    }();
    if (number && *number > 0) return Take{Take::Form::sigma, *number};
  }
  if (tree.text == "largest") return Take{Take::Form::largest, 1};
  if (tree.text.starts_with("largest ")) {
    const auto quantile =
        read_quantity(text_at(tree.text.substr(8), tree.place), kind::ratio, subject, problems, Sign::positive);
    if (quantile && *quantile < 1) return Take{Take::Form::largest, 1, *quantile};
    if (quantile)
      problems.add(tree, subject, "nothing stays below a value with more than certainty", "write largest 95 %");
    return std::nullopt;
  }
  if (tree.text.ends_with('%')) {
    for (const auto& [text, sigmas] : {std::pair{"68.27 %", 1}, {"95.45 %", 2}, {"99.73 %", 3}})
      if (tree.text == text) return Take{Take::Form::probability, static_cast<double>(sigmas)};
    problems.add(tree, subject, fmt::format("no such part of the time is known: {}", tree.text),
                 "write 68.27 %, 95.45 % or 99.73 %");
    return std::nullopt;
  }
  problems.add(tree, subject, fmt::format("\"{}\" is not known here", tree.text),
               "write peak, RMS, 3 sigma, 99.73 %, largest 95 % or PSD");
  return std::nullopt;
}

// Takes for sine and for random environments; absent where the plan does not say.
struct Takes {
  std::optional<Take> sine, random;
};

Takes read_takes(const Tree& tree, const std::string& subject, Problems& problems) {
  Takes takes;
  if (tree.is_map()) {
    MapReader map(tree, subject, problems);
    if (const Tree* sine = map.optional("sine")) takes.sine = read_take(*sine, subject + " sine", problems);
    if (const Tree* random = map.optional("random")) takes.random = read_take(*random, subject + " random", problems);
    map.done();
  } else if (const auto take = read_take(tree, subject, problems)) {
    (take->form == Take::Form::peak ? takes.sine : takes.random) = take;
  }
  if (takes.sine && takes.sine->form != Take::Form::peak)
    problems.add(tree, subject, "a sine environment has a peak, no RMS", "write take: {sine: peak, random: 3 sigma}");
  if (takes.random && takes.random->form == Take::Form::peak)
    problems.add(tree, subject, "a random environment has no peak", "write take: {sine: peak, random: 3 sigma}");
  return takes;
}

void read_bounds(MapReader& map, const Kind& kind, Limit& limit) {
  const auto above = map.quantity("above", kind, Sign::positive), below = map.quantity("below", kind, Sign::positive);
  limit.allowable = above.value_or(below.value_or(1));
  limit.below = below.has_value();
  if (!map.tree().find("above") == !map.tree().find("below"))
    map.problems().add(map.tree(), map.subject(), "one bound is due",
                       fmt::format("write above: {0}, or below: {0}", kind.example));
}

void read_frequency_limit(MapReader& map, Limit& limit) {
  limit.subject = Limit::Of::frequency;
  if (const Tree* along = map.required("along", "z"))
    limit.direction =
        read_word(*along, {axis_names.begin(), axis_names.end()}, map.subject() + " along", map.problems()).value_or(2);
  limit.effective_mass_above = map.quantity("effective mass above", kind::ratio, Sign::not_negative).value_or(0);
  read_bounds(map, kind::frequency, limit);
}

void read_mass_limit(MapReader& map, Limit& limit, Reading& reading) {
  limit.subject = Limit::Of::mass;
  read_bounds(map, kind::mass, limit);
  const Tree* const part = map.optional("part");
  if (!part) return;
  std::vector<std::string> names;
  for (const auto& [name, properties] : mass_breakdown(reading.plan.assembly)) names.push_back(name);
  limit.part = part->text;
  if (part->is_text() && reading.parts.knows(part->text)) return;
  if (!part->is_text() || std::find(names.begin(), names.end(), part->text) == names.end())
    reading.problems.add(*part, map.subject(), fmt::format("no part or mass \"{}\"", part->text),
                         suggest_name(part->text, names));
}

void read_life_limit(MapReader& map, Limit::Of subject, Limit& limit, Reading& reading) {
  limit.subject = subject;
  read_bounds(map, kind::number, limit);
  const Tree* const in = map.required("in", "qualification");
  std::vector<std::string> names;
  for (const LifeRequest& each : reading.plan.lives) names.push_back(each.name);
  for (const Tree* each : in ? one_or_more(*in) : std::vector<const Tree*>{}) {
    limit.lives.push_back(each->text);
    if (!each->is_text() || std::find(names.begin(), names.end(), each->text) == names.end())
      reading.problems.add(*each, map.subject() + " in", fmt::format("no life \"{}\"", each->text),
                           names.empty() ? "declare it under life:" : suggest_name(each->text, names));
  }
}

// What other limits make together: names in a formula, each of a limit.
void read_interaction(MapReader& map, Limit& limit, Reading& reading) {
  limit.subject = Limit::Of::interaction;
  limit.allowable = 1;
  const Tree* const formula = map.required("formula", "R1^2 + R2");
  const Tree* const ratios = map.required("ratios", "{R1: bolt-tension, R2: bolt-shear}");
  if (!formula || !ratios) return;
  if (!MapReader(*ratios, map.subject() + " ratios", reading.problems).is_map()) return;
  std::vector<std::string> known;
  for (const Tree::Entry& entry : ratios->entries) {
    limit.ratios.emplace_back(entry.key, entry.value.text);
    known.push_back(entry.key);
  }
  limit.formula = formula->text;
  try {
    const Formula read(limit.formula, known);
    for (const Tree::Entry& entry : ratios->entries)
      if (!read.uses(entry.key))
        reading.problems.add(entry.value, map.subject(), fmt::format("{} does not stand in the formula", entry.key),
                             "leave it out");
  } catch (const InputError& error) {
    reading.problems.add(*formula, map.subject(), error.problems.front().wrong, error.problems.front().instead);
  }
}

// The limits that formulas name, once all are read.
void check_interactions(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    const Tree* const of = entry.value.is_map() ? entry.value.find("of") : nullptr;
    const Tree* const ratios = of && of->text == "interaction" ? entry.value.find("ratios") : nullptr;
    if (!ratios) continue;
    std::vector<std::string> names;
    for (const Limit& each : reading.plan.limits)
      if (each.subject != Limit::Of::interaction) names.push_back(each.name);
    for (const Tree::Entry& ratio : ratios->entries)
      if (!ratio.value.is_text() || std::find(names.begin(), names.end(), ratio.value.text) == names.end())
        reading.problems.add(ratio.value, "limit " + entry.key,
                             fmt::format("no limit \"{}\" by itself", ratio.value.text),
                             suggest_name(ratio.value.text, names));
  }
}

// The least load at which a line of the parts watched buckles.
void read_buckling(MapReader& map, const Tree& value, const OutputRequest& request, Limit& limit, Reading& reading) {
  const auto length = map.required_quantity("buckling length", kind::length, Sign::positive);
  if (request.quantity->keyword != "axial force") {
    reading.problems.add(value, map.subject(), fmt::format("bars buckle under axial force, {} is none", limit.of),
                         "write of: struts.axial force");
    return;
  }
  if (!length) return;
  const Assembly& assembly = reading.plan.assembly;
  for (const int index : request.items) {
    const BeamElement& beam = assembly.beams[static_cast<std::size_t>(index)];
    const Part& part = assembly.parts[static_cast<std::size_t>(beam.part)];
    const auto look = [&](const BeamSection& section) {
      const BucklingLoad own = buckling_load(section, assembly.material_of(beam.part), *length);
      if (!limit.property.empty() && own.load >= limit.allowable) return;
      limit.allowable = own.load;
      limit.property =
          fmt::format("{}, L/i = {:.3g}, of {}", own.is_johnson ? "Johnson" : "Euler", own.slenderness, part.name);
    };
    if (beam.taper < 0)
      look(part.section);
    else
      for (const BeamSection& section : assembly.tapers[static_cast<std::size_t>(beam.taper)]) look(section);
  }
}

// "yield" or "ultimate" of the material of all parts watched; they must have the same.
void read_property(const Tree& tree, const OutputRequest& request, Limit& limit, Reading& reading) {
  const Assembly& assembly = reading.plan.assembly;
  const std::string subject = "limit " + limit.name;
  if (request.quantity->kind != &kind::stress) {
    reading.problems.add(tree, subject, fmt::format("\"{}\" is a stress, {} is none", tree.text, limit.of),
                         fmt::format("write {}", request.quantity->kind->example));
    return;
  }
  std::set<int> parts(request.parts.begin(), request.parts.end());
  for (const int beam : request.items) parts.insert(assembly.beams[static_cast<std::size_t>(beam)].part);
  for (const int part : parts) {
    const Material& material = assembly.material_of(part);
    const auto& value = tree.text == "yield" ? material.yield : material.ultimate;
    if (!value) {
      reading.problems.add(tree, subject, fmt::format("material {} has no {} stress", material.name, tree.text),
                           fmt::format("add it under materials, as in {}: 430 MPa", tree.text));
      return;
    }
    if (!limit.property.empty() && *value != limit.allowable) {
      reading.problems.add(tree, subject, fmt::format("the parts watched differ in their {} stress", tree.text),
                           "watch parts of different materials apart");
      return;
    }
    limit.allowable = *value;
    limit.property = fmt::format("{} of {}", tree.text, material.name);
  }
}

void read_allowable(MapReader& map, const OutputRequest& request, Limit& limit, Reading& reading) {
  const bool gap = request.quantity->keyword == "clearance";
  const std::string single = request.quantity->is_reciprocal ? "at least" : "allowable";
  const auto [key, value] = gap ? map.one_of({"at least", "allowable"})
                                : std::pair{single, map.required(single, std::string(request.quantity->kind->example))};
  if (!value) return;
  if (gap && key == "at least") {
    limit.at_least =
        read_quantity(*value, kind::length, map.subject() + " at least", reading.problems, Sign::not_negative);
    const double gap_there = smallest_gap(reading.plan.assembly, request);
    if (limit.at_least && *limit.at_least >= gap_there)
      reading.problems.add(*value, map.subject(),
                           fmt::format("at least {} is to be left of a gap of {:.4g} mm", value->text, 1e3 * gap_there),
                           "write less than the gap");
  } else if (value->is_text() && (value->text == "yield" || value->text == "ultimate"))
    read_property(*value, request, limit, reading);
  else if (value->is_text() && value->text == "buckling")
    read_buckling(map, *value, request, limit, reading);
  else
    limit.allowable =
        read_quantity(*value, *request.quantity->kind, map.subject() + " allowable", reading.problems, Sign::positive)
            .value_or(0);
}

// The static environment whose answer is added to those of the others.
void read_with(const Tree& with, const std::vector<const Environment*>& others, Limit& limit, Reading& reading) {
  const std::string subject = "limit " + limit.name + " with";
  const Environment* const still = find_environment(with, subject, reading);
  if (!still) return;
  if (still->type != Environment::Type::constant) {
    reading.problems.add(with, subject, fmt::format("environment \"{}\" is not static", with.text),
                         "name one that is written as {static: {acceleration: {z: -1 g}}}");
    return;
  }
  limit.with = still->name;
  for (const Environment* other : others)
    if (!other->after.empty() && other->after != still->name)
      reading.problems.add(with, subject,
                           fmt::format("environment {} comes after {} already", other->name, other->after),
                           fmt::format("write with: {}", other->after));
}

// Why the input of an environment cannot be notched; empty where it can.
std::string why_not_notched(const Environment& environment, const Take& take) {
  if (!environment.load_cases.empty()) return "is driven by loads, and only motions of bases are notched";
  if (!environment.superposed_on.empty())
    return fmt::format("acts on {}, and is not notched", environment.superposed_on);
  if (environment.direct) return "is answered by the full equations, and is not notched";
  if (environment.type == Environment::Type::sine) return "";
  if ((environment.simultaneous && environment.axes.size() > 1) || environment.bases_apart)
    return "has several inputs at once, and which of them to lower is not known";
  if (take.form == Take::Form::probability || take.form == Take::Form::largest)
    return "is notched for a PSD, an RMS or so many sigma";
  return "";
}

// yes, no, or {deepest: 12 dB, floor: 0.5 g}.
void read_notch(const Tree& tree, const std::vector<const Environment*>& excited, Limit& limit, Reading& reading) {
  Problems& problems = reading.problems;
  const std::string subject = "limit " + limit.name + " notch";
  if (!tree.is_map()) {
    if (read_word(tree, {"no", "yes"}, subject, problems) == 1) limit.notch.emplace();
  } else {
    NotchRule& rule = limit.notch.emplace();
    MapReader map(tree, subject, problems);
    const bool angular = !excited.empty() && excited.front()->angular,
               random = !excited.empty() && excited.front()->type == Environment::Type::random;
    if (const auto deepest = map.quantity("deepest", kind::level, Sign::positive))
      rule.deepest = std::pow(10, -*deepest / 20);
    const Kind& kind = random ? (angular ? kind::angular_acceleration_psd : kind::acceleration_psd)
                              : (angular ? kind::angular_acceleration : kind::acceleration);
    rule.floor = map.quantity("floor", kind, Sign::positive).value_or(0);
    map.done();
    const bool mixed = std::any_of(excited.begin(), excited.end(),
                                   [&](const Environment* each) { return each->type != excited.front()->type; });
    if (rule.floor > 0 && mixed)
      problems.add(tree, subject, "the floor of a sine is no floor of a random input", "write a limit for each");
  }
  if (!limit.notch) return;
  if (excited.empty())
    problems.add(tree, subject, "no environment that is notched is named", "name a sine or a random one under in");
  for (const Environment* each : excited)
    if (const std::string why = why_not_notched(*each, limit.take_random); !why.empty())
      problems.add(tree, subject, fmt::format("environment {} {}", each->name, why), "give it a limit of its own");
}

// Kinds of PSD that may be limited.
const Kind* psd_of(const Kind& kind) {
  constexpr const Kind* all[] = {&kind::acceleration_psd,
                                 &kind::angular_acceleration_psd,
                                 &kind::velocity_psd,
                                 &kind::displacement_psd,
                                 &kind::angular_velocity_psd,
                                 &kind::angle_psd,
                                 &kind::force_psd,
                                 &kind::moment_psd,
                                 &kind::pressure_psd};
  for (const Kind* const each : all)
    if (each->dimension == power(kind.dimension, 2) * kind::time.dimension) return each;
  return nullptr;
}

// Semi-empirical: the force on the base is at most C times what a mass M would take, less above a frequency.
std::optional<AllowedPsd> read_force_limit(const Tree& tree, const OutputRequest& request, const std::string& subject,
                                           Problems& problems) {
  MapReader map(tree, subject, problems);
  const auto constant = map.required_quantity("C", kind::number, Sign::positive);
  const auto mass = map.required_quantity("mass", kind::mass, Sign::positive);
  const auto up_to = map.required_quantity("up to", kind::frequency, Sign::positive);
  const auto slope = map.required_quantity("beyond", kind::slope);
  map.done();
  if (request.quantity->kind != &kind::force) {
    problems.add(tree, subject, "a force limit is one of a force", "write of: fixture.force.z");
    return std::nullopt;
  }
  if (!constant || !mass || !up_to || !slope) return std::nullopt;
  constexpr double lowest = 1e-3, highest = 1e6;  // Hz: all that is ever excited
  const double level = std::pow(*constant * *mass, 2);
  return AllowedPsd{LogLogTable({{std::min(lowest, 0.5 * *up_to), level, {}},
                                 {*up_to, level, {}},
                                 {std::max(highest, 2 * *up_to), std::nullopt, *slope}},
                                10),
                    true};
}

// A PSD that is the same everywhere, a table of one, one in a file, or a force limit.
void read_allowed_psd(const Tree& tree, const OutputRequest& request, Limit& limit, Reading& reading) {
  Problems& problems = reading.problems;
  const std::string subject = "limit " + limit.name + " allowable";
  const Kind* const kind = psd_of(*request.quantity->kind);
  if (!kind || request.quantity->keyword == "clearance") {
    problems.add(tree, subject, fmt::format("the PSD of {} is not limited", limit.of), "take 3 sigma, or RMS");
  } else if (tree.is_map() && tree.find("force limit")) {
    limit.allowed_psd = read_force_limit(*tree.find("force limit"), request, subject, problems);
  } else if (tree.is_map()) {
    if (const auto rows = read_csv_table(tree, subject, problems))
      if (auto table = read_table(*rows, *kind, 10, subject, problems)) limit.allowed_psd = AllowedPsd{*table};
  } else if (tree.is_list()) {
    if (auto table = read_table(tree, *kind, 10, subject, problems)) limit.allowed_psd = AllowedPsd{*table};
  } else if (const auto level = read_quantity(tree, *kind, subject, problems, Sign::positive)) {
    constexpr double lowest = 1e-6, highest = 1e9;  // Hz
    limit.allowed_psd = AllowedPsd{LogLogTable({{lowest, *level, {}}, {highest, *level, {}}}, 10)};
  }
}

// The largest value in a duration is known of Gaussian responses, and where there is a duration.
void refuse_largest(const Tree& in, const Environment& environment, const OutputRequest* request, const MapReader& map,
                    Problems& problems) {
  if (!environment.duration)
    problems.add(in, map.subject(),
                 fmt::format("profile {} has no duration in which a largest value occurs", environment.profile),
                 "write duration: 120 s in it");
  else if (in.text.ends_with(".combined") || !environment.superposed_on.empty())
    problems.add(in, map.subject(), fmt::format("the largest of {} is not known", in.text),
                 "name one of its axes, or take 3 sigma");
  const std::string of = map.tree().find("of")->text;
  if (request && (request->quantity->positive || is_length(*request, of)))
    problems.add(in, map.subject(), fmt::format("{} is not Gaussian, and how large it grows is not known", of),
                 "name a component, or take 99.73 %");
}

void read_response_limit(MapReader& map, const Tree& of, Limit& limit, Reading& reading) {
  Problems& problems = reading.problems;
  limit.of = of.text;
  (void)is_watched(of, map.subject(), reading);
  const OutputRequest* const request = find_request(reading.plan.watch, of.text);
  const Tree* const in = map.required("in", "random");
  const Tree* const take_tree = map.optional("take");
  const Tree* const factors = map.optional("factors");
  const Tree* const with = map.optional("with");
  const Tree* const at = map.optional("at");
  const Tree* const notch = map.optional("notch");
  const Takes takes = take_tree ? read_takes(*take_tree, map.subject() + " take", problems) : Takes{};
  const bool of_psd = takes.random && takes.random->form == Take::Form::psd;
  if (request && of_psd) {
    if (const Tree* const value = map.required("allowable", "0.5 g^2/Hz"))
      read_allowed_psd(*value, *request, limit, reading);
  } else if (request)
    read_allowable(map, *request, limit, reading);
  else
    (void)map.optional("allowable"), (void)map.optional("at least");
  if (at) limit.at_upper = read_word(*at, {"nominal", "upper tolerance"}, map.subject() + " at", problems) == 1;
  limit.take = takes.sine.value_or(Take{});
  limit.take_random = takes.random.value_or(Take{});
  if (take_tree && request && request->quantity->is_reciprocal)
    problems.add(*take_tree, map.subject(), fmt::format("of {} the smallest value is taken", limit.of),
                 "leave take out");
  if (factors) std::tie(limit.factor, limit.factors) = read_factors_named(*factors, map.subject(), reading);
  if (in && in->is_list() && in->items.empty())
    problems.add(*in, map.subject(), "no environment is named, so nothing is judged", "write in: random, or a list");
  std::vector<const Environment*> excited;
  for (const Tree* each : in ? one_or_more(*in) : std::vector<const Tree*>{}) {
    const Environment* const environment = find_environment(*each, map.subject() + " in", reading);
    if (!environment) continue;
    limit.environments.push_back(each->text);
    if (environment->is_static()) {
      if (request && request->quantity->per_input())
        problems.add(*each, map.subject(), fmt::format("{} is a ratio to the input and has no static value", limit.of),
                     "name a sine environment");
      continue;
    }
    excited.push_back(environment);
    if (of_psd && (environment->type == Environment::Type::sine || !environment->superposed_on.empty() ||
                   each->text.ends_with(".combined")))
      problems.add(*each, map.subject(), fmt::format("{} has no PSD of its own", each->text),
                   "name a random environment, or one of its axes");
    if (notch && each->text.ends_with(".combined"))
      problems.add(*each, map.subject(), "cases that are combined are not notched together",
                   fmt::format("write in: {}", environment->name));
    if (limit.take_random.form == Take::Form::largest && environment->type == Environment::Type::random)
      refuse_largest(*each, *environment, request, map, problems);
    const bool on = !environment->superposed_on.empty();
    const bool sine = environment->type == Environment::Type::sine && !on;
    if (on && takes.random && takes.random->form == Take::Form::sigma)
      problems.add(
          *take_tree, map.subject(),
          fmt::format("{} acts on {}, and both together have no sigma", environment->name, environment->superposed_on),
          "write take: 99.73 %, or RMS");
    if (on && each->text.ends_with(".combined"))
      problems.add(*each, map.subject(), "what cases combined make together with what they act on is not known",
                   fmt::format("write in: {}", environment->name));
    if (on && (with || (request && request->quantity->keyword == "clearance")))
      problems.add(*each, map.subject(),
                   fmt::format("{} acts on {}: what both make of a gap or on top of a static load is not known",
                               environment->name, environment->superposed_on),
                   "name other environments");
    if (limit.take_random.form == Take::Form::probability && each->text.ends_with(".combined"))
      problems.add(*each, map.subject(), "what cases combined stay below with a probability is not known",
                   "name a case, or let all axes act at once: simultaneous: yes without combine");
    if (with && each->text.ends_with(".combined"))
      problems.add(*each, map.subject(), "a static answer cannot be added to axes that are combined already",
                   fmt::format("write in: {}", environment->name));
    if (!sine && request && request->quantity->per_input())
      problems.add(*each, map.subject(), fmt::format("{} is a ratio to the input and has no RMS", limit.of),
                   "name a sine environment");
    if (const Kind* input = reference_kind(*environment, reading.plan.assembly);
        sine && request && !request->quantity->has_meaning(input))
      problems.add(*each, map.subject(),
                   fmt::format("{} is a ratio to {}, and the input of {} is {}", limit.of, request->quantity->per->name,
                               environment->name, input->name),
                   fmt::format("name an environment that is driven by {}", request->quantity->per->name));
    if (sine && request && request->quantity->is_reciprocal) continue;  // only its smallest value can be meant
    if (sine ? takes.sine.has_value() : takes.random.has_value()) continue;
    const std::string example = sine ? "peak" : on ? "99.73 %, or RMS" : "3 sigma, or RMS";
    if (take_tree)
      problems.add(*take_tree, map.subject(),
                   fmt::format("\"{}\" does not fit {}environment {}{}", take_tree->text,
                               on     ? ""
                               : sine ? "sine "
                                      : "random ",
                               each->text, on ? ", which acts on " + environment->superposed_on : ""),
                   "write take: " + example);
    else
      problems.add(map.tree(), map.subject(), "\"take\" is missing", "write take: " + example);
  }
  if (with && request && request->quantity->per_input())
    problems.add(*with, map.subject(),
                 fmt::format("{} is a ratio to the input, to which nothing static adds", limit.of), "leave with out");
  else if (with)
    read_with(*with, excited, limit, reading);
  if (with && of_psd) problems.add(*with, map.subject(), "nothing static adds to a PSD", "leave with out");
  if (!notch) return;
  read_notch(*notch, excited, limit, reading);
  if (limit.notch && request && (request->quantity->per_input() || request->quantity->keyword == "clearance"))
    problems.add(*notch, map.subject(),
                 request->quantity->per_input()
                     ? fmt::format("{} is a ratio to the input, which no notch changes", limit.of)
                     : fmt::format("what {} leaves depends on its sign, and a notch looks at amplitudes", limit.of),
                 "leave notch out");
}

}  // namespace

Environment* find_environment(const Tree& tree, const std::string& subject, Reading& reading) {
  Tree name = tree;
  std::string axis;
  if (const std::size_t dot = tree.text.find('.');
      tree.is_text() && dot != std::string::npos && !reading.environments.knows(tree.text)) {
    name.text = tree.text.substr(0, dot);
    axis = tree.text.substr(dot + 1);
  }
  const int* const index = reading.environments.find(name, subject, reading.problems);
  if (!index) return nullptr;
  Environment& environment = reading.plan.environments[static_cast<std::size_t>(*index)];
  std::vector<std::string> axes = case_names(environment);
  if (environment.combination != Environment::Combination::none) axes.emplace_back("combined");
  if (!axis.empty() && std::find(axes.begin(), axes.end(), axis) == axes.end()) {
    reading.problems.add(tree, subject,
                         fmt::format("environment {} has no {} \"{}\"", environment.name,
                                     environment.load_cases.empty() ? "axis" : "case", axis),
                         suggest_name(axis, axes));
    return nullptr;
  }
  return &environment;
}

std::pair<double, std::string> read_factors_named(const Tree& tree, const std::string& subject, Reading& reading) {
  std::pair<double, std::string> all{1, ""};
  for (const Tree* each : one_or_more(tree)) {
    const double* const factor = reading.factors.find(*each, subject + " factors", reading.problems);
    if (!factor) continue;
    all.first *= *factor;
    all.second += fmt::format("{}{} {:g}", all.second.empty() ? "" : " × ", each->text, *factor);
  }
  return all;
}

void read_factors(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    const std::string subject = "factor " + entry.key;
    auto factor = read_quantity(entry.value, kind::number, subject, reading.problems, Sign::positive);
    if (factor && *factor < 1) {
      reading.problems.add(entry.value, subject, fmt::format("a factor of {:g} makes limits easier to meet", *factor),
                           "write 1 or more");
      factor.reset();
    }
    reading.factors.declare(entry.key, factor);
  }
}

void read_scatter(const Tree& section, Reading& reading) {
  Scatter& scatter = reading.plan.scatter;
  MapReader map(section, "scatter", reading.problems);
  if (!map.is_map()) return;
  const Tree* const frequencies = map.optional("frequencies");
  const Tree* const damping = map.optional("damping");
  map.done();
  if (!frequencies && !damping)
    reading.problems.add(section, "scatter", "nothing is said to scatter",
                         "write frequencies: 5 %, or damping: [1 %, 3 %]");
  if (frequencies) {
    constexpr double widest = 0.5;
    scatter.frequencies =
        read_quantity(*frequencies, kind::ratio, "scatter frequencies", reading.problems, Sign::positive).value_or(0);
    if (scatter.frequencies > widest)
      reading.problems.add(*frequencies, "scatter",
                           fmt::format("frequencies that are off by {} say nothing", frequencies->text),
                           "write up to 50 %");
  }
  for (const Tree* each : damping ? one_or_more(*damping) : std::vector<const Tree*>{})
    if (const auto ratio = read_quantity(*each, kind::ratio, "scatter damping", reading.problems, Sign::positive))
      scatter.damping.push_back(*ratio);
}

void read_limits(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    MapReader map(entry.value, "limit " + entry.key, reading.problems);
    if (!map.is_map()) continue;
    Limit limit;
    limit.name = entry.key;
    const Tree* const of = map.required("of", "tip.acceleration");
    const std::string subject = of ? of->text : "";
    if (subject == "frequency")
      read_frequency_limit(map, limit);
    else if (subject == "mass")
      read_mass_limit(map, limit, reading);
    else if (subject == "life" || subject == "damage")
      read_life_limit(map, subject == "life" ? Limit::Of::life : Limit::Of::damage, limit, reading);
    else if (subject == "interaction")
      read_interaction(map, limit, reading);
    else if (of)
      read_response_limit(map, *of, limit, reading);
    if (const Tree* requirement = map.optional("requirement"))
      limit.requirement = read_text(*requirement, map.subject() + " requirement", reading.problems).value_or("");
    map.done();
    reading.plan.limits.push_back(limit);
  }
  check_interactions(section, reading);
}

}  // namespace avrenk
