// show, watch and limits: what is asked of the answer.
#include <algorithm>

#include "plan/sections.h"

namespace avrenk {
namespace {

struct Shown {
  const char* key;
  const Kind* kind;
};
constexpr Shown shown[] = {{"length", &kind::length},
                           {"velocity", &kind::velocity},
                           {"acceleration", &kind::acceleration},
                           {"angle", &kind::angle},
                           {"angular acceleration", &kind::angular_acceleration},
                           {"force", &kind::force},
                           {"moment", &kind::moment},
                           {"mass", &kind::mass},
                           {"inertia", &kind::inertia},
                           {"stress", &kind::stress},
                           {"frequency", &kind::frequency}};

std::vector<std::string> keywords_of(Subject subject) {
  std::vector<std::string> words;
  for (const WatchedQuantity& quantity : watched_quantities())
    if (quantity.subject == subject) words.emplace_back(quantity.keyword);
  if (subject == Subject::base)
    for (const std::string& foot : keywords_of(Subject::foot)) words.push_back(foot);
  return words;
}

const WatchedQuantity* find_quantity(const Tree& tree, Subject subject, const std::string& where, Problems& problems) {
  if (tree.is_text()) {
    for (const WatchedQuantity& quantity : watched_quantities())
      if (quantity.keyword == tree.text &&
          (quantity.subject == subject || (subject == Subject::base && quantity.subject == Subject::foot)))
        return &quantity;
    if (subject == Subject::node &&
        (tree.text == "displacement" || tree.text == "velocity" || tree.text == "rotation")) {
      problems.add(tree, where, fmt::format("\"{}\" may be relative to the base or absolute", tree.text),
                   fmt::format("write \"relative {0}\" or \"absolute {0}\"", tree.text));
      return nullptr;
    }
  }
  problems.add(tree, where, fmt::format("no quantity \"{}\" here", tree.text),
               suggest_name(tree.text, keywords_of(subject)));
  return nullptr;
}

void read_watch_entry(const Tree::Entry& entry, Reading& reading) {
  const std::string subject = "watch " + entry.key;
  Problems& problems = reading.problems;
  const Assembly& assembly = reading.plan.assembly;
  MapReader map(entry.value, subject, problems);
  if (!map.is_map()) return;
  const auto [how, what] = map.one_of({"at", "joint", "part", "base"});
  const Tree* const quantities = map.required("quantities", "[acceleration]");
  const Tree* const about_tree = how == "base" ? map.optional("about") : nullptr;
  map.done();
  if (!what || !quantities) return;
  WatchRequest request;
  request.name = entry.key;
  Subject kind = Subject::node;
  if (how == "at") {
    if (const auto* nodes = reading.places.find(*what, subject, problems)) request.items = *nodes;
  } else if (how == "joint") {
    kind = Subject::spring;
    const auto* springs = reading.joints.find(*what, subject, problems);
    if (springs && springs->empty())
      problems.add(*what, subject, fmt::format("joint \"{}\" is rigid: it has no force or travel to watch", what->text),
                   "name a spring");
    if (springs) request.items = *springs;
  } else if (how == "part") {
    kind = Subject::beam;
    for (const Tree* each : one_or_more(*what)) {
      const int* const part = reading.parts.find(*each, subject, problems);
      for (int beam = 0; part && beam < static_cast<int>(assembly.beams.size()); ++beam)
        if (assembly.beams[static_cast<std::size_t>(beam)].part == *part) request.items.push_back(beam);
    }
  } else {
    kind = Subject::base;
    request.about = assembly.base.point;
    if (!assembly.base.name.empty() && (!what->is_text() || what->text != assembly.base.name))
      problems.add(*what, subject, fmt::format("\"{}\" is not the base", what->text),
                   fmt::format("write \"{}\"", assembly.base.name));
    if (about_tree)
      request.about = read_vector(*about_tree, kind::length, subject + " about", problems).value_or(Vector3::Zero());
  }
  for (const Tree* each : one_or_more(*quantities)) {
    request.quantity = find_quantity(*each, kind, subject, problems);
    if (!request.quantity) continue;
    WatchRequest one = request;
    if (request.quantity->subject == Subject::foot) {
      reading.plan.modes.feet = true;
      one.items.clear();
      for (int foot = 0; foot < static_cast<int>(assembly.base.feet.size()); ++foot) one.items.push_back(foot);
    }
    reading.plan.watch.push_back(std::move(one));
  }
}

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
  problems.add(tree, subject, fmt::format("\"{}\" is not known here", tree.text), "write peak, RMS or 3 sigma");
  return std::nullopt;
}

// "random" or "random.z", and the type of environment it is.
std::optional<Environment::Type> check_environment(const Tree& tree, const std::string& subject, Reading& reading) {
  Tree name = tree;
  std::string axis;
  if (const std::size_t dot = tree.text.rfind('.');
      tree.is_text() && dot != std::string::npos && !reading.environments.knows(tree.text)) {
    name.text = tree.text.substr(0, dot);
    axis = tree.text.substr(dot + 1);
  }
  const int* const index = reading.environments.find(name, subject, reading.problems);
  if (!index) return std::nullopt;
  const Environment& environment = reading.plan.environments[static_cast<std::size_t>(*index)];
  std::vector<std::string> axes;
  for (const int each : environment.axes) axes.emplace_back(axis_names[static_cast<std::size_t>(each)]);
  if (!axis.empty() && std::find(axes.begin(), axes.end(), axis) == axes.end()) {
    reading.problems.add(tree, subject, fmt::format("environment {} has no axis \"{}\"", environment.name, axis),
                         suggest_name(axis, axes));
    return std::nullopt;
  }
  return environment.type;
}

void read_frequency_limit(MapReader& map, Limit& limit) {
  Problems& problems = map.problems();
  if (const Tree* along = map.required("along", "z"))
    limit.direction =
        read_word(*along, {axis_names.begin(), axis_names.end()}, map.subject() + " along", problems).value_or(2);
  limit.effective_mass_above = map.quantity("effective mass above", kind::ratio, Sign::not_negative).value_or(0);
  limit.above = map.quantity("above", kind::frequency, Sign::positive);
  limit.below = map.quantity("below", kind::frequency, Sign::positive);
  if (!limit.above == !limit.below)
    problems.add(map.tree(), map.subject(), "a frequency limit needs one bound",
                 "write above: 55 Hz, or below: 300 Hz");
}

void read_response_limit(MapReader& map, const Tree& of, Limit& limit, Reading& reading) {
  Problems& problems = reading.problems;
  const auto names = watched_names(reading.plan.watch);
  limit.of = of.text;
  const auto known = std::find(names.begin(), names.end(), of.text);
  if (known == names.end())
    problems.add(of, map.subject(), fmt::format("\"{}\" is not watched", of.text),
                 names.empty() ? "declare it under watch:" : suggest_name(of.text, names));
  const Kind* kind = nullptr;
  for (const WatchRequest& request : reading.plan.watch)
    if (of.text.starts_with(fmt::format("{}.{}", request.name, request.quantity->keyword)))
      kind = request.quantity->kind;
  const Tree* const in = map.required("in", "random");
  const Tree* const take_tree = map.required("take", "3 sigma");
  const Tree* const allowable = map.required("allowable", kind ? std::string(kind->example) : "1.5 mm");
  if (allowable && kind)
    limit.allowable =
        read_quantity(*allowable, *kind, map.subject() + " allowable", problems, Sign::positive).value_or(0);
  const auto take = take_tree ? read_take(*take_tree, map.subject() + " take", problems) : std::nullopt;
  if (take) limit.take = *take;
  if (const Tree* factors = map.optional("factors")) {
    for (const Tree* each : one_or_more(*factors)) {
      const double* const factor = reading.factors.find(*each, map.subject() + " factors", problems);
      if (!factor) continue;
      limit.factor *= *factor;
      limit.factors += fmt::format("{}{} {:g}", limit.factors.empty() ? "" : " × ", each->text, *factor);
    }
  }
  for (const Tree* each : in ? one_or_more(*in) : std::vector<const Tree*>{}) {
    const auto type = check_environment(*each, map.subject() + " in", reading);
    if (!type) continue;
    limit.environments.push_back(each->text);
    if (take && (*type == Environment::Type::sine) != (take->form == Take::Form::peak))
      problems.add(*take_tree, map.subject(),
                   fmt::format("\"{}\" does not fit {} environment {}", take_tree->text,
                               *type == Environment::Type::sine ? "sine" : "random", each->text),
                   *type == Environment::Type::sine ? "write take: peak" : "write take: 3 sigma, or RMS");
  }
}

}  // namespace

void read_show(const Tree& section, Reading& reading) {
  MapReader map(section, "show", reading.problems);
  if (!map.is_map()) return;
  for (const Shown& each : shown) {
    const Tree* const unit = map.optional(each.key);
    if (!unit) continue;
    const std::string subject = fmt::format("show {}", each.key);
    try {
      if (!unit->is_text())
        throw InputError(
            Problem{"", "a unit is due", fmt::format("write, for example, {}", each.kind->display), std::nullopt});
      const Dimension found = parse_unit(unit->text).dimension;
      if (found == each.kind->dimension)
        reading.plan.show.set(*each.kind, unit->text);
      else
        reading.problems.add(*unit, subject, fmt::format("\"{}\" is {}'s unit", unit->text, describe(found)),
                             fmt::format("write a unit of {} such as {}", each.kind->name, each.kind->display));
    } catch (const InputError& error) {
      reading.problems.add(*unit, subject, error.problems.front().wrong, error.problems.front().instead);
    }
  }
  map.done();
}

void read_watch(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) read_watch_entry(entry, reading);
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
    else if (of)
      read_response_limit(map, *of, limit, reading);
    map.done();
    reading.plan.limits.push_back(limit);
  }
}

}  // namespace avrenk
