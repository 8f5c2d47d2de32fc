// factors and limits: what must be met.
#include <algorithm>
#include <cmath>

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
  if (tree.text.ends_with('%')) {
    for (const auto& [text, sigmas] : {std::pair{"68.27 %", 1}, {"95.45 %", 2}, {"99.73 %", 3}})
      if (tree.text == text) return Take{Take::Form::probability, static_cast<double>(sigmas)};
    problems.add(tree, subject, fmt::format("no such part of the time is known: {}", tree.text),
                 "write 68.27 %, 95.45 % or 99.73 %");
    return std::nullopt;
  }
  problems.add(tree, subject, fmt::format("\"{}\" is not known here", tree.text),
               "write peak, RMS, 3 sigma or 99.73 %");
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

// "yield" or "ultimate" of the material of all parts watched; they must have the same.
void read_property(const Tree& tree, const WatchRequest& request, Limit& limit, Reading& reading) {
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

void read_allowable(MapReader& map, const WatchRequest& request, Limit& limit, Reading& reading) {
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

// yes, no, or {deepest: 12 dB, floor: 0.5 g}.
void read_notch(const Tree& tree, const std::vector<const Environment*>& sines, Limit& limit, Reading& reading) {
  Problems& problems = reading.problems;
  const std::string subject = "limit " + limit.name + " notch";
  if (!tree.is_map()) {
    if (read_word(tree, {"no", "yes"}, subject, problems) == 1) limit.notch.emplace();
  } else {
    NotchRule& rule = limit.notch.emplace();
    MapReader map(tree, subject, problems);
    const bool angular = !sines.empty() && sines.front()->angular;
    if (const auto deepest = map.quantity("deepest", kind::level, Sign::positive))
      rule.deepest = std::pow(10, -*deepest / 20);
    rule.floor =
        map.quantity("floor", angular ? kind::angular_acceleration : kind::acceleration, Sign::positive).value_or(0);
    map.done();
  }
  if (!limit.notch) return;
  if (sines.empty())
    problems.add(tree, subject, "only sine inputs are notched, and no sine environment is named",
                 "name one under in, or leave notch out");
  for (const Environment* each : sines) {
    if (!each->load_cases.empty())
      problems.add(tree, subject,
                   fmt::format("environment {} is driven by loads, and only motions of bases are notched", each->name),
                   "give it a limit of its own");
    else if (!each->on.empty() || each->direct)
      problems.add(tree, subject,
                   fmt::format("environment {} {}, and is not notched", each->name,
                               each->direct ? "is answered by the full equations" : "acts on " + each->on),
                   "give it a limit of its own");
  }
}

void read_response_limit(MapReader& map, const Tree& of, Limit& limit, Reading& reading) {
  Problems& problems = reading.problems;
  limit.of = of.text;
  (void)is_watched(of, map.subject(), reading);
  const WatchRequest* request = nullptr;
  for (const WatchRequest& each : reading.plan.watch)
    for (const std::string& name : watched_names({each}))
      if (name == of.text) request = &each;
  const Tree* const in = map.required("in", "random");
  const Tree* const take_tree = map.optional("take");
  const Tree* const factors = map.optional("factors");
  const Tree* const with = map.optional("with");
  const Tree* const at = map.optional("at");
  const Tree* const notch = map.optional("notch");
  if (request)
    read_allowable(map, *request, limit, reading);
  else
    (void)map.optional("allowable"), (void)map.optional("at least");
  if (at) limit.at_upper = read_word(*at, {"nominal", "upper tolerance"}, map.subject() + " at", problems) == 1;
  const Takes takes = take_tree ? read_takes(*take_tree, map.subject() + " take", problems) : Takes{};
  limit.take = takes.sine.value_or(Take{});
  limit.take_random = takes.random.value_or(Take{});
  if (take_tree && request && request->quantity->is_reciprocal)
    problems.add(*take_tree, map.subject(), fmt::format("of {} the smallest value is taken", limit.of),
                 "leave take out");
  for (const Tree* each : factors ? one_or_more(*factors) : std::vector<const Tree*>{}) {
    const double* const factor = reading.factors.find(*each, map.subject() + " factors", problems);
    if (!factor) continue;
    limit.factor *= *factor;
    limit.factors += fmt::format("{}{} {:g}", limit.factors.empty() ? "" : " × ", each->text, *factor);
  }
  if (in && in->is_list() && in->items.empty())
    problems.add(*in, map.subject(), "no environment is named, so nothing is judged", "write in: random, or a list");
  std::vector<const Environment*> excited, sines;
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
    if (environment->type == Environment::Type::sine) sines.push_back(environment);
    if (notch && each->text.ends_with(".combined"))
      problems.add(*each, map.subject(), "cases that are combined are not notched together",
                   fmt::format("write in: {}", environment->name));
    const bool on = !environment->on.empty();
    const bool sine = environment->type == Environment::Type::sine && !on;
    if (on && takes.random && takes.random->form == Take::Form::sigma)
      problems.add(*take_tree, map.subject(),
                   fmt::format("{} acts on {}, and both together have no sigma", environment->name, environment->on),
                   "write take: 99.73 %, or RMS");
    if (on && each->text.ends_with(".combined"))
      problems.add(*each, map.subject(), "what cases combined make together with what they act on is not known",
                   fmt::format("write in: {}", environment->name));
    if (on && (with || (request && request->quantity->keyword == "clearance")))
      problems.add(*each, map.subject(),
                   fmt::format("{} acts on {}: what both make of a gap or on top of a static load is not known",
                               environment->name, environment->on),
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
                               each->text, on ? ", which acts on " + environment->on : ""),
                   "write take: " + example);
    else
      problems.add(map.tree(), map.subject(), "\"take\" is missing", "write take: " + example);
  }
  if (with && request && request->quantity->per_input())
    problems.add(*with, map.subject(),
                 fmt::format("{} is a ratio to the input, to which nothing static adds", limit.of), "leave with out");
  else if (with)
    read_with(*with, excited, limit, reading);
  if (!notch) return;
  read_notch(*notch, sines, limit, reading);
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

void read_limits(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    MapReader map(entry.value, "limit " + entry.key, reading.problems);
    if (!map.is_map()) continue;
    Limit limit;
    limit.name = entry.key;
    const Tree* const of = map.required("of", "tip.acceleration");
    if (of && of->is_text() && of->text == "frequency")
      read_frequency_limit(map, limit);
    else if (of && of->is_text() && of->text == "mass")
      read_mass_limit(map, limit, reading);
    else if (of)
      read_response_limit(map, *of, limit, reading);
    map.done();
    reading.plan.limits.push_back(limit);
  }
}

}  // namespace avrenk
